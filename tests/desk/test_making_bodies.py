"""Bodies of whole pieces in the window: the hand wheel from scan to closed solid, by real events."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.checking import shape_to_scan
from arabesque.demo import master, simulate
from arabesque.desk.steps import Step
from arabesque.desk.tools.body.check_body import Asked, CheckBody
from arabesque.desk.tools.body.edges import BodyEdges
from arabesque.desk.tools.body.feature import BodyFeature
from arabesque.desk.tools.body.part import PartBody
from arabesque.desk.tools.body.profile import DrawBody, Way, With
from arabesque.desk.tools.body.region_surface import RegionSurface
from arabesque.desk.tools.body.repeat import About, RepeatBody
from arabesque.geometry import Element, ElementKind, Sketch, frame_of, motion
from arabesque.model import Document, Item, edits, new_id
from arabesque.recipes import RepeatedBody, Runs
from arabesque.scan import Scan, ready_to_fit
from arabesque.solid import Body, FeatureKind
from tests.desk.support import WindowTest

E, K = Element, ElementKind
HALF = Sketch(
    frame_of([0, 0, 0], [0, -1, 0], [1, 0, 0]),
    [[0.0, 0], [32, 0], [32, 8], [40, 8], [40, 12], [32, 12], [32, 20], [0, 20]],
    (E(K.LINE, (0, 1)), E(K.ARC, (2, 1, 3)), E(K.LINE, (3, 4)), E(K.ARC, (5, 4, 6)), E(K.LINE, (6, 7))),
)
"""Half of the wheel, as the scan's regions read: tori of 32 and 8 mm, planes 20 mm apart."""
SQUARE = Sketch(
    motion(shift=[0, 0, 34.0]),
    [[-5.0, -5], [5, -5], [5, 5], [-5, 5]],
    tuple(E(K.LINE, (k, (k + 1) % 4)) for k in range(4)),
)


class WheelTest(WindowTest):
    def body(self) -> Item:
        """The last one."""
        return [item for item in self.session.document if isinstance(item.shape, Body)][-1]

    def keep(self) -> Item:
        """Wait, keep what was made, and lay the tool down."""
        self.idle()
        tool = self.window.hand.tool
        assert tool.can_apply, self.view.overlay.message
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.key(Qt.Key.Key_Escape)
        return self.session.history.document[list(self.session.history.document.items)[-1]]

    def volume(self) -> float:
        return float(self.body().shape.told.volume)

    def test_the_hand_wheel(self) -> None:
        """Turned from its half section; stem with its fillet; one hollow as a free surface that cuts, rounded, repeated
        round the axis; a square socket: within 0.1 mm of the scan, and of the true form."""
        shape = master("dipper")
        scan = ready_to_fit(simulate(shape, 60_000, 0.03, 7).scan)
        document = Document().with_item(Item(new_id(), "dipper clay", scan))
        document = edits.items.added(document, "", "Half section", HALF).document
        self.session.start(edits.items.added(document, "", "Socket", SQUARE).document, None, "Start")
        self.idle()
        self.window.hand.go_to(Step.BODY)
        half, socket = (
            next(i.id for i in self.session.document if i.name == name) for name in ("Half section", "Socket")
        )
        clay = next(item for item in self.session.document if isinstance(item.shape, Scan))
        self.session.commit("seen", self.session.document.changed(clay.id, look=type(clay.look)(visible=False)))
        # turned
        self.session.select(half)
        self.key(Qt.Key.Key_Q)
        profile = self.window.hand.tool
        assert isinstance(profile, DrawBody)
        profile.options.runs, profile.options.way = Runs.TURNED, Way.Z
        profile.options_changed()
        self.keep()
        self.assertAlmostEqual(self.volume(), 93935.657, delta=0.01)
        # the stem, and its fillet
        self.session.select(None)
        self.window.sight.look_along("slanted")
        self.key(Qt.Key.Key_B)
        stem = self.window.hand.tool
        assert isinstance(stem, BodyFeature)
        stem.options.kind, stem.options.diameter, stem.options.depth = FeatureKind.BOSS, 18.0, 14.0
        self.click(np.array([0.5, 0.5, 20.0]))
        self.idle()
        stem.options.x = stem.options.y = 0.0
        stem.options_changed()
        self.keep()
        self.assertAlmostEqual(self.volume(), 93935.657 + np.pi * 81 * 14, delta=0.01)
        self.round(1.6, [[0.0, -9, 20]])
        before = self.body()
        # one hollow, from what is marked of the scan
        middles = scan.points[scan.triangles].mean(axis=1)
        inside = (np.abs(shape.hollow(*middles.T)) < 0.15) & (np.hypot(middles[:, 0], middles[:, 1]) > 33)
        self.session.marks.put(scan, inside)
        self.key(Qt.Key.Key_G)
        region = self.window.hand.tool
        assert isinstance(region, RegionSurface)
        region.options.within, region.options.past = 0.1, 5.0
        region.options_changed()
        surface = self.keep()
        self.session.select(before.id)
        self.key(Qt.Key.Key_V)
        part = self.window.hand.tool
        assert isinstance(part, PartBody)
        part.picked = [before.id, surface.id]
        part.options_changed()
        self.keep()
        self.assertFalse(self.session.document[surface.id].look.visible)
        self.assertLess(self.volume(), before.shape.told.volume - 1000)
        self.window.sight.look_along("right side")
        self.round(0.9, [[33.1, 0, 0.1], [36.2, -7.6, 1.9], [36.2, 7.6, 1.9], [33.9, 0, 19.8]])
        # all round
        self.session.select(self.body().id)
        self.key(Qt.Key.Key_U)
        repeat = self.window.hand.tool
        assert isinstance(repeat, RepeatBody)
        repeat.options.about = About.Z
        next(c for c in repeat.choices if c.label == f"Repeat what was done since {before.name}").run()
        one = before.shape.told.volume - self.volume()
        self.keep()
        self.assertIsInstance(self.body().recipe, RepeatedBody)
        self.assertAlmostEqual(self.volume(), before.shape.told.volume - 5 * one, delta=1.0)
        # the socket
        wheel = self.body()
        self.session.select(socket)
        self.key(Qt.Key.Key_Q)
        profile = self.window.hand.tool
        assert isinstance(profile, DrawBody)
        profile.one, profile.options.use = wheel.id, With.CUT
        profile.options.runs, profile.options.way = Runs.LENGTHS, Way.OWN
        profile.options.ahead, profile.options.back = 1.0, 16.0
        profile.options_changed()
        self.keep()
        made = self.body()
        self.assertTrue(made.shape.told.closed and made.shape.told.valid)
        self.assertAlmostEqual(wheel.shape.told.volume - self.volume(), 1600.0, delta=0.01)
        # against the scan with its noise, and the true form without
        measured = shape_to_scan(made.shape, scan, 30)
        away = np.abs(measured.distance[measured.valid])
        areas = measured.samples.areas[measured.valid]
        self.assertGreater(areas[away <= 0.1].sum() / areas.sum(), 0.97)
        truth = shape.distance(measured.samples.points[::3])
        self.assertLess(np.quantile(truth, 0.999), 0.1)
        # and the check of its walls says where it is thinnest
        self.session.select(made.id)
        self.key(Qt.Key.Key_J)
        check = self.window.hand.tool
        assert isinstance(check, CheckBody)
        self.idle()
        facts = {fact.label: fact.value for fact in check.facts}
        self.assertIn("Thinnest wall", facts)
        assert check.found is not None and check.found.least is not None
        # the corner of the socket is 5 √2 mm off the axis, the stem 9 mm wide
        self.assertAlmostEqual(check.found.least[0], 9 - 5 * np.sqrt(2), delta=0.35)
        check.options.asked = Asked.SECTIONS
        check.options_changed()
        self.idle()
        assert check.found is not None
        self.assertEqual(len(check.found.sections), 5)

    def round(self, radius: float, places: list[list[float]]) -> None:
        """Click edges in the picture, and keep them rounded."""
        self.session.select(None)
        self.key(Qt.Key.Key_N)
        edges = self.window.hand.tool
        assert isinstance(edges, BodyEdges)
        edges.options.size = radius
        for place in places:
            self.click(np.array(place))
        self.assertTrue(edges.places, self.view.overlay.message)
        volume = self.volume()
        self.keep()
        self.assertNotAlmostEqual(self.volume(), volume)


if __name__ == "__main__":
    import unittest

    unittest.main()
