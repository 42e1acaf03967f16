"""The 3D view: a GL picture, mouse navigation, and what is written over it."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QImage, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtOpenGLWidgets import QOpenGLWidget
from PyQt6.QtWidgets import QWidget

from arabesque.arrays import Floats
from arabesque.desk.graphics import surface_format
from arabesque.desk.settings import Mouse
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.navigation import PRESETS
from arabesque.desk.view.overlay import Overlay
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.renderer import Renderer, Tile
from arabesque.desk.view.scene import Scene

WHEEL_STEP = 1.15
REST_MILLISECONDS = 220
SLOW_SECONDS = 0.1


class View(QOpenGLWidget):
    """Shows the scene that ``compose`` returns; passes the left button and keys on to the running tool.

    pivot: asks what lies under a pixel, to turn round it. samples: a pixel, against stairs at edges.
    """

    samples = 4

    pressed = pyqtSignal(object)
    moved = pyqtSignal(object, bool)
    released = pyqtSignal(object)
    menu_wanted = pyqtSignal(object, QPointF)
    key_pressed = pyqtSignal(QKeyEvent)
    key_released = pyqtSignal(QKeyEvent)
    drawn = pyqtSignal()
    resized = pyqtSignal()
    scaled = pyqtSignal(float, bool)
    """The wheel was turned with Alt held: notches, and whether Shift was held too."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFormat(surface_format(self.samples))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("View")
        self.setObjectName("view")
        self.camera = Camera()
        self.compose: Callable[[Camera], Scene] = lambda _: Scene()
        self.pivot: Callable[[Pointer], Floats | None] = lambda _: None
        self.scene = Scene()
        self._renderer: Renderer | None = None
        self._turning: tuple[str, QPointF, Floats] | None = None
        self.overlay = Overlay(self)
        self.navigation = PRESETS[Mouse.THREE_BUTTONS]
        self.wheel_forward_out = False
        self.moving = False
        self.slow = False
        self._began = 0.0
        self.frameSwapped.connect(self._swapped)
        self._turned = False
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.timeout.connect(self._come_to_rest)

    # GL

    def initializeGL(self) -> None:
        context = self.context()
        assert context is not None
        context.aboutToBeDestroyed.connect(self._release)
        self._renderer = Renderer()

    def resizeGL(self, width: int, height: int) -> None:
        self.camera = replace(self.camera, size=(max(self.width(), 1), max(self.height(), 1)))
        self.overlay.resize(self.size())
        self.resized.emit()

    def paintGL(self) -> None:
        if self._renderer is None:
            return
        self._began = time.perf_counter()
        self.scene = self.compose(self.camera)
        self._renderer.draw(self.defaultFramebufferObject(), self.camera, self.devicePixelRatioF(), self.scene)
        self.overlay.update()
        self.drawn.emit()

    def tile(self, camera: Camera, scale: float, scene: Scene, tile: Tile, clear: bool) -> bytes:
        """A part of a larger picture: see ``Renderer.tile``."""
        assert self._renderer is not None
        self.makeCurrent()
        try:
            return self._renderer.tile(camera, scale, scene, tile, clear)
        finally:
            self.doneCurrent()

    def _release(self) -> None:
        if self._renderer is not None:
            self.makeCurrent()
            self._renderer.release()
            self._renderer = None
            self.doneCurrent()

    # the camera

    def look(self, camera: Camera, moving: bool = False) -> None:
        """Take another look; while it keeps moving, the picture may be coarser."""
        self.moving = moving
        if moving:
            self._rest.start(REST_MILLISECONDS)
        self.camera = replace(camera, size=(max(self.width(), 1), max(self.height(), 1)))
        self.update()

    def refresh(self) -> None:
        """Draw again; where a full picture takes long, a coarser one first and the full one at rest."""
        if self.slow:
            self.moving = True
            self._rest.start(REST_MILLISECONDS)
        self.update()

    def _swapped(self) -> None:
        if not self.moving:
            self.slow = time.perf_counter() - self._began > SLOW_SECONDS

    def _come_to_rest(self) -> None:
        self.moving = False
        self.update()

    def fit(self, box: tuple[Floats, Floats] | None) -> None:
        """Show the whole box."""
        if box is not None:
            self.look(self.camera.fitted(*box))

    # the mouse

    def pointer(self, event: QMouseEvent | QWheelEvent) -> Pointer:
        """The pointer of an event, with the keys held."""
        keys = event.modifiers()
        return Pointer(
            event.position().x(),
            event.position().y(),
            self.camera,
            shift=bool(keys & Qt.KeyboardModifier.ShiftModifier),
            ctrl=bool(keys & Qt.KeyboardModifier.ControlModifier),
            alt=bool(keys & Qt.KeyboardModifier.AltModifier),
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pointer = self.pointer(event)
        if event.button() == self.navigation.work:
            self.pressed.emit(pointer)
        elif event.button() == self.navigation.turn:
            around = self.pivot(pointer)
            kind = "pan" if pointer.shift else "orbit"
            self._turning = (kind, event.position(), self.camera.target if around is None else around)
            self._turned = False
        elif event.button() == self.navigation.menu:
            self.menu_wanted.emit(pointer, event.globalPosition())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._turning is not None:
            kind, last, around = self._turning
            way = event.position() - last
            self._turned = self._turned or way.manhattanLength() > 2
            if kind == "pan":
                self.look(self.camera.panned(way.x(), way.y()), moving=True)
            else:
                self.look(self.camera.orbited(way.x(), way.y(), around), moving=True)
            self._turning = (kind, event.position(), around)
        else:
            self.moved.emit(self.pointer(event), bool(event.buttons() & self.navigation.work))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == self.navigation.turn:
            self._turning = None
            if event.button() == self.navigation.menu and not self._turned:
                self.menu_wanted.emit(self.pointer(event), event.globalPosition())
        elif event.button() == self.navigation.work:
            self.released.emit(self.pointer(event))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        pointer = self.pointer(event)
        if pointer.alt:
            # some systems turn the wheel sideways while Alt is held
            turned = event.angleDelta().y() or event.angleDelta().x()
            self.scaled.emit(turned / 120, pointer.shift)
            return
        if self.navigation.scroll_turns and not pointer.ctrl:
            way = event.pixelDelta() if not event.pixelDelta().isNull() else event.angleDelta() / 4
            if pointer.shift:
                self.look(self.camera.panned(way.x(), way.y()), moving=True)
            else:
                around = self.pivot(pointer)
                target = self.camera.target if around is None else around
                self.look(self.camera.orbited(way.x(), way.y(), target), moving=True)
            return
        notches = event.angleDelta().y() / 120 * (-1 if self.wheel_forward_out else 1)
        if notches:
            self.look(self.camera.zoomed(WHEEL_STEP**notches, pointer.x, pointer.y), moving=True)

    # the keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        event.ignore()
        self.key_pressed.emit(event)
        if not event.isAccepted():
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        self.key_released.emit(event)

    def event(self, event: QEvent | None) -> bool:
        # all keys but Tab belong to the tool while the view has the focus
        chain = (Qt.Key.Key_Tab, Qt.Key.Key_Backtab)
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() not in chain:
            self.keyPressEvent(event)
            return event.isAccepted()
        return super().event(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        assert event is not None
        super().focusInEvent(event)
        self.overlay.frame(event.reason() in (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason))

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.overlay.frame(False)

    def picture(self) -> np.ndarray:
        """(h, w, 3) colours 0 to 255 of the GL picture as it now is, without what is written over it."""
        image = self.grabFramebuffer().convertToFormat(QImage.Format.Format_RGB888)
        bits = image.constBits()
        assert bits is not None
        rows = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(image.height(), -1)
        return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3)
