"""A real window with real mouse and key events, under a virtual screen."""

from __future__ import annotations

import contextlib
import os
import sys
import tempfile
import time
import unittest
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import ClassVar
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.looks import Looks
from arabesque.desk.settings import Settings
from arabesque.desk.tools.pick import Pick
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.renderer import Renderer
from arabesque.desk.view.widget import View
from arabesque.desk.window import Window
from arabesque.geometry import Surface
from arabesque.model import Document, Item
from tests.examples import heron

NO = Qt.KeyboardModifier.NoModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier
CTRL = Qt.KeyboardModifier.ControlModifier
LEFT = Qt.MouseButton.LeftButton
MIDDLE = Qt.MouseButton.MiddleButton

SMALL = (1000, 640)
"""Width and height of the window in most tests, pixels."""
_PATCHED: list[Document] = []
_BETWEEN: list[BaseException] = []
"""Exceptions in event handlers while no test ran: the next one fails with the first of them."""


@cache
def application() -> QApplication:
    """The one application of the test process; exceptions in event handlers fail the test run."""
    if not os.environ.get("DISPLAY"):
        raise unittest.SkipTest("there is no screen: run ./check, which starts a virtual one")
    app = QApplication(sys.argv[:1])
    View.samples = 0  # without a graphics card, smooth edges take most of a picture's time
    theme.apply(app, theme.LIGHT)
    # between tests too an exception in a slot is told: left to itself it would end the process
    sys.excepthook = lambda kind, error, trace: _BETWEEN.append(error)
    return app


class WindowTest(unittest.TestCase):
    """Tests with an open window, one for the class; it is empty again before each of them.

    It is small: without a graphics card its size is most of what a picture takes.
    A class whose tests change what a window begins with (settings, journals, its size) has a ``fresh`` one a test.
    Pictures are composed always, and ``drawn`` where a class is about them, or a test asks for a colour: without a
    graphics card, drawing them takes most of a test's time.
    """

    fresh: ClassVar[bool] = False
    drawn: ClassVar[bool] = False
    window: Window

    @classmethod
    def setUpClass(cls) -> None:
        cls.app = application()
        if not cls.fresh:
            folder = tempfile.TemporaryDirectory()
            cls.addClassCleanup(folder.cleanup)
            cls.window = cls._opened(Path(folder.name))
            cls.addClassCleanup(cls._closed, cls.window)

    @classmethod
    def tearDownClass(cls) -> None:
        if _BETWEEN:
            raise _BETWEEN.pop()

    @classmethod
    def _opened(cls, folder: Path) -> Window:
        window = Window(Settings(folder / "settings.ini"), folder / "journal")
        window.show()
        QTest.qWaitForWindowExposed(window)
        return window

    @classmethod
    def _closed(cls, window: Window) -> None:
        window.session.work.give_up()
        window.close()
        window.deleteLater()
        QTest.qWait(1)

    def setUp(self) -> None:
        self._errors: list[BaseException] = [*_BETWEEN]
        _BETWEEN.clear()
        previous = sys.excepthook
        sys.excepthook = lambda kind, error, trace: self._errors.append(error)
        self.addCleanup(setattr, sys, "excepthook", previous)
        self.addCleanup(self._raise)
        self._undrawn = contextlib.ExitStack()
        self.addCleanup(self._undrawn.close)
        if not self.drawn:
            self._undrawn.enter_context(mock.patch.object(Renderer, "draw", lambda *_: None))
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        if self.fresh:
            self.window = self._opened(self.folder)
            self.addCleanup(self._closed, self.window)
        self.session, self.view, self.settings = self.window.session, self.window.view, self.window.settings
        if not self.fresh:
            self._empty()
        self.window.activateWindow()
        self.assertTrue(QTest.qWaitForWindowActive(self.window))

    def _empty(self) -> None:
        """The window as it is at the start."""
        session, window = self.session, self.window
        window.resize(*SMALL)
        for job in session.jobs.jobs:
            job.cancel()
        self.until(lambda: session.jobs.idle)
        window.hand.take_up(Pick)
        session.look(Looks())
        session.weighing.wanted = False
        session.marks.clear()
        self.view.camera = Camera(size=self.view.camera.size)
        self.view.slow = self.view.moving = False
        session.start(Document(), None, "Start")
        window._clear_message()

    def _raise(self) -> None:
        if self._errors:
            raise self._errors[0]

    # waiting

    def until(self, condition: Callable[[], object], seconds: float = 60) -> None:
        """Let the window run until something holds."""
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                self.fail("waited in vain")
            QTest.qWait(5)

    def idle(self) -> None:
        """Wait for all background work and a fresh picture."""
        self.until(lambda: self.session.jobs.idle, 240)
        QTest.qWait(30)
        self.until(lambda: self.session.jobs.idle, 240)

    # documents

    def open_heron(self, triangles: int = 25_000) -> None:
        """A project with the demo's scan."""
        self.session.start(Document().with_item(Item("scan", "heron clay", heron(triangles).scan)), None, "opened")
        self.idle()

    def surface(self) -> Surface:
        """The selected patch's surface."""
        item = self.session.surface_item
        assert item is not None and isinstance(item.shape, Surface)
        return item.shape

    # the hand

    def pixel(self, point: Floats) -> QPoint:
        """Where a place in space is drawn."""
        x, y, _ = self.view.camera.project(point)[0]
        return QPoint(round(x), round(y))

    def click(self, at: Floats | QPoint, keys: Qt.KeyboardModifier = NO, widget: QWidget | None = None) -> None:
        """A click of the left button."""
        where = at if isinstance(at, QPoint) else self.pixel(at)
        QTest.mouseClick(widget or self.view, LEFT, keys, where)
        QTest.qWait(5)

    def hover(self, at: Floats | QPoint) -> None:
        """The pointer moves there."""
        where = at if isinstance(at, QPoint) else self.pixel(at)
        self._move(where, Qt.MouseButton.NoButton, NO)

    def press(self, at: QPoint, keys: Qt.KeyboardModifier = NO, button: Qt.MouseButton = LEFT) -> None:
        """The button goes down."""
        QTest.mousePress(self.view, button, keys, at)

    def drag_to(
        self, start: QPoint, end: QPoint, keys: Qt.KeyboardModifier = NO, button: Qt.MouseButton = LEFT, steps: int = 4
    ) -> None:
        """The pointer moves with the button held."""
        for step in range(1, steps + 1):
            share = step / steps
            way = QPoint(round((end.x() - start.x()) * share), round((end.y() - start.y()) * share))
            self._move(start + way, button, keys)

    def drag(self, start: QPoint, end: QPoint, keys: Qt.KeyboardModifier = NO, button: Qt.MouseButton = LEFT) -> None:
        """Press, move, release."""
        self.press(start, keys, button)
        self.drag_to(start, end, keys, button)
        QTest.mouseRelease(self.view, button, keys, end)
        QTest.qWait(5)

    def _move(self, at: QPoint, button: Qt.MouseButton, keys: Qt.KeyboardModifier) -> None:
        place = QPointF(at)
        event = QMouseEvent(
            QEvent.Type.MouseMove, place, self.view.mapToGlobal(place), Qt.MouseButton.NoButton, button, keys
        )
        QApplication.sendEvent(self.view, event)
        QTest.qWait(2)

    def key(self, key: Qt.Key | str, keys: Qt.KeyboardModifier = NO) -> None:
        """A key is struck in the view."""
        self.view.setFocus()
        QTest.keyClick(self.view, key, keys)
        QTest.qWait(10)

    # the picture

    def picture(self) -> np.ndarray:
        """(h, w, 3) colours 0 to 255 of the view, drawn from here on."""
        self._undrawn.close()
        return self.view.picture()

    def colour(self, at: Floats | QPoint) -> np.ndarray:
        """(3,) colour 0 to 255 drawn at a place."""
        where = at if isinstance(at, QPoint) else self.pixel(at)
        return self.picture()[where.y(), where.x()].astype(int)

    def patched(self) -> None:
        """The demo with one patch on its flank, applied, and no tool running."""
        self.open_heron()
        if _PATCHED:
            # a document is a value: what was laid by hand once is a perfect start again
            self.session.commit("patch", _PATCHED[0])
            self.session.select(next(iter(_PATCHED[0].surfaces())).id)
            self.idle()
            return
        self.key(Qt.Key.Key_N)
        for corner in heron().master.corners["flank"]:
            self.click(corner)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.key(Qt.Key.Key_Escape)
        self.idle()
        _PATCHED.append(self.session.document)
