"""The Loupe: small sections through the point being moved, the gap enlarged."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.view.scene import Loupe

WIDTH, HEIGHT, MARGIN, HEAD = 232.0, 92.0, 16.0, 18.0
SLOW_DEGREE = 4
FLAT_SHARE = 0.6
"""The scan's own bend may take this share of the chart's height; the rest is for the gap."""


def paint_loupe(painter: QPainter, room: QRectF, loupe: Loupe, tolerance: float) -> None:
    """Draw the charts one above the other at the lower right."""
    t = theme.now()
    total = len(loupe.charts) * HEIGHT + HEAD
    box = QRectF(room.right() - WIDTH - MARGIN, room.bottom() - total - MARGIN, WIDTH, total)
    painter.setPen(QPen(QColor(t.line), 1.0))
    glass = QColor(t.panel)
    glass.setAlpha(238)
    painter.setBrush(glass)
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(QColor(t.ink))
    painter.drawText(QPointF(box.x() + 8, box.y() + 14), f"Loupe: gap x {loupe.times:g}, band ±{tolerance:g} mm")
    for number, (word, along, scan, surface) in enumerate(loupe.charts):
        chart = QRectF(box.x() + 8, box.y() + HEAD + number * HEIGHT, WIDTH - 16, HEIGHT - 8)
        _paint_chart(painter, chart, word, (along, scan, surface), loupe.times, tolerance)


def _paint_chart(
    painter: QPainter, chart: QRectF, word: str, lines: tuple[Floats, Floats, Floats], times: float, tolerance: float
) -> None:
    t = theme.now()
    along, scan, surface = lines
    known = ~np.isnan(scan)
    if known.sum() < 2:
        painter.setPen(QColor(t.faint))
        painter.drawText(chart, Qt.AlignmentFlag.AlignCenter, "no scan here")
        return
    # both are drawn round the scan's slow form, so that its noise is seen as its own and not as the surface's
    degree = min(SLOW_DEGREE, int(known.sum()) - 1)
    base = np.polynomial.Polynomial.fit(along[known], scan[known], degree)(along)
    # the slow form is drawn as it is, only as large as there is room; what is enlarged is what differs from it
    bend = float(np.ptp(base)) or 1.0
    across = chart.width() / float(np.ptp(along))
    shrink = min(1.0, FLAT_SHARE * chart.height() / (bend * across))
    middle = chart.center().y() + (base.max() + base.min()) / 2 * across * shrink

    def places(heights: Floats) -> list[QPointF]:
        shown = ~np.isnan(heights)
        x = chart.x() + (along - along[0]) * across
        y = middle - (base * shrink + times * (heights - base)) * across
        return [QPointF(float(a), float(b)) for a, b in zip(x[shown], y[shown], strict=True)]

    painter.save()
    painter.setClipRect(chart)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(t.wash))
    painter.drawPolygon(QPolygonF([*places(base + tolerance), *reversed(places(base - tolerance))]))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for heights, colour, width in ((scan, t.scan_line, 1.3), (surface, t.accent, 2.0)):
        painter.setPen(QPen(QColor(colour), width))
        painter.drawPolyline(QPolygonF(places(heights)))
    _point_to(painter, chart, [place.y() for place in places(surface)])
    painter.restore()
    painter.setPen(QColor(t.faint))
    gap = surface[len(along) // 2] - scan[len(along) // 2]
    value = "" if np.isnan(gap) else f"   {gap:+.3f} mm"
    painter.drawText(QPointF(chart.x() + 2, chart.bottom() - 3), f"{word}{value}")


def _point_to(painter: QPainter, chart: QRectF, heights: list[float]) -> None:
    """An arrow to where the patch is, when all of it lies off the chart."""
    if not heights or (max(heights) >= chart.top() and min(heights) <= chart.bottom()):
        return
    up = heights[0] < chart.top()
    tip = chart.top() + 2 if up else chart.bottom() - 2
    foot = tip + (9 if up else -9)
    middle = chart.center().x()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.now().accent))
    painter.drawPolygon(QPolygonF([QPointF(middle, tip), QPointF(middle - 7, foot), QPointF(middle + 7, foot)]))
