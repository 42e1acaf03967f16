"""The tools, by hand."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QScrollArea, QSpinBox

from arabesque.checking import measure_both_ways
from arabesque.desk.tools import TOOLS
from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.patch.grow import GrowPatch
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.tools.patch.suggest import SuggestPatches
from arabesque.desk.tools.pick import Pick
from arabesque.desk.view.scene import Label, Triangles
from arabesque.fitting import Stop
from arabesque.geometry import Curve, reach_weights
from arabesque.model import Document, Item
from arabesque.recipes import PatchOnScan
from tests.desk.support import ALT, CTRL, SHIFT, WindowTest
from tests.examples import heron


class FormsTest(WindowTest):
    def test_no_form_is_cut(self) -> None:
        """At 1280 x 800 every tool's form has room in the Inspector, whatever its words."""
        document = Document().with_item(Item("scan", "heron clay", heron(25_000).scan))
        curve = Curve.bezier(np.array([[0, 0, 30.0], [50, 0, 40], [100, 0, 30]]))
        self.session.start(document.with_item(Item("line", "Curve", curve)), None, "opened")
        self.window.resize(1280, 800)
        scroll = self.window.inspector.findChild(QScrollArea)
        assert scroll is not None
        for kind in TOOLS:
            with self.subTest(tool=kind.id):
                self.window.hand.take_up(kind)
                QTest.qWait(1)
                body = scroll.widget()
                assert body is not None
                self.assertLessEqual(body.minimumSizeHint().width(), scroll.viewport().width())
                self.assertLessEqual(body.width(), scroll.viewport().width())
                self.key(Qt.Key.Key_Escape)
        self.idle()


class FourCornersTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.open_heron()
        self.key(Qt.Key.Key_N)
        tool = self.window.hand.tool
        assert isinstance(tool, FourCornerPatch)
        self.tool = tool
        self.corners = heron().master.corners["flank"]

    def test_preview_from_the_third_corner_on(self) -> None:
        for corner in self.corners[:3]:
            self.click(corner)
            self.assertIsNone(self.tool._quick)
        self.hover(self.corners[3])
        preview = self.tool._quick
        assert preview is not None
        self.assertLess(np.abs(preview.points[[0, -1], [0, -1]] - self.corners[[0, 2]]).max(), 1.5)
        self.assertIn("fourth", self.tool.says)

    def test_corners_stay_where_they_were_clicked(self) -> None:
        for corner in self.corners:
            self.click(corner)
        clicked = np.array(self.tool.corners)
        self.idle()
        self.key(Qt.Key.Key_Return)
        p = self.surface().points
        found = np.array([p[0, 0], p[-1, 0], p[-1, -1], p[0, -1]])
        for corner in clicked:
            self.assertEqual(np.abs(found - corner).max(axis=1).min(), 0.0)

    def test_a_border_line_is_pulled_and_let_go(self) -> None:
        """Pulled by its middle the side bows, before it is kept and after; a click makes it calm again."""
        for corner in self.corners:
            self.click(corner)
        self.assertEqual(len(self.tool.borders.lines), 4)
        self.idle()
        calm = self.tool.borders.handles[0]
        start = self.pixel(calm)
        self.drag(start, start + QPoint(0, -14))
        self.idle()
        self.assertIn("pulled", [label.text for label in self.tool.parts(self.view.camera) if isinstance(label, Label)])
        self.key(Qt.Key.Key_Return)
        self.idle()
        item = self.session.surface_item
        assert item is not None and isinstance(item.recipe, PatchOnScan)
        self.assertIsNotNone(item.recipe.sides[0].through)
        edge = self.surface().at(np.column_stack([np.linspace(0, 1, 2001), np.zeros(2001)]))
        pulled = item.recipe.sides[0].through
        assert pulled is not None
        self.assertLess(np.linalg.norm(edge - pulled[0], axis=1).min(), 0.3)
        self.assertGreater(np.linalg.norm(edge - calm, axis=1).min(), 1.0)
        self.click(self.pixel(self.tool.borders.handles[0]))
        self.idle()
        item = self.session.surface_item
        assert item is not None and isinstance(item.recipe, PatchOnScan)
        self.assertTrue(item.recipe.sides[0].calm)
        self.assertIn("border line moved", self.session.history.steps[-1].label)
        edge = self.surface().at(np.column_stack([np.linspace(0, 1, 2001), np.zeros(2001)]))
        self.assertLess(np.linalg.norm(edge - calm, axis=1).min(), 0.3)

    def test_a_corner_dragged_before_applying(self) -> None:
        for corner in self.corners:
            self.click(corner)
        self.idle()
        assert self.tool.fit is not None
        first = self.tool.fit
        start = self.pixel(self.tool.corners[1])
        self.drag(start, start + QPoint(-40, -12))
        self.idle()
        self.assertIsNot(self.tool.fit, first)
        self.assertEqual(len(self.session.history.steps), 1)
        self.key(Qt.Key.Key_Return)
        self.assertEqual(len(self.session.history.steps), 2)

    def test_a_corner_dragged_after_applying_fits_again(self) -> None:
        for corner in self.corners:
            self.click(corner)
        self.key(Qt.Key.Key_Return)  # Enter while the fit still runs: applied when it is ready
        self.idle()
        before = self.surface()
        start = self.pixel(before.points[0, 0])
        self.drag(start, start + QPoint(25, -10))
        self.idle()
        self.assertEqual(len(self.session.document.surfaces()), 1)
        moved = np.linalg.norm(self.surface().points[0, 0] - before.points[0, 0])
        self.assertGreater(moved, 3)
        self.assertIn("corner moved", self.session.history.steps[-1].label)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertIs(self.session.document.surfaces()[0].shape, before)

    def test_a_patch_that_turns_is_ended_at_the_marked_line(self) -> None:
        """The line is drawn, the Inspector offers to end the patch there, and the larger part is laid at once."""
        for corner in self.corners:
            self.click(corner)
        self.idle()
        tool = self.tool
        made = tool.fit
        assert made is not None
        self.assertEqual(tool.choices, [])
        tool.made = replace(made, stopped=Stop.TURNS)
        before = np.array(tool.corners)
        (choice,) = tool.choices
        self.assertIn("End the patch", choice.label)
        tool.parts(self.view.camera)
        choice.run()
        self.idle()
        assert tool.fit is not None
        after = np.array(tool.corners)
        stayed = [np.linalg.norm(after - corner, axis=1).min() < 1e-9 for corner in before]
        self.assertEqual(sum(stayed), 2)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertLess(self.surface().count, made.surface.count + 1)

    def test_a_fixed_degree(self) -> None:
        combo = next(c for c in self.window.inspector.findChildren(QComboBox) if c.accessibleName() == "Degree")
        spins = {s.accessibleName(): s for s in self.window.inspector.findChildren(QSpinBox)}
        self.assertFalse(spins["u"].isEnabled())
        combo.setCurrentIndex(1)
        self.assertTrue(spins["u"].isEnabled())
        spins["u"].setValue(2)
        spins["v"].setValue(6)
        for corner in self.corners:
            self.click(corner)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.assertEqual(sorted(self.surface().degree), [2, 6])

    def test_escape_drops_what_was_begun_and_then_leaves(self) -> None:
        self.click(self.corners[0])
        self.key(Qt.Key.Key_Escape)
        self.assertEqual(self.tool.corners, [])
        self.assertIs(self.window.hand.tool, self.tool)
        self.key(Qt.Key.Key_Escape)
        self.assertIsInstance(self.window.hand.tool, Pick)
        self.assertEqual(len(self.session.history.steps), 1)

    def test_backspace_takes_the_last_corner_back(self) -> None:
        self.click(self.corners[0])
        self.click(self.corners[1])
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(len(self.tool.corners), 1)

    def test_a_click_beside_the_scan_is_told(self) -> None:
        self.click(QPoint(20, 400))
        self.assertEqual(self.tool.corners, [])
        self.assertIn("click on the scan", self.view.overlay.message)

    def test_the_inspector_tells_all_figures(self) -> None:
        for corner in self.corners:
            self.click(corner)
        self.idle()
        told = {fact.label: fact.value for fact in self.tool.facts}
        assert self.tool.fit is not None
        self.assertEqual(told["Control points"], str(self.tool.fit.surface.count))
        self.assertEqual(told["Stopped"], "the lightest that keeps the tolerance")
        self.assertEqual(told["Verdict"], "within the tolerance")
        # what is told is what a report of the kept patch tells, to the last digit that shows
        self.key(Qt.Key.Key_Return)
        self.idle()
        scan = self.session.scan
        assert scan is not None
        report = measure_both_ways([self.surface()], scan, 0.2)
        self.assertEqual(told["Patch to scan"], f"{report.surface_to_scan.inlier_p99:.3f} mm")
        self.assertEqual(told["Scan to patch"], f"{report.scan_to_surface.inlier_p99:.3f} mm")
        strip = self.window.fit_strip
        self.assertEqual(strip.back.value.text(), f"{report.scan_to_surface.inlier_p99:.3f}")
        self.assertEqual(strip.rms.value.text(), f"{report.surface_to_scan.rms:.3f}")
        self.assertEqual(strip.inside.value.text(), f"{100 * report.surface_to_scan.inside:.1f} %")
        for label in (
            "Degree",
            "Spans",
            "rms",
            "Largest",
            "Inside",
            "Outliers",
            "Patch to scan",
            "Scan to patch",
            "Took",
        ):
            self.assertIn(label, told)


class MovePointsTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.patched()
        self.key(Qt.Key.Key_M)
        tool = self.window.hand.tool
        assert isinstance(tool, MovePoints)
        self.tool = tool
        self.original = self.surface()

    def moved(self) -> np.ndarray:
        """(nu, nv, 3) how far the control points have come."""
        return self.surface().points - self.original.points

    def chosen(self) -> list[tuple[int, int]]:
        assert self.tool.chosen is not None
        columns = self.original.points.shape[1]
        return [divmod(int(at), columns) for at in np.flatnonzero(self.tool.chosen)]

    def box(self, shape: tuple[slice, slice], margin: int = 6) -> tuple[QPoint, QPoint]:
        """Corners of a box on the screen round some control points."""
        seen = self.view.camera.project(self.original.points[shape].reshape(-1, 3))[:, :2]
        (x0, y0), (x1, y1) = seen.min(axis=0), seen.max(axis=0)
        return QPoint(round(x0) - margin, round(y0) - margin), QPoint(round(x1) + margin, round(y1) + margin)

    def test_a_drawn_box_chooses_grow_shrink_turn_round(self) -> None:
        self.window.sight.look_along("top")
        self.idle()
        self.drag(*self.box((slice(0, 2), slice(0, 2)), 9))
        self.assertEqual(self.chosen(), [(0, 0), (0, 1), (1, 0), (1, 1)])
        self.key(Qt.Key.Key_Minus)
        self.assertEqual(self.chosen(), [(0, 0)])
        self.key(Qt.Key.Key_Plus)
        self.assertEqual(self.chosen(), [(0, 0), (0, 1), (1, 0)])
        self.key(Qt.Key.Key_I)
        self.assertEqual(len(self.chosen()), self.original.count - 3)
        self.key(Qt.Key.Key_A, CTRL)
        self.assertEqual(len(self.chosen()), self.original.count)

    def test_reach_moves_softly_and_its_radius_is_drawn_by_hand(self) -> None:
        """Hold F and move: the radius is where the pointer is; the others follow by their share."""
        point = self.original.points[1, 1]
        at = self.pixel(point)
        self.click(at)
        QTest.keyPress(self.view, Qt.Key.Key_F)
        self.hover(at + QPoint(70, 0))
        QTest.keyRelease(self.view, Qt.Key.Key_F)
        reach = self.tool.options.reach
        camera = self.view.camera
        wanted = 70 * camera.mm_per_pixel * np.linalg.norm(camera.eye - point) / camera.distance
        self.assertAlmostEqual(reach / wanted, 1.0, delta=0.05)
        self.key(Qt.Key.Key_PageUp)
        moved = np.linalg.norm(self.moved(), axis=2)
        shares = reach_weights(self.original.frames().places, self.tool.chosen, reach)
        np.testing.assert_allclose(moved.ravel(), self.tool.step_mm * shares, atol=1e-9)
        self.assertGreater((moved > 0).sum(), 1)
        self.tool.options.hold_edges = True
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_PageUp)
        self.assertEqual(np.abs(self.moved()[0]).max(), 0.0)

    def test_the_loupe_shows_the_gap_while_a_point_moves(self) -> None:
        """Both directions through the place; lifted by nudges, the gap there grows; the chart lies over the picture."""
        self.assertIsNone(self.view.scene.loupe)
        self.click(self.pixel(self.original.points[1, 1]))
        self.idle()
        loupe = self.view.scene.loupe
        assert loupe is not None
        words, _, scan, surface = loupe.charts[0]
        middle = len(scan) // 2
        before = surface[middle] - scan[middle]
        self.assertEqual(words, "along the row")
        for _ in range(4):
            self.key(Qt.Key.Key_PageUp)
        self.idle()
        loupe = self.view.scene.loupe
        assert loupe is not None
        _, _, scan, surface = loupe.charts[0]
        self.assertGreater(surface[middle] - scan[middle], before + 0.05)
        with_loupe = self.view.grab().toImage()
        corner = QPoint(self.view.width() - 40, self.view.height() - 40)
        self.key(Qt.Key.Key_Escape)
        self.idle()
        self.assertNotEqual(with_loupe.pixel(corner), self.view.grab().toImage().pixel(corner))

    def test_straighten_a_row_from_the_inspector(self) -> None:
        self.click(self.pixel(self.original.points[1, 1]))
        self.key(Qt.Key.Key_R)
        words = [choice.label for choice in self.tool.choices]
        self.assertEqual(words[:5], ["Straighten", "Space evenly", "Average", "Flatten", "Make rows parallel"])
        self.tool.choices[0].run()
        row = self.surface().points[:, 1]
        way = row[-1] - row[0]
        self.assertLess(np.abs(np.cross(row - row[0], way / np.linalg.norm(way))).max(), 1e-9)
        self.assertIn("straighten", self.session.history.steps[-1].label)

    def test_drag_in_the_view_plane(self) -> None:
        start = self.pixel(self.original.points[1, 2])
        self.drag(start, start + QPoint(15, -9))
        self.assertEqual(np.argwhere(np.linalg.norm(self.moved(), axis=2) > 1e-12).tolist(), [[1, 2]])
        move = self.moved()[1, 2]
        self.assertAlmostEqual(float(move @ self.view.camera.axes[2]), 0.0, places=9)
        self.assertLess((self.pixel(self.surface().points[1, 2]) - start - QPoint(15, -9)).manhattanLength(), 3)

    def test_rows_and_columns(self) -> None:
        nu, nv = self.original.points.shape[:2]
        self.click(self.original.points[1, 1])
        self.assertEqual(self.chosen(), [(1, 1)])
        self.key(Qt.Key.Key_R)
        self.assertEqual(self.chosen(), [(i, 1) for i in range(nu)])
        self.key(Qt.Key.Key_PageUp)
        self.assertIn("row 2 up 0.1 mm", self.session.history.steps[-1].label)
        np.testing.assert_allclose(np.linalg.norm(self.moved()[:, 1], axis=1), 0.1, atol=1e-9)
        self.assertGreater(self.moved()[1, 1, 2], 0.05)
        self.key(Qt.Key.Key_Escape)
        self.click(self.original.points[2, 1])
        self.key(Qt.Key.Key_C)
        self.assertEqual(self.chosen(), [(2, j) for j in range(nv)])

    def test_alt_click_on_the_net(self) -> None:
        p = self.original.points
        self.click((p[1, 1] + p[2, 1]) / 2, ALT)
        self.assertEqual(self.chosen(), [(i, 1) for i in range(len(p))])
        self.click((p[1, 1] + p[1, 2]) / 2, ALT)
        self.assertEqual(self.chosen(), [(1, j) for j in range(p.shape[1])])

    def test_ctrl_click_adds_and_takes_away(self) -> None:
        p = self.original.points
        self.click(p[1, 1])
        self.click(p[2, 2], CTRL)
        self.assertEqual(self.chosen(), [(1, 1), (2, 2)])
        self.click(p[1, 1], CTRL)
        self.assertEqual(self.chosen(), [(2, 2)])

    def test_nudges_and_their_step(self) -> None:
        self.click(self.original.points[2, 1])
        for key in (Qt.Key.Key_Period, Qt.Key.Key_Period, Qt.Key.Key_Comma):
            self.key(key)
        self.assertEqual(self.tool.step_mm, 0.2)
        self.assertIn("0.2 mm", self.tool.says)
        for key, other in (
            (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown),
            (Qt.Key.Key_Right, Qt.Key.Key_Left),
            (Qt.Key.Key_Up, Qt.Key.Key_Down),
        ):
            before = self.surface().points[2, 1]
            self.key(key)
            self.assertAlmostEqual(np.linalg.norm(self.surface().points[2, 1] - before), 0.2, places=9)
            self.key(other)
            np.testing.assert_allclose(self.surface().points[2, 1], before, atol=1e-3)

    def test_handles_keep_to_their_direction(self) -> None:
        self.click(self.original.points[2, 1])
        handles = self.tool._handles(self.view.camera)
        for way, (base, tip) in handles.items():
            with self.subTest(way):
                start = self.pixel(tip)
                direction = (tip - base) / np.linalg.norm(tip - base)
                before = self.surface().points[2, 1]
                self.drag(start, self.pixel(tip + 6 * direction))
                move = self.surface().points[2, 1] - before
                self.assertGreater(move @ direction / np.linalg.norm(move), 0.9999)
                self.assertAlmostEqual(np.linalg.norm(move), 6, delta=0.8)
                self.key(Qt.Key.Key_Z, CTRL)

    def test_figures_and_colours_follow_the_drag(self) -> None:
        self.key(Qt.Key.Key_1)
        place = self.original.points[2, 1]
        start = self.pixel(place)
        self.press(start, SHIFT)
        seen = []
        for dy in (-4, -10, -20):
            self.drag_to(start, start + QPoint(0, dy), SHIFT, steps=1)
            self.app.processEvents()
            seen.append(self.window.fit_strip.worst.value.text())
        self.assertEqual(len(set(seen)), 3)
        self.assertEqual(self.view.scene.triangles[1].values is not None, True)
        self.key(Qt.Key.Key_Escape)
        np.testing.assert_array_equal(self.surface().points, self.original.points)
        QTest.mouseRelease(self.view, Qt.MouseButton.LeftButton, SHIFT, start)
        np.testing.assert_array_equal(self.surface().points, self.original.points)
        self.assertEqual(len(self.session.history.steps), 2)


class GrowTest(WindowTest):
    """Patches from one click, and proposed ones."""

    def setUp(self) -> None:
        super().setUp()
        self.open_heron()
        self.key(Qt.Key.Key_N)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)

    def grow(self) -> GrowPatch:
        """Growing from a click on the flank."""
        self.key(Qt.Key.Key_Y)
        tool = self.window.hand.tool
        assert isinstance(tool, GrowPatch)
        pick = heron().scan.pick([110.0, -25, 300], [0, 0, -1])
        assert pick is not None
        self.click(pick[0])
        return tool

    def test_one_click_grows_and_enter_keeps(self) -> None:
        tool = self.grow()
        self.assertIn("Growing", tool.says)
        self.idle()
        growth = tool.growth
        assert growth is not None
        self.assertGreater(growth.area, 1000.0)
        self.key(Qt.Key.Key_Return)
        item = self.session.surface_item
        assert item is not None and isinstance(item.recipe, PatchOnScan)
        self.assertEqual((item.recipe.degree, item.shape.count), ((3, 3), 16))
        self.assertIn("grown", self.session.history.steps[-1].label)
        # its corners and borders can be dragged on
        self.key(Qt.Key.Key_N)
        self.assertIsInstance(self.window.hand.tool, FourCornerPatch)
        self.assertEqual(len(self.window.hand.tool.borders.lines), 4)

    def test_it_is_seen_growing_and_enter_keeps_it_when_it_is_done(self) -> None:
        tool = self.grow()
        self.key(Qt.Key.Key_Return)
        sizes = []
        while tool.growing:
            QTest.qWait(5)
            # what would be drawn now: how often that is, is the machine's mood
            parts = tool.parts(self.view.camera)
            drawn = [part for part in parts if isinstance(part, Triangles) and part.slot == "growing"]
            sizes += [float(np.ptp(part.points, axis=0).max()) for part in drawn]
        self.idle()
        self.assertGreaterEqual(len(set(sizes)), 2)
        self.assertLess(sizes[0], sizes[-1])
        self.assertIsNotNone(self.session.surface_item)

    def test_escape_drops_what_grows(self) -> None:
        tool = self.grow()
        self.key(Qt.Key.Key_Escape)
        self.idle()
        self.assertIsNone(tool.growth)
        self.assertFalse(self.session.document.items.keys() - {"scan"} and self.session.surface_item)

    def test_proposed_patches_are_taken_one_or_all(self) -> None:
        self.key(Qt.Key.Key_Y, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, SuggestPatches)
        tool.options.most = 3
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(tool.found), 3)
        self.click(tool.found[1].surface.at(np.array([[0.5, 0.5]]))[0])
        self.assertEqual(tool.chosen, {1})
        self.assertEqual(tool.apply_word, "Take 1")
        self.key(Qt.Key.Key_Return)
        self.assertEqual(sum(isinstance(item.recipe, PatchOnScan) for item in self.session.document), 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(sum(isinstance(item.recipe, PatchOnScan) for item in self.session.document), 0)
