"""The flat drawing: the right part of the view as paper, on which a section or a sketch is seen and worked on."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.theme import small_font, text_font
from arabesque.geometry import frame_of

SHARE = 0.42
"""Of the view's width that the paper takes."""
LEAST, VIEW_LEAST = 300, 322
"""Pixels that the paper takes at least, and leaves to the view."""
MARGIN = 46
HEAD = 44
NEAR = 9.0
STEP = 1.2
CAPITALS, LEGIBLE = 0.727, 3.0
"""Height of our capitals, of the size of the type; pixels of that size below which letters are left out."""


def upright_frame(normal: Floats, offset: float) -> Floats:
    """The (4, 4) frame of a plane as it lies on the paper: the world's up, or y, upwards; x or y to the right.

    So planes square to y are seen from the front, as in drawings of parts (common practice).
    """
    if np.abs(normal).argmax() == 1 and normal[1] > 0:
        normal, offset = -normal, -offset
    up = np.eye(3)[2] if abs(normal[2]) < 0.9 else np.eye(3)[1]
    return frame_of(normal * offset, normal, np.cross(up, normal))


@dataclass(frozen=True, eq=False)
class Stroke:
    """A line on the paper: (n, 2) mm. dashed: for what is only there to compare."""

    points: Floats
    colour: str
    width: float = 1.4
    dashed: bool = False


@dataclass(frozen=True, eq=False)
class Dots:
    """Small discs on the paper: (n, 2) mm. filled: (n,) 1 for chosen ones. square: poles' ends."""

    points: Floats
    filled: Floats
    colour: str
    size: float = 4.5


@dataclass(frozen=True)
class Lettering:
    """Words as they stand on paper: at a place, of a height in mm. across: 0 begins there, 1 ends; turned: degrees."""

    at: tuple[float, float]
    text: str
    height: float
    across: float = 0.0
    turned: float = 0.0
    strong: bool = False


@dataclass(frozen=True, eq=False)
class Drawing:
    """What the paper shows.

    frame: (4, 4) from the drawing to space. title, figures: one line each above it. hairs: (n, 2, 2) mm, fine lines of
    differences. words: places and texts. letters: such that grow with the paper. share: of the view's width.
    """

    frame: Floats
    strokes: tuple[Stroke, ...]
    dots: tuple[Dots, ...] = ()
    hairs: Floats = field(default_factory=lambda: np.zeros((0, 2, 2)))
    words: tuple[tuple[Floats, str], ...] = ()
    title: str = ""
    figures: str = ""
    good: bool = True
    letters: tuple[Lettering, ...] = ()
    share: float = SHARE

    def flat(self, points: Floats) -> Floats:
        """(n, 2) places of (n, 3) ones."""
        return np.asarray((points - self.frame[:3, 3]) @ self.frame[:3, :2])

    def in_space(self, flat: Floats) -> Floats:
        """(n, 3) places of (n, 2) ones."""
        return np.asarray(np.reshape(flat, (-1, 2)) @ self.frame[:3, :2].T + self.frame[:3, 3])


@dataclass(frozen=True)
class PaperPointer:
    """The pointer over the paper: (2,) mm, and how many of these a pixel is."""

    at: Floats
    per_pixel: float
    shift: bool = False
    ctrl: bool = False

    def near(self, place: Floats, pixels: float = NEAR) -> bool:
        """True when a (2,) place is drawn within so many pixels."""
        return bool(np.linalg.norm(place - self.at) <= pixels * self.per_pixel)

    def nearest(self, places: Floats, pixels: float = NEAR) -> int | None:
        """Which of (n, 2) places is meant; None where none is near."""
        if not len(places):
            return None
        away = np.linalg.norm(places - self.at, axis=1)
        best = int(away.argmin())
        return best if away[best] <= pixels * self.per_pixel else None

    def to_line(self, points: Floats) -> float:
        """Pixels to a line of (n, 2) places."""
        a, b = points[:-1], points[1:]
        way = b - a
        share = np.einsum("nc,nc->n", self.at - a, way) / np.maximum((way**2).sum(axis=1), 1e-12)
        foot = a + np.clip(share, 0, 1)[:, None] * way
        return float(np.linalg.norm(foot - self.at, axis=1).min(initial=np.inf) / self.per_pixel)


class Paper(QWidget):
    """Shows a drawing beside the view, in its right part; its own wheel and middle button scale and shift it."""

    pressed = pyqtSignal(object)
    moved = pyqtSignal(object, bool)
    released = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAccessibleName("Flat drawing")
        self.setMouseTracking(True)
        self.drawing: Drawing | None = None
        self._centre, self._per_pixel = np.zeros(2), 1.0
        self._shift: tuple[QPointF, Floats] | None = None
        self._room = 0
        self.hide()

    def take_share(self, room: int) -> None:
        """Take the share of so many pixels that view and paper have together."""
        self._room = room
        wanted = int((SHARE if self.drawing is None else self.drawing.share) * room)
        width = max(LEAST, min(wanted, room - VIEW_LEAST))
        if self.width() != width:
            self.setFixedWidth(width)

    def show_drawing(self, drawing: Drawing | None) -> None:
        """Another drawing; one in another plane, or the first, is fitted in."""
        before, self.drawing = self.drawing, drawing
        if drawing is None:
            self.hide()
            return
        anew = before is None or not np.array_equal(before.frame, drawing.frame)
        self.show()
        self.take_share(self._room)
        if anew:
            self.fit()
        self.update()

    def fit(self) -> None:
        """All of the drawing in sight."""
        if self.drawing is None:
            return
        strokes = [stroke.points for stroke in self.drawing.strokes if len(stroke.points) and not stroke.dashed]
        points = np.concatenate(strokes) if strokes else np.array([[-50.0, -50.0], [50.0, 50.0]])
        low, high = points.min(axis=0), points.max(axis=0)
        room = np.array([max(self.width() - 2 * MARGIN, 40), max(self.height() - 2 * MARGIN - HEAD, 40)])
        self._centre = (low + high) / 2
        self._per_pixel = float(max(((high - low) / room).max(), 1e-3))
        self.update()

    # from mm to pixels and back

    def pixels(self, flat: Floats) -> Floats:
        """(n, 2) pixels of (n, 2) mm."""
        middle = np.array([self.width() / 2, (self.height() + HEAD) / 2])
        way = (np.reshape(flat, (-1, 2)) - self._centre) / self._per_pixel
        return np.asarray(middle + way * [1.0, -1.0])

    def _pointer(self, event: QMouseEvent) -> PaperPointer:
        keys = event.modifiers()
        middle = np.array([self.width() / 2, (self.height() + HEAD) / 2])
        away = (np.array([event.position().x(), event.position().y()]) - middle) * [1.0, -1.0]
        return PaperPointer(
            self._centre + away * self._per_pixel,
            self._per_pixel,
            bool(keys & Qt.KeyboardModifier.ShiftModifier),
            bool(keys & Qt.KeyboardModifier.ControlModifier),
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self.pressed.emit(self._pointer(event))
        elif event.button() == Qt.MouseButton.MiddleButton:
            self._shift = event.position(), self._centre
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._shift is not None:
            began, centre = self._shift
            way = event.position() - began
            self._centre = centre - np.array([way.x(), -way.y()]) * self._per_pixel
            self.update()
        else:
            self.moved.emit(self._pointer(event), bool(event.buttons() & Qt.MouseButton.LeftButton))
        event.accept()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.MiddleButton:
            self._shift = None
        elif event.button() == Qt.MouseButton.LeftButton:
            self.released.emit(self._pointer(event))
        event.accept()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        middle = np.array([self.width() / 2, (self.height() + HEAD) / 2])
        away = (np.array([event.position().x(), event.position().y()]) - middle) * [1.0, -1.0]
        before = self._centre + away * self._per_pixel
        self._per_pixel /= STEP ** (event.angleDelta().y() / 120)
        self._centre = before - away * self._per_pixel
        self.update()
        event.accept()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.fit()

    # the picture

    def paintEvent(self, event: QPaintEvent | None) -> None:
        drawing, t = self.drawing, theme.now()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.panel))
        painter.setPen(QPen(QColor(t.line), 1.0))
        painter.drawLine(QPointF(0.5, 0), QPointF(0.5, self.height()))
        if drawing is not None:
            self._paint_lines(painter, drawing)
            self._paint_dots(painter, drawing)
            self._paint_words(painter, drawing)
        painter.end()

    def _paint_lines(self, painter: QPainter, drawing: Drawing) -> None:
        t = theme.now()
        painter.setPen(QPen(QColor(t.accent), 0.7))
        for hair in drawing.hairs:
            (ax, ay), (bx, by) = self.pixels(hair)
            painter.drawLine(QPointF(ax, ay), QPointF(bx, by))
        for stroke in drawing.strokes:
            if len(stroke.points) > 1:
                pen = QPen(QColor(stroke.colour), stroke.width)
                if stroke.dashed:
                    pen.setStyle(Qt.PenStyle.DashLine)
                painter.setPen(pen)
                painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in self.pixels(stroke.points)]))

    def _paint_dots(self, painter: QPainter, drawing: Drawing) -> None:
        t = theme.now()
        for dots in drawing.dots:
            painter.setPen(QPen(QColor(dots.colour), 1.4))
            for (x, y), filled in zip(self.pixels(dots.points), dots.filled, strict=True):
                painter.setBrush(QColor(dots.colour if filled else t.panel))
                painter.drawEllipse(QPointF(x, y), dots.size, dots.size)

    def _paint_words(self, painter: QPainter, drawing: Drawing) -> None:
        t = theme.now()
        painter.setFont(small_font())
        painter.setPen(QColor(t.ink))
        for place, text in drawing.words:
            ((x, y),) = self.pixels(place)
            painter.drawText(QPointF(x + 8, y - 6), text)
        for letter in drawing.letters:
            self._paint_letter(painter, letter)
        painter.setPen(QColor(t.ink))
        room = QRectF(12, 8, self.width() - 24, 2 + painter.fontMetrics().height())
        painter.setFont(text_font())
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft, drawing.title)
        painter.setFont(small_font())
        painter.setPen(QColor(t.inside if drawing.good else t.outside))
        painter.drawText(room.translated(0, room.height() + 2), Qt.AlignmentFlag.AlignLeft, drawing.figures)
        self._paint_scale(painter)

    def _paint_letter(self, painter: QPainter, letter: Lettering) -> None:
        tall = letter.height / CAPITALS / self._per_pixel
        if tall < LEGIBLE:
            return
        font = text_font(strong=letter.strong)
        font.setPixelSize(round(tall))
        ((x, y),) = self.pixels(np.array(letter.at))
        painter.save()
        painter.setFont(font)
        painter.translate(x, y)
        painter.rotate(-letter.turned)
        painter.drawText(QPointF(-letter.across * painter.fontMetrics().horizontalAdvance(letter.text), 0), letter.text)
        painter.restore()

    def _paint_scale(self, painter: QPainter) -> None:
        t = theme.now()
        target = 90 * self._per_pixel
        power = 10 ** np.floor(np.log10(target))
        length = max(n * power for n in (1, 2, 5) if n * power <= target)
        x, y, wide = 14.0, self.height() - 16.0, length / self._per_pixel
        painter.setPen(QPen(QColor(t.ink), 1.2))
        painter.drawLine(QPointF(x, y), QPointF(x + wide, y))
        for end in (x, x + wide):
            painter.drawLine(QPointF(end, y - 3), QPointF(end, y + 3))
        painter.drawText(QPointF(x + 2, y - 6), f"{length:g} mm")
