"""Trims in the window: from a model that was opened, cut, clicked away, kept, followed, taken up again."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.checking import find_joins
from arabesque.desk.steps import Step
from arabesque.desk.tools.patch.edges import Edges
from arabesque.desk.tools.patch.recast_face import RecastPatch
from arabesque.desk.tools.patch.trim import By, TrimSurface
from arabesque.desk.tools.trace.take_line import TakeLine, Taken
from arabesque.geometry import Curve, Edge, Elementary, Face, Surface, split_surface
from arabesque.joining import crossings
from arabesque.model import Item, any_stale
from arabesque.recipes import CrossingOf, ExtendedFace, RecastFace, TrimmedBy
from arabesque.script import Project
from tests.desk.support import CTRL, SHIFT, WindowTest
from tests.joining.test_blend import hill
from tests.joining.test_crossing import flat
from tests.joining.test_trim import area


class TrimTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        path = self.folder / "hill.step"
        with Project() as project:
            project.add("Hill", hill(0, 100, 0))
            project.add("Blade", flat(0.0, 20.0, np.pi / 2 - 0.5).moved(_to(40, 10, 10)))
            project.export(path, list(project.items))
        self.window.files.open_path(path)
        self.idle()
        self.hill, self.blade = sorted(self.session.document.surfaces(), key=lambda item: item.name, reverse=True)
        self.window.sight.look_along("top")
        self.window.hand.go_to(Step.PATCH)

    def tool(self) -> TrimSurface:
        tool = self.window.hand.tool
        assert isinstance(tool, TrimSurface)
        return tool

    def trims(self) -> list[Item]:
        return [item for item in self.session.document.surfaces() if isinstance(item.recipe, TrimmedBy)]

    def test_cut_let_go_on_clicked_away_and_kept(self) -> None:
        self.session.select(None)
        self.key(Qt.Key.Key_X, SHIFT)
        tool = self.tool()
        self.click(np.array([-40.0, -40, 0]))
        self.assertIn("nothing here", self.view.overlay.message)
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        self.click(self.blade.shape.at([[0.5, 0.8]])[0])
        self.idle()
        # the blade is too short: how far is told, and one click lets it go on
        self.assertFalse(tool.can_apply)
        self.assertIn("Short by", [fact.label for fact in tool.facts])
        (choice,) = tool.choices
        choice.run()
        self.idle()
        self.assertTrue(tool.can_apply)
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Hill"], "1 of 2 pieces stay")
        # the other piece back, the first one away
        self.click(self.hill.shape.at([[0.9, 0.2]])[0])
        self.idle()
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Hill"], "2 of 2 pieces stay")
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.trims()
        self.assertIsInstance(item.shape, Face)
        self.assertTrue(item.shape.shows(np.array([[0.9, 0.2]]))[0])
        self.assertFalse(self.session.document[self.hill.id].look.visible)
        # it follows the blade, in one step back
        steps = len(self.session.history.steps)
        blade = self.session.document[self.blade.id]
        self.session.commit("moved", self.session.document.with_shape(blade.id, blade.shape.moved(_to(8, 0, 0))))
        self.idle()
        self.assertFalse(any_stale(self.session.document))
        self.assertIsNot(self.session.document[item.id].shape, item.shape)
        self.assertEqual(len(self.session.history.steps), steps + 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertTrue(self.session.document[self.hill.id].look.visible)
        self.assertEqual(self.trims(), [])

    def test_both_cut_each_other_and_one_is_taken_up_again(self) -> None:
        self.session.select(None)
        self.key(Qt.Key.Key_X, SHIFT)
        tool = self.tool()
        tool.options.both, tool.options.further = True, 60.0
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        self.click(self.blade.shape.at([[0.5, 0.9]])[0])
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        one, two = self.trims()
        self.assertEqual({item.recipe.of for item in (one, two)}, {self.hill.id, self.blade.id})
        self.assertEqual({item.name for item in (one, two)}, {"Hill cut", "Blade cut"})
        self.key(Qt.Key.Key_Escape)
        self.window.hand.take_up_again(self.session.document[one.id])
        again = self.tool()
        self.idle()
        self.assertEqual((again.of, again.target, again.options.further), (one.recipe.of, one.id, 60.0))
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(again.cutters, [])

    def test_cut_with_the_border_of_another(self) -> None:
        """The blade's lower border is brought down onto the hill."""
        self.session.select(self.blade.id)  # what is selected does not count: the first click says what is cut
        self.key(Qt.Key.Key_X, SHIFT)
        tool = self.tool()
        tool.options.by, tool.options.further = By.BORDER, 80.0
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        blade = self.blade.shape
        assert isinstance(blade, Elementary) or blade.points is not None
        edge = blade.rims()[Edge.U_HIGH if _upper(blade, 1) else Edge.U_LOW]
        self.click(edge.surface.at(edge.places(np.array([0.5])))[0])
        self.idle()
        self.assertEqual(len(tool.cutters), 1)
        self.assertTrue(tool.can_apply)

    def test_a_crossing_is_taken_as_a_curve(self) -> None:
        """One click on the line in which blade and hill cross; beside it there is nothing to take."""
        self.window.hand.go_to(Step.TRACE)
        self.session.select(None)
        self.key(Qt.Key.Key_X)
        tool = self.window.hand.tool
        assert isinstance(tool, TakeLine)
        tool.options.what = Taken.CROSSING
        self.click(self.hill.shape.at([[0.8, 0.5]])[0])
        self.assertIn("nothing to take", self.view.overlay.message)
        (line,) = crossings(self.hill.shape, self.blade.shape)
        self.click(line.points[len(line.points) // 3])
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (curve,) = self.session.document.of(Curve)
        self.assertIsInstance(curve.recipe, CrossingOf)
        self.assertLess(tool.session.document.tolerance, 1)
        ends = curve.shape.at(np.array(curve.shape.domain))
        away = np.linalg.norm(ends[:, None] - line.points[[0, -1]], axis=2).min(axis=1)
        self.assertLess(away.max(), 0.05)

    def test_what_is_left_is_recast(self) -> None:
        """The kept piece becomes a patch with natural edges, near the face; what is no face is refused."""
        self.session.select(None)
        self.key(Qt.Key.Key_X, SHIFT)
        self.tool().options.further = 60.0
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        self.click(self.blade.shape.at([[0.5, 0.9]])[0])
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (cut,) = self.trims()
        self.key(Qt.Key.Key_Escape)
        self.session.select(None)
        self.key(Qt.Key.Key_J, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, RecastPatch)
        self.click(np.array([200.0, 200.0, 0.0]))
        self.assertIn("no face here", self.view.overlay.message)
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        self.idle()
        facts = {fact.label: fact for fact in tool.facts}
        self.assertEqual((facts["Off the face"].state, facts["Off its border"].state), ("good", "good"))
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = [one for one in self.session.document.surfaces() if isinstance(one.recipe, RecastFace)]
        self.assertEqual((item.recipe.of, item.name), (cut.id, "Hill cut recast"))
        self.assertNotIsInstance(item.shape, Face)
        self.assertFalse(self.session.document[cut.id].look.visible)

    def test_both_parts_of_a_cut_are_one_again_and_a_crease_makes_two(self) -> None:
        """Kept pieces of one cut, Ctrl-clicked; then a patch with a crease inside, divided there in one step."""
        left, right = split_surface(self.hill.shape, 0, 0.4)
        document = self.session.document.with_shape(self.hill.id, left)
        other = Item("other", "Other", right)
        self.session.commit("split", document.with_item(other).without(self.blade.id))
        self.session.select(None)
        self.idle()
        self.key(Qt.Key.Key_J, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, RecastPatch)
        self.click(left.at([[0.2, 0.5]])[0])
        self.click(right.at([[0.8, 0.5]])[0], CTRL)
        self.idle()
        self.assertEqual(tool.others, ["other"])
        self.assertEqual({fact.label: fact.state for fact in tool.facts}["Off the face"], "good")
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual([item.look.visible for item in self.session.document.surfaces()], [False, False, True])
        knots = np.array([0.0] * 7 + [0.5] * 6 + [1.0] * 7), np.array([0.0] * 7 + [1.0] * 7)
        folded = self.hill.shape.with_knots([0.5] * 6).points.copy()
        folded[..., 2] = np.maximum(folded[..., 0] - 50, 0)
        made = next(item for item in self.session.document.surfaces() if item.look.visible)
        self.session.commit("bent", self.session.document.with_shape(made.id, Surface((6, 6), knots, folded)))
        self.idle()
        self.session.select(None)
        tool.options.divided = True
        steps = len(self.session.history.steps)
        self.click(np.array([10.0, 30.0, 0.0]))
        self.idle()
        assert tool.made is not None
        self.assertEqual(len(tool.made), 2)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        sides = [item.recipe.side for item in self.session.document if isinstance(item.recipe, RecastFace)]
        self.assertEqual([side for side in sides if side], [1, 2])

    def test_a_surface_that_ends_short_of_its_cutter_is_let_go_on(self) -> None:
        """The hill ends 5 mm before a wall: the gap is told, and one click extends the hill, which is then cut."""
        wall = Item("wall", "Wall", flat(0.0, 60.0, np.pi / 2).moved(_to(105, 30, 0)))
        self.session.commit("wall", self.session.document.with_item(wall).without(self.blade.id))
        self.session.select(None)
        self.idle()
        self.key(Qt.Key.Key_X, SHIFT)
        tool = self.tool()
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        self.click(np.array([105.0, 70.0, 0.0]))
        self.idle()
        self.assertIn("5 mm are between", self.view.overlay.message)
        self.assertIn("5 mm short", [label.text for label in self.view.scene.labels])
        (choice,) = tool.choices
        self.assertEqual(choice.label, "Extend Hill until it passes Wall")
        choice.run()
        self.idle()
        self.assertAlmostEqual(float(self.session.document[self.hill.id].shape.box[1][0]), 106.0, delta=0.5)
        self.assertTrue(tool.can_apply)
        self.key(Qt.Key.Key_Return)
        self.idle()
        (cut,) = self.trims()
        self.assertGreater(area(cut.shape), 6000.0)

    def test_every_piece_kept_as_a_face_and_untrimmed(self) -> None:
        self.session.select(None)
        self.key(Qt.Key.Key_X, SHIFT)
        self.tool().options.further = 60.0
        self.tool().options.split = True
        self.click(self.hill.shape.at([[0.1, 0.5]])[0])
        self.click(self.blade.shape.at([[0.5, 0.9]])[0])
        self.idle()
        steps = len(self.session.history.steps)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        pieces = self.trims()
        self.assertEqual([item.name for item in pieces], ["Hill cut", "Hill cut 2"])
        whole = self.hill.shape.sampler(200).read(self.hill.shape).areas.sum()
        self.assertAlmostEqual(sum(area(item.shape) for item in pieces) / whole, 1.0, delta=1e-3)
        self.key(Qt.Key.Key_Escape)
        self.session.select(pieces[0].id)
        self.idle()
        self.window.commands["untrim"].trigger()
        self.idle()
        self.assertEqual(self.trims(), pieces[1:])
        self.assertTrue(self.session.document[self.hill.id].look.visible)
        self.assertFalse(self.window.commands["untrim"].isEnabled())

    def test_a_trimmed_border_dragged_out_and_until_it_passes(self) -> None:
        """What a cut has left grows along its surface; it stands for the face and follows it; then past a wall."""
        wall = Item("wall", "Wall", flat(0.0, 40.0, np.pi / 2).moved(_to(80, 30, 0)))
        with Project() as project:
            hilly, blade = project.add("Hill", self.hill.shape), project.add("Blade", self.blade.shape)
            project.trim(hilly, blade, keep=[(10.0, 30, 0)], further=60.0)
            document = project.document.with_item(wall)
        self.session.commit("cut", document)
        self.idle()
        (cut,) = self.trims()
        self.session.select(cut.id)
        self.window.sight.look_along("top")
        self.window.hand.go_to(Step.PATCH)
        self.key(Qt.Key.Key_B)
        tool = self.window.hand.tool
        assert isinstance(tool, Edges)
        right = max(cut.shape.rims(), key=lambda rim: float(rim.surface.at(rim.places(np.array([0.5])))[0, 0]))
        place = right.surface.at(right.places(np.array([0.5])))[0]
        self.drag(self.pixel(place), self.pixel(place + np.array([10.0, 0, 0])))
        self.idle()
        (made,) = [item for item in self.session.document if isinstance(item.recipe, ExtendedFace)]
        self.assertAlmostEqual(made.recipe.length, 10.0, delta=2.0)
        self.assertFalse(self.session.document[cut.id].look.visible)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.session.select(cut.id)
        self.click(place)
        next(choice for choice in tool.choices if "passes" in choice.label).run()
        self.click(np.array([80.0, 15.0, 0.0]))
        # what is looked for beside the window is dropped with what it was for
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)
        self.idle()
        self.assertFalse([item for item in self.session.document if isinstance(item.recipe, ExtendedFace)])
        self.session.select(cut.id)
        self.click(place)
        next(choice for choice in tool.choices if "passes" in choice.label).run()
        self.click(np.array([80.0, 15.0, 0.0]))
        self.idle()
        (made,) = [item for item in self.session.document if isinstance(item.recipe, ExtendedFace)]
        self.assertEqual((made.recipe.past, made.recipe.length), ("wall", 1.0))
        lines = [rim.surface.at(rim.places(np.linspace(0, 1, 17)))[:, 0] for rim in made.shape.rims()]
        self.assertAlmostEqual(max(float(line.min()) for line in lines), 81.0, delta=0.1)

    def test_edges_of_neighbours_move_together(self) -> None:
        one, two = split_surface(self.hill.shape, 1, 0.4)
        document = self.session.document.with_shape(self.hill.id, one).with_item(Item("two", "Two", two))
        self.session.commit("split", document.without(self.blade.id))
        self.session.select(self.hill.id)
        self.idle()
        self.key(Qt.Key.Key_B)
        tool = self.window.hand.tool
        assert isinstance(tool, Edges)
        place = one.at([[1.0, 0.5 * 0.4]])[0]
        self.click(place)
        self.click(two.at([[1.0, 0.7]])[0], CTRL)
        self.assertEqual(tool.more, [("two", int(Edge.U_HIGH))])
        steps = len(self.session.history.steps)
        self.drag(self.pixel(place), self.pixel(place + np.array([8.0, 0, 0])))
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        shapes = [self.session.document[key].shape for key in (self.hill.id, "two")]
        self.assertGreater(min(float(shape.box[1][0]) for shape in shapes), 104.0)
        (join,) = find_joins(shapes)
        self.assertEqual(join.grade(), 3)


def _upper(blade: object, end: int) -> bool:
    ends = blade.at(np.array([[low, 0.5] for low in blade.domain[0]]))  # type: ignore[attr-defined]
    return bool(ends[end, 0] > ends[1 - end, 0])


def _to(x: float, y: float, z: float) -> np.ndarray:
    matrix = np.eye(4)
    matrix[:3, 3] = x, y, z
    return matrix


if __name__ == "__main__":
    import unittest

    unittest.main()
