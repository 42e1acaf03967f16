"""The window: start, journal, and whether it answers while work goes on. Run in a process of its own."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from arabesque.demo import Heron, simulate
from arabesque.desk.session import Session
from arabesque.desk.settings import Settings
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.body.put_together import PutTogether
from arabesque.desk.tools.body.sew import SewFaces
from arabesque.desk.tools.body.thicken import ThickenSkin
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.view.widget import View
from arabesque.desk.warm_up import warm_up
from arabesque.desk.window import Window
from arabesque.fitting import four_corner_patch
from arabesque.geometry import Elementary, ElementaryKind, Surface, motion
from arabesque.model import Document, Item
from arabesque.scan import write_scan
from arabesque.solid import Body, FileKind
from benchmarks.bodies import BULGE, SIZE, squares, wavy_skin
from benchmarks.row import Row

BEAT = 5
SOFTWARE = "without the time that the software renderer of this machine needs for a picture"


class Heart:
    """Beats every few ms; remembers the longest pause, drawing left out."""

    def __init__(self) -> None:
        self.longest = 0.0
        self.painted: float | None = None
        self._drawing = 0.0
        self._last = time.perf_counter()
        self._timer = QTimer()
        self._timer.timeout.connect(self._beat)
        self._timer.start(BEAT)

    def swapped(self) -> None:
        """The picture, painted before, has been put together with the rest of the window and shown."""
        if self.painted is not None:
            self.drew(time.perf_counter() - self.painted)
            self.painted = None

    def drew(self, seconds: float) -> None:
        """A picture took so long."""
        self._drawing += seconds

    def _beat(self) -> None:
        now = time.perf_counter()
        self.longest = max(self.longest, now - self._last - self._drawing)
        self._last, self._drawing = now, 0.0

    def during(self, application: QApplication, work: Callable[[], object], done: Callable[[], object]) -> float:
        """Longest pause, ms, from the start of some work until it is done."""
        self._beat()
        self.longest = 0.0
        work()
        end = time.monotonic() + 120
        while not done() and time.monotonic() < end:
            application.processEvents()
            time.sleep(0.0005)
        for _ in range(5):
            application.processEvents()
            time.sleep(0.005)
        return 1000 * self.longest


def _timed_drawing(heart: Heart) -> None:
    plain = View.paintGL

    def timed(view: View) -> None:
        began = time.perf_counter()
        plain(view)
        if view._renderer is not None:
            view._renderer._gl.finish()  # a software renderer works on after the call: that is drawing, too
        heart.drew(time.perf_counter() - began)
        heart.painted = time.perf_counter()

    View.paintGL = timed  # type: ignore[method-assign]


def hovering(application: QApplication, window: Window) -> list[Row]:
    """What moving the pointer over the view costs the window, with 200 items, drawing left out."""
    session, view = window.session, window.view
    flat = Surface.bezier([[[0.0, 0, 0], [0, 8, 0]], [[8, 0, 0], [8, 8, 0]]]).elevated(2, 2)
    document = Document()
    for number in range(200):
        shift = np.array([9.0 * (number % 20), 9.0 * (number // 20), 0])
        document = document.with_item(Item(f"p{number}", f"Patch {number}", flat.with_points(flat.points + shift)))
    session.work.give_up()
    session.start(document, None, "opened")
    end = time.monotonic() + 60
    while time.monotonic() < end and not session.jobs.idle:
        application.processEvents()
    rows = []
    session.select("p0")
    for words, take in (
        ("nothing", lambda: window.hand.lay_down()),
        ("points", lambda: window.hand.take_up(MovePoints)),
    ):
        take()
        application.processEvents()
        times = []
        for step in range(200):
            place = QPointF(200 + 2 * step, 250 + step % 50)
            event = QMouseEvent(
                QEvent.Type.MouseMove,
                place,
                view.mapToGlobal(place),
                Qt.MouseButton.NoButton,
                Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier,
            )
            began = time.perf_counter()
            application.sendEvent(view, event)
            times.append(1000 * (time.perf_counter() - began))
        note = "200 patches, median of 200 moves, drawing left out"
        rows.append(Row(f"a hover over the view, {words} in the hand", float(np.median(times)), None, 2.0, "ms", note))
    return rows


def making_bodies(application: QApplication, window: Window, heart: Heart) -> list[Row]:
    """The longest pause while bodies of 216 patches are made and kept, with what is told and drawn of them."""
    session = window.session
    rows: list[tuple[str, float]] = []

    def begin(shapes: list[Any]) -> list[str]:
        document = Document()
        for number, shape in enumerate(shapes):
            document = document.with_item(Item(f"p{number}", f"Patch {number}", shape))
        session.work.give_up()
        heart.during(application, lambda: session.start(document, None, "opened"), lambda: session.jobs.idle)
        return list(document.items)

    def make(kind: type[MakingBody], picked: list[str]) -> float:
        session.select(None)
        window.hand.take_up(kind)
        tool = window.hand.tool
        assert isinstance(tool, kind)
        tool.picked = picked
        pause = heart.during(application, tool.try_it, lambda: not tool.working)
        assert tool.made is not None, tool.trouble
        return max(pause, heart.during(application, tool.apply, lambda: session.jobs.idle))

    reach = ((0.0, 2 * np.pi), (-20.0, SIZE + 20.0))
    drill = Elementary.make(ElementaryKind.CYLINDER, motion(shift=[SIZE / 2 + 1, SIZE / 2 + 2, 0]), (8.0,), reach)
    keys = begin([*squares(BULGE), drill])
    rows.append(("sewn", make(SewFaces, keys[:-1])))
    body = session.document.of(Body)[-1].id
    rows.append(("cut by a cylinder", make(PutTogether, [body, keys[-1]])))
    rows.append(("thickened", make(ThickenSkin, begin(wavy_skin()))))
    return [Row(f"longest pause while 216 patches are {how}", pause, None, 100, "ms", SOFTWARE) for how, pause in rows]


def journal_step(session: Session, item: Item) -> Row:
    """What a step after a drag costs the window."""
    points = item.shape.points.copy()
    points[1, 1, 2] += 0.1
    journal = session.work.journal
    assert journal is not None
    journal.flush()
    moved = session.document.with_shape(item.id, item.shape.with_points(points))
    began = time.perf_counter()
    journal.commit("moved", session.document, moved)
    taken = 1000 * (time.perf_counter() - began)
    journal.flush()
    return Row("journal step after a drag, the window's time", taken, None, 50, "ms")


def main() -> None:
    """Print the rows as JSON lines."""
    began = float(sys.argv[1])
    folder = Path(tempfile.mkdtemp())
    application = QApplication([])
    heart = Heart()
    _timed_drawing(heart)
    window = Window(Settings(folder / "s.ini"), folder / "journal")
    window.show()
    window.view.frameSwapped.connect(heart.swapped)
    drawn: list[float] = []
    window.view.drawn.connect(lambda: drawn.append(time.time()))
    while not drawn:
        application.processEvents()
    application.processEvents()
    rows = [
        Row("usable window after a warm start", time.time() - began, None, 3.0, "s", "from the command to a picture")
    ]

    warm_up()
    session = window.session
    path = folder / "heron.stl"
    write_scan(path, simulate(Heron(), 400_000, 0.03, 1).scan)
    pause = heart.during(application, lambda: window.files.open_path(path), lambda: window.hand.tool.can_apply)
    pause = max(pause, heart.during(application, window.hand.tool.apply, lambda: session.scan and session.jobs.idle))
    rows.append(Row("longest pause while a 400k scan is opened", pause, None, 100, "ms", SOFTWARE))

    scan = session.scan
    assert scan is not None
    fits: list[object] = []

    corners = Heron().corners["flank"]

    def fit() -> None:
        job = session.run("Fitting", lambda progress: four_corner_patch(corners, scan, 0.05, None, progress))
        job.done.connect(fits.append)

    pause = heart.during(application, fit, lambda: fits)
    rows.append(Row("longest pause while a patch is fitted", pause, None, 100, "ms", SOFTWARE))
    item = session.add("patch", "Patch", fits[0].surface)  # type: ignore[attr-defined]
    heart.during(application, lambda: None, lambda: session.jobs.idle)

    out = folder / "a.step"
    pause = heart.during(
        application, lambda: session.export([(out, [item])], FileKind.STEP_AP214, "mm", 0.05), lambda: session.jobs.idle
    )
    rows.append(Row("longest pause while STEP is written", pause, None, 100, "ms", SOFTWARE))

    rows.append(journal_step(session, item))
    rows += making_bodies(application, window, heart)
    for row in [*rows, *hovering(application, window)]:
        print(json.dumps(row.__dict__))
    sys.stdout.flush()
    session.work.give_up()
    window.close()


if __name__ == "__main__":
    main()
