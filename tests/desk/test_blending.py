"""Blends in the window: from a model that was opened, picked, pulled, kept, and followed."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.checking import find_joins
from arabesque.desk.steps import Step
from arabesque.desk.tools.patch.blend_edges import BlendEdges
from arabesque.desk.tools.patch.fit_together import FitTogether
from arabesque.desk.tools.patch.match_edges import MatchEdges
from arabesque.desk.tools.patch.set_off import SetOffPatch
from arabesque.geometry import Edge, Plane, Surface, split_surface, tessellate
from arabesque.model import Document, Item, any_stale
from arabesque.recipes import BlendBetween, MatchedTo, SetOffSurface
from arabesque.scan import Scan, write_mesh
from arabesque.script import Project
from arabesque.tracing import through
from tests.desk.support import CTRL, SHIFT, WindowTest
from tests.joining.test_blend import hill
from tests.joining.test_lines_and_images import flat


class BlendTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        path = self.folder / "two.step"
        with Project() as project:
            project.add("One", hill(0, 40, 0))
            project.add("Two", hill(60, 100, 8, seed=1))
            project.export(path, list(project.items))
        self.window.files.open_path(path)
        self.idle()
        by_place = sorted(self.session.document.surfaces(), key=lambda i: float(i.shape.points[..., 0].mean()))
        self.one, self.two = by_place
        self.window.sight.look_along("top")
        self.window.hand.go_to(Step.PATCH)

    def surfaces(self) -> list[Surface]:
        return [item.shape for item in self.session.document.surfaces() if isinstance(item.shape, Surface)]

    def blending(self) -> BlendEdges:
        """The tool with both edges that face each other picked."""
        self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, BlendEdges)
        self.click(self.one.shape.at([[1.0, 0.4]])[0])
        self.click(self.two.shape.at([[0.0, 0.6]])[0])
        self.idle()
        return tool

    def test_picked_pulled_kept_and_followed(self) -> None:
        self.session.select(self.one.id)
        tool = self.blending()
        assert tool.made is not None
        facts = {fact.label: fact.value for fact in tool.facts}
        self.assertTrue(facts["Edge 1"].startswith("G2"), facts)
        before: Surface = tool.made[0]
        handle = next(one for one in tool._handles() if one.field == "one_middle")
        start, end = self.pixel(tool._place(handle)), self.pixel(handle.line[len(handle.line) // 2])
        self.drag(start, end)
        self.idle()
        self.assertGreater(tool.options.one_middle, 1.2)
        self.assertEqual(tool.options.one_start, 1.0)
        assert tool.made is not None
        self.assertGreater(np.abs(tool.made[0].at([[0.3, 0.5]]) - before.at([[0.3, 0.5]])).max(), 0.1)
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = [one for one in self.session.document.surfaces() if isinstance(one.recipe, BlendBetween)]
        steps = len(self.session.history.steps)
        self.assertEqual([join.grade() for join in find_joins(self.surfaces())], [2, 2])
        # one input is raised: the blend follows within the same step
        raised = self.one.shape.with_points(self.one.shape.points + np.array([0, 0, 3.0]))
        self.session.commit("raised", self.session.document.with_shape(self.one.id, raised))
        self.idle()
        self.assertFalse(any_stale(self.session.document))
        self.assertEqual(len(self.session.history.steps), steps + 1)
        self.assertEqual([join.grade() for join in find_joins(self.surfaces())], [2, 2])
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertIs(self.session.document[item.id].shape, item.shape)

    def test_an_edge_pulled_back_with_the_states_tried(self) -> None:
        """The hollow handle of an edge goes back along the patch; kept, patch and blend are one step of the history."""
        self.session.select(self.one.id)
        tool = self.blending()
        handle = next(one for one in tool._handles() if one.field == "one_back")
        start = self.pixel(tool._place(handle))
        end = self.pixel(handle.line[np.abs(handle.values - 12.0).argmin()])
        self.drag(start, end)
        self.idle()
        self.assertAlmostEqual(tool.options.one_back, 12.0, delta=1.5)
        assert tool.made is not None
        blended: Surface = tool.made[0]
        self.assertAlmostEqual(float(blended.at([[0.0, 0.5]])[0, 0]), 40 - tool.options.one_back, delta=1.0)
        self.assertIn(self.one.id, tool.covers)
        steps = len(self.session.history.steps)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        shorter = self.session.document[self.one.id].shape
        assert isinstance(shorter, Surface)
        self.assertLess(shorter.points[..., 0].max(), 30)
        self.assertEqual([join.grade() for join in find_joins(self.surfaces())], [2, 2])
        self.assertFalse(any_stale(self.session.document))
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertIs(self.session.document[self.one.id].shape, self.one.shape)

    def test_tried_states_and_the_best_lengths_by_a_scan(self) -> None:
        """A scan that lies about both patches: states are listed, the best is found, and one brought back."""
        scan = self.folder / "form.ply"
        x, y = np.meshgrid(np.linspace(0, 100, 5), np.linspace(0, 60, 5), indexing="ij")
        form = Surface.bezier(np.stack([x, y, 3 * np.sin(x / 20) * np.cos(y / 25) + 0.08 * x], -1))
        points, triangles = tessellate(form, 0.05)
        write_mesh(scan, Scan(points, triangles))
        self.window.files.open_path(scan)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.window.hand.go_to(Step.PATCH)
        tool = self.blending()
        tool.options.one_back = 5.0
        tool.options_changed()
        self.idle()
        labels = [choice.label for choice in tool.choices]
        self.assertIn("Find the nearest pull-back", labels)
        self.assertEqual(sum("back" in label and "mm" in label for label in labels), 2)
        self.assertEqual(sum("● best" in label for label in labels), 1)
        next(choice for choice in tool.choices if choice.label.startswith("Find the nearest pull-b")).run()
        self.idle()
        best = next(choice for choice in tool.choices if "● best" in choice.label)
        self.assertTrue(best.current)
        next(choice for choice in tool.choices if "back 5, 0" in choice.label).run()
        self.idle()
        self.assertEqual((tool.options.one_back, tool.options.two_back), (5.0, 0.0))

    def test_taken_up_again_and_taken_back(self) -> None:
        self.session.select(self.one.id)
        self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, BlendEdges)
        self.click(np.array([-30.0, -30, 0]))
        self.assertIn("no edge here", self.view.overlay.message)
        self.click(self.one.shape.at([[1.0, 0.4]])[0])
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(tool.picked, [])
        self.click(self.one.shape.at([[1.0, 0.4]])[0])
        self.click(self.two.shape.at([[0.0, 0.6]])[0])
        tool.options.one, tool.options.two = 1, 3
        tool.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        (item,) = [one for one in self.session.document.surfaces() if isinstance(one.recipe, BlendBetween)]
        self.assertEqual(item.shape.degree[0], 5)
        self.key(Qt.Key.Key_Escape)
        self.window.hand.take_up_again(self.session.document[item.id])
        again = self.window.hand.tool
        assert isinstance(again, BlendEdges)
        self.assertEqual((again.options.one, again.options.two, len(again.picked)), (1, 3, 2))
        self.assertEqual({border.rim for border in again.picked}, {int(Edge.U_HIGH), int(Edge.U_LOW)})

    def test_an_edge_matched_and_followed(self) -> None:
        self.key(Qt.Key.Key_K, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, MatchEdges)
        self.click(self.two.shape.at([[0.0, 0.6]])[0])
        self.click(self.two.shape.at([[1.0, 0.6]])[0])
        self.assertIn("cannot go on in itself", self.view.overlay.message)
        self.click(self.one.shape.at([[1.0, 0.4]])[0])
        self.idle()
        facts = {fact.label: fact.value for fact in tool.facts}
        self.assertTrue(facts["Edge 1"].startswith("G2"), facts)
        self.assertGreater(float(facts["Moved at most"].split()[0]), 10)
        self.key(Qt.Key.Key_Return)
        self.idle()
        item = self.session.document[self.two.id]
        assert isinstance(item.recipe, MatchedTo)
        self.assertEqual([join.grade() for join in find_joins(self.surfaces())], [2])
        raised = self.one.shape.with_points(self.one.shape.points + np.array([0, 0, 3.0]))
        self.session.commit("raised", self.session.document.with_shape(self.one.id, raised))
        self.idle()
        self.assertEqual([join.grade() for join in find_joins(self.surfaces())], [2])
        # as before, by one step back each
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertIs(self.session.document[self.two.id].shape, self.two.shape)

    def test_neighbours_fitted_together_and_mirrored_at_once(self) -> None:
        """Two patches that meet at an angle: selected, fitted with G1, kept in one step; then both mirrored in one."""
        form = hill(0, 60, 0)
        left, right = split_surface(form, 0, 0.5)
        points = right.points.copy()
        points[1:, :, 2] += 0.02 * (points[1:, :, 0] - points[0, :, 0])
        document = Document()
        for name, shape in (("Left", left), ("Right", right.with_points(points))):
            document = document.with_item(Item(name, name, shape.moved(_aside())))
        self.session.start(document, None, "opened")
        self.idle()
        before = find_joins(self.surfaces())
        self.assertEqual([join.grade() for join in before], [0])
        self.window.hand.go_to(Step.PATCH)
        self.session.select("Left")
        self.key("G", SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, FitTogether)
        self.assertIn("Ctrl adds", tool.says)
        self.session.select("Right", True)
        self.key(Qt.Key.Key_Return)
        self.idle()
        facts = {fact.label: fact for fact in tool.facts}
        self.assertEqual(facts["Shared edges"].value, "1")
        self.assertEqual(facts["Worst join"].state, "good")
        steps = len(self.session.history.steps)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        self.assertGreaterEqual(min(join.grade() for join in find_joins(self.surfaces())), 1)
        self.session.select("Left")
        self.session.select("Right", True)
        self.key("S")
        self.assertEqual([choice.label for choice in self.window.hand.tool.choices], ["Mirror all 2 live"])
        self.window.hand.tool.choices[0].run()
        self.idle()
        self.assertEqual(len(self.surfaces()), 4)
        self.assertEqual(len(self.session.history.steps), steps + 2)
        self.window.hand.tool.choices[0].run()
        self.assertIn("None of these", self.view.overlay.message)

    def test_where_it_begins_and_ends_is_dragged(self) -> None:
        """The hollow handles at the ends of an edge: the blend is as long as the part between them."""
        tool = self.blending()
        handle = next(one for one in tool._handles() if one.field == "one_from")
        end = self.pixel(handle.line[len(handle.line) // 4])
        self.drag(self.pixel(tool._place(handle)), end)
        self.idle()
        self.assertAlmostEqual(tool.options.one_from, 0.25, delta=0.03)
        assert tool.made is not None
        rows = tool.made[0].points
        length = float(np.linalg.norm(rows[0, -1] - rows[0, 0]))
        whole = float(np.linalg.norm(handle.line[-1] - handle.line[0]))
        self.assertAlmostEqual(length / whole, 0.75, delta=0.04)
        self.key(Qt.Key.Key_Return)
        self.idle()
        # what belonged to those edges is of no use to the next ones
        self.assertEqual((tool.options.one_from, tool.options.one_to, tool.picked), (0.0, 1.0, []))

    def test_set_off_and_told_where_it_folds(self) -> None:
        self.session.select(self.one.id)
        self.window.commands["set-off-surface"].trigger()
        self.idle()
        tool = self.window.hand.tool
        assert isinstance(tool, SetOffPatch)
        self.assertTrue(tool.can_apply)
        self.click(self.two.shape.at([[0.5, 0.5]])[0])
        self.idle()
        self.assertEqual(tool.picked, self.two.id)
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = [one for one in self.session.document.surfaces() if isinstance(one.recipe, SetOffSurface)]
        assert isinstance(item.shape, Surface)
        at = np.array([[0.4, 0.6]])
        gap = item.shape.at(at) - self.two.shape.at(at)
        self.assertAlmostEqual(float(np.linalg.norm(gap)), 2.5, delta=2e-3)
        tool.options.length = -2000.0
        self.click(self.one.shape.at([[0.5, 0.5]])[0])
        self.idle()
        self.assertEqual({fact.label: fact.state for fact in tool.facts}["Folds from"], "bad")


def _aside() -> np.ndarray:
    """A motion beside the twin plane."""
    matrix = np.eye(4)
    matrix[1, 3] = 20.0
    return matrix


if __name__ == "__main__":
    import unittest

    unittest.main()


class LinesAndImagesTest(WindowTest):
    """From a project that was opened: two patches, a rod below, curves from edge to edge and over a patch."""

    def setUp(self) -> None:
        super().setUp()
        path = self.folder / "parts.arabesque"
        with Project() as project:
            project.plane = Plane(np.array([0.0, 1, 0]), -10.0)
            project.add("One", flat(0, 40))
            project.add("Two", flat(60, 100, 4.0))
            t = np.linspace(0, 1, 9)
            bow = np.column_stack([40 + 20 * t, 3 + 0 * t, 4 * t**3 * (10 - 15 * t + 6 * t**2)])
            project.add("Bow", through(bow))
            project.add("Over", through(np.column_stack([np.full(9, 80.0), 5 + 50 * t, np.full(9, 4.2)])))
            project.save(path)
        self.window.files.open_path(path)
        self.idle()
        self.one, self.two, self.bow, self.over = (self.named(name) for name in ("One", "Two", "Bow", "Over"))
        self.window.sight.look_along("top")
        self.window.hand.go_to(Step.PATCH)

    def named(self, name: str) -> Item:
        return next(item for item in self.session.document if item.name == name)

    def test_a_blend_to_the_mirror_image_by_a_line_of_the_form(self) -> None:
        self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, BlendEdges)
        self.click(self.one.shape.at([[0.5, 0.0]])[0])
        next(choice for choice in tool.choices if "mirror image" in choice.label).run()
        self.idle()
        self.assertTrue(tool.mirrored and tool.made is not None)
        self.key(Qt.Key.Key_Return)
        self.idle()
        made = next(item for item in self.session.document if isinstance(item.recipe, BlendBetween))
        image, half = made.shape.mirrored(self.session.document.plane), len(made.shape.points) // 2
        np.testing.assert_array_equal(image.points[half:], made.shape.points[half:])

    def test_a_side_along_a_curve_and_a_blend_from_a_curve_over_a_patch(self) -> None:
        self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, BlendEdges)
        self.click(self.one.shape.at([[1.0, 0.5]])[0])
        self.click(self.over.shape.at([0.5])[0])
        self.idle()
        assert tool.made is not None
        self.assertEqual(tool.picked[1].line, self.over.id)
        self.assertAlmostEqual(float(tool.made[0].at([[1.0, 0.5]])[0, 0]), 80.0, delta=1e-4)
        self.key(Qt.Key.Key_Backspace)
        self.click(self.two.shape.at([[0.0, 0.5]])[0])
        self.idle()
        self.click(self.bow.shape.at([0.5])[0])
        self.idle()
        self.assertEqual(tool.lines, [self.bow.id])
        assert tool.made is not None
        facts = {fact.label: fact for fact in tool.facts}
        self.assertEqual(facts["Off its curves"].state, "good")
        self.key(Qt.Key.Key_Return)
        self.idle()
        made = next(item for item in self.session.document if isinstance(item.recipe, BlendBetween))
        self.assertAlmostEqual(float(made.shape.points[0, :, 1].min()), 3.0, delta=0.01)
        joins = find_joins([self.one.shape, self.two.shape, made.shape])
        self.assertEqual([join.grade() for join in joins], [2, 2])

    def test_both_half_way_and_to_the_twin_plane(self) -> None:
        self.key(Qt.Key.Key_K, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, MatchEdges)
        tool.options.half_way = True
        self.click(self.two.shape.at([[0.0, 0.5]])[0])
        self.click(self.one.shape.at([[1.0, 0.5]])[0])
        self.idle()
        assert tool.made is not None
        self.assertEqual(list(tool.made[2]), [self.one.id])
        steps = len(self.session.history.steps)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        one, two = (self.session.document[item.id].shape for item in (self.one, self.two))
        np.testing.assert_allclose(one.at([[1.0, 0.5]])[0, [0, 2]], [50.0, 2.0], atol=1e-9)
        self.assertEqual([join.grade() >= 2 for join in find_joins([one, two])], [True])
        self.click(self.one.shape.at([[0.3, 0.0]])[0])
        next(choice for choice in tool.choices if "twin plane" in choice.label).run()
        self.idle()
        seated = self.session.document[self.one.id]
        self.assertIsNotNone(seated.ties.twin)
        self.assertAlmostEqual(float(np.abs(seated.shape.points[:, 0, 1] + 10.0).max()), 0.0, delta=1e-9)

    def test_matched_to_the_inside_of_a_surface_and_to_a_curve(self) -> None:
        self.key(Qt.Key.Key_K, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, MatchEdges)
        tool.options.order = 0
        self.click(self.one.shape.at([[1.0, 0.7]])[0])
        self.click(self.over.shape.at([0.3])[0])
        self.idle()
        assert tool.made is not None
        np.testing.assert_allclose(tool.made[0].at([[1.0, 0.5]])[0], self.over.shape.at([0.5])[0], atol=1e-9)
        self.key(Qt.Key.Key_Escape)
        tool.options.order = 1
        moved = self.one.shape.with_points(self.one.shape.points + np.array([35.0, 0, 9.0]))
        self.session.commit("moved", self.session.document.with_shape(self.one.id, moved))
        self.idle()
        self.click(moved.at([[1.0, 0.7]])[0])
        self.click(self.two.shape.at([[0.8, 0.3]])[0])
        self.idle()
        assert tool.made is not None
        self.assertAlmostEqual(float(tool.made[0].at([[1.0, 0.5]])[0, 2]), 4.0, delta=1e-9)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertIsInstance(self.session.document[self.one.id].recipe, MatchedTo)
