"""What is written over the picture: legend, axes, scale bar, labels and messages. Qt painting, no GL."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from arabesque.desk import theme
from arabesque.desk.theme import TEXT_POINTS, small_font, text_font
from arabesque.desk.view.graph import paint_graphs
from arabesque.desk.view.loupe import paint_loupe

if TYPE_CHECKING:
    from arabesque.desk.view.scene import Scene
    from arabesque.desk.view.widget import View

BANDS = 4
MARGIN = 16
ROW, INSIDE_ROW = 18, 40


class Overlay(QWidget):
    """Lies over the view and lets every click through."""

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
        self._view = view
        self.message = ""
        self.is_problem = False
        self.pointed: QPointF | None = None
        """Where the keys point at, shown while they do."""

        self._framed = False

    def frame(self, framed: bool) -> None:
        """Show that the keyboard came to the view from one control to the next, or no longer."""
        if framed != self._framed:
            self._framed = framed
            self.update()

    def point_at(self, place: QPointF | None) -> None:
        """Show that the keys point there, or no longer."""
        if place != self.pointed:
            self.pointed = place
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(small_font())
        self._paint_labels(painter)
        self._paint_axes(painter)
        self._paint_scale_bar(painter)
        self.paint_legends(painter, self._view.scene)
        if self._view.scene.loupe is not None:
            paint_loupe(painter, QRectF(self.rect()), self._view.scene.loupe, self._view.scene.tolerance)
        paint_graphs(painter, QRectF(self.rect()), self._view.scene.graphs)
        if self.pointed is not None:
            self._paint_pointed(painter, self.pointed)
        if self.message:
            self._paint_message(painter)
        if self._framed:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.now().accent), 4.0))
            painter.drawRect(self.rect())
        painter.end()

    def paint_legends(self, painter: QPainter, scene: Scene) -> None:
        """What explains the colours of a scene, as it stands in the view."""
        painter.setFont(text_font(TEXT_POINTS - 1))
        if scene.short_of is not None:
            with _grown(painter, self.width(), 0):
                self._paint_limit_legend(painter, *scene.short_of)
        elif scene.show_distance:
            with _grown(painter, self.width(), 0):
                self._paint_legend(painter)
        if scene.curvature_range is not None:
            with _grown(painter, self.width(), self.height()):
                self._paint_curvature_legend(painter, scene.curvature_range)

    def _paint_pointed(self, painter: QPainter, at: QPointF) -> None:
        """Four strokes around the place, which stays free, twice: seen on light and on dark."""
        for colour, width in ((theme.now().panel, 4.0), (theme.now().accent, 2.0)):
            painter.setPen(QPen(QColor(colour), width))
            for way in (QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)):
                painter.drawLine(at + way * 4, at + way * 13)

    def _paint_labels(self, painter: QPainter) -> None:
        painter.setPen(QColor(theme.now().view_ink))
        for label in self._view.scene.labels:
            x, y, _ = self._view.camera.project(label.point)[0]
            if np.isfinite(x) and label.centred:
                painter.drawText(QRectF(x - 90, y - 15, 180, 30), Qt.AlignmentFlag.AlignCenter, label.text)
            elif np.isfinite(x):
                painter.drawText(QPointF(x + 13, y - 9), label.text)

    def _paint_axes(self, painter: QPainter) -> None:
        middle = QPointF(44, self.height() - 44)
        axes = self._view.camera.axes
        order = np.argsort(axes[2])  # those that point away first
        for axis in order:
            right, up, back = axes[:, axis]
            tip = middle + QPointF(right, -up) * 26
            painter.setPen(QPen(QColor(theme.now().view_ink), 1.6 if back >= 0 else 1.0))
            painter.drawLine(middle, tip)
            centre = middle + QPointF(right, -up) * 34
            painter.drawText(
                QRectF(centre.x() - 12, centre.y() - 12, 24, 24), Qt.AlignmentFlag.AlignCenter, "xyz"[axis]
            )

    def _paint_scale_bar(self, painter: QPainter) -> None:
        per_pixel = self._view.camera.mm_per_pixel
        target = 110 * per_pixel
        power = 10 ** np.floor(np.log10(target))
        length = max(n * power for n in (1, 2, 5) if n * power <= target)
        pixels = length / per_pixel
        x, y = 92.0, self.height() - 34.0
        painter.setPen(QPen(QColor(theme.now().view_ink), 1.4))
        painter.drawLine(QPointF(x, y), QPointF(x + pixels, y))
        for end in (x, x + pixels):
            painter.drawLine(QPointF(end, y - 4), QPointF(end, y + 4))
        painter.drawText(QPointF(x + 4, y - 8), f"{length:g} mm")

    def _paint_legend(self, painter: QPainter) -> None:
        """A vertical scale: bands above and below the tolerance, as the shader paints them."""
        scene, t = self._view.scene, theme.now()
        tolerance, range_ = scene.tolerance, scene.distance_range
        edges = tolerance + (range_ - tolerance) * np.arange(BANDS + 1) / BANDS
        rows = [
            (_mix(t.above_near, t.above_far, (i + 0.5) / BANDS), f"+{edges[i]:.3g}") for i in reversed(range(BANDS))
        ]
        rows.append((QColor(t.porcelain), "inside"))
        rows += [(_mix(t.below_near, t.below_far, (i + 0.5) / BANDS), f"−{edges[i]:.3g}") for i in range(BANDS)]
        tall = 20 + ROW * len(rows) + INSIDE_ROW - ROW + 40
        words = painter.fontMetrics().horizontalAdvance(scene.hatched)
        wide = max(92, words + 50)
        box = QRectF(self.width() - MARGIN - wide, 48, wide, tall)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_glass(t.panel))
        painter.drawRoundedRect(box, 4, 4)
        x, y = box.x() + 10, box.y() + 24
        painter.setPen(QColor(t.ink))
        painter.drawText(QPointF(x, box.y() + 16), "above, mm")
        for number, (colour, text) in enumerate(rows):
            height = INSIDE_ROW if number == BANDS else ROW
            painter.setBrush(colour)
            painter.setPen(QPen(QColor(t.view_ink), 0.6))
            painter.drawRect(QRectF(x, y, 22, height))
            painter.setPen(QColor(t.ink))
            # a band's figure stands at its edge towards the tolerance
            line = y + height if number < BANDS else y + height / 2 if number == BANDS else y
            painter.drawText(QPointF(x + 30, line + 4), text)
            y += height
        painter.drawText(QPointF(x, y + 16), "below, mm")
        painter.setPen(QPen(QColor(t.unmeasured), 1.2))
        for offset in range(0, 22, 5):
            painter.drawLine(QPointF(x + offset, y + 32), QPointF(x + min(offset + 10, 22), y + 22))
        painter.setPen(QColor(t.ink))
        painter.drawText(QPointF(x + 30, y + 32), scene.hatched)

    def _paint_limit_legend(self, painter: QPainter, limit: float, unit: str) -> None:
        """A vertical scale from what keeps a limit down to nothing, as the shader paints what lacks."""
        t = theme.now()
        rows = [(QColor(t.porcelain), f"{limit:.3g} {unit} or more")]
        rows += [(_mix(t.above_near, t.above_far, (i + 0.5) / BANDS), f"{limit * (1 - (i + 1) / BANDS):.3g}")
                 for i in range(BANDS)]  # fmt: skip
        box = QRectF(self.width() - MARGIN - 140, 48, 140, 20 + ROW * len(rows))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_glass(t.panel))
        painter.drawRoundedRect(box, 4, 4)
        y = box.y() + 10
        for colour, text in rows:
            painter.setBrush(colour)
            painter.setPen(QPen(QColor(t.view_ink), 0.6))
            painter.drawRect(QRectF(box.x() + 10, y, 22, ROW))
            painter.setPen(QColor(t.ink))
            painter.drawText(QPointF(box.x() + 40, y + ROW / 2 + 4), text)
            y += ROW

    def _paint_curvature_legend(self, painter: QPainter, range_: float) -> None:
        """A lying scale at the foot of the view, from bulging over flat to hollow."""
        t = theme.now()
        box = QRectF(self.width() - MARGIN - 216, self.height() - 66, 216, 50)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_glass(t.panel))
        painter.drawRoundedRect(box, 4, 4)
        for step in range(40):
            share = step / 39 * 2 - 1
            end = t.bulging if share < 0 else t.hollow
            painter.setBrush(_mix("#DEDED9", end, abs(share) ** 0.8))
            painter.drawRect(QRectF(box.x() + 8 + step * 5, box.y() + 8, 5, 12))
        painter.setPen(QColor(t.ink))
        row = QRectF(box.x() + 8, box.y() + 24, 200, 20)
        radius = f"R {1 / range_:.3g} mm"
        low, high = self._view.scene.curvature_words
        painter.drawText(row, Qt.AlignmentFlag.AlignLeft, low)
        painter.drawText(row, Qt.AlignmentFlag.AlignHCenter, f"to {radius}")
        painter.drawText(row, Qt.AlignmentFlag.AlignRight, high)

    def _paint_message(self, painter: QPainter) -> None:
        t = theme.now()
        painter.setFont(text_font())
        metrics = painter.fontMetrics()
        width = min(self.width() - 2 * MARGIN, metrics.horizontalAdvance(self.message) + 40)
        text = QRectF(0, 0, width - 36, 1000)
        text = QRectF(painter.boundingRect(text, Qt.TextFlag.TextWordWrap, self.message))
        box = QRectF((self.width() - width) / 2, self.height() - text.height() - 64, width, text.height() + 16)
        painter.setPen(QPen(QColor(t.outside if self.is_problem else t.line), 1.2))
        painter.setBrush(_glass(t.panel, 240))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(t.outside if self.is_problem else t.inside))
        sign = QRectF(box.x() + 8, box.y(), 18, box.height())
        painter.drawText(sign, Qt.AlignmentFlag.AlignCenter, "!" if self.is_problem else "✓")
        painter.setPen(QColor(t.ink))
        painter.drawText(box.adjusted(28, 8, -8, -8), Qt.TextFlag.TextWordWrap, self.message)


@contextmanager
def _grown(painter: QPainter, x: float, y: float) -> Iterator[None]:
    """Paint as much larger as the text is, from a corner that stays."""
    painter.save()
    painter.translate(x, y)
    painter.scale(theme.scale(), theme.scale())
    painter.translate(-x, -y)
    yield
    painter.restore()


def _mix(a: str, b: str, share: float) -> QColor:
    one, two = QColor(a), QColor(b)
    return QColor.fromRgbF(
        one.redF() + (two.redF() - one.redF()) * share,
        one.greenF() + (two.greenF() - one.greenF()) * share,
        one.blueF() + (two.blueF() - one.blueF()) * share,
    )


def _glass(colour: str, alpha: int = 225) -> QColor:
    glass = QColor(colour)
    glass.setAlpha(alpha)
    return glass
