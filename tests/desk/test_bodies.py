"""Bodies in the window: sewn by clicks, open borders seen, cut by a true shape, followed, taken back."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.desk.steps import Step
from arabesque.desk.tools.body.edges import BodyEdges
from arabesque.desk.tools.body.hollow import HollowOut
from arabesque.desk.tools.body.morph import MorphForm
from arabesque.desk.tools.body.move_feature import Away, MoveFeature
from arabesque.desk.tools.body.put_together import PutTogether
from arabesque.desk.tools.body.repeat import About, RepeatBody
from arabesque.desk.tools.body.sew import SewFaces
from arabesque.desk.tools.body.swap import SwapFace
from arabesque.desk.tools.body.thicken import ThickenSkin
from arabesque.desk.tools.patch.overshoot import OvershootPatch
from arabesque.desk.view.scene import Discs
from arabesque.geometry import Curve, Elementary, ElementaryKind, Surface, motion
from arabesque.model import Document, Item, any_stale, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import (
    CombinedBody,
    FaceSwapped,
    MorphedShape,
    PushedPast,
    RepeatedBody,
    RoundedBody,
    SewnBody,
    ThickenedBody,
    Thickness,
)
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
        # what is like it is offered, and taken by a click
        self.assertIn("Its whole rim: 4 edges", [choice.label for choice in edges.choices])
        next(choice.run for choice in edges.choices if choice.label == "All that are alike: 4 edges")()
        self.idle()
        self.assertEqual(len(edges.places), 4)
        del edges.places[1:]
        edges.options_changed()
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

    def test_where_it_bends_too_tightly_is_drawn(self) -> None:
        """A quarter of a cylinder of 8 mm thickened by 9 mm inwards: refused, with the largest, and marked."""
        quarter = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (8.0,), ((0.0, 1.5), (0.0, 20.0)))
        bent = Surface(quarter.degree, quarter.knots, quarter.points, quarter.weights)
        self.session.commit("bent", edits.items.added(self.session.document, "", "Bent", bent).document)
        item = next(one for one in self.session.document if one.name == "Bent")
        self.session.select(None)
        self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, ThickenSkin)
        out = float(bent.normals([[0.5, 0.5]])[0] @ (bent.at([[0.5, 0.5]])[0] * [1, 1, 0])) > 0
        tool.picked, tool.options.length = [item.id], 9.0
        tool.options.side = Thickness.IN if out else Thickness.OUT
        tool.options_changed()
        self.idle()
        self.assertIsNone(tool.made)
        self.assertIn("less than 8 mm", self.view.overlay.message)
        marked = [part for part in tool.parts(self.view.camera) if isinstance(part, Discs)]
        self.assertGreater(len(marked[-1].points), 100)

    def test_faces_swapped_opened_and_features_moved(self) -> None:
        """A click takes the top of the box and a patch above it; then the end is opened and the box hollowed; a drilled
        hole is drawn along and taken away."""
        document = self.session.document
        drill = next(item for item in document if item.name == "Drill")
        roof = Surface.bezier([[[-9.0, -9, 30], [-9, 49, 30]], [[69, -9, 36], [69, 49, 36]]])
        self.session.commit("roof", edits.items.added(document, "", "Roof", roof).document)
        tool = self.sew()
        tool.picked = [item.id for item in self.session.document if item.name.startswith("Side")]
        tool.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.key(Qt.Key.Key_Escape)
        (box,) = self.bodies()
        for name, shown in (("Roof", False), ("Drill", False)):
            item = next(one for one in self.session.document if one.name == name)
            hidden = self.session.document.changed(item.id, look=type(item.look)(visible=shown))
            self.session.commit("hidden", hidden)
        self.session.select(None)
        self.key(Qt.Key.Key_X)
        swap = self.window.hand.tool
        assert isinstance(swap, SwapFace)
        self.click(np.array([50.0, 10.0, 20.0]))
        self.assertEqual(len(swap.places), 1)
        swap.by = next(item.id for item in self.session.document if item.name == "Roof")
        swap.try_it()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.key(Qt.Key.Key_Escape)
        taller = self.bodies()[-1]
        self.assertIsInstance(taller.recipe, FaceSwapped)
        self.assertAlmostEqual(taller.shape.told.volume, 60 * 40 * (30 + 6 * 39 / 78), delta=0.01)
        # opened above, and hollow
        self.session.select(None)
        self.key(Qt.Key.Key_Y)
        hollow = self.window.hand.tool
        assert isinstance(hollow, HollowOut)
        self.click(np.array([50.0, 10.0, 34.0]))
        self.idle()
        assert hollow.made is not None, self.view.overlay.message
        self.assertLess(hollow.made.told.volume, 0.5 * taller.shape.told.volume)
        self.click(np.array([50.0, 10.0, 34.0]))  # the same click gives the face back
        self.assertEqual(hollow.places, [])
        self.key(Qt.Key.Key_Escape)
        # a hole, then elsewhere, then gone
        self.session.commit("drilled", self._drilled(box, drill))
        self.idle()
        self.session.select(None)
        self.key(Qt.Key.Key_M)
        move = self.window.hand.tool
        assert isinstance(move, MoveFeature)
        cut = self.bodies()[-1]
        move.picked, move.places = [cut.id], [np.array([12.0, 20, 10])]
        self.drag(self.pixel(move.middle), self.pixel(move.middle + np.array([15.0, 0, 0])))
        self.idle()
        assert move.made is not None, self.view.overlay.message
        self.assertAlmostEqual(move.options.x, 15.0, delta=0.5)
        self.assertAlmostEqual(move.made.told.volume, cut.shape.told.volume, delta=0.01)
        move.options.how = Away.GONE
        move.options_changed()
        self.idle()
        self.assertAlmostEqual(move.made.told.volume, 48_000.0, delta=0.01)

    def _drilled(self, box: Item, drill: Item) -> Document:
        """The document with the box cut by the drill."""
        recipe = CombinedBody(box.id, (drill.id,))
        document = self.session.document
        source = replace(given(document, recipe), kernel=self.session.kernel)
        change = edits.items.standing_for(
            document, "cut", "Body", recipe.build(source), recipe, ingredients(document, recipe)
        )
        return change.document

    def test_a_patch_drawn_along_between_curves(self) -> None:
        """The top is picked, then both curves; a limit is dragged; Enter keeps what moved."""
        document = self.session.document
        for name, height in (("From", 20.0), ("To", 25.0)):
            line = Curve.bezier([[0.0, 20, height], [60, 20, height]])
            document = edits.items.added(document, "", name, line).document
        drill = next(item for item in document if item.name == "Drill")
        document = document.changed(drill.id, look=type(drill.look)(visible=False))
        self.session.commit("curves", document)
        self.session.select(None)
        self.window.sight.look_along("slanted")
        self.idle()
        self.key(Qt.Key.Key_Z)
        tool = self.window.hand.tool
        assert isinstance(tool, MorphForm)
        self.click(np.array([50.0, 8.0, 20.0]))
        self.click(np.array([50.0, 20.0, 20.0]))
        self.click(np.array([50.0, 20.0, 25.0]))
        self.assertEqual([self.session.document[key].name for key in tool.curves], ["From", "To"])
        tool.options.until = 15.0
        tool.options_changed()
        self.idle()
        assert tool.made is not None, self.view.overlay.message
        np.testing.assert_allclose(tool.made.at([[0.5, 0.5]])[0], [30, 20, 25], atol=0.02)
        handle = tool._handles()["until"]
        self.drag(self.pixel(handle), self.pixel(handle + np.array([0.0, np.sign(handle[1] - 20) * 3, 0])))
        self.idle()
        self.assertAlmostEqual(tool.options.until, 18.0, delta=0.6)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertTrue(any(isinstance(item.recipe, MorphedShape) for item in self.session.document))

    def test_a_patch_pushed_past_a_cylinder(self) -> None:
        """From the menu: the top, which the drill crosses, is pushed past it; what moved is marked, and it is kept."""
        self.session.select(None)
        self.window.hand.take_up(OvershootPatch)
        tool = self.window.hand.tool
        assert isinstance(tool, OvershootPatch)
        top = next(item for item in self.session.document if item.name == "Side 1")
        wall = next(item for item in self.session.document if item.name == "Side 2")
        tool.picked, tool.options.within = [top.id, wall.id], 6.0
        tool.options_changed()
        self.idle()
        assert tool.made is not None, self.view.overlay.message
        facts = {fact.label: fact.value for fact in tool.facts}
        self.assertGreaterEqual(float(facts["Furthest"].split()[0]), 1.0)
        self.key(Qt.Key.Key_Return)
        self.idle()
        made = next(item for item in self.session.document if isinstance(item.recipe, PushedPast))
        self.assertFalse(self.session.document[top.id].look.visible)
        # its edge lies 1 mm beyond the wall y = 0, the edge that faces it where it was
        edges = made.shape.at([[0.5, 0.0], [0.5, 1.0]])[:, 1]
        np.testing.assert_allclose(sorted(edges), [-1.0, 40.0], atol=0.01)

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
