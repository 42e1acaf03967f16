"""Bodies of the four pieces in the window, from scan to closed solid, by real events."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.checking import shape_to_scan
from arabesque.demo import master, simulate
from arabesque.demo.pebble import STRAP_NORMAL, STRAP_OFFSET
from arabesque.desk.steps import Step
from arabesque.desk.tools.body.check_body import Asked, CheckBody
from arabesque.desk.tools.body.edges import BodyEdges
from arabesque.desk.tools.body.feature import Axis as FeatureAxis
from arabesque.desk.tools.body.feature import BodyFeature
from arabesque.desk.tools.body.part import Kept, PartBody
from arabesque.desk.tools.body.profile import DrawBody, Way, With
from arabesque.desk.tools.body.region_surface import RegionSurface
from arabesque.desk.tools.body.repeat import About, RepeatBody
from arabesque.desk.tools.body.sew import SewFaces
from arabesque.desk.tools.body.thicken import ThickenSkin
from arabesque.desk.tools.body.wrap import WrapOn
from arabesque.desk.tools.cage.lay_out import LayOut
from arabesque.geometry import (
    Element,
    Elementary,
    ElementaryKind,
    ElementKind,
    Sketch,
    foot_points,
    motion,
)
from arabesque.mending import heal
from arabesque.model import Document, Item, edits, new_id
from arabesque.recipes import RepeatedBody, Runs, Thickness
from arabesque.scan import Scan, ready_to_fit
from arabesque.script import Project
from arabesque.solid import Body, FeatureKind
from arabesque.worked.dipper import half_section, square
from tests.desk.support import WindowTest

E, K = Element, ElementKind
WIDE = ((-30.0, 30.0), (-30.0, 30.0))


class Making(WindowTest):
    """What the pieces share."""

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


class WheelTest(Making):
    def test_the_hand_wheel(self) -> None:
        """Turned from its half section; stem with its fillet; one hollow as a free surface that cuts, rounded, repeated
        round the axis; a square socket: within 0.1 mm of the scan, and of the true form."""
        shape = master("dipper")
        scan = ready_to_fit(simulate(shape, 60_000, 0.03, 7).scan)
        document = Document().with_item(Item(new_id(), "dipper clay", scan))
        document = edits.items.added(document, "", "Half section", half_section(40.0, 20.0, 8.0)).document
        self.session.start(edits.items.added(document, "", "Socket", square(10.0, 34.0)).document, None, "Start")
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
        measured = shape_to_scan(made.shape, scan, 120)
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


class GripTest(Making):
    def test_the_grip(self) -> None:
        """Laid out by itself over what is left without its features, closed; strap face and foot parted by true planes,
        the socket drilled where the scan's cylinder says, rims rounded: one closed valid solid."""
        shape = master("pebble")
        scan = ready_to_fit(simulate(shape, 30_000, 0.03, 7).scan)
        with Project() as project:
            project.add("pebble clay", scan)
            regions = project.regions(0.5)
            socket = project.true_shape(regions, [8.0, 0, 12])
            middles = scan.points[scan.triangles].mean(axis=1)
            flat = np.abs(middles @ STRAP_NORMAL - STRAP_OFFSET)
            looks = scan.smoothed_normals[scan.triangles].mean(axis=1) @ STRAP_NORMAL
            strap = project.true_shape(regions, middles[int(np.where(looks > 0.99, flat, 9).argmin())])
            foot = project.add("Foot", Elementary.make(ElementaryKind.PLANE, motion(shift=[0, 0, 2.0]), (), WIDE))
            features = (np.hypot(middles[:, 0], middles[:, 1]) < 9.6) & (middles[:, 2] < 30)
            features |= (middles[:, 2] < 3.4) | ((flat < 0.9) & (looks > 0.6))
            free = project.add("without its features", ready_to_fit(heal(scan, features).scan))
            document = edits.items.referred_to(project.document, free).document
        # what the scan says of the true shapes
        self.assertAlmostEqual(socket.shape.sizes[0], 8.0, delta=0.01)
        self.assertAlmostEqual(abs(float(strap.shape.origin @ STRAP_NORMAL)), STRAP_OFFSET, delta=0.02)
        self.session.start(document, None, "Start")
        self.idle()
        self.window.hand.go_to(Step.CAGE)
        self.window.hand.take_up(LayOut)
        layout = self.window.hand.tool
        assert isinstance(layout, LayOut)
        layout.options.quads, layout.options.close = 400, True
        self.key(Qt.Key.Key_Return)
        self.keep()
        for item in self.session.document.of(Scan):
            hidden = self.session.document.changed(item.id, look=type(item.look)(visible=False))
            self.session.commit("hidden", hidden)
        (cage,) = self.session.document.of(Cage)
        self.window.hand.go_to(Step.BODY)
        self.session.select(cage.id)
        self.key(Qt.Key.Key_S)
        sew = self.window.hand.tool
        assert isinstance(sew, SewFaces)
        sew.picked = [cage.id]
        sew.options_changed()
        self.keep()
        self.assertTrue(self.body().shape.told.closed)
        for plane, out in ((strap, STRAP_NORMAL), (foot, np.array([0.0, 0, -1]))):
            keeps = Kept.BEHIND if float(plane.shape.axis @ out) > 0 else Kept.BEFORE
            self.part(self.body().id, plane.id, keeps)
        # a click on the true cylinder takes its axis, and its diameter rounded
        self.window.sight.look_along("below")
        self.session.select(None)
        self.key(Qt.Key.Key_B)
        drill = self.window.hand.tool
        assert isinstance(drill, BodyFeature)
        drill.picked = [self.body().id]
        drill.take_cylinder(socket.shape)
        self.assertEqual(drill.choices[0].label, "Diameter 16 mm, rounded")
        drill.options.depth, drill.options.z = 24.0, 2.0
        drill.options_changed()
        self.keep()
        self.round(0.5, [[8.0, 0, 2]])
        rim = self.on_plane(strap.shape)
        self.window.sight.fly_to(rim, STRAP_NORMAL, 60.0)
        self.round(0.5, [list(rim)])
        body = self.body().shape
        self.assertTrue(body.told.closed and body.told.valid)
        # the true faces are where they are, to the kernel's digits; the free ones within 0.3 mm
        samples = body.sampler(20).read(body)
        inside = (np.hypot(samples.points[:, 0], samples.points[:, 1]) < 9) & (samples.points[:, 2] < 27)
        wall = inside & (np.abs(samples.normals[:, 2]) < 0.02)
        centre = socket.shape.origin[:2]
        radii = np.linalg.norm(samples.points[wall][:, :2] - centre, axis=1)
        np.testing.assert_allclose(radii, 8.0, atol=0.02)  # its axis leans by what was read
        heights = samples.points @ STRAP_NORMAL - STRAP_OFFSET
        on = samples.normals @ STRAP_NORMAL > 0.99999
        self.assertLess(np.abs(heights[on]).max(), 0.02)
        away = (np.abs(heights) > 2) & (np.abs(samples.points[:, 2] - 2) > 2) & ~inside
        distances, areas = shape.distance(samples.points[away]), samples.areas[away]
        self.assertLess(distances.max(), 0.3)
        self.assertLess(float((distances * areas).sum() / areas.sum()), 0.05)

    def on_plane(self, plane: Elementary) -> Floats:
        """(3,) a place of the body's rim that lies in a plane."""
        places = np.array([r.surface.at(r.places(np.array([0.5])))[0] for r in self.body().shape.rims()])
        near = np.abs((places - plane.origin) @ plane.axis) < 1e-3
        self.assertTrue(near.any())
        place: Floats = places[near][0]
        return place

    def part(self, body: str, by: str, keeps: Kept) -> None:
        """Part a body by a surface."""
        self.session.select(body)
        self.key(Qt.Key.Key_V)
        tool = self.window.hand.tool
        assert isinstance(tool, PartBody)
        tool.picked, tool.options.keeps = [body, by], keeps
        tool.options_changed()
        self.keep()


class SaddleTest(Making):
    def test_the_saddle(self) -> None:
        """A laid out skin thickened 2.5 mm, two rail bosses added and drilled, a row of slots: closed and valid."""
        scan = ready_to_fit(simulate(master("heron"), 30_000, 0.03, 7).scan)
        with Project() as project:
            project.add("heron clay", scan)
            cage = project.layout(140, tolerance=0.5, close=True, detail="calm")
            document = project.document
        self.session.start(document, None, "Start")
        self.idle()
        clay = next(item for item in self.session.document if isinstance(item.shape, Scan))
        hidden = self.session.document.changed(clay.id, look=type(clay.look)(visible=False))
        self.session.commit("hidden", hidden)
        self.window.hand.go_to(Step.BODY)
        self.session.select(None)
        self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, ThickenSkin)
        tool.picked, tool.options.side = [cage.id], Thickness.OUT
        tool.options_changed()
        skin = self.keep()
        told = skin.shape.told
        self.assertTrue(told.closed and told.valid)
        # Steiner: about its area times its thickness
        self.assertAlmostEqual(told.volume / (2.5 * told.area / 2), 1.0, delta=0.05)
        self.window.sight.look_along("below")
        for y in (18.0, -18.0):
            self.feature(FeatureKind.BOSS, [110.0, y], 16.0, 8.0)
            self.feature(FeatureKind.HOLE, [110.0, y], 7.0, 6.0)
        self.window.sight.look_along("top")
        before = self.body()
        self.feature(FeatureKind.SLOT, [70.0, 0.0], 3.0, 0.0)
        lost = before.shape.told.volume - self.volume()
        self.assertGreater(lost, 2.5 * (3 * 12 + np.pi * 2.25) * 0.9)
        self.session.select(self.body().id)
        self.key(Qt.Key.Key_U)
        repeat = self.window.hand.tool
        assert isinstance(repeat, RepeatBody)
        repeat.options.about, repeat.options.step, repeat.options.count = About.X, 12.0, 4
        next(c for c in repeat.choices if c.label == f"Repeat what was done since {before.name}").run()
        self.keep()
        made = self.body().shape.told
        self.assertTrue(made.closed and made.valid)
        self.assertLess(made.volume, before.shape.told.volume - 3.5 * lost)

    def feature(self, kind: FeatureKind, at: list[float], size: float, depth: float) -> None:
        """Click the body at (x, y), and keep a feature that stands upright there."""
        self.session.select(None)
        self.key(Qt.Key.Key_B)
        tool = self.window.hand.tool
        assert isinstance(tool, BodyFeature)
        tool.options.kind, tool.options.diameter, tool.options.depth = kind, size, depth
        tool.options.length, tool.options.turn, tool.options.axis = 12.0, 90.0, FeatureAxis.Z
        tool.options.root = 3.0
        self.click(np.array([*at, 0.0]))
        self.keep()


class JugTest(Making):
    def test_a_relief_on_the_jug(self) -> None:
        """A patch on the belly; a relief mesh and a ring laid on it, placed by a click, turned by its disc."""
        shape = master("juniper")
        scan = ready_to_fit(simulate(shape, 40_000, 0.03, 7).scan)
        x, y = np.meshgrid(np.linspace(-9, 9, 31), np.linspace(-9, 9, 31), indexing="ij")
        high = np.maximum(0, 2 * np.cos(np.hypot(x, y) / 9 * np.pi / 2)) ** 2 / 4
        at = np.arange(31 * 31).reshape(31, 31)
        a, b, c, d = at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]
        faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
        relief = Scan(np.column_stack([x.ravel(), y.ravel(), high.ravel()]), faces)
        ring = Sketch(np.eye(4), [[0.0, 0], [12, 0], [10, 0]], (E(K.CIRCLE, (0, 1)), E(K.CIRCLE, (0, 2))))
        with Project() as project:
            project.add("juniper clay", scan)
            patch = project.patch(shape.corners["belly"])
            mesh, drawn = project.add("Relief", relief), project.add("Ring", ring)
            document = project.document
        self.session.start(document, None, "Start")
        self.idle()
        for name in ("juniper clay", "Relief", "Ring"):
            item = next(one for one in self.session.document if one.name == name)
            hidden = self.session.document.changed(item.id, look=type(item.look)(visible=False))
            self.session.commit("hidden", hidden)
        self.window.hand.go_to(Step.BODY)
        self.window.sight.look_along("left side")
        middle = patch.shape.at([[0.5, 0.5]])[0]
        made = []
        for what, height in ((mesh, 1.5), (drawn, 0.8)):
            self.session.select(what.id)
            self.key(Qt.Key.Key_I)
            tool = self.window.hand.tool
            assert isinstance(tool, WrapOn)
            tool.options.height = height
            self.click(middle)
            self.idle()
            assert tool.made is not None, self.view.overlay.message
            assert tool.place is not None
            handle = tool._handles()["turns"]
            self.drag(self.pixel(handle), self.pixel(tool.place + 0.9 * (handle - tool.place)))
            self.idle()
            self.assertAlmostEqual(tool.options.size, 0.9, delta=0.05)
            made.append(self.keep())
        wrapped, body = made
        feet = foot_points(patch.shape, wrapped.shape.points)
        off = np.linalg.norm(feet.points - wrapped.shape.points, axis=1)
        size = tool.options.size
        self.assertAlmostEqual(float(off.max()), 1.0 * 1.5 * 0.9, delta=0.1)
        self.assertLess(float(off.min()), 1e-3)
        told = body.shape.told
        self.assertTrue(told.closed and told.valid)
        self.assertAlmostEqual(told.volume / (np.pi * (144 - 100) * size**2 * (0.8 + 0.5)), 1.0, delta=0.03)


if __name__ == "__main__":
    import unittest

    unittest.main()
