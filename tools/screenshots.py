"""Make docs/screenshots anew from the demo, by mouse and keys in the real window.

Run with a screen, for example: xvfb-run -s "-screen 0 1400x900x24" .venv/bin/python -m tools.screenshots
"""

import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arabesque.cages import Cage
from arabesque.demo import Heron
from arabesque.desk import theme
from arabesque.desk.looks import ScanLook
from arabesque.desk.settings import Colours, Settings
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.body.check_body import CheckBody
from arabesque.desk.tools.cage.lay_out import LayOut
from arabesque.desk.tools.check.judge import JoinsCheck
from arabesque.desk.tools.check.judge_lines import CombsCheck, SectionsCheck
from arabesque.desk.tools.deliver.sheet import MakeSheet, Size
from arabesque.desk.tools.patch.round_edges import RoundEdges
from arabesque.desk.tools.patch.twins import Twins
from arabesque.desk.tools.prepare.find_symmetry import FindSymmetry
from arabesque.desk.tools.prepare.mark import Mark
from arabesque.desk.tools.prepare.regions import CorrectRegions, FindRegions
from arabesque.desk.tools.timeline import Timeline
from arabesque.desk.tools.trace.draw_curve import DrawCurve
from arabesque.desk.tools.trace.fill_network import FillNetwork
from arabesque.desk.tools.trace.section_drawing import SectionDrawing
from arabesque.desk.tools.trace.sections import Kept, TraceSections
from arabesque.desk.window import Window
from arabesque.geometry import Elementary, ElementaryKind, Surface, frame_of, split_surface
from arabesque.model import Item, edits
from arabesque.recipes import SectionCurve
from arabesque.worked import finished_project

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
FROM_BELOW = np.array([-0.8, -0.35, -0.48])
NO, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
LEFT = Qt.MouseButton.LeftButton


def until(condition: Callable[[], object]) -> None:
    """Let the window run until something holds."""
    end = time.monotonic() + 300
    while not condition():
        if time.monotonic() > end:
            raise TimeoutError
        QTest.qWait(10)


class Photographer:
    """Drives a window and keeps pictures of it."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.view = window.view

    def idle(self) -> None:
        """Wait for all background work and a fresh picture."""
        until(lambda: self.window.session.jobs.idle)
        QTest.qWait(600)

    def pixel(self, point: object) -> QPoint:
        """Where a place in space is drawn."""
        x, y, _ = self.view.camera.project(point)[0]  # type: ignore[arg-type]
        return QPoint(round(x), round(y))

    def key(self, key: Qt.Key) -> None:
        """Strike a key in the view."""
        QTest.keyClick(self.view, key)
        QTest.qWait(50)

    def drag(self, start: QPoint, end: QPoint) -> None:
        """Press at a place and move along the normal; the button stays down."""
        QTest.mousePress(self.view, LEFT, SHIFT, start)
        place = QPointF(end)
        none = Qt.MouseButton.NoButton
        QApplication.sendEvent(
            self.view, QMouseEvent(QEvent.Type.MouseMove, place, self.view.mapToGlobal(place), none, LEFT, SHIFT)
        )

    def stroke(self, places: list[QPoint]) -> None:
        """Press, move along a line, release."""
        none = Qt.MouseButton.NoButton
        QTest.mousePress(self.view, LEFT, NO, places[0])
        for place in places[1:]:
            at = QPointF(place)
            QApplication.sendEvent(
                self.view, QMouseEvent(QEvent.Type.MouseMove, at, self.view.mapToGlobal(at), none, LEFT, NO)
            )
            QTest.qWait(5)
        QTest.mouseRelease(self.view, LEFT, NO, places[-1])

    def shoot(self, name: str) -> None:
        """Keep a picture."""
        self.idle()
        self.window.grab().save(str(FOLDER / f"{name}.png"))


def take(at: Photographer, kind: type[Tool]) -> Tool:
    """Take a tool up."""
    tool = at.window.hand.take_up(kind)
    at.idle()
    return tool


def enter(at: Photographer) -> None:
    """Try, or keep."""
    at.key(Qt.Key.Key_Return)
    at.idle()


def looking_from(back: np.ndarray) -> np.ndarray:
    """The camera's axes for a look from a direction."""
    back = back / np.linalg.norm(back)
    right = np.cross([0.0, 0, 1], back)
    right /= np.linalg.norm(right)
    return np.array([right, np.cross(back, right), back])


def mending(at: Photographer) -> None:
    """Mending tools at work on the saddle."""
    window = at.window
    take(at, FindSymmetry)
    tool = take(at, Mark)
    tool.options.brush = 9.0
    for dent in Heron().dents[:2]:
        at.stroke([at.pixel(dent.centre), at.pixel(dent.centre) + QPoint(6, 2)])
    at.shoot("mark-and-heal")
    window.session.marks.clear()


def reading(at: Photographer) -> None:
    """Regions of the grip."""
    window = at.window
    show(window, "pebble")
    at.idle()
    window.view.look(replace(window.view.camera, axes=looking_from(FROM_BELOW)))
    window.sight.fit_view()
    take(at, FindRegions)
    enter(at)
    enter(at)
    take(at, CorrectRegions)
    QTest.mouseClick(at.view, LEFT, NO, at.pixel((-21.0, 2.0, 80.0)))
    at.shoot("regions")
    at.key(Qt.Key.Key_Escape)


def tracing(at: Photographer) -> None:
    """The jug's body by sections of seven poles, one of them on paper; the grip's section as lines and arcs."""
    window = at.window
    show(window, "juniper")
    at.idle()
    window.view.look(replace(window.view.camera, axes=looking_from(np.array([0.75, -0.6, 0.3]))))
    window.session.set_tolerance(0.3)
    tool = take(at, TraceSections)
    tool.options.spacing, tool.options.first, tool.options.last = 10.0, 5.0, 135.0
    tool.options.keep = Kept.MORE_X
    tool.options_changed()
    at.idle()
    enter(at)
    sections = [item for item in window.session.document if isinstance(item.recipe, SectionCurve)]
    window.session.select(sections[8].id)
    take(at, SectionDrawing)
    window.sight.fit_view()
    at.shoot("section-on-paper")
    at.key(Qt.Key.Key_Escape)


def networking(at: Photographer) -> None:
    """Four lines along the saddle's flank and five across, drawn by clicks; what fills them."""
    window, plan = at.window, Heron().at_plan
    window.view.look(window.view.camera.looking("top"))
    window.sight.fit_view()
    at.idle()
    lines = [[plan(x, y) for x in np.linspace(36, 194, 5)] for y in (18, 30, 50, 60)]
    lines += [[plan(x, y) for y in np.linspace(14, 63, 3)] for x in (42, 70, 100, 130, 188)]
    tool = take(at, DrawCurve)
    tool.options.snap = False
    for line in lines:
        for place in line:
            QTest.mouseClick(at.view, LEFT, NO, at.pixel(np.array(place)))
        at.idle()
        at.key(Qt.Key.Key_Return)
    network = take(at, FillNetwork)
    network.choices[0].run()
    at.shoot("network")
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_Escape)


def sculpting(at: Photographer) -> None:
    """A patch laid, judged and pulled."""
    window = at.window
    corners = Heron().corners["flank"]
    at.key(Qt.Key.Key_N)
    for corner in corners:
        QTest.mouseClick(at.view, LEFT, NO, at.pixel(corner))
    at.shoot("patch-from-four-corners")
    at.key(Qt.Key.Key_Return)
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_1)
    at.shoot("distance")
    at.key(Qt.Key.Key_M)
    window.sight.show_scans(ScanLook.SEE_THROUGH)
    item = window.session.surface_item
    assert item is not None and isinstance(item.shape, Surface)
    start = at.pixel(item.shape.points[2, 1])
    at.drag(start, start + QPoint(-1, -4))
    at.shoot("move-control-points")
    QTest.mouseRelease(at.view, LEFT, SHIFT, start + QPoint(-1, -4))
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_Escape)
    window.session.undo()
    window.sight.show_scans(ScanLook.SOLID)


def rounding(at: Photographer) -> None:
    """The patch and a plane through it, the edge between them rounded and both cut, before it is kept."""
    window, session = at.window, at.window.session
    item = session.surface_item
    assert item is not None and isinstance(item.shape, Surface)
    middle = item.shape.at([[0.42, 0.5]])[0]
    wall = Elementary.make(ElementaryKind.PLANE, frame_of(middle, [1, 0.35, 0]), (), ((-32, 32), (-8, 30)))
    session.edit(edits.items.added, "wall", "Wall", wall)
    session.select(None)
    session.asks.fly.emit(middle, np.array([0.75, -0.45, 0.5]), 48.0)
    at.key(Qt.Key.Key_0)
    at.idle()
    tool = take(at, RoundEdges)
    assert isinstance(tool, RoundEdges)
    tool.options.radius = 6.0
    window.inspector.make_anew()
    for place in (item.shape.at([[0.15, 0.5]])[0], wall.at([[0.5, 0.95]])[0]):
        QTest.mouseClick(at.view, LEFT, NO, at.pixel(place))
        at.idle()
    at.shoot("round")
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_Escape)
    session.undo()
    session.select(item.id)
    window.sight.fit_view()
    window.sight.look_along("slanted")
    at.key(Qt.Key.Key_1)
    at.idle()


def twinning(at: Photographer) -> None:
    """The patch with its live mirror image, and two states of it side by side."""
    window = at.window
    window.sight.look_along("top")
    tool = take(at, Twins)
    next(choice for choice in tool.choices if choice.label.startswith("Mirror")).run()
    at.shoot("twins")
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_0)
    window.session.set_milestone("before the pull")
    at.key(Qt.Key.Key_M)
    item = window.session.surface_item
    assert item is not None and isinstance(item.shape, Surface)
    QTest.mouseClick(at.view, LEFT, NO, at.pixel(item.shape.points[2, 2]))
    at.key(Qt.Key.Key_R)
    for _ in range(6):
        at.key(Qt.Key.Key_PageUp)
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_Escape)
    for _ in range(7):
        window.session.undo()
    window.sight.look_along("slanted")


def caging(at: Photographer) -> None:
    """Faces laid over the saddle's flank, fitted, made finer where that is asked for, and pulled."""
    window, plan = at.window, Heron().at_plan
    window.hand.go_to(Step.CAGE)
    window.sight.look_along("slanted")
    at.idle()
    at.key(Qt.Key.Key_N)
    rows = [(plan(x, -55.0), plan(x, -14.0)) for x in (40.0, 80.0, 120.0, 160.0, 200.0)]
    for place in (*rows[0], rows[1][1], rows[1][0], *(place for row in rows[2:] for place in row)):
        QTest.mouseClick(at.view, LEFT, NO, at.pixel(place))
        at.idle()
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_T)
    for _ in range(3):
        tool = window.hand.tool
        enter(at)
        enter(at)
        for choice in tool.choices[:1]:
            choice.run()
            at.idle()
    enter(at)
    enter(at)
    at.key(Qt.Key.Key_1)
    at.key(Qt.Key.Key_M)
    (item,) = window.session.document.of(Cage)
    middle = plan(110.0, -34.0)
    start = at.pixel(item.shape.points[int(np.linalg.norm(item.shape.points - middle, axis=1).argmin())])
    at.drag(start, start + QPoint(1, -4))
    at.shoot("cage")
    QTest.mouseRelease(at.view, LEFT, NO, start + QPoint(1, -4))
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_0)


def laying_out(at: Photographer) -> None:
    """Quads laid over the jug's scan by themselves, alike on both sides."""
    show(at.window, "juniper")
    at.idle()
    at.window.hand.go_to(Step.CAGE)
    at.window.sight.look_along("slanted")
    tool = take(at, LayOut)
    tool.options.quads, tool.options.alike = 700, True
    tool.options_changed()
    at.window.inspector.make_anew()
    at.key(Qt.Key.Key_Return)
    at.shoot("layout")
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_Escape)


def making_bodies(at: Photographer) -> None:
    """The hand wheel as a body, its walls looked at in a section."""
    session = at.window.session
    document = finished_project("dipper", Path(tempfile.mkdtemp()))
    session.work.give_up()
    session.start(document, None, "hand wheel")
    at.idle()
    at.window.hand.go_to(Step.BODY)
    at.window.sight.look_along("slanted")
    at.window.sight.fit_view()
    session.select(list(document.items)[-1])
    check = take(at, CheckBody)
    check.options.limit = 2.5
    check.options_changed()
    at.window.inspector.make_anew()
    at.shoot("body")
    at.key(Qt.Key.Key_Escape)
    delivering(at)


def delivering(at: Photographer) -> None:
    """The sheet of it, with sections and the client's notes."""
    session = at.window.session
    session.edit(edits.remarks.noted, (0.0, 5.0, 34.0), "Socket is tight: please open it by a tenth")
    session.edit(edits.remarks.noted, (37.6, -6.0, 17.0), "This rim a little softer")
    session.edit(edits.remarks.ticked, 1)
    session.edit(edits.remarks.measured, (-5.0, -5.0, 34.0), (5.0, -5.0, 34.0))
    sheet = take(at, MakeSheet)
    sheet.options.title, sheet.options.sections, sheet.options.paper = "Hand wheel", "", Size.A3
    sheet.options_changed()
    at.window.inspector.make_anew()
    at.shoot("sheet")
    at.key(Qt.Key.Key_Escape)


def judging(at: Photographer) -> None:
    """The checks over the patch, and over it and its other half."""
    window = at.window
    item = window.session.surface_item
    assert item is not None and isinstance(item.shape, Surface)
    before = window.session.history.position
    halves = split_surface(item.shape, 0, 0.5)
    document = window.session.document.without(item.id)
    for name, half in zip(("Front", "Rear"), halves, strict=True):
        document = document.with_item(Item(name, name, half))
    window.session.commit("split", document)
    for kind, name in (
        (SectionsCheck, "sections"),
        (CombsCheck, "combs"),
        (JoinsCheck, "joins"),
    ):
        at.key(Qt.Key.Key_0)
        take(at, kind)
        if kind is CombsCheck:
            QTest.mouseClick(at.view, LEFT, NO, at.pixel(halves[0].at([[0.3, 0.5]])[0]))
        at.shoot(name)
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_0)
    window.sight.look_along("slanted")
    at.key(Qt.Key.Key_5)
    at.shoot("reflection")
    at.key(Qt.Key.Key_0)
    window.session.go_to(before)
    window.session.select(item.id)


def show(window: Window, name: str) -> None:
    """Open another demo; nothing is lost that is wanted."""
    window.session.work.give_up()
    window.files.open_demo(name)


def main() -> None:
    """Take every picture."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    application = QApplication(sys.argv[:1])
    theme.apply(application, theme.LIGHT)
    window = Window(Settings(Path(tempfile.mkdtemp()) / "settings.ini"))
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    at = Photographer(window)
    at.shoot("first-start")
    window.files.open_demo()
    at.idle()
    mending(at)
    reading(at)
    tracing(at)
    show(window, "heron")
    at.idle()
    networking(at)
    show(window, "heron")
    at.idle()
    caging(at)
    laying_out(at)
    making_bodies(at)
    show(window, "heron")
    at.idle()
    window.sight.look_along("slanted")
    sculpting(at)
    rounding(at)
    twinning(at)
    judging(at)
    at.key(Qt.Key.Key_L)
    at.key(Qt.Key.Key_U)
    window.sight.show_scans(ScanLook.SOLID)
    window.settings.choose(Colours.DARK)
    window._dress()
    window.hand.take_up(Timeline)
    at.key(Qt.Key.Key_Return)
    at.shoot("history-dark")
    window.session.work.give_up()
    window.close()


if __name__ == "__main__":
    main()
