"""Graphs beside the picture: a curvature plot, or heights of scan and surface along a line."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from arabesque.desk import theme
from arabesque.desk.view.scene import Graph

WIDTH, HEIGHT, MARGIN, GAP = 268.0, 118.0, 16.0, 8.0


def paint_graphs(painter: QPainter, room: QRectF, graphs: list[Graph]) -> None:
    """Draw graphs one above the other at the lower right."""
    for number, graph in enumerate(reversed(graphs)):
        top = room.bottom() - MARGIN - (number + 1) * HEIGHT - number * GAP
        _paint(painter, QRectF(room.right() - WIDTH - MARGIN, top, WIDTH, HEIGHT), graph)


def _paint(painter: QPainter, box: QRectF, graph: Graph) -> None:
    t = theme.now()
    glass = QColor(t.panel)
    glass.setAlpha(238)
    painter.setPen(QPen(QColor(t.line), 1.0))
    painter.setBrush(glass)
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(QColor(t.ink))
    title = painter.fontMetrics().elidedText(graph.title, Qt.TextElideMode.ElideMiddle, int(WIDTH) - 16)
    painter.drawText(QPointF(box.x() + 8, box.y() + 15), title)
    chart = box.adjusted(8, 22, -8, -20)
    values = np.concatenate([curve for _, curve in graph.curves])
    low, high = min(float(values.min()), 0.0), max(float(values.max()), 0.0)
    span = (high - low) or 1.0
    length = float(graph.along[-1]) or 1.0

    def place(along: float, value: float) -> QPointF:
        return QPointF(
            chart.x() + along / length * chart.width(), chart.bottom() - (value - low) / span * chart.height()
        )

    painter.setPen(QPen(QColor(t.line), 1.0))
    painter.drawLine(place(0.0, 0.0), place(length, 0.0))
    inks = ((t.accent, 1.8), (t.scan_line, 1.2))
    for (_, curve), (colour, width) in zip(graph.curves, inks, strict=False):
        painter.setPen(QPen(QColor(colour), width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([place(float(a), float(v)) for a, v in zip(graph.along, curve, strict=True)]))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(t.outside))
    for along in graph.marks:
        painter.drawEllipse(place(float(along), float(np.interp(along, graph.along, graph.curves[0][1]))), 3.0, 3.0)
    painter.setPen(QColor(t.faint))
    foot = QRectF(chart.x(), chart.bottom() + 2, chart.width(), 16)
    painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, f"{low:.3g} to {high:.3g} {graph.unit}")
    painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"{length:.4g} mm")
    words = ", ".join(word for word, _ in graph.curves if word)
    painter.drawText(QRectF(chart.x(), box.y() + 4, chart.width(), 16), Qt.AlignmentFlag.AlignRight, words)
