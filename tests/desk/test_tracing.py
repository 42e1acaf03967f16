"""The Trace step in the real window: sections and their loft, curves drawn by hand, lofts through what is clicked."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from arabesque.checking import measure_both_ways
from arabesque.demo import Juniper, simulate
from arabesque.desk.looks import ScanLook
from arabesque.desk.steps import Step
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.tools.trace.draw_curve import DrawCurve
from arabesque.desk.tools.trace.loft_curves import LoftCurves
from arabesque.desk.tools.trace.patch_of_curves import LayOverCurves
from arabesque.desk.tools.trace.sections import Across, FitBy, Kept, TraceSections
from arabesque.desk.tools.trace.take_line import TakeLine
from arabesque.geometry import Curve, Edge, Surface, curve_feet, edge_curve, foot_points
from arabesque.model import Item, edits
from arabesque.recipes import CurveOnScan, LineTaken, LoftThrough, PatchOfCurves, SectionCurve
from arabesque.scan import write_scan
from arabesque.tracing import is_closed
from tests.desk.support import CTRL, WindowTest
from tests.examples import heron


def scan_seen(test: WindowTest, place: np.ndarray) -> bool:
    """True where a place is drawn well inside the view."""
    at = test.pixel(place)
    return 30 < at.x() < test.view.width() - 30 and 60 < at.y() < test.view.height() - 30


class SectionsTest(WindowTest):
    jug: Path

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.scan = simulate(Juniper(), 60_000, 0.03, seed=1).scan

    def sections(self) -> TraceSections:
        """A jug's scan that came as a file, Trace in sight, the tool taken up by its letter."""
        path = self.folder / "jug.ply"
        write_scan(path, self.scan)
        self.window.files.open_path(path)
        opening = self.window.hand.tool
        self.until(lambda: opening.can_apply)
        self.key(Qt.Key.Key_Return)
        self.until(lambda: self.session.scan is not None)
        self.idle()
        self.window.hand.go_to(Step.TRACE)
        self.key(Qt.Key.Key_S)
        tool = self.window.hand.tool
        assert isinstance(tool, TraceSections)
        self.idle()
        return tool

    def test_the_body_of_the_jug_by_seven_poles(self) -> None:
        """Every 10 mm, lofted to within 0.3 mm; a section pulled by hand takes the loft along, undo brings it back."""
        self.session.set_tolerance(0.3)
        tool = self.sections()
        self.assertIs(tool.options.across, Across.Z)
        tool.options.spacing, tool.options.first, tool.options.last = 10.0, 5.0, 135.0
        tool.options.keep = Kept.MORE_X
        tool.options_changed()
        self.idle()
        shown = [item for item in self.session.document if isinstance(item.recipe, SectionCurve)]
        self.assertEqual([item.shape.count for item in shown], [7] * 15)
        self.assertEqual(len(self.session.history.document.of(Curve)), 0)
        self.assertEqual({fact.label for fact in tool.facts} & {"Worst", "rms"}, {"Worst", "rms"})
        self.assertTrue(tool.parts(self.view.camera))
        steps = len(self.session.history.steps)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.session.history.steps), steps + 1)
        document = self.session.document
        (loft,) = (item for item in document if isinstance(item.recipe, LoftThrough))
        scan = self.session.scan
        assert scan is not None
        self.assertTrue(measure_both_ways([loft.shape], scan, 0.3).within(0.3))

        curve = document[loft.recipe.of[7]]
        self.session.select(curve.id)
        self.key(Qt.Key.Key_M)
        self.assertIsInstance(self.window.hand.tool, MovePoints)
        self.assertIs(self.window.hand.step, Step.TRACE)
        self.window.sight.fit_view()
        start = self.pixel(curve.shape.points[3])
        self.press(start)
        self.drag_to(start, start + QPoint(14, 0))
        # the loft follows while the hand is still down
        self.assertIsNot(self.session.document[loft.id].shape, loft.shape)
        QTest.mouseRelease(self.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start + QPoint(14, 0))
        self.idle()
        pulled, after = (self.session.document[key].shape for key in (curve.id, loft.id))
        self.assertGreater(np.linalg.norm(pulled.points[3] - curve.shape.points[3]), 1.0)
        places = pulled.at(np.linspace(*pulled.domain, 9))
        away = np.linalg.norm(foot_points(after, places).points - places, axis=1)
        self.assertLess(away.max(), 1e-6)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertIs(self.session.document[loft.id].shape, loft.shape)

    def test_round_an_axis_to_the_tolerance_and_what_no_loft_goes_through(self) -> None:
        tool = self.sections()
        tool.options.across, tool.options.keep, tool.options.count = Across.ROUND_Z, Kept.MORE_X, 6
        tool.options.by, tool.options.loft = FitBy.TOLERANCE, False
        tool.options_changed()
        self.idle()
        sections = tool.made.sections
        self.assertEqual(len(sections), 6)
        self.assertFalse(any(is_closed(one.fitted.curve) for one in sections))
        self.assertTrue(all(one.fitted.most <= self.session.document.tolerance for one in sections))
        # too many, and none at all: told where the hand is, and nothing is lost
        tool.options.across, tool.options.spacing = Across.X, 0.01
        tool.options_changed()
        self.assertIn("wider spacing", self.view.overlay.message)
        self.key(Qt.Key.Key_Escape)
        self.idle()
        self.assertEqual(len(self.session.document.of(Curve)), 0)


class CurvesTest(WindowTest):
    def draw(self) -> DrawCurve:
        self.open_heron()
        self.window.hand.go_to(Step.TRACE)
        self.key(Qt.Key.Key_N)
        tool = self.window.hand.tool
        assert isinstance(tool, DrawCurve)
        tool.options.snap = False
        return tool

    def places(self) -> list[QPoint]:
        """Where four places round the saddle's flank are drawn."""
        return [self.pixel(corner) for corner in heron().master.corners["flank"]]

    def test_drawn_moved_made_sharp_and_taken_up_again(self) -> None:
        tool = self.draw()
        scan = self.session.scan
        assert scan is not None
        places = self.places()
        for place in places:
            self.click(place)
        self.idle()
        self.assertEqual(len(tool.places), 4)
        self.assertIn("Off the scan", [fact.label for fact in tool.facts])
        smooth = tool.made
        self.drag(places[1], places[1] + QPoint(0, 12))
        self.idle()
        self.assertGreater(np.linalg.norm(tool.made.at([0.3]) - smooth.at([0.3])), 0.5)
        self.click(places[2])
        self.key(Qt.Key.Key_K)
        self.idle()
        self.assertEqual(tool.corners, {2})
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.session.document.of(Curve)
        assert isinstance(item.recipe, CurveOnScan)
        self.key(Qt.Key.Key_N)
        self.assertIs(self.window.hand.tool, tool)
        self.assertEqual(self.window.inspector.heading.text(), tool.label)
        self.assertEqual(item.recipe.corners, (2,))
        along = item.shape.at(np.linspace(*item.shape.domain, 200))
        self.assertLess(np.percentile(scan.closest(along).distance, 95), self.session.document.tolerance)
        self.window.hand.take_up_again(item)
        again = self.window.hand.tool
        assert isinstance(again, DrawCurve)
        self.idle()
        self.assertEqual((len(again.places), again.corners), (4, {2}))
        self.assertEqual(self.window.inspector.heading.text(), f"{again.label} · {item.name}")
        self.key(Qt.Key.Key_Backspace)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.session.document.of(Curve)
        self.assertEqual(len(item.recipe.places), 3)
        self.key(Qt.Key.Key_Z, CTRL)
        self.idle()
        self.assertEqual(len(self.session.document.of(Curve)[0].recipe.places), 4)

    def test_closed_by_a_click_on_its_start_and_missed_clicks_are_told(self) -> None:
        tool = self.draw()
        places = self.places()
        for place in [*places, places[0]]:
            self.click(place)
        self.idle()
        self.assertTrue(tool.options.closed)
        self.assertTrue(is_closed(tool.made))
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.click(QPoint(3, self.view.height() - 3))
        self.assertIn("nothing to draw on here", self.view.overlay.message)

    def test_a_curve_may_begin_where_another_ends(self) -> None:
        tool = self.draw()
        places = self.places()
        for place in places[:3]:
            self.click(place)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (first,) = self.session.document.of(Curve)
        tool.options.snap = True
        self.click(places[2] + QPoint(3, 2))
        self.click(places[3])
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        second = self.session.document.of(Curve)[1]
        np.testing.assert_allclose(second.shape.points[0], first.shape.points[-1], atol=1e-9)

    def test_what_the_scan_hides_is_not_snapped_to(self) -> None:
        """A line below the saddle's top: not from above, but where the scan is see-through, and on its other side."""
        tool = self.draw()
        tool.options.snap = True
        place = heron().master.corners["flank"].mean(axis=0)
        below = Curve.bezier(place + np.array([[-20, 0, -30], [0, 0, -30], [20, 0, -30.0]]))
        self.session.edit(edits.items.added, "line below", "Line", below)
        self.session.select(None)
        self.view.look(self.view.camera.looking("top"))
        self.window.sight.fit_view()
        self.idle()
        at = self.pixel(below.at([0.5])[0])
        self.click(at)
        self.assertLess(self.session.scan.closest(tool.places[:1]).distance[0], 1e-6)
        self.key(Qt.Key.Key_Escape)
        self.session.look(replace(self.session.looks, scans=ScanLook.SEE_THROUGH))
        self.click(at)
        self.assertAlmostEqual(tool.places[0][2], below.points[0, 2], places=6)
        self.session.look(replace(self.session.looks, scans=ScanLook.SOLID))
        self.key(Qt.Key.Key_Escape)

    def test_a_rim_is_taken_as_a_curve_of_few_poles(self) -> None:
        """The rim of the clay model, hovered and clicked; by so many poles, and once more by others."""
        self.open_heron()
        self.window.hand.go_to(Step.TRACE)
        self.key(Qt.Key.Key_X)
        tool = self.window.hand.tool
        assert isinstance(tool, TakeLine)
        scan = self.session.scan
        assert scan is not None
        rim = max(scan.guides(), key=lambda one: float(np.ptp(one.points, axis=0).max()))
        self.window.sight.look_along("slanted")
        QTest.qWait(400)
        place = next(p for p in rim.points[::7] if scan_seen(self, p))
        self.hover(place)
        self.assertTrue(tool.parts(self.view.camera))
        self.click(place)
        self.idle()
        self.assertIn("Worst", [fact.label for fact in tool.facts])
        tool.options.by, tool.options.poles = FitBy.POLES, 12
        tool.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = self.session.document.of(Curve)
        assert isinstance(item.recipe, LineTaken)
        self.assertEqual(item.recipe.poles, 12)
        self.window.hand.take_up_again(item)
        again = self.window.hand.tool
        assert isinstance(again, TakeLine)
        self.idle()
        again.options.poles = 20
        again.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (after,) = self.session.document.of(Curve)
        self.assertGreater(after.shape.count, item.shape.count)
        self.key(Qt.Key.Key_X)
        self.click(QPoint(3, self.view.height() - 3))
        self.assertIn("no line here", self.view.overlay.message)

    def test_a_loft_through_clicked_curves_in_any_order(self) -> None:
        self.open_heron()
        lines = [Curve.bezier([[x, -60, 60], [x, 0, 80], [x, 60, 60.0]]) for x in (-60.0, 0.0, 60.0, 110.0)]
        document = self.session.document
        for k, line in enumerate(lines):
            document = document.with_item(Item(f"c{k}", f"line {k}", line))
        self.session.commit("four lines", document)
        self.window.hand.go_to(Step.TRACE)
        self.key(Qt.Key.Key_T)
        tool = self.window.hand.tool
        assert isinstance(tool, LoftCurves)
        self.window.sight.fit_view()
        for k in (2, 0, 1):
            self.click(lines[k].at([0.25])[0])
        self.idle()
        self.assertIn(tool.draft().of, [("c0", "c1", "c2"), ("c2", "c1", "c0")])
        self.assertIsInstance(tool.made[0], Surface)
        self.assertEqual([choice.label for choice in tool.choices], ["All 4 that show"])
        tool.choices[0].run()
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (loft,) = self.session.document.surfaces()
        self.assertEqual(loft.shape.points.shape[:2], (3, 4))
        for line in lines:
            middle = line.at([0.5])
            self.assertLess(np.linalg.norm(foot_points(loft.shape, middle).points - middle), 1e-6)

    def test_a_patch_over_four_clicked_curves_follows_them(self) -> None:
        """Drawn corner to corner round the flank; one curve drawn anew takes the patch along."""
        tool = self.draw()
        tool.options.snap = True
        places = self.places()
        corners = heron().master.corners["flank"]
        for k in range(4):
            self.click(places[k])
            self.click(places[(k + 1) % 4])
            self.idle()
            self.key(Qt.Key.Key_Return)
            self.idle()
        curves = self.session.document.of(Curve)
        self.assertEqual(len(curves), 4)
        self.key(Qt.Key.Key_Y)
        laying = self.window.hand.tool
        assert isinstance(laying, LayOverCurves)
        for k in (2, 0, 1, 3):
            self.click(curves[k].shape.at([0.5])[0])
        self.idle()
        self.assertIn("Control points", [fact.label for fact in laying.facts])
        self.key(Qt.Key.Key_Return)
        self.idle()
        (patch,) = self.session.document.surfaces()
        assert isinstance(patch.recipe, PatchOfCurves)
        gaps = [min(curve_feet(curve.shape, corner[None]).distance[0] for corner in corners) for curve in curves]
        self.assertLess(max(gaps), 0.5)
        for curve in curves:
            found = [
                curve_feet(edge_curve(patch.shape, edge), curve.shape.at(np.linspace(0, 1, 40))).distance.max()
                for edge in Edge
            ]
            self.assertLess(min(found), 1e-6)
        points = curves[0].shape.points.copy()
        points[1:-1, 2] += 0.05
        self.session.edit(edits.items.reshaped, curves[0], "pulled", curves[0].shape.with_points(points))
        self.idle()
        self.assertIsNot(self.session.document[patch.id].shape, patch.shape)
        # too few of them, or where there is none: told where the hand is
        self.key(Qt.Key.Key_Y)
        self.click(QPoint(3, self.view.height() - 3))
        self.assertIn("no curve here", self.view.overlay.message)
