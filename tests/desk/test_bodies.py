"""Bodies in the window: sewn by clicks, open borders seen, cut by a true shape, followed, taken back."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.desk.steps import Step
from arabesque.desk.tools.body.edges import BodyEdges
from arabesque.desk.tools.body.put_together import PutTogether
from arabesque.desk.tools.body.repeat import About, RepeatBody
from arabesque.desk.tools.body.sew import SewFaces
from arabesque.desk.tools.body.thicken import ThickenSkin
from arabesque.geometry import Elementary, ElementaryKind, motion
from arabesque.model import Item, any_stale
from arabesque.recipes import CombinedBody, RepeatedBody, RoundedBody, SewnBody, ThickenedBody
from arabesque.script import Project
from arabesque.solid import Body
from tests.desk.support import CTRL, WindowTest
from tests.examples import box_sides


class BodyTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        path = self.folder / "box.arabesque"
        with Project() as project:
            for number, side in enumerate(box_sides(60, 40, 20)):
                project.add(f"Side {number}", side)
            rod = Elementary.make(
                ElementaryKind.CYLINDER, motion(shift=[20, 20, 0]), (8.0,), ((0.0, 2 * np.pi), (-10.0, 40.0))
            )
            project.add("Drill", rod)
            project.save(path)
        self.window.files.open_path(path)
        self.idle()
        self.window.sight.look_along("top")
        self.window.hand.go_to(Step.BODY)

    def bodies(self) -> list[Item]:
        return [item for item in self.session.document if isinstance(item.shape, Body)]

    def sew(self) -> SewFaces:
        self.key(Qt.Key.Key_S)
        tool = self.window.hand.tool
        assert isinstance(tool, SewFaces)
        return tool

    def test_sewn_open_then_closed_then_cut(self) -> None:
        drill = next(item for item in self.session.document if item.name == "Drill")
        self.session.commit("hidden", self.session.document.changed(drill.id, look=drill.look.__class__(visible=False)))
        tool = self.sew()
        next(choice for choice in tool.choices if choice.label == "Take all 6 that show").run()
        self.idle()
        # the top is given back: it is open there, and says so in the picture
        self.click(np.array([50.0, 10.0, 20.0]))
        self.idle()
        facts = {fact.label: fact for fact in tool.facts}
        self.assertEqual((facts["Closed"].value, facts["Closed"].state), ("no, 4 free borders", "bad"))
        self.assertEqual(sum(part.text.startswith("free") for part in self.view.scene.labels), 4)
        # what would close it is offered, one click each
        offered = {choice.label: choice.run for choice in tool.choices}
        self.assertTrue(any(label.startswith("→ match or extend") for label in offered))
        offered["→ close the openings with faces"]()
        self.idle()
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Closed"], "yes")
        tool.options.cap = False
        tool.options_changed()
        self.idle()
        next(run for label, run in offered.items() if label.startswith("→ fill them"))()
        self.idle()
        self.assertEqual(self.window.hand.tool.id, "fill-opening")
        self.window.hand.go_to(Step.BODY)
        tool = self.sew()
        tool.picked = [item.id for item in self.session.document if item.name.startswith("Side")]
        tool.options_changed()
        self.idle()
        facts = {fact.label: fact.value for fact in tool.facts}
        self.assertEqual((facts["Closed"], facts["Volume"]), ("yes", "48\u202f000.0 mm³"))
        steps = len(self.session.history.steps)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        (box,) = self.bodies()
        self.assertIsInstance(box.recipe, SewnBody)
        self.assertFalse(any(self.session.document[key].look.visible for key in box.recipe.of))
        self.key(Qt.Key.Key_Escape)
        # cut by the drill, and the cut follows when that is widened
        self.session.commit("shown", self.session.document.changed(drill.id, look=drill.look))
        self.session.select(None)
        self.window.sight.look_along("left side")
        self.idle()
        self.key(Qt.Key.Key_T)
        together = self.window.hand.tool
        assert isinstance(together, PutTogether)
        self.click(np.array([20.0, 12.0, 32.0]))
        self.assertIn("alone is no body", self.view.overlay.message)
        self.click(np.array([50.0, 0.0, 10.0]))
        self.click(np.array([20.0, 12.0, 32.0]))
        self.idle()
        assert together.made is not None
        self.key(Qt.Key.Key_Return)
        self.idle()
        cut = next(item for item in self.bodies() if isinstance(item.recipe, CombinedBody))
        self.assertAlmostEqual(cut.shape.told.volume, 48_000 - 64 * 20 * np.pi, delta=0.01)
        wider = Elementary.make(drill.shape.kind, drill.shape.frame, (9.0,), drill.shape.bounds)
        self.session.commit("wider", self.session.document.with_shape(drill.id, wider))
        self.idle()
        self.assertFalse(any_stale(self.session.document))
        now = self.session.document[cut.id]
        self.assertEqual(now.trouble, "")
        self.assertAlmostEqual(now.shape.told.volume, 48_000 - 81 * 20 * np.pi, delta=0.01)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertIs(self.session.document[cut.id].shape, cut.shape)

    def test_capped_rounded_and_repeated(self) -> None:
        """Four walls capped, an edge clicked and rounded, the body repeated round the drill's axis."""
        document = self.session.document
        walls = [item.id for item in document if item.name in ("Side 2", "Side 3", "Side 4", "Side 5")]
        tool = self.sew()
        tool.picked, tool.options.cap = walls, True
        tool.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (box,) = self.bodies()
        self.assertAlmostEqual(box.shape.told.volume, 48_000.0, delta=0.01)
        self.key(Qt.Key.Key_Escape)
        self.session.select(None)
        self.window.sight.look_along("slanted")
        self.idle()
        self.key(Qt.Key.Key_N)
        edges = self.window.hand.tool
        assert isinstance(edges, BodyEdges)
        edges.options.size = 2.0
        self.click(np.array([30.0, 0.0, 20.0]))
        self.idle()
        assert edges.made is not None
        self.assertAlmostEqual(48_000 - edges.made.told.volume, (1 - np.pi / 4) * 4 * 60, delta=0.01)
        # Backspace gives the last edge back, and with it the body
        self.key(Qt.Key.Key_Backspace)
        self.idle()
        self.assertEqual((edges.places, edges.picked, edges.made), ([], [], None))
        self.click(np.array([30.0, 0.0, 20.0]))
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        rounded = next(item for item in self.bodies() if isinstance(item.recipe, RoundedBody))
        self.key(Qt.Key.Key_Escape)
        self.session.select(rounded.id)
        self.key(Qt.Key.Key_U)
        repeat = self.window.hand.tool
        assert isinstance(repeat, RepeatBody)
        repeat.options.count, repeat.options.step, repeat.options.about = 3, 100.0, About.X
        repeat.options_changed()
        self.idle()
        self.click(np.array([-20.0, 60.0, 0.0]))
        self.assertEqual(repeat.picked, [rounded.id])
        self.key(Qt.Key.Key_Return)
        self.idle()
        row = next(item for item in self.bodies() if isinstance(item.recipe, RepeatedBody))
        self.assertAlmostEqual(row.shape.told.volume, 3 * rounded.shape.told.volume, delta=0.1)
        self.assertFalse(self.session.document[rounded.id].look.visible)

    def test_a_side_thickened(self) -> None:
        self.window.sight.look_along("slanted")
        self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, ThickenSkin)
        self.click(np.array([50.0, 10.0, 20.0]))
        self.idle()
        facts = {fact.label: fact.value for fact in tool.facts}
        self.assertEqual((facts["Closed"], facts["Volume"], facts["Faces"]), ("yes", "6 000.0 mm³", "6"))
        self.key(Qt.Key.Key_Return)
        self.idle()
        (body,) = self.bodies()
        self.assertIsInstance(body.recipe, ThickenedBody)
        self.assertAlmostEqual(float(np.ptp(np.array(body.shape.box), axis=0)[2]), 2.5, places=9)


if __name__ == "__main__":
    import unittest

    unittest.main()
