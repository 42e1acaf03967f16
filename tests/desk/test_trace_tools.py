"""Trace in the real window: networks, sections on paper, sketches and true forms, splits, ends, surfaces on curves."""

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arabesque.checking import find_joins, measure_both_ways
from arabesque.demo import Heron, Juniper, Pebble, simulate
from arabesque.demo.pebble import SOCKET_RADIUS
from arabesque.desk.steps import Step
from arabesque.desk.tools.towards import Towards
from arabesque.desk.tools.trace.draw_curve import DrawCurve, Where
from arabesque.desk.tools.trace.draw_out_curve import DrawOutCurve, Out
from arabesque.desk.tools.trace.fill_network import FillNetwork
from arabesque.desk.tools.trace.loft_curves import LoftCurves
from arabesque.desk.tools.trace.onto_scan import BringOnto, How
from arabesque.desk.tools.trace.patch_of_curves import LayOverCurves
from arabesque.desk.tools.trace.section_drawing import SectionDrawing
from arabesque.desk.tools.trace.sections import Across, Spaced, Starts, TraceSections
from arabesque.desk.tools.trace.shape_ends import Do, ShapeEnds
from arabesque.desk.tools.trace.sketch_tool import Draws, DrawSketch, Level
from arabesque.desk.tools.trace.split_curves import SplitCurves
from arabesque.desk.tools.trace.sweep_curves import SweepCurves
from arabesque.desk.tools.trace.take_line import TakeLine, Taken
from arabesque.desk.tools.trace.true_form import Axis, Made, TrueForm
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.drawing import Paper
from arabesque.geometry import (
    Curve,
    Elementary,
    ElementKind,
    Patchwork,
    RelationKind,
    Sketch,
    Surface,
    arc_length,
    curve_feet,
    foot_points,
)
from arabesque.model import Document, Item, edits
from arabesque.recipes import BlendCurve, CurveThrough, LineTaken, LoftThrough, NetworkOfCurves, SectionCurve, Turned
from arabesque.scan import ready_to_fit
from arabesque.tracing import LoftWay, end_of, outward_loft, planes_along, through, trace_sections
from tests.desk.support import CTRL, SHIFT, WindowTest
from tests.examples import heron


class TraceTest(WindowTest):
    """What these tests share."""

    def begin(self, document: Document) -> None:
        self.session.start(document, None, "opened")
        self.idle()
        self.window.hand.go_to(Step.TRACE)

    def curve(self, name: str, *places: tuple[float, float, float]) -> Item:
        return Item(name, name, Curve.bezier(np.array(places, dtype=float)))

    def space(self, *items: Item) -> None:
        """Curves in space, seen from above."""
        document = Document()
        for item in items:
            document = document.with_item(item)
        self.begin(document)
        points = np.concatenate([item.shape.points for item in items])
        self.view.look(Camera(size=self.view.camera.size).fitted(points.min(axis=0), points.max(axis=0)).looking("top"))
        QTest.qWait(20)

    def on(self, item: Item, share: float) -> QPoint:
        """Where a place of a curve is drawn."""
        low, high = item.shape.domain
        return self.pixel(item.shape.at([low + share * (high - low)])[0])

    def made(self, *, of: type) -> Item:
        """The item that was made last, of a recipe."""
        return [item for item in self.session.document if isinstance(item.recipe, of)][-1]

    @property
    def paper(self) -> Paper:
        return self.window.paper

    def on_paper(self, flat: object) -> QPoint:
        x, y = self.paper.pixels(np.asarray(flat, dtype=float))[0]
        return QPoint(round(x), round(y))

    def click_paper(self, flat: object, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.mouseClick(self.paper, Qt.MouseButton.LeftButton, keys, self.on_paper(flat))

    def drag_paper(self, start: QPoint, end: QPoint) -> None:
        """The pointer moves over the paper with the button held."""
        left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
        for share in (0.5, 1.0):
            at = QPointF(start + (end - start) * share)
            place = self.paper.mapToGlobal(at)
            event = QMouseEvent(QEvent.Type.MouseMove, at, place, none, left, Qt.KeyboardModifier.NoModifier)
            QApplication.sendEvent(self.paper, event)


class NetworkTest(TraceTest):
    def test_the_herons_flank_traced_split_and_filled(self) -> None:
        """Four lines along the calm area and five across, drawn by clicks, and the rim; split at all crossings; twelve
        patches within 0.2 mm of the scan, tangent inside; one curve drawn anew, and they follow."""
        self.begin(Document().with_item(Item("scan", "heron clay", heron(25_000).scan)))
        self.window.resize(1100, 700)
        self.window.sight.fit_view()
        plan = Heron().at_plan
        self.view.look(self.view.camera.looking("top"))
        self.window.sight.fit_view()
        self.idle()
        lines = [[plan(x, y) for x in np.linspace(36, 194, 5)] for y in (18, 30, 50, 60)]
        lines += [[plan(x, y) for y in np.linspace(14, 63, 3)] for x in (42, 70, 100, 130, 188)]
        self.key(Qt.Key.Key_N)
        tool = self.window.hand.tool
        assert isinstance(tool, DrawCurve)
        tool.options.snap = False
        for line in lines:
            for place in line:
                self.click(np.array(place))
            self.until(lambda: tool.made is not None and not tool.working)
            self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.document.of(Curve)), 9)
        # the rim as well: it crosses none of them
        self.key(Qt.Key.Key_X)
        scan = self.session.scan
        assert scan is not None
        rim = max(scan.guides(), key=lambda one: float(np.ptp(one.points, axis=0).max()))
        # from above the form hides it
        above = self.view.camera
        self.view.look(above.looking("bottom"))
        self.idle()
        seen = [p for p in rim.points if 30 < self.pixel(p).x() < self.view.width() - 30 and self.pixel(p).y() > 90]
        self.click(min(seen, key=lambda p: self.pixel(p).y()))
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (taken,) = [item for item in self.session.document if isinstance(item.recipe, LineTaken)]
        self.assertGreater(arc_length(taken.shape), 500)
        self.view.look(above)
        self.session.select(None)
        self.key(Qt.Key.Key_V)
        split = self.window.hand.tool
        assert isinstance(split, SplitCurves)
        self.idle()
        self.assertEqual(len(split.found.found), 20)
        self.key(Qt.Key.Key_Return)
        # 4 lines of 6 parts and 5 of 5, and the rim
        self.assertEqual(len(self.session.document.of(Curve)), 50)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertEqual(len(self.session.document.of(Curve)), 10)

        self.key(Qt.Key.Key_Y, SHIFT)
        network = self.window.hand.tool
        assert isinstance(network, FillNetwork)
        (take_all,) = network.choices
        take_all.run()
        self.idle()
        self.assertIn(("Meshes of 4 sides", "12"), [(fact.label, fact.value) for fact in network.facts])
        self.assertTrue(network.parts(self.view.camera))
        self.key(Qt.Key.Key_Return)
        self.idle()
        item = self.made(of=NetworkOfCurves)
        shape = item.shape
        assert isinstance(shape, Patchwork)
        self.assertEqual(len(shape.surfaces), 12)
        self.assertTrue(measure_both_ways(list(shape.surfaces), scan, 0.2).within(0.2))
        joins = find_joins(shape.surfaces)
        self.assertLess(max(join.angle.max() for join in joins), 0.05)
        # the check of joins sees them too
        self.key(Qt.Key.Key_8)
        self.assertGreater(
            len([label for label in self.view.compose(self.view.camera).labels if "G" in label.text]), 15
        )
        self.key(Qt.Key.Key_8)

        # one curve pulled: the patches follow, and come back
        key = item.recipe.of[1]
        curve = self.session.document[key].shape
        moved = curve.with_points(curve.points + np.array([0, 1.5, 0]))
        self.session.edit(edits.items.reshaped, self.session.document[key], "moved", moved)
        self.idle()
        self.assertIsNot(self.session.document[item.id].shape, shape)
        self.assertEqual(self.session.document[item.id].trouble, "")
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertIs(self.session.document[item.id].shape, shape)
        # apart, each is a patch of its own
        self.session.select(item.id)
        self.window.commands["patches-apart"].trigger()
        self.assertEqual(len(self.session.document.of(Surface)), 12)

    def test_gaps_are_marked_and_nothing_is_lost(self) -> None:
        """A square of which one side ends 0.7 mm short: its place and gap, in the view and in words."""
        ends = [(0, 0, 0), (40, 0, 0), (40, 40, 0), (0, 40, 0)]
        sides = [self.curve(f"side {k}", ends[k], ends[k + 1]) for k in range(3)]
        self.space(*sides, self.curve("short", (0, 40, 0), (0, 0.7, 0)))
        self.session.set_tolerance(0.1)
        self.key(Qt.Key.Key_Y, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, FillNetwork)
        tool.choices[0].run()
        self.idle()
        labels = [part.text for part in tool.parts(self.view.camera) if hasattr(part, "text")]
        self.assertIn("gap 0.7 mm", labels)
        self.key(Qt.Key.Key_Return)
        self.assertIn("0.7 mm apart", self.view.overlay.message)
        self.assertEqual(len(self.session.document.of(Curve)), 4)
        self.assertEqual(tool.picked, [item.id for item in self.session.document.of(Curve)])
        # the end run on to its neighbour closes the mesh
        self.key(Qt.Key.Key_J)
        ends_tool = self.window.hand.tool
        assert isinstance(ends_tool, ShapeEnds)
        ends_tool.options.do = Do.REACH
        ends_tool.options_changed()
        short = self.session.document["short"]
        QTest.mouseClick(self.view, Qt.MouseButton.LeftButton, pos=self.on(short, 0.8))
        QTest.mouseClick(self.view, Qt.MouseButton.LeftButton, pos=self.on(self.session.document["side 0"], 0.3))
        self.key(Qt.Key.Key_Return)
        np.testing.assert_allclose(self.session.document["short"].shape.points[-1], [0, 0, 0], atol=1e-6)


class PaperTest(TraceTest):
    def jug(self) -> tuple[Item, list[Item]]:
        scan = ready_to_fit(simulate(Juniper(), 30_000, 0.03, seed=1).scan)
        side = np.array([np.zeros(3), [1.0, 0, 0]])
        cuts = planes_along(scan, np.array([0, 0, 1.0]), 10.0, None, side, (5.0, 135.0))
        sections = trace_sections(scan, cuts, 7)
        made = [(SectionCurve.of(one, 7, 3), one.fitted.curve) for one in sections]
        document = Document().with_item(Item("scan", "juniper clay", scan))
        lofted = outward_loft([curve for _, curve in made], LoftWay(), scan)
        self.begin(edits.curves.traced(document, made, through=lofted).document)
        items = [item for item in self.session.document if isinstance(item.recipe, SectionCurve)]
        return self.made(of=LoftThrough), items

    def test_a_section_is_edited_on_paper_and_the_loft_follows(self) -> None:
        loft, sections = self.jug()
        self.session.set_tolerance(0.3)
        self.session.select(sections[6].id)
        self.assertFalse(self.paper.isVisible())
        self.key(Qt.Key.Key_S, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, SectionDrawing)
        self.assertTrue(self.paper.isVisible())
        # beside the view, which stays the larger part; chips and paper do not cover each other
        self.assertGreaterEqual(self.view.width(), self.paper.width())
        self.assertGreater(self.paper.x(), self.view.x())
        drawing = tool.drawing
        assert drawing is not None
        self.assertIn("worst", drawing.figures)
        self.assertLess(float(drawing.figures.split()[1]), 0.5)
        self.assertGreater(len(drawing.hairs), 20)
        tool.options.compare = True
        tool.options_changed()

        curve = sections[6].shape
        pole = drawing.flat(curve.points[[3]])[0]
        start, end = self.on_paper(pole), self.on_paper(pole) + QPoint(12, 0)
        QTest.mousePress(self.paper, Qt.MouseButton.LeftButton, pos=start)
        self.drag_paper(start, end)
        # live: the loft goes along while the hand is down
        self.assertIsNot(self.session.document[loft.id].shape, loft.shape)
        QTest.mouseRelease(self.paper, Qt.MouseButton.LeftButton, pos=end)
        self.idle()
        pulled, after = (self.session.document[key].shape for key in (sections[6].id, loft.id))
        self.assertGreater(np.linalg.norm(pulled.points[3] - curve.points[3]), 0.5)
        # in its plane still, and the loft goes through it
        self.assertLess(np.ptp(pulled.points[:, 2]), 1e-9)
        places = pulled.at(np.linspace(*pulled.domain, 9))
        self.assertLess(np.linalg.norm(foot_points(after, places).points - places, axis=1).max(), 1e-6)
        # the state that was kept is still beside it
        now = tool.drawing
        assert now is not None
        self.assertTrue(any(stroke.dashed for stroke in now.strokes))
        self.key(Qt.Key.Key_PageUp)
        self.assertIn("nudged", self.session.history.steps[self.session.history.position].label)
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertIs(self.session.document[loft.id].shape, loft.shape)

        self.key(Qt.Key.Key_Up)
        self.assertEqual(self.session.selection.id, sections[7].id)
        self.key(Qt.Key.Key_Escape)
        self.assertFalse(self.paper.isVisible())


class SetOfSectionsTest(TraceTest):
    def test_so_many_begun_at_a_plane_and_turned_over_by_a_click(self) -> None:
        """Five planes over the grip, closed sections begun where they pass the plane of x; a click on an arrow turns
        one over; along a curve; any direction."""
        scan = ready_to_fit(simulate(Pebble(), 20_000, 0.01, 1).scan)
        spine = Item("spine", "spine", Curve.bezier([[0, 0, 40], [0, 4, 60], [0, 0, 90.0]]))
        self.begin(Document().with_item(Item("scan", "pebble clay", scan)).with_item(spine))
        self.session.select(None)
        self.window.sight.fit_view()
        self.key(Qt.Key.Key_S)
        tool = self.window.hand.tool
        assert isinstance(tool, TraceSections)
        o = tool.options
        o.across, o.spaced, o.count, o.starts = Across.Z, Spaced.COUNT, 5, Starts.PLANE_X
        tool.options_changed()
        o.first, o.last = 40.0, 90.0
        tool.options_changed()
        self.idle()
        self.assertEqual(len(tool.made.sections), 5)
        starts = np.array([one.line.points[0] for one in tool.made.sections])
        middle = float(np.mean(scan.bounds, axis=0)[0])
        self.assertLess(np.abs(starts[:, 0] - middle).max(), 2.0)
        self.assertEqual(len(set(np.sign(starts[:, 1]))), 1)
        ways = [end_of(one.fitted.curve, False).tangent for one in tool.made.sections]
        self.click(tool.made.sections[2].fitted.curve.points[0])
        self.idle()
        again = [end_of(one.fitted.curve, False).tangent for one in tool.made.sections]
        self.assertLess(ways[2] @ again[2], 0)
        self.assertGreater(ways[1] @ again[1], 0.9)
        o.across, o.spaced, o.count, o.loft = Across.GUIDE, Spaced.COUNT, 4, False
        tool._guide = "spine"
        tool.options_changed()
        self.idle()
        normals = np.array([one.cut.plane.normal for one in tool.made.sections])
        self.assertLess(np.abs(np.einsum("nc,nc->n", normals[1:], normals[:-1])).min(), 0.9999)
        o.across, o.direction_x, o.direction_y, o.direction_z = Across.PICKED, 0.0, 0.6, 0.8
        tool.options_changed()
        self.idle()
        np.testing.assert_allclose(tool.made.sections[0].cut.plane.normal, [0, 0.6, 0.8])
        self.key(Qt.Key.Key_Escape)

    def test_a_loft_says_what_does_not_correspond_and_offers_the_cure(self) -> None:
        """An open section among closed ones is named; one click leaves it out; an Alt-click makes a guide."""
        turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)

        def ring(name: str, radius: float, z: float) -> Item:
            places = np.column_stack([radius * np.cos(turn), radius * np.sin(turn), 0 * turn + z])
            return Item(name, name, through(places, True))

        half = np.column_stack([30 * np.cos(turn[:20]), 30 * np.sin(turn[:20]), 0 * turn[:20] + 20])
        out = np.array([[0, 20 + z / 4 + 3 * np.sin(np.pi * z / 40), z] for z in np.linspace(0, 40, 17)])
        self.space(
            ring("low", 20, 0), Item("half", "half", through(half)), ring("high", 30, 40),
            Item("guide", "guide", through(out)),
        )  # fmt: skip
        self.key(Qt.Key.Key_T)
        tool = self.window.hand.tool
        assert isinstance(tool, LoftCurves)
        for key, share in (("low", 0.6), ("half", 0.4), ("high", 0.7)):
            tool.picked.append(key)
            self.assertGreater(share, 0)
        tool.try_it()
        self.idle()
        self.assertIn("is open", self.view.overlay.message)
        cure = next(choice for choice in tool.choices if choice.label == "Leave out half")
        cure.run()
        self.idle()
        self.assertIsNotNone(tool.made)
        guide = self.session.document["guide"]
        QTest.mouseClick(self.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, self.on(guide, 0.5))
        self.idle()
        self.assertEqual(tool.guides, ["guide"])
        self.key(Qt.Key.Key_Return)
        loft = self.made(of=LoftThrough)
        self.assertEqual(loft.recipe.guides, ("guide",))
        places = guide.shape.at(np.linspace(0, 1, 15))
        self.assertLess(np.linalg.norm(foot_points(loft.shape, places).points - places, axis=1).max(), 1.0)


class SketchTest(TraceTest):
    def test_the_pebbles_socket_from_its_section_to_a_true_cylinder(self) -> None:
        """The section as lines and arcs, the socket's wall made upright, the rest taken away, turned about the axis: a
        cylinder within 0.01 mm of the master's radius."""
        self.begin(
            Document().with_item(Item("scan", "pebble clay", ready_to_fit(simulate(Pebble(), 60_000, 0.01, 1).scan)))
        )
        self.window.resize(1100, 700)
        self.key(Qt.Key.Key_N, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, DrawSketch)
        self.assertIs(tool.options.plane, Level.Y)
        # seen from the front, x to the right and z upwards
        np.testing.assert_allclose(tool.sketch.frame[:3, :2].T, [[1, 0, 0], [0, 0, 1]], atol=1e-12)
        self.assertTrue(self.paper.isVisible())
        (take,) = [choice for choice in tool.choices if "Section" in choice.label]
        take.run()
        self.idle()
        self.assertGreater(len(tool.sketch.elements), 6)
        self.assertIn("Off the section", [fact.label for fact in tool.facts])
        self.assertGreaterEqual(self.wall(tool), 0)
        for share in (0.43, 0.3, 0.6, 0.5):
            for number in range(len(tool.sketch.elements) - 1, -1, -1):
                if number != self.wall(tool):
                    self.click_paper(self.middle(tool.sketch, number, share))
                    if tool._chosen == [number]:
                        self.key(Qt.Key.Key_Delete)
        self.assertEqual([e.kind for e in tool.sketch.elements], [ElementKind.LINE])
        self.click_paper(self.middle(tool.sketch, 0))
        (upright,) = [choice for choice in tool.choices if choice.label == "Make vertical"]
        upright.run()
        self.assertEqual(tool.sketch.relations[0].kind, RelationKind.VERTICAL)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Return)
        (item,) = self.session.document.of(Sketch)
        self.session.select(item.id)
        self.key(Qt.Key.Key_Q)
        form = self.window.hand.tool
        assert isinstance(form, TrueForm)
        self.assertIs(form.options.about, Axis.OWN)
        self.idle()
        self.assertTrue(form.facts[0].value.startswith("R 8.0") or form.facts[0].value.startswith("R 7.9"))
        self.key(Qt.Key.Key_Return)
        shape = self.made(of=Turned).shape
        assert isinstance(shape, Elementary)
        self.assertEqual(shape.kind.value, "cylinder")
        self.assertAlmostEqual(shape.sizes[0], SOCKET_RADIUS, delta=0.01)
        # the sketch drawn anew: the form follows
        self.session.edit(edits.items.reshaped, item, "wider", item.shape.with_flat(item.shape.flat * [1.1, 1.0]))
        self.idle()
        self.assertAlmostEqual(self.made(of=Turned).shape.sizes[0], 1.1 * shape.sizes[0], places=6)

    @staticmethod
    def wall(tool: DrawSketch) -> int:
        """Number of the line that is a wall of the socket."""
        for number, element in enumerate(tool.sketch.elements):
            if element.kind is ElementKind.LINE:
                a, b = tool.sketch.flat[list(element.points)]
                if np.allclose(abs(np.array([a[0], b[0]])), SOCKET_RADIUS, atol=0.3) and abs(a[1] - b[1]) > 15:
                    return number
        return -1

    @staticmethod
    def middle(sketch: Sketch, number: int, share: float = 0.43) -> np.ndarray:
        curve = sketch.curve(number)
        return sketch.in_plane(curve.at([share * sum(curve.domain)]))[0]

    def test_drawn_related_and_contradicted_on_paper(self) -> None:
        """A rectangle by clicks, level and upright, sized, too much asked of it; trimmed by a circle; kept; undone."""
        self.begin(Document().with_item(Item("scan", "heron clay", heron(25_000).scan)))
        self.key(Qt.Key.Key_N, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, DrawSketch)
        tool.options.plane = Level.Z
        tool.options_changed()
        self.assertIsNotNone(tool.drawing)
        middle = self.paper._centre
        unit = 40 * self.paper._per_pixel
        corners = [middle + unit * np.array(at) for at in ((-2, -1), (2, -1.1), (2.1, 1), (-2, 1))]
        for corner in corners:
            self.click_paper(corner)
        self.click_paper(corners[0])
        self.assertEqual(len(tool.sketch.elements), 4)
        self.assertEqual(tool._begun, [])
        tool.options.draw = Draws.CHOOSE

        def relate(word: str, *numbers: int) -> None:
            tool._chosen, tool._points = list(numbers), []
            next(choice for choice in tool.choices if choice.label.startswith(f"Make {word}")).run()

        for word, number in (("horizontal", 0), ("vertical", 1), ("horizontal", 2), ("vertical", 3)):
            relate(word, number)
        tool.options.value = 30.0
        relate("length", 0)
        self.assertAlmostEqual(np.ptp(tool.sketch.flat[:, 0]), 30.0, places=6)
        before = tool.sketch
        tool.options.value = 31.0
        relate("length", 2)
        self.assertIn("contradicts", self.view.overlay.message)
        self.assertIs(tool.sketch, before)
        self.assertIn("free: 3 moves", {fact.value[:13] for fact in tool.facts})
        # a dragged corner takes the others along
        at = self.on_paper(tool.sketch.flat[2])
        QTest.mousePress(self.paper, Qt.MouseButton.LeftButton, pos=at)
        self.drag_paper(at, at + QPoint(0, -20))
        QTest.mouseRelease(self.paper, Qt.MouseButton.LeftButton, pos=at + QPoint(0, -20))
        self.assertAlmostEqual(tool.sketch.flat[2, 1], tool.sketch.flat[3, 1], places=6)
        self.assertGreater(tool.sketch.flat[2, 1], before.flat[2, 1])

        tool.options.draw = Draws.CIRCLE
        centre = tool.sketch.flat[0]
        self.click_paper(centre)
        self.click_paper(centre + np.array([0.0, -1.2 * unit]))
        tool.options.draw = Draws.TRIM
        self.click_paper(centre + np.array([-0.85 * unit, -0.85 * unit]))
        kinds = [e.kind for e in tool.sketch.elements]
        self.assertIn(ElementKind.ARC, kinds)
        self.assertNotIn(ElementKind.CIRCLE, kinds)
        self.key(Qt.Key.Key_Backspace)
        self.assertIn(ElementKind.CIRCLE, [e.kind for e in tool.sketch.elements])
        # a line begun and dropped, and one taken back, leave no points that count as free
        tool.options.draw = Draws.LINE
        count = len(tool.sketch.flat)
        self.click_paper(middle + np.array([0.0, 2.4 * unit]))
        self.assertEqual(len(tool.sketch.flat), count + 1)
        self.key(Qt.Key.Key_Escape)
        self.assertEqual(len(tool.sketch.flat), count)
        self.click_paper(middle + np.array([0.0, 2.4 * unit]))
        self.click_paper(middle + np.array([0.5 * unit, 2.6 * unit]))
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(len(tool.sketch.flat), count)
        self.key(Qt.Key.Key_Return)
        self.assertEqual(len(self.session.document.of(Sketch)), 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(len(self.session.document.of(Sketch)), 0)


class CurveToolsTest(TraceTest):
    def click_on(self, item: Item, share: float, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.mouseClick(self.view, Qt.MouseButton.LeftButton, keys, self.on(self.session.document[item.id], share))

    def test_joined_blended_and_pulled(self) -> None:
        one = self.curve("one", (0, 0, 0), (10, 8, 0), (20, 0, 0), (30, 4, 0))
        two = self.curve("two", (50, 10, 0), (60, 0, 0), (70, 12, 0), (80, 10, 0))
        self.space(one, two)
        self.key(Qt.Key.Key_J)
        tool = self.window.hand.tool
        assert isinstance(tool, ShapeEnds)
        tool.options.do, tool.options.order = Do.BLEND, 2
        tool.options_changed()
        self.click_on(one, 0.9)
        self.click_on(two, 0.1)
        self.assertIsNotNone(tool.made)
        self.key(Qt.Key.Key_Return)
        blend = self.made(of=BlendCurve)
        for end, other in (
            (end_of(blend.shape, False), end_of(one.shape, True)),
            (end_of(blend.shape, True), end_of(two.shape, False)),
        ):
            np.testing.assert_allclose(end.place, other.place, atol=1e-9)
            np.testing.assert_allclose(end.bend, other.bend, atol=1e-9)

        tool.options.do = Do.HANDLES
        tool.options_changed()
        self.click_on(one, 0.9)
        before = self.session.document["one"].shape
        tip = tool._tips(before)["tangent"][1]
        start = self.pixel(tip)
        self.press(start)
        self.drag_to(start, start + QPoint(0, 15))
        QTest.mouseRelease(self.view, Qt.MouseButton.LeftButton, pos=start + QPoint(0, 15))
        self.idle()
        after = self.session.document["one"].shape
        np.testing.assert_array_equal(after.points[-1], before.points[-1])
        self.assertGreater(np.linalg.norm(after.points[-2] - before.points[-2]), 0.1)
        # the blend follows the end that was pulled
        blend_now = self.session.document[blend.id].shape
        np.testing.assert_allclose(end_of(blend_now, False).tangent, -end_of(after, True).tangent, atol=1e-9)

        tool.options.do = Do.EXTEND
        tool.options.length = 5.0
        tool.options_changed()
        self.key(Qt.Key.Key_Return)
        longer = self.session.document["one"].shape
        self.assertAlmostEqual(arc_length(longer) - arc_length(after), 5.0, delta=0.05)
        self.session.select("one")
        self.window.commands["turn-round"].trigger()
        np.testing.assert_allclose(self.session.document["one"].shape.points[0], longer.points[-1], atol=1e-12)
        self.window.commands["curve-degree-up"].trigger()
        self.assertEqual(self.session.document["one"].shape.degree, longer.degree + 1)
        self.window.commands["curve-degree-down"].trigger()
        self.assertIn("moved by at most", self.view.overlay.message)

    def test_cut_at_a_click_and_at_every_crossing(self) -> None:
        self.space(
            self.curve("a", (0, 0, 0), (40, 0, 0)), self.curve("b", (10, -20, 0), (10, 20, 0)),
            self.curve("c", (30, -20, 0), (30, 20, 0)), self.curve("d", (0, 15, 0), (9.2, 15, 0)),
        )  # fmt: skip
        self.session.set_tolerance(0.1)
        self.key(Qt.Key.Key_V)
        tool = self.window.hand.tool
        assert isinstance(tool, SplitCurves)
        self.idle()
        self.assertIn(("Crossings", "2"), [(fact.label, fact.value) for fact in tool.facts])
        labels = [part.text for part in tool.parts(self.view.camera) if hasattr(part, "text")]
        self.assertEqual(labels, ["gap 0.8 mm"])
        self.click_on(self.session.document["d"], 0.5)
        self.assertEqual(len(self.session.document.of(Curve)), 5)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.assertEqual(len(self.session.document.of(Curve)), 5 + 2 + 1 + 1)
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(len(self.session.document.of(Curve)), 4)

    def test_swept_drawn_out_and_pushed(self) -> None:
        self.space(
            self.curve("section", (0, -5, 0), (0, 0, 6), (0, 5, 0)),
            self.curve("rail", (0, 0, 0), (30, 0, 0), (50, 20, 0)),
        )  # fmt: skip
        section, rail = (self.session.document[key] for key in ("section", "rail"))
        self.key(Qt.Key.Key_G)
        tool = self.window.hand.tool
        assert isinstance(tool, SweepCurves)
        self.click_on(section, 0.1)
        self.click_on(rail, 0.6)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (swept,) = self.session.document.of(Surface)
        places = section.shape.at(np.linspace(0, 1, 9))
        self.assertLess(np.linalg.norm(foot_points(swept.shape, places).points - places, axis=1).max(), 1e-3)
        self.key(Qt.Key.Key_U)
        out = self.window.hand.tool
        assert isinstance(out, DrawOutCurve)
        out.clear()
        out.options.way, out.options.ahead = Out.Z, 12.0
        self.click_on(rail, 0.7)
        self.idle()
        self.key(Qt.Key.Key_Return)
        drawn = self.session.document.of(Surface)[-1].shape
        self.assertAlmostEqual(np.ptp(drawn.points[..., 2]), 12.0, places=9)
        self.key(Qt.Key.Key_Q)
        form = self.window.hand.tool
        assert isinstance(form, TrueForm)
        form.clear()
        form.options.how, form.options.about, form.options.high = Made.PUSHED, Axis.Z, 7.0
        self.click_on(rail, 0.7)
        self.idle()
        # up to a place that is clicked: the end of the section is 0 mm high, its middle stands 3 mm up
        self.click_on(section, 0.0, Qt.KeyboardModifier.AltModifier)
        self.idle()
        self.assertEqual(form.options.high, 0.0)
        form.options.low = -4.0
        form.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.assertEqual(len(self.session.document.of(Surface)), 3)

    def test_drawn_in_a_plane_and_in_space_without_a_scan(self) -> None:
        """An empty window is enough: clicks on the plane square to z lie in it."""
        self.begin(Document())
        self.window.hand.go_to(Step.TRACE)
        self.view.look(self.view.camera.looking("top"))
        self.key(Qt.Key.Key_N)
        tool = self.window.hand.tool
        assert isinstance(tool, DrawCurve)
        tool.options.where, tool.options.at = Where.PLANE_Z, 5.0
        for dx, dy in ((-80, 0), (0, 60), (80, 0)):
            QTest.mouseClick(self.view, Qt.MouseButton.LeftButton, pos=QPoint(300 + dx, 220 + dy))
        self.idle()
        self.key(Qt.Key.Key_Return)
        (item,) = self.session.document.of(Curve)
        self.assertIsInstance(item.recipe, CurveThrough)
        np.testing.assert_allclose(item.shape.points[:, 2], 5.0, atol=1e-9)

    def test_a_patch_over_two_curves_and_over_three(self) -> None:
        scan = heron(25_000).scan
        plan = Heron().at_plan
        document = Document().with_item(Item("scan", "heron clay", scan))

        def drawn(name: str, *at: tuple[float, float]) -> Item:
            from arabesque.recipes import CurveOnScan, Given

            places = scan.closest(np.array([plan(*one) for one in at])).points
            return Item(name, name, CurveOnScan(places).build(Given({}, scan, 0.2)))

        rows = [drawn("low", (60, 20), (110, 20), (160, 20)), drawn("high", (60, 55), (110, 55), (160, 55))]
        third = [drawn("left", (60, 20), (60, 38), (60, 55)), drawn("slant", (60, 55), (110, 38), (160, 20))]
        for item in (*rows, *third):
            document = document.with_item(item)
        self.begin(document)
        self.view.look(self.view.camera.looking("top"))
        self.window.sight.fit_view()
        self.key(Qt.Key.Key_Y)
        tool = self.window.hand.tool
        assert isinstance(tool, LayOverCurves)
        self.click_on(rows[0], 0.5)
        self.click_on(rows[1], 0.5)
        self.assertIn("Enter for a patch over 2", tool.says)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (patch,) = self.session.document.of(Surface)
        edges = [guide.points for guide in patch.shape.guides()]
        for row in rows:
            self.assertLess(min(curve_feet(row.shape, edge).distance.max() for edge in edges), 1e-6)
        self.assertTrue(measure_both_ways([patch.shape], scan, 0.2).surface_to_scan.within(0.2))
        tool.begin_anew()
        for item, share in ((rows[0], 0.5), (third[0], 0.5), (third[1], 0.3)):
            self.click_on(item, share)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (three,) = self.session.document.of(Patchwork)
        self.assertEqual(len(three.shape.surfaces), 3)

    def test_brought_onto_the_scan_and_taken_from_a_patch(self) -> None:
        """A wall through the scan, set off; a curve above projected down; a line set off; a parameter line."""
        scan = heron(25_000).scan
        document = Document().with_item(Item("scan", "heron clay", scan))
        wall = Surface(
            (1, 1), (np.array([0, 0, 1, 1.0]),) * 2, [[[90, -60, -60], [90, -60, 60]], [[90, 60, -60], [90, 60, 60.0]]]
        )
        document = document.with_item(Item("wall", "wall", wall)).with_item(
            self.curve("above", (60, -30, 40), (110, -30, 40), (160, -20, 40))
        )
        self.begin(document)
        self.view.look(self.view.camera.looking("top").orbited(0, -140, self.view.camera.target))
        self.window.sight.fit_view()
        self.idle()
        self.key(Qt.Key.Key_B)
        tool = self.window.hand.tool
        assert isinstance(tool, BringOnto)
        tool.options.offset = 4.0
        self.click(wall.at([[0.5, 0.9]])[0])
        self.idle()
        self.key(Qt.Key.Key_Return)
        cut = self.session.document.of(Curve)[-1].shape
        sign = wall.normals([[0.5, 0.5]])[0, 0]
        np.testing.assert_allclose(cut.at(np.linspace(*cut.domain, 20))[:, 0], 90 + 4 * sign, atol=0.2)
        tool.options.how = How.PLANE
        self.click(scan.closest(np.array([[120, -30, 10.0]])).points[0])
        self.idle()
        self.key(Qt.Key.Key_Return)
        plane = self.session.document.of(Curve)[-1]
        self.assertIsInstance(plane.recipe, SectionCurve)
        np.testing.assert_allclose(plane.shape.points[:, 0], plane.shape.points[0, 0], atol=1e-6)
        tool.options.how, tool.options.towards = How.PROJECT, Towards.Z
        self.click_on(self.session.document["above"], 0.4)
        self.idle()
        self.key(Qt.Key.Key_Return)
        down = self.session.document.of(Curve)[-1]
        self.assertLess(scan.closest(down.shape.at(np.linspace(*down.shape.domain, 30))).distance.max(), 0.2)
        self.session.edit(edits.items.look, self.session.document["above"], visible=False) if hasattr(
            edits.items, "look"
        ) else None
        tool.options.how, tool.options.distance = How.OFFSET, 6.0
        tool.picked = (down.id, np.zeros(3))
        tool.try_it()
        self.idle()
        self.key(Qt.Key.Key_Return)
        beside = self.session.document.of(Curve)[-1].shape
        away = curve_feet(down.shape, beside.at(np.linspace(*beside.domain, 20))[4:-4]).distance
        np.testing.assert_allclose(away, 6.0, atol=0.4)
        self.key(Qt.Key.Key_X)
        take = self.window.hand.tool
        assert isinstance(take, TakeLine)
        take.options.what = Taken.ALONG_V
        self.click(wall.at([[0.3, 0.95]])[0])
        self.idle()
        self.key(Qt.Key.Key_Return)
        line = self.session.document.of(Curve)[-1].shape
        self.assertEqual(line.count, 2)
        self.assertAlmostEqual(line.points[0, 1], -60 + 0.3 * 120, delta=3.0)
