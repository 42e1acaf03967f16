"""The Fit strip: live figures of the selection or of the whole model, always in sight."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from arabesque.arrays import Floats
from arabesque.checking import Figures, Grid
from arabesque.desk import theme
from arabesque.desk.commands import icon
from arabesque.desk.panels.fields import LengthField
from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.model import Item

BARS = 41


class Cell(QWidget):
    """A small heading with a figure below it, and behind it the ghost of what it was before the drag."""

    def __init__(self, heading: str, width: int) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.heading = QLabel(heading)
        self.heading.setObjectName("heading")
        self.value = QLabel()
        self.value.setTextFormat(Qt.TextFormat.RichText)
        layout.addWidget(self.heading)
        layout.addWidget(self.value)
        self.setMinimumWidth(width)

    def show_value(self, value: str, ghost: str, faint: str) -> None:
        """Show a figure, with the ghost where it differs."""
        before = f' <span style="color:{faint}">{ghost}</span>' if ghost and ghost != value else ""
        self.value.setText(value + before)


class Histogram(QWidget):
    """Signed distances from below to above, the tolerance in the middle; the ghost is drawn as an outline."""

    def __init__(self) -> None:
        super().__init__()
        self._bars: Floats = np.zeros(BARS)
        self._ghost: Floats | None = None
        self.setFixedSize(QSize(112, 34))
        self.setToolTip("Signed distances, from below the scan to above it; between the marks is the tolerance")

    def show_distances(self, distances: Floats, ghost: Floats | None, tolerance: float) -> None:
        """Show (n,) distances, and those before the drag."""
        self._bars = _bars(distances, tolerance)
        self._ghost = None if ghost is None else _bars(ghost, tolerance)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        width, height = self.width() / BARS, self.height() - 4
        for number, bar in enumerate(self._bars):
            side = number - BARS // 2
            inside = abs(side) <= BARS // 6
            colour = theme.now().faint if inside else theme.now().above_near if side > 0 else theme.now().below_near
            painter.fillRect(
                QRectF(number * width, height * (1 - bar), max(width - 0.6, 1), height * bar), QColor(colour)
            )
        if self._ghost is not None:
            painter.setPen(QColor(theme.now().ink))
            for number, bar in enumerate(self._ghost):
                y = height * (1 - bar)
                painter.drawLine(int(number * width), int(y), int((number + 1) * width), int(y))
        painter.setPen(QColor(theme.now().ink))
        for side in (-1, 1):
            x = int((BARS // 2 + 0.5 + side * (BARS // 6 + 0.5)) * width)
            painter.drawLine(x, int(height) - 3, x, self.height())
        painter.drawLine(0, int(height), self.width(), int(height))
        painter.end()


def _bars(distances: Floats, tolerance: float) -> Floats:
    """Heights 0 to 1 of the bars; the tolerance fills the middle third, the ends take all beyond."""
    if not len(distances):
        return np.zeros(BARS)
    reach = tolerance * (BARS / 2) / (BARS // 6 + 0.5)
    counts, _ = np.histogram(np.clip(distances, -reach, reach), BARS, (-reach, reach))
    return np.sqrt(counts / counts.max())


class FitStrip(QWidget):
    """The always-visible line of live figures below the view."""

    worst_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 2, 12, 2)
        layout.setSpacing(14)
        self.item = Cell("Model", 96)
        self.degrees = Cell("Degree", 44)
        self.tolerance = LengthField("tolerance")
        self.tolerance.setFixedWidth(62)
        self.tolerance.entered.connect(self._set_tolerance)
        self.tolerance.refused.connect(lambda reason: session.told.emit(reason, True))
        self.histogram = Histogram()
        self.inside = Cell("Inside", 104)
        self.worst = Cell("Worst", 108)
        self.fly = QToolButton()
        self.fly.setIcon(icon("ph.crosshair"))
        self.fly.setAccessibleName("Fly to the worst place")
        self.fly.setToolTip("Fly to the worst place")
        self.fly.clicked.connect(self.worst_wanted)
        self.rms = Cell("rms", 84)
        self.points = Cell("Points", 44)
        tolerance = QWidget()
        column = QVBoxLayout(tolerance)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._tolerance_heading = QLabel()
        self._tolerance_heading.setObjectName("heading")
        column.addWidget(self._tolerance_heading)
        column.addWidget(self.tolerance)
        for widget in (
            self.item, self.degrees, tolerance, self.histogram, self.inside, self.worst, self.fly, self.rms,
            self.points,
        ):  # fmt: skip
            layout.addWidget(widget)
        self.says = QLabel()
        self.says.setObjectName("faint")
        self.says.setWordWrap(True)
        self.says.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.says.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        layout.addWidget(self.says, 1)
        session.changed.connect(self.refresh)
        self.refresh()

    def dress(self) -> None:
        """Draw the icon anew in the colours of the theme, and show the unit of typed lengths."""
        self.setFixedHeight(2 * self.fontMetrics().height() + 16)
        self._tolerance_heading.setText(f"Tolerance, {LengthField.unit}")
        self.tolerance.show_value(self._session.document.tolerance)
        self.fly.setIcon(icon("ph.crosshair"))

    def refresh(self) -> None:
        """Show the figures as they are now."""
        session = self._session
        document = session.document
        tolerance = document.tolerance
        self.tolerance.show_value(tolerance)
        item = session.surface_item
        surfaces = [item] if item is not None else document.surfaces(visible_only=True)
        measured = document.with_images(surfaces)
        now, then = self._grids(measured), None
        before = session.history.document
        if document is not before:
            known = [before[i.id] for i in surfaces if i.id in before]
            then = self._grids(before.with_images(known))
        figures, ghost = (None if grids is None else _figures(grids, tolerance) for grids in (now, then))
        assert figures is not None
        self.item.heading.setText("Patch" if item is not None else "Model")
        self.item.show_value(
            item.name if item is not None else f"{len(surfaces)} patch{'' if len(surfaces) == 1 else 'es'}", "", ""
        )
        shape = item.shape if item is not None else None
        self.degrees.show_value(f"{shape.degree[0]} x {shape.degree[1]}" if isinstance(shape, Surface) else "–", "", "")
        self.points.show_value(str(sum(i.shape.count for i in surfaces if isinstance(i.shape, Surface))), "", "")
        self.histogram.show_distances(_distances(now), None if then is None else _distances(then), tolerance)
        words, ghosts = _words(figures), _words(ghost)
        for cell, key in ((self.inside, "inside"), (self.worst, "worst"), (self.rms, "rms")):
            cell.show_value(words[key], ghosts[key] if ghost is not None else "", theme.now().faint)
        self.fly.setEnabled(figures.samples > 0)

    def _grids(self, items: list[Item]) -> tuple[Grid, ...]:
        return tuple(grid for item in items if (grid := self._session.grid(item)) is not None)

    def _set_tolerance(self, value: float) -> None:
        try:
            self._session.set_tolerance(value)
        except ArabesqueError as problem:
            self.tolerance.refuse(str(problem))
            self._session.tell_problem(problem)


# measured grids are values: what stands still in a drag is counted once


@lru_cache(maxsize=16)
def _distances(grids: tuple[Grid, ...]) -> Floats:
    """(n,) signed distances where there is a scan below."""
    return np.concatenate([grid.distance[grid.valid] for grid in grids]) if grids else np.zeros(0)


@lru_cache(maxsize=16)
def _figures(grids: tuple[Grid, ...], tolerance: float) -> Figures:
    return Figures.of(_distances(grids), tolerance)


def _words(figures: Figures | None) -> dict[str, str]:
    if figures is None or not figures.samples:
        return {"inside": "–", "worst": "–", "rms": "–"}
    worst = figures.highest if figures.highest >= -figures.lowest else figures.lowest
    return {"inside": f"{100 * figures.inside:.1f} %", "worst": f"{worst:+.3f}", "rms": f"{figures.rms:.3f}"}
