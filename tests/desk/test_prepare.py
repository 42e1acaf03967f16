"""Preparing a scan in the real window, by mouse and keys."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QListWidget

from arabesque.demo import master, simulate
from arabesque.desk.scan_views import CurvatureKind
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.pick import Pick
from arabesque.desk.tools.prepare.calm_scan import CalmScan
from arabesque.desk.tools.prepare.close_openings import CloseOpenings
from arabesque.desk.tools.prepare.cut_scan import CutAcross, CutScan, CutWay, KeepPart
from arabesque.desk.tools.prepare.find_symmetry import FindSymmetry
from arabesque.desk.tools.prepare.lay_square import LaySquare, PickKind, SquareWay, TurnAndMove
from arabesque.desk.tools.prepare.mark import Mark, MarkWay, Then
from arabesque.desk.tools.prepare.new_triangles import NewTriangles, NewWay
from arabesque.desk.tools.prepare.read_form import FeatureLines, FitTrueShape, ShapeKind
from arabesque.desk.tools.prepare.regions import AreaKind, CorrectRegions, FindRegions
from arabesque.desk.tools.prepare.same_sides import SameSides
from arabesque.desk.tools.prepare.scan_look import ScanLookTool
from arabesque.desk.tools.prepare.simulate_scan import Piece, SimulateScan
from arabesque.desk.tools.prepare.tidy_scan import TidyScan
from arabesque.geometry import Elementary
from arabesque.mending import turned_over
from arabesque.model import Document, Item
from arabesque.reading import LineSet, Regions, Target
from arabesque.scan import Scan, examine, rims
from tests.desk.support import CTRL, LEFT, NO, SHIFT, WindowTest
from tests.examples import block, heron

ENTER, ESC = Qt.Key.Key_Return, Qt.Key.Key_Escape


class PrepareTest(WindowTest):
    """Tools by name, tried and kept with Enter."""

    def take(self, kind: type[Tool]) -> Tool:
        """Take a tool up by its command, as a click in the column or menu does."""
        self.window.commands[kind.id].trigger()
        self.idle()
        tool = self.window.hand.tool
        assert isinstance(tool, kind), tool
        return tool

    def enter(self) -> None:
        self.key(ENTER)
        self.idle()

    def show_block(self) -> None:
        self.session.start(Document().with_item(Item("scan", "block", block())), None, "opened")
        self.idle()

    @property
    def original(self) -> Item:
        return next(iter(self.session.document))

    @property
    def scan(self) -> Scan:
        scan = self.session.scan
        assert scan is not None
        return scan

    def repeats(self) -> None:
        """What was done to the scan, done again to the one it was made of, gives it again to the last bit."""
        item = self.session.document[self.session.document.reference or ""]
        self.assertTrue(item.origin.steps)
        scan = self.session.document[item.origin.made_from[0]].shape
        for step in item.origin.steps:
            scan, _ = step.done(scan)
        np.testing.assert_array_equal(scan.points, item.shape.points)
        np.testing.assert_array_equal(scan.triangles, item.shape.triangles)

    def stroke(self, places: list[QPoint]) -> None:
        """A drag along a broken line."""
        self.press(places[0])
        for start, end in pairwise(places):
            self.drag_to(start, end, steps=8)
        QTest.mouseRelease(self.view, LEFT, NO, places[-1])
        QTest.qWait(10)

    def told(self) -> str:
        return self.view.overlay.message

    def centre(self) -> QPoint:
        return QPoint(self.view.width() // 2, self.view.height() // 2)


class MendingToolsTest(PrepareTest):
    def test_openings_closed_tried_kept_and_undone(self) -> None:
        """Small openings are chosen by themselves; the original stays as the parent; undo brings it back."""
        self.open_heron()
        tool = self.take(CloseOpenings)
        assert isinstance(tool, CloseOpenings)
        self.assertEqual(tool.chosen, {1, 2})
        self.assertIn("Close 2", self.window.inspector.apply_button.text())
        before = self.session.history.document
        self.enter()
        self.assertEqual(len(rims(self.scan)), 1)
        self.assertIs(self.session.history.document, before)
        self.assertEqual(self.window.inspector.apply_button.text(), "Keep")
        self.key(ESC)
        self.assertEqual(len(rims(self.scan)), 3)
        self.enter()
        self.enter()
        self.assertEqual(len(rims(self.scan)), 1)
        made = self.session.document[self.session.document.reference or ""]
        self.assertEqual(made.origin.made_from, (self.original.id,))
        self.assertFalse(self.original.look.visible)
        self.assertEqual(len(rims(self.original.shape)), 3)  # type: ignore[arg-type]
        self.repeats()
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(len(self.session.document.items), 1)
        self.assertTrue(self.original.look.visible)

    def test_undo_in_between_drops_what_was_only_tried(self) -> None:
        self.open_heron()
        self.take(CalmScan)
        self.enter()
        self.enter()
        self.take(CloseOpenings)
        self.enter()
        self.assertEqual(len(rims(self.scan)), 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertEqual(len(rims(self.scan)), 3)
        self.assertEqual(len(self.session.document.items), 1)
        self.assertIn("Close", self.window.inspector.apply_button.text())
        self.enter()
        self.enter()
        self.assertEqual(self.session.document[self.session.document.reference or ""].origin.words, "2 openings closed")

    def test_openings_chosen_by_hand(self) -> None:
        """A click on a line of the list and a click on a rim in the view."""
        self.open_heron()
        tool = self.take(CloseOpenings)
        assert isinstance(tool, CloseOpenings)
        tool.toggle(1)
        self.assertEqual(tool.chosen, {2})
        self.click(self.scan.points[tool.openings[1].ring[0]])
        self.assertEqual(tool.chosen, {1, 2})
        choices = self.window.inspector.choices
        assert isinstance(choices, QListWidget)
        self.assertIn("outer rim", choices.item(0).text())
        self.enter()
        self.enter()
        self.assertIsInstance(self.window.hand.tool, Pick)

    def test_brush_grow_and_heal(self) -> None:
        """A dent is brushed over, grown, healed; Backspace takes a stroke back."""
        self.open_heron()
        tool = self.take(Mark)
        dent = heron(25_000).master.dents[0]
        tool.options.brush = 5.0
        at = self.pixel(np.array(dent.centre))
        self.drag(at, at + QPoint(6, 0))
        first = self.session.marks.count(self.scan)
        self.assertGreater(first, 20)
        self.key(Qt.Key.Key_Plus)
        self.assertGreater(self.session.marks.count(self.scan), first)
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(self.session.marks.count(self.scan), first)
        self.key(Qt.Key.Key_Plus)
        self.key(Qt.Key.Key_Plus)
        colour = self.colour(np.array(dent.centre))
        self.assertGreater(colour[2], colour[0])
        count = len(self.scan.triangles)
        self.enter()
        self.enter()
        self.assertEqual(len(rims(self.scan)), 3)
        self.assertNotEqual(len(self.scan.triangles), count)
        truth = heron(25_000).master.distance(np.array([self.scan.closest(np.array([dent.centre])).points[0]]))
        self.assertLess(truth[0], 0.2)

    def test_draw_round_line_and_piece(self) -> None:
        self.open_heron()
        tool = self.take(Mark)
        tool.options.way = MarkWay.OUTLINE
        centre = self.centre()
        corners = [centre + QPoint(dx, dy) for dx, dy in ((-40, -30), (40, -30), (40, 30), (-40, 30))]
        self.stroke(corners)
        self.idle()
        drawn = self.session.marks.count(self.scan)
        self.assertGreater(drawn, 100)
        self.window.hand.tool.options.way = MarkWay.LINE
        self.drag(centre + QPoint(-80, 0), centre + QPoint(80, 0))
        self.assertGreater(self.session.marks.count(self.scan), drawn)
        tool.options.way = MarkWay.PIECE
        self.click(centre)
        self.assertEqual(self.session.marks.count(self.scan), len(self.scan.triangles))
        self.assertFalse(tool.options.then is Then.REMOVE)

    def test_spread_follows_its_sensitivity(self) -> None:
        self.show_block()
        tool = self.take(Mark)
        tool.options.way = MarkWay.SPREAD
        self.click(np.array([0.0, 0.0, 10.0]))
        self.idle()
        areas = self.scan.areas
        mask = self.session.marks.of(self.scan)
        assert mask is not None
        self.assertAlmostEqual(float(areas[mask].sum()) / 2400, 0.95, delta=0.06)

    def test_cut_by_plane_kept_both(self) -> None:
        self.open_heron()
        tool = self.take(CutScan)
        tool.options.across, tool.options.keep = CutAcross.Y, KeepPart.BOTH
        self.enter()
        self.enter()
        items = list(self.session.document)
        self.assertEqual(len(items), 3)
        upper, lower = items[1].shape, items[2].shape
        assert isinstance(upper, Scan) and isinstance(lower, Scan)
        self.assertEqual(upper.points[:, 1].min(), 0.0)
        self.assertEqual(lower.points[:, 1].max(), 0.0)
        self.repeats()

    def test_cut_by_drawn_line_box_and_marks(self) -> None:
        self.open_heron()
        tool = self.take(CutScan)
        tool.options.way = CutWay.OUTLINE
        tool.options_changed()
        centre = self.centre()
        self.stroke([centre + at for at in (QPoint(-60, -40), QPoint(60, -40), QPoint(0, 50))])
        self.enter()
        self.assertLess(len(self.scan.triangles), 12_000)
        self.key(ESC)
        tool.options.way = CutWay.BOX
        tool.options_changed()
        self.enter()
        self.assertLess(np.ptp(self.scan.points[:, 0]), 150)
        self.key(ESC)
        tool.options.way = CutWay.MARKED
        tool.options_changed()
        self.enter()
        self.assertIn("Nothing is marked", self.told())

    def test_calm_and_tidy(self) -> None:
        self.open_heron()
        noise = self.scan.noise
        self.take(CalmScan)
        self.assertIn("Weakly and often", self.window.fit_strip.says.text())
        self.enter()
        self.enter()
        self.assertLess(self.scan.noise, noise)
        self.take(TidyScan)
        self.enter()
        self.enter()
        made = self.session.document[self.session.document.reference or ""]
        self.assertEqual(made.origin.words, "calmed 10% x 5, tidied")
        self.assertEqual(len(self.session.document.items), 2)
        self.repeats()

    def test_new_triangles_both_ways(self) -> None:
        self.open_heron()
        tool = self.take(NewTriangles)
        tool.options.edge = 4.0
        self.enter()
        facts = {fact.label: fact.value for fact in tool.facts}
        self.assertIn("99 % within", facts)
        self.assertEqual(facts["Sound"], "nothing was damaged")
        self.key(ESC)
        tool.options.way, tool.options.count = NewWay.FEWER, 5000
        self.enter()
        self.enter()
        self.assertAlmostEqual(len(self.scan.triangles), 5000, delta=60)
        self.repeats()

    def test_cancelled_work_changes_nothing(self) -> None:
        self.open_heron()
        before = self.session.history.document
        tool = self.take(NewTriangles)
        tool.options.edge = 0.4
        self.key(ENTER)
        self.until(lambda: self.session.jobs.jobs)
        self.key(ESC)
        self.idle()
        self.assertIs(self.session.history.document, before)
        self.assertIs(self.session.document, before)


class PlacingToolsTest(PrepareTest):
    def test_symmetry_found_shown_laid_and_mirrored(self) -> None:
        """From a scan that lies awry to an exactly symmetric one."""
        self.open_heron()
        tool = self.take(TurnAndMove)
        tool.options.about_z, tool.options.x = 25.0, 12.0
        self.enter()
        self.enter()
        tool = self.take(FindSymmetry)
        self.until(lambda: tool.facts and any(f.label == "Alike" for f in tool.facts))
        dent = self.window.view.scene
        self.assertTrue(dent.show_distance)
        self.enter()
        self.enter()
        made = self.session.document[self.session.document.reference or ""]
        assert made.origin.motion is not None
        # both motions are kept in one matrix; the plane is y = 0 again
        back = np.linalg.norm(np.cross(made.origin.motion[:3, :3] @ [0, 1, 0], [0, 1, 0]))
        self.assertLess(np.degrees(back), 0.1)
        self.take(SameSides)
        self.enter()
        self.enter()
        points = self.scan.points + 0.0
        self.assertEqual({p.tobytes() for p in points}, {p.tobytes() for p in points * [1, -1, 1] + 0.0})
        self.key(ESC)
        self.assertTrue(any(label.text() == "Matrix" for label, _ in self.window.inspector._facts._rows))
        self.repeats()

    def test_lay_square_by_features(self) -> None:
        self.show_block()
        tool = self.take(TurnAndMove)
        tool.options.about_x, tool.options.z = 12.0, 4.0
        self.enter()
        self.enter()
        tool = self.take(LaySquare)
        assert isinstance(tool, LaySquare)
        top = self.scan.points[self.scan.points[:, 2].argmax()]
        face = self.scan.points[np.abs(self.scan.smoothed_normals[:, 2] - np.cos(np.radians(12))) < 0.002]
        at = face[np.linalg.norm(face - face.mean(axis=0), axis=1).argmin()]
        self.click(at)
        self.idle()
        self.assertEqual(len(tool.placements), 1)
        self.assertIs(tool.placements[0].target, Target.Z_PLANE)
        self.enter()
        self.enter()
        self.assertAlmostEqual(self.scan.points[:, 2].max(), 0.0, delta=0.15)
        self.assertIsNotNone(top)
        self.repeats()

    def test_three_points_and_axes(self) -> None:
        self.show_block()
        tool = self.take(LaySquare)
        tool.options.way = SquareWay.POINTS
        corners = np.array([[-25.0, -15, 10], [25, -15, 10], [-25, 15, 10]])
        for corner in corners:
            self.click(corner)
        self.enter()
        self.assertAlmostEqual(self.scan.points[:, 2].max(), 0.0, delta=0.2)
        self.key(ESC)
        tool.options.way = SquareWay.AXES
        tool.options_changed()
        self.enter()
        self.enter()
        np.testing.assert_allclose(self.scan.points.mean(axis=0), 0, atol=0.2)
        self.repeats()

    def test_backspace_forgets_a_pick(self) -> None:
        self.show_block()
        tool = self.take(LaySquare)
        assert isinstance(tool, LaySquare)
        tool.options.pick, tool.options.lay = PickKind.POINT, Target.ORIGIN
        self.click(np.array([0.0, 0, 10]))
        self.assertEqual(len(tool.placements), 1)
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(tool.placements, [])
        tool.options.pick, tool.options.lay = PickKind.LINE, Target.X_PLANE
        self.click(np.array([-20.0, 0, 10]))
        self.click(np.array([20.0, 0, 10]))
        self.assertIn("Lay it along an axis", self.told())


class ReadingToolsTest(PrepareTest):
    def test_regions_found_and_corrected(self) -> None:
        self.show_block()
        self.take(FindRegions)
        self.enter()
        self.enter()
        item = next(i for i in self.session.document if isinstance(i.shape, Regions))
        self.assertEqual(item.kind, "regions")
        self.assertEqual(len(item.shape.areas), 6)  # type: ignore[union-attr]
        tool = self.take(CorrectRegions)
        assert isinstance(tool, CorrectRegions)
        self.click(np.array([0.0, 0, 10]))
        self.assertEqual(len(tool.areas), 1)
        self.click(np.array([-5.0, -20, 0]), CTRL)
        self.assertEqual(len(tool.areas), 2)
        tool.merge()
        self.idle()
        regions = self.session.document[item.id].shape
        assert isinstance(regions, Regions)
        self.assertEqual(len(regions.areas), 5)
        self.click(np.array([10.0, 5, 10]))
        tool.options.kind = AreaKind.FREE
        tool.set_kind()
        self.idle()
        regions = self.session.document[item.id].shape
        assert isinstance(regions, Regions)
        self.assertEqual([a.word for a in regions.areas].count("free form"), 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(len(self.session.document[item.id].shape.areas), 6)  # type: ignore[union-attr]

    def test_true_shape_of_an_area_and_of_marks(self) -> None:
        self.show_block()
        self.take(FindRegions)
        self.enter()
        self.enter()
        tool = self.take(CorrectRegions)
        assert isinstance(tool, CorrectRegions)
        self.click(np.array([0.0, 0, 10]))
        tool.make_shape()
        self.assertTrue(any(isinstance(i.shape, Elementary) for i in self.session.document))
        tool.mark()
        self.take(FitTrueShape)
        self.window.hand.tool.options.kind = ShapeKind.PLANE
        self.window.hand.tool.options.longer = 10.0
        self.enter()
        facts = {fact.label: fact.value for fact in self.window.hand.tool.facts}
        self.assertEqual(facts["Kind"], "plane")
        self.enter()
        shape = self.session.selection and self.session.selection.shape
        assert isinstance(shape, Elementary)
        self.assertAlmostEqual(abs(float(shape.axis[2])), 1.0, places=4)

    def test_shift_brushes_an_area(self) -> None:
        self.show_block()
        self.take(FindRegions)
        self.enter()
        self.enter()
        tool = self.take(CorrectRegions)
        assert isinstance(tool, CorrectRegions)
        self.click(np.array([0.0, 0, 10]))
        (which,) = tool.areas
        regions = tool.regions
        assert regions is not None
        count = int(regions.counts[which])
        edge = self.pixel(np.array([0.0, -19.5, 9.0]))
        self.drag(edge, edge + QPoint(4, 0), SHIFT)
        self.idle()
        after = tool.regions
        assert after is not None
        self.assertGreater(int(after.counts.max()), count)

    def test_true_shape_needs_marks(self) -> None:
        self.show_block()
        self.take(FitTrueShape)
        self.enter()
        self.assertIn("Mark a part", self.told())

    def test_feature_lines(self) -> None:
        self.show_block()
        self.take(FeatureLines)
        self.window.hand.tool.options.sensitivity = 0.3
        self.enter()
        self.enter()
        item = self.session.selection
        assert item is not None and isinstance(item.shape, LineSet)
        self.assertEqual(item.kind, "lines")
        path = self.folder / "work.arabesque"
        self.session.save(path)
        self.idle()
        self.window.files.open_path(path)
        self.idle()
        again = self.session.document[item.id].shape
        assert isinstance(again, LineSet)
        np.testing.assert_array_equal(again.points, item.shape.points)


class LookAndItemsTest(PrepareTest):
    def test_curvature_kind_range_and_edges(self) -> None:
        self.open_heron()
        self.key(Qt.Key.Key_6)
        self.idle()
        by_itself = self.view.scene.curvature_range
        tool = self.take(ScanLookTool)
        tool.options.curvature = CurvatureKind.SMALLEST
        tool.options.by_itself, tool.options.radius = False, 25.0
        tool.options_changed()
        self.idle()
        self.assertAlmostEqual(self.view.scene.curvature_range or 0, 1 / 25)
        self.assertNotAlmostEqual(by_itself or 0, 1 / 25)
        plain = self.picture().astype(int)
        self.key(Qt.Key.Key_E)
        self.idle()
        self.assertTrue(self.session.looks.edges)
        self.assertGreater(np.abs(self.picture().astype(int) - plain).max(), 30)

    def test_normals_turned_over(self) -> None:
        inside_out = turned_over(heron(25_000).scan)
        self.session.start(Document().with_item(Item("scan", "clay", inside_out)), None, "opened")
        self.idle()
        self.session.select("scan")
        self.window.commands["turn-over"].trigger()
        self.idle()
        np.testing.assert_allclose(self.scan.area_vectors, -inside_out.area_vectors, atol=1e-12)
        self.repeats()

    def test_duplicate_and_merge(self) -> None:
        self.open_heron()
        self.session.select(self.original.id)
        self.key(Qt.Key.Key_D, CTRL)
        self.assertEqual(len(self.session.document.items), 2)
        self.window.commands["merge-scans"].trigger()
        self.idle()
        self.assertEqual(len(self.scan.triangles), 2 * len(heron(25_000).scan.triangles))
        self.assertEqual(examine(self.scan).pieces, 2)

    def test_simulated_scanner(self) -> None:
        tool = self.take(SimulateScan)
        tool.options.piece, tool.options.triangles = Piece.PEBBLE, 8000
        self.enter()
        self.assertAlmostEqual(len(self.scan.triangles), 8000, delta=500)
        self.assertIn("pebble", self.original.name)

    def test_prepared_scan_is_used_by_the_patch(self) -> None:
        """The next step fits to what was prepared."""
        self.open_heron()
        self.take(CloseOpenings)
        self.enter()
        self.enter()
        self.key(Qt.Key.Key_N)
        self.assertIsInstance(self.window.hand.tool, Pick)  # a letter of another step
        self.window.hand.go_to(Step.PATCH)
        self.key(Qt.Key.Key_N)
        for corner in heron(25_000).master.corners["flank"]:
            self.click(corner)
        self.idle()
        self.enter()
        item = self.session.surface_item
        assert item is not None
        self.assertIs(item.made_of[0], self.session.scan)

    def test_tools_need_a_scan(self) -> None:
        for kind in (Mark, CutScan, FindRegions, SameSides):
            self.assertFalse(self.window.commands[kind.id].isEnabled())
        self.assertTrue(self.window.commands["simulate"].isEnabled())

    def test_every_tool_of_the_step_fits_its_column(self) -> None:
        """At 1280 x 800 the last tool of the longest step is in sight and no word is cut."""
        self.window.resize(1280, 800)
        QTest.qWait(50)
        self.open_heron()
        self.window.hand.go_to(self.window.hand.step.PREPARE)
        self.idle()
        column = self.window.tool_column
        self.assertLessEqual(column._layout.sizeHint().height(), column.height())


class DemoTest(PrepareTest):
    def test_pebble_socket_is_found(self) -> None:
        """The grip's true cylinder socket of 16 mm and its strap face are among the regions."""
        scan = simulate(master("pebble"), 40_000, 0.03, 3).scan
        self.session.start(Document().with_item(Item("scan", "pebble clay", scan)), None, "opened")
        self.idle()
        self.take(FindRegions)
        self.enter()
        regions = next(i.shape for i in self.session.document if isinstance(i.shape, Regions))
        shapes = [area.shape for area in regions.areas if area.shape is not None]
        radii = [shape.sizes[0] for shape in shapes if shape.kind.value == "cylinder"]
        self.assertTrue(any(abs(radius - 8.0) < 0.05 for radius in radii), radii)
        self.assertIn("plane", [shape.kind.value for shape in shapes])
        self.key(ESC, NO)
