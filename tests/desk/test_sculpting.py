"""Sculpting by hand: twins, edges and corners, splitting and joining, fits with choices, the weight map."""

import unittest

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QToolButton

from arabesque.checking import Flaw, find_joins, shape_combs
from arabesque.desk.checks.gloss import GlossLook, Stripes
from arabesque.desk.panels.weight_table import WeightTable
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import DegreeChoice
from arabesque.desk.tools.check.compare import Compare
from arabesque.desk.tools.deliver.export import Export
from arabesque.desk.tools.moves import Way
from arabesque.desk.tools.patch.between_edges import LayBetween
from arabesque.desk.tools.patch.by_numbers import ByNumbers
from arabesque.desk.tools.patch.degrees import Degrees
from arabesque.desk.tools.patch.edges import Becomes, Edges
from arabesque.desk.tools.patch.fit_again import FitAgain, Part
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.tools.patch.split_join import Join, Split
from arabesque.desk.tools.patch.twins import Twins
from arabesque.desk.view.scene import GlossKind
from arabesque.geometry import Surface, TwinKind, edge_curve, foot_points, greville, split_surface
from arabesque.model import Item
from tests.desk.support import CTRL, NO, SHIFT, WindowTest


class SculptTest(WindowTest):
    """The demo with a patch on its flank, seen from the top."""

    def setUp(self) -> None:
        super().setUp()
        self.patched()
        self.window.sight.look_along("top")
        self.idle()
        self.original = self.surface()

    def take(self, kind: type, key: Qt.Key, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier):  # type: ignore[no-untyped-def]
        """Take a tool up by its key."""
        self.key(key, keys)
        self.assertIsInstance(self.window.hand.tool, kind)
        self.idle()
        return self.window.hand.tool

    def choose(self, words: str) -> None:
        """Click a line of the Inspector."""
        texts = self.window.inspector.choices
        row = next(k for k in range(texts.count()) if words in texts.item(k).text())  # type: ignore[union-attr]
        item = texts.item(row)
        QTest.mouseClick(
            texts.viewport(),
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
            texts.visualItemRect(item).center(),
        )
        QTest.qWait(20)
        self.idle()

    def last(self) -> str:
        return self.session.history.steps[self.session.history.position].label


class TwinTest(SculptTest):
    def test_mirror_seat_join_and_edit_from_either_side(self) -> None:
        """One flank: mirrored live, seated with a smooth seam, joined into one patch that both sides edit."""
        self.take(Twins, Qt.Key.Key_S)
        self.choose("Mirror it live")
        self.assertEqual(len(self.session.patches), 2)
        image = self.session.patches[1].shape
        np.testing.assert_array_equal(image.points[::-1] * [1, -1, 1], self.original.points)
        drawn = {mesh.slot for mesh in self.view.scene.triangles}
        self.assertTrue(any(slot.endswith("image") for slot in drawn))
        # the image goes out with the patch, is measured and counts in the figures
        self.assertEqual(len(Export(self.session).items()), 2)
        found = self.session.distances(self.session.patches[1])
        assert found is not None and found.valid.any()
        self.choose("Seat the nearest edge")
        item = self.session.surface_item
        assert item is not None and item.ties.twin is not None
        self.assertEqual(item.ties.twin.kind, TwinKind.ENDS)
        self.assertIn("to the last bit", " ".join(fact.value for fact in self.window.hand.tool.facts))
        seam = find_joins([i.shape for i in self.session.patches if isinstance(i.shape, Surface)])[0]
        self.assertGreaterEqual(seam.grade(), 2)
        half = self.surface()
        self.choose("Join with its image")
        whole = self.surface()
        self.assertEqual(len(self.session.patches), 1)
        self.assertGreater(whole.count, half.count)
        # the right side of it, pulled by hand: the left follows, and undo brings both back
        self.key(Qt.Key.Key_M)
        axis = self.session.surface_item.ties.twin.axis  # type: ignore[union-attr]
        rows = np.swapaxes(whole.points, 0, axis)
        point = rows[-1][1]
        start = self.pixel(point)
        self.drag(start, start + QPoint(8, -6))
        after = np.swapaxes(self.surface().points, 0, axis)
        self.assertGreater(np.abs(after[-1][1] - point).max(), 0.3)
        np.testing.assert_array_equal(after[0][1], after[-1][1] * [1, -1, 1])
        self.key(Qt.Key.Key_Z, CTRL)
        np.testing.assert_array_equal(self.surface().points, whole.points)

    def test_what_cannot_be_is_told_where_the_hand_is(self) -> None:
        self.take(Twins, Qt.Key.Key_S)
        self.choose("Seat the nearest edge")
        self.take(Edges, Qt.Key.Key_B)
        item = self.session.surface_item
        assert item is not None and item.ties.twin is not None
        edge = 0 if item.ties.twin.axis == 1 else 3
        edge = {0: 2, 3: 1}[edge] if item.ties.twin.at_end else edge
        curve = edge_curve(self.surface(), edge)
        start = self.pixel(curve.at([0.5])[0])
        self.drag(start, start + QPoint(0, 20))
        self.assertIn("seated", self.view.overlay.message)
        self.assertTrue(self.view.overlay.is_problem)
        # the plane elsewhere: the patch is seated there, its image goes with it
        self.take(Twins, Qt.Key.Key_S)
        self.window.hand.tool.options.at = 3.0
        self.window.hand.tool.options_changed()
        twin = item.ties.twin
        self.assertEqual(float(np.take(self.surface().points, -twin.at_end, twin.axis)[:, 1].max()), 3.0)
        self.choose("Let the twin go")
        self.assertEqual(len(self.session.patches), 1)
        self.choose("Make symmetric")
        self.assertEqual(self.session.surface_item.ties.twin.kind, TwinKind.SPANS)  # type: ignore[union-attr]


class HeronTopTest(WindowTest):
    def test_the_rear_of_the_top_from_two_by_two_points(self) -> None:
        """Four clicks, twin, degrees up, fits and nudged rows, until within 0.2 mm; at most 30 points.

        Then it is exactly symmetric, its stripes run unbroken over the plane,
        and no comb across the plane changes its sign.
        """
        self.open_heron()
        self.window.sight.look_along("top")
        self.idle()
        scan = self.session.scan
        assert scan is not None
        places = np.array([[10.0, -57, 200], [32, -57, 200], [32, 57, 200], [10, 57, 200]])
        places[:, 2] -= scan.tree.first_hits(places, np.tile([0, 0, -1.0], (4, 1)))[1]
        self.key(Qt.Key.Key_N)
        tool = self.window.hand.tool
        tool.options.degree, tool.options.u, tool.options.v = DegreeChoice.FIXED, 1, 1
        for place in places:
            self.click(place)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.assertEqual(self.surface().count, 4)
        self.key(Qt.Key.Key_S)
        row = self.window.inspector.choices
        QTest.mouseClick(row.viewport(), Qt.MouseButton.LeftButton, NO, row.visualItemRect(row.item(0)).center())
        self.idle()
        twin = self.session.surface_item.ties.twin  # type: ignore[union-attr]
        assert twin is not None and twin.kind is TwinKind.SPANS
        self.key(Qt.Key.Key_Escape)

        def p99() -> float:
            found = self.session.distances(self.session.surface_item)  # type: ignore[arg-type]
            assert found is not None
            return found.figures(0.2).inlier_p99

        across, along = (Qt.Key.Key_U, Qt.Key.Key_V) if twin.axis == 0 else (Qt.Key.Key_V, Qt.Key.Key_U)
        for key in (across, along, across, along, across, across, None):
            self.key(Qt.Key.Key_T)
            self.idle()
            if p99() <= 0.2 or key is None:
                break
            self.key(key)
        # a row is pulled to and fro by keys; the state with the best figures is taken up again
        before = p99()
        self.key(Qt.Key.Key_M)
        self.click(self.surface().points[1, 1])
        self.key(Qt.Key.Key_R)
        for key in (Qt.Key.Key_Comma, Qt.Key.Key_Comma, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_PageDown):
            self.key(key)
        choices = self.window.hand.tool.choices
        next(choice for choice in choices if "best" in choice.label).run()
        self.idle()
        self.assertLessEqual(p99(), before + 1e-9)
        self.assertLessEqual(p99(), 0.2)
        surface = self.surface()
        self.assertLessEqual(surface.count, 30)
        self.assertTrue(twin.holds(surface, self.session.document.plane))
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)
        for line in shape_combs(surface, 5)[5 * twin.axis : 5 * twin.axis + 5]:
            self.assertFalse(line.flaws[Flaw.SIGN].any())
        # pixels on both sides of the plane, half a millimetre and more apart: the same stripe
        self.session.choose(Stripes(), GlossLook(stripes=GlossKind.LIGHT))
        self.session.select(None)
        self.key("4")
        self.idle()
        picture = self.picture().astype(int).mean(axis=2)
        same = 0
        shares = np.linspace(0.08, 0.92, 40)
        for share in shares:
            for away in (0.004, 0.01):
                sides = []
                for place in (0.5 - away, 0.5 + away):
                    uv = np.array([[share, place]] if twin.axis == 1 else [[place, share]])
                    at = self.pixel(surface.at(uv)[0])
                    sides.append(picture[at.y(), at.x()])
                same += abs(sides[0] - sides[1]) < 40
        self.assertGreaterEqual(same, 0.95 * 2 * len(shares))


class EdgeTest(SculptTest):
    def test_edges_and_corners_by_hand_and_by_number(self) -> None:
        tool = self.take(Edges, Qt.Key.Key_B)
        middle = self.original.at([[1.0, 0.5]])[0]
        start = self.pixel(middle)
        per_pixel = self.view.camera.mm_per_pixel
        self.press(start)
        self.drag_to(start, start + QPoint(-40, 0))
        self.assertIn("Moved", [fact.label for fact in tool.facts])
        QTest.mouseRelease(self.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start - QPoint(40, 0))
        self.idle()
        shorter = self.surface()
        self.assertEqual(shorter.points.shape, self.original.points.shape)
        moved = np.linalg.norm(shorter.at([[shorter.domain[0][1], 0.5]])[0] - middle)
        self.assertAlmostEqual(moved / (40 * per_pixel), 1.0, delta=0.15)
        # what is left lies exactly on the old patch
        far = np.column_stack([np.linspace(0, shorter.domain[0][1], 9), np.full(9, 0.3)])
        np.testing.assert_allclose(shorter.at(far), self.original.at(far), atol=1e-9)
        # 6 mm typed, as a new neighbour: it goes on exactly
        tool.options.by, tool.options.becomes = 6.0, Becomes.NEW
        self.key(Qt.Key.Key_Return)
        patches = [item.shape for item in self.session.patches if isinstance(item.shape, Surface)]
        self.assertEqual(len(patches), 2)
        self.assertEqual(find_joins(patches)[0].grade(), 3)
        self.assertIn("Goes on by", [fact.label for fact in tool.facts])
        self.key(Qt.Key.Key_Z, CTRL)
        # a corner, and fitted again inside the new border
        self.session.select(self.session.document.surfaces()[0].id)
        tool.options.becomes = Becomes.FITTED
        corner = self.surface().points[-1, -1]
        start = self.pixel(corner)
        self.drag(start, start + QPoint(16, 0))
        self.idle()
        self.assertIn("corner high u, high v", self.last())
        self.assertIn("fitted", self.last())
        away = self.session.scan.closest(self.surface().points[-1:, -1]).distance[0]  # type: ignore[union-attr]
        self.assertLess(away, 1e-6)
        self.assertGreater(np.linalg.norm(self.surface().points[-1, -1] - corner), 10 * per_pixel)

    def test_split_join_and_lay_between(self) -> None:
        """Cut in three by clicks, the middle deleted and laid anew between its neighbours, then two joined."""
        self.take(Split, Qt.Key.Key_X)
        self.click(self.original.at([[0.35, 0.5]])[0])
        self.idle()
        self.click(self.original.at([[0.7, 0.5]])[0])
        self.idle()
        items = self.session.document.surfaces()
        self.assertEqual(len(items), 3)
        by_place = sorted(items, key=lambda i: float(i.shape.points[..., 0].mean()))  # type: ignore[union-attr]
        self.session.select(by_place[1].id)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Delete)
        self.idle()
        self.assertEqual(len(self.session.document.surfaces()), 2)
        tool = self.take(LayBetween, Qt.Key.Key_N, SHIFT)
        tool.options.tangent = True
        self.click(self.original.at([[0.35, 0.4]])[0])
        self.click(self.original.at([[0.7, 0.4]])[0])
        self.idle()
        self.assertIsNotNone(tool.made)
        self.assertIn("Worst angle", [fact.label for fact in tool.facts])
        self.key(Qt.Key.Key_Return)
        self.idle()
        shapes = [item.shape for item in self.session.patches if isinstance(item.shape, Surface)]
        joins = find_joins(shapes)
        self.assertEqual(len(joins), 2)
        self.assertLess(max(float(join.gap.max()) for join in joins), 1e-9)
        self.assertLess(max(float(join.angle.max()) for join in joins), 0.5)
        # the selected one and its neighbour as one
        self.key(Qt.Key.Key_Escape)
        self.session.select(by_place[0].id)
        self.session.select(self.session.document.surfaces()[-1].id, add=True)
        tool = self.take(Join, Qt.Key.Key_J)
        self.assertIsNotNone(tool.made)
        self.key(Qt.Key.Key_Return)
        self.assertEqual(len(self.session.document.surfaces()), 2)
        self.assertIn("joined", self.last())


class NetTest(SculptTest):
    def test_degrees_show_their_error_before_they_are_taken(self) -> None:
        tool = self.take(Degrees, Qt.Key.Key_G)
        tool.options.u = 2
        tool.options_changed()
        self.idle()
        moved = next(fact.value for fact in tool.facts if fact.label == "Moved at most")
        self.assertGreater(float(moved.split()[0]), 0.01)
        self.assertIs(self.session.history.document["scan"], self.session.document["scan"])
        self.assertEqual(self.session.history.position, 1)
        self.key(Qt.Key.Key_Return)
        self.assertEqual(self.surface().degree[0], 2)
        # same as: a second patch takes the first one's net
        heavy = Item("other", "Heavy", self.original.elevated(1, 2))
        self.session.commit("other", self.session.document.with_item(heavy))
        tool = self.take(Degrees, Qt.Key.Key_G)
        self.choose("Same as Heavy")
        self.key(Qt.Key.Key_Return)
        self.assertEqual(self.surface().degree, heavy.shape.degree)

    def test_fit_with_choices_and_pins(self) -> None:
        """Pinned points stay; edges stay where only the inside moves; calmer is less uneven, and both figures show."""
        self.take(MovePoints, Qt.Key.Key_M)
        self.click(self.original.points[2, 1])
        self.key(Qt.Key.Key_PageUp)
        self.choose("Pin")
        bent = self.surface()
        self.assertEqual(self.session.surface_item.ties.pins, {(2, 1)})  # type: ignore[union-attr]
        tool = self.take(FitAgain, Qt.Key.Key_T, SHIFT)
        tool.options.what = Part.INSIDE
        tool.options_changed()
        self.idle()
        labels = [fact.label for fact in tool.facts]
        self.assertIn("Wobble of the form", labels)
        self.assertIn("99 % of inliers", labels)
        uneven = [float(f.value.split()[0]) for f in tool.facts if f.label == "Wobble of the form"]
        tool.options.calm = 0.9
        tool.options_changed()
        self.idle()
        uneven += [float(f.value.split()[0]) for f in tool.facts if f.label == "Wobble of the form"]
        self.assertLess(uneven[1], uneven[0])
        self.key(Qt.Key.Key_Return)
        after = self.surface().points
        np.testing.assert_array_equal(after[2, 1], bent.points[2, 1])
        for border in ((0, slice(None)), (-1, slice(None)), (slice(None), 0), (slice(None), -1)):
            np.testing.assert_array_equal(after[border], bent.points[border])
        self.assertGreater(np.abs(after[1, 1] - bent.points[1, 1]).max(), 1e-6)

    def test_the_weight_map_in_the_inspector(self) -> None:
        self.key(Qt.Key.Key_Q)
        self.until(lambda: self.session.jobs.idle and self.window.inspector.findChildren(WeightTable))
        self.idle()
        table = self.window.inspector.findChildren(WeightTable)[-1]
        values = {steps: float(cell.text().strip("()")) for steps, cell in table.cells.items()}
        self.assertLess(values[2, 2], values[0, 0] + 0.01)
        best = [cell for cell in table.cells.values() if cell.property("best") == "true"]
        self.assertEqual(len(best), 1)
        cell = table.cells[1, 0]
        assert isinstance(cell, QToolButton)
        QTest.mouseClick(cell, Qt.MouseButton.LeftButton)
        self.idle()
        self.assertEqual(self.surface().points.shape[0], self.original.points.shape[0] + 1)
        self.assertIn("u + 1", self.last())

    def test_by_numbers_tried_states_and_ways(self) -> None:
        tool = self.take(MovePoints, Qt.Key.Key_M)
        self.click(self.original.points[1, 1])
        for _ in range(3):
            self.key(Qt.Key.Key_PageUp)
        lines = [choice.label for choice in tool.choices]
        self.assertEqual(sum("best" in line for line in lines), 1)
        self.choose("as it was")
        np.testing.assert_array_equal(self.surface().points, self.original.points)
        # along z only, then clinging to the scan
        tool.options.drag = Way.Z
        self.window.sight.look_along("slanted")
        self.idle()
        start = self.pixel(self.original.points[1, 1])
        self.drag(start, start + QPoint(5, -20))
        move = self.surface().points[1, 1] - self.original.points[1, 1]
        np.testing.assert_array_equal(move[:2], 0.0)
        self.assertGreater(move[2], 0.5)
        self.key(Qt.Key.Key_Z, CTRL)
        tool.options.drag = Way.CLING
        place = [greville(k, p)[1:2] for k, p in zip(self.original.knots, self.original.degree, strict=True)]
        start = self.pixel(self.original.points[1, 1])
        self.drag(start, start + QPoint(12, 0))
        on = self.surface().on_grid(*place)[0, 0, 0]
        self.assertLess(self.session.scan.closest(on).distance[0], 0.05)  # type: ignore[union-attr]
        self.assertGreater(np.abs(self.surface().points - self.original.points).max(), 0.5)
        self.key(Qt.Key.Key_Z, CTRL)
        # a nudge along the row: sliding on the form moves the form less
        for _ in range(5):
            self.key(Qt.Key.Key_Period)
        t = np.linspace(0, 1, 25)
        moved = []
        for keep in (False, True):
            tool.options.keep_form = keep
            self.key(Qt.Key.Key_Right)
            feet = foot_points(self.original, self.surface().on_grid(t, t)[0, 0].reshape(-1, 3))
            away = np.linalg.norm(feet.points - self.surface().on_grid(t, t)[0, 0].reshape(-1, 3), axis=1)
            moved.append(float(away[feet.inside].max()))
            self.key(Qt.Key.Key_Z, CTRL)
        self.assertLess(moved[1], 0.6 * moved[0])
        numbers = self.take(ByNumbers, Qt.Key.Key_M, SHIFT)
        numbers.options.x, numbers.options.turn = 1.5, 0.0
        numbers.options_changed()
        self.assertEqual(numbers.facts[0].value, "1")
        self.key(Qt.Key.Key_Return)
        np.testing.assert_allclose(self.surface().points[1, 1] - self.original.points[1, 1], [1.5, 0, 0], atol=1e-12)


class VersionsTest(SculptTest):
    def test_parked_versions_and_states_side_by_side(self) -> None:
        self.session.set_milestone("calm")
        self.window.commands["park"].trigger()
        self.assertEqual(len(self.session.patches), 1)
        self.take(MovePoints, Qt.Key.Key_M)
        self.click(self.original.points[1, 1])
        self.key(Qt.Key.Key_PageUp)
        changed = self.surface()
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)
        self.window.hand.go_to(Step.CHECK)
        tool = self.take(Compare, Qt.Key.Key_H, SHIFT)
        told = {fact.label: fact.value for fact in tool.facts}
        self.assertIn("calm", told["Left  |  right"])
        left, right = told["rms, mm"].split("|")
        self.assertGreater(float(left), float(right))
        meshes = self.view.scene.triangles
        self.assertEqual(len(meshes), 2)
        # beside, not over each other
        self.assertLess(meshes[0].points[:, 0].max(), meshes[1].points[:, 0].min())
        self.key(Qt.Key.Key_Escape)
        self.window.commands["bring-back"].trigger()
        np.testing.assert_array_equal(self.surface().points, self.original.points)
        item = self.session.surface_item
        assert item is not None
        np.testing.assert_array_equal(item.versions[0].shape.points, changed.points)
        # and with the mouse: a double click on the version's line below the patch
        tree = self.window.outline.tree
        model = self.window.outline.model
        row = model.findItems(item.name)[0]
        tree.expand(row.index())
        line = row.child(row.rowCount() - 1)
        self.assertIn("version 1", line.text())
        at = tree.visualRect(line.index()).center()
        QTest.mouseClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=at)
        QTest.mouseDClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=at)
        self.until(lambda: np.array_equal(self.surface().points, changed.points))


class SeveralTest(SculptTest):
    def test_two_patches_at_once_and_neighbours_that_follow(self) -> None:
        one, two = split_surface(self.original, 0, 0.5)
        item = self.session.surface_item
        assert item is not None
        document = self.session.document.with_shape(item.id, one).with_item(Item("second", "Second", two))
        self.session.commit("split", document)
        self.idle()
        self.take(MovePoints, Qt.Key.Key_M)
        # a point of the common edge: the neighbour's follows
        self.click(one.points[-1, 1])
        self.key(Qt.Key.Key_PageUp)
        first, second = (self.session.document[key].shape for key in (item.id, "second"))
        np.testing.assert_array_equal(first.points[-1], second.points[0])  # type: ignore[union-attr]
        self.assertGreater(np.abs(second.points - two.points).max(), 0.05)  # type: ignore[union-attr]
        self.window.hand.tool.options.hold_neighbours = True
        self.key(Qt.Key.Key_PageUp)
        held = self.session.document["second"].shape
        np.testing.assert_array_equal(held.points, second.points)  # type: ignore[union-attr]
        # both chosen: a box over all takes points of both, and they move together
        self.session.select("second", add=True)
        self.key(Qt.Key.Key_A, CTRL)
        before = [i.shape.points for i in self.session.selected_items]  # type: ignore[union-attr]
        self.key(Qt.Key.Key_PageUp)
        after = [i.shape.points for i in self.session.selected_items]  # type: ignore[union-attr]
        for old, new in zip(before, after, strict=True):
            np.testing.assert_allclose(np.linalg.norm(new - old, axis=2), 0.1, atol=1e-9)
        self.assertIn("2 patches", self.last())


if __name__ == "__main__":
    unittest.main()
