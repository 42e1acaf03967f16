"""Rounded edges in the window: two clicks on what stays, the radius from the scan, kept with both cuts, followed."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.desk.steps import Step
from arabesque.desk.tools.patch.round_edges import RoundEdges
from arabesque.geometry import Face, Surface
from arabesque.joining import Section
from arabesque.model import Item, any_stale
from arabesque.recipes import RoundBetween
from arabesque.scan import write_mesh
from arabesque.script import Project
from tests.desk.support import CTRL, SHIFT, WindowTest
from tests.joining.test_crossing import flat
from tests.joining.test_round import rounded_corner


class RoundTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        path, scan = self.folder / "walls.step", self.folder / "walls.ply"
        write_mesh(scan, rounded_corner(4.0, 4.0, 0.02))
        with Project() as project:
            project.add("Floor", flat(0.0))
            project.add("Wall", flat(0.0, 50.0, np.pi / 2))
            project.export(path, list(project.items))
        self.window.files.open_path(path)
        self.idle()
        self.window.files.open_path(scan)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.floor, self.wall = sorted(self.session.document.surfaces(), key=lambda item: item.name)
        self.window.sight.look_along("slanted")
        self.window.hand.go_to(Step.PATCH)
        self.session.select(None)

    def tool(self) -> RoundEdges:
        tool = self.window.hand.tool
        assert isinstance(tool, RoundEdges)
        return tool

    def rounds(self) -> list[Item]:
        return [item for item in self.session.document.surfaces() if isinstance(item.recipe, RoundBetween)]

    def test_read_from_the_scan_kept_and_followed(self) -> None:
        self.key(Qt.Key.Key_C, SHIFT)
        tool = self.tool()
        self.assertIsNotNone(self.session.scan)
        places = [np.array([25.0, -20, 0]), np.array([0.0, -20, 25])]
        for place in places:
            self.click(place)
        self.idle()
        self.assertEqual([picked.key for picked in tool.picked], [self.floor.id, self.wall.id])
        (choice,) = tool.choices
        choice.run()
        self.idle()
        self.assertAlmostEqual(tool.options.radius, 4.0, delta=0.1)
        facts = {fact.label: fact for fact in tool.facts}
        self.assertEqual(facts["Tangent within"].state, "good")
        self.assertIn("The scan shows", facts)
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.rounds()
        faces = [one for one in self.session.document.surfaces() if isinstance(one.shape, Face)]
        self.assertEqual({one.name for one in faces}, {"Floor cut", "Wall cut"})
        self.assertFalse(self.session.document[self.floor.id].look.visible)
        # the wall is moved: the round and both cuts follow in the same step
        steps = len(self.session.history.steps)
        shift = np.eye(4)
        shift[0, 3] = -3.0
        wall = self.session.document[self.wall.id]
        self.session.commit("moved", self.session.document.with_shape(wall.id, wall.shape.moved(shift)))
        self.idle()
        self.assertFalse(any_stale(self.session.document))
        self.assertEqual(len(self.session.history.steps), steps + 1)
        now = self.session.document[item.id].shape
        assert isinstance(now, Surface) and isinstance(item.shape, Surface)
        np.testing.assert_allclose(
            now.points - item.shape.points, np.broadcast_to([-3.0, 0, 0], now.points.shape), atol=1e-6
        )
        for _ in range(2):
            self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertEqual(self.rounds(), [])
        self.assertTrue(self.session.document[self.floor.id].look.visible)

    def test_problems_are_told_and_it_is_taken_up_again(self) -> None:
        self.key(Qt.Key.Key_C, SHIFT)
        tool = self.tool()
        self.click(np.array([-45.0, 49.0, 60.0]))
        self.assertIn("no surface here", self.view.overlay.message)
        self.click(np.array([25.0, -20, 0]))
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(tool.picked, [])
        self.click(np.array([25.0, -20, 0]))
        self.click(np.array([0.0, -20, 25]))
        self.idle()
        tool.options.radius = 80.0
        tool.options_changed()
        self.idle()
        self.assertIn("smaller radius", self.view.overlay.message)
        tool.options.radius, tool.options.section = 5.0, Section.CURVATURE
        tool.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.rounds()
        self.key(Qt.Key.Key_Escape)
        self.window.hand.take_up_again(self.session.document[item.id])
        again = self.tool()
        self.idle()
        self.assertEqual((again.options.radius, again.options.section), (5.0, Section.CURVATURE))
        again.options.radius = 7.0
        again.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.rounds()
        assert isinstance(item.recipe, RoundBetween)
        self.assertEqual(item.recipe.radii, (7.0, 7.0, 7.0))
        self.assertFalse(any_stale(self.session.document))


if __name__ == "__main__":
    import unittest

    unittest.main()
