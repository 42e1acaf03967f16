"""The Fit strip: live figures of the selection or of the whole model, always in sight."""

from __future__ import annotations

from html import escape

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.checking import Back, Distances, WayBack, figures_of, way_figures
from arabesque.desk import theme
from arabesque.desk.checks.joins import JOINS, joins, limits_of, owners, rimmed
from arabesque.desk.icons import icon
from arabesque.desk.panels.fields import LengthField
from arabesque.desk.plain import Words, hint
from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.model import Item, kind_of
from arabesque.shapes import Sampled
from arabesque.solid import Body

BARS = 41
LEAST_SAYS = 130
WIDE = 820
"""Pixels, at the usual size of text: what a click does needs so many beside the figures; so many to be one line."""
LONGEST_NAME = 120
"""Pixels."""


class Cell(QWidget):
    """A small heading with a figure below it, and behind it the ghost of what it was before the drag."""

    def __init__(self, heading: str, width: int) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.heading = Words(heading)
        self.heading.setObjectName("heading")
        self.value = QLabel()
        self.value.setTextFormat(Qt.TextFormat.RichText)
        layout.addWidget(self.heading)
        layout.addWidget(self.value)
        self._width = width

    def dress(self) -> None:
        """As wide as figures of the present size of text need."""
        self.setMinimumWidth(theme.scaled(self._width))

    def show_value(self, value: str, ghost: str, faint: str) -> None:
        """Show a figure, with the ghost where it differs."""
        before = f' <span style="color:{faint}">{ghost}</span>' if ghost and ghost != value else ""
        self.value.setText(value + before)
        self.value.setAccessibleName(f"{self.heading.text()}: {value}")


class Histogram(QWidget):
    """Signed distances from below to above, the tolerance in the middle; the ghost is drawn as an outline."""

    def __init__(self) -> None:
        super().__init__()
        self._bars: Floats = np.zeros(BARS)
        self._ghost: Floats | None = None
        self.setFixedSize(QSize(112, 34))
        self.setAccessibleName("Histogram of signed distances")
        self.setToolTip("Signed distances, from below the scan to above it; between the marks is the tolerance")

    def show_bars(self, bars: Floats, ghost: Floats | None) -> None:
        """Show the heights of the bars, and those before the drag."""
        self._bars, self._ghost = bars, ghost
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


class FitStrip(QWidget):
    """The always-visible line of live figures below the view."""

    worst_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAccessibleName("Fit strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self._lines = QVBoxLayout(self)
        self._lines.setContentsMargins(12, 2, 12, 2)
        self._lines.setSpacing(0)
        layout = self._figures = QHBoxLayout()
        layout.setSpacing(14)
        self._lines.addLayout(layout)
        self.item = Cell("Model", 96)
        self.degrees = Cell("Degree", 44)
        self.tolerance = LengthField("Tolerance")
        self.tolerance.entered.connect(self._set_tolerance)
        self.tolerance.refused.connect(lambda reason: session.tell(reason, True))
        self.histogram = Histogram()
        self.inside = Cell("Inside", 104)
        self.worst = Cell("Worst", 108)
        self.fly = QToolButton()
        self.fly.setIcon(icon("ph.crosshair"))
        self.fly.setAccessibleName("Fly to the worst place")
        self.fly.setToolTip("Fly to the worst place")
        self.fly.clicked.connect(self.worst_wanted)
        self.rms = Cell("rms", 84)
        self.back = Cell("From scan", 84)
        self.back.setToolTip(
            "The way back: 99 % of the scan's points below the patch are closer than this, outliers apart"
        )
        self.joins = Cell("Joins, worst", 84)
        self.joins.setToolTip("The lowest grade among the edges that meet, and what fails there")
        self.points = Cell("Points", 44)
        tolerance = QWidget()
        column = QVBoxLayout(tolerance)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._tolerance_heading = Words()
        self._tolerance_heading.setObjectName("heading")
        column.addWidget(self._tolerance_heading)
        column.addWidget(self.tolerance)
        for widget in (
            self.item, self.degrees, tolerance, self.histogram, self.inside, self.worst, self.fly, self.rms,
            self.back, self.joins, self.points,
        ):  # fmt: skip
            layout.addWidget(widget)
        self.says = Words()
        self.says.setObjectName("faint")
        self.says.setWordWrap(True)
        self.says.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.says.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        layout.addWidget(self.says, 1)
        self._below = False
        session.on_any(self.refresh)
        self.refresh()

    def dress(self) -> None:
        """Draw the icon anew in the colours of the theme, and show the unit of typed lengths."""
        self.tolerance.setFixedWidth(theme.scaled(62))
        for cell in self.findChildren(Cell):
            cell.dress()
        self._place_says()
        self._tolerance_heading.setText(f"Tolerance, {LengthField.unit}")
        self.tolerance.show_value(self._session.document.tolerance)
        self.fly.setIcon(icon("ph.crosshair"))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_says()

    def _place_says(self) -> None:
        """What a click does stands beside the figures where there is room, else in a line below them."""
        figures = [self._figures.itemAt(n).widget() for n in range(self._figures.count())]
        wide = [max(w.sizeHint().width(), w.minimumWidth()) for w in figures if w not in (self.says, self.joins)]
        needed = sum(wide) + self._figures.spacing() * len(wide)
        below = self.width() - needed < theme.scaled(LEAST_SAYS)
        if below != self._below:
            self._below = below
            (self._lines if below else self._figures).addWidget(self.says, 0 if below else 1)
        line = self.fontMetrics().height()
        high = self._tolerance_heading.sizeHint().height() + self.tolerance.sizeHint().height() + 6
        lines = 0 if not below else 1 if self.width() > theme.scaled(WIDE) else 2
        self.setFixedHeight(max(high, 2 * line + 16) + lines * (line + 4))

    def refresh(self) -> None:
        """Show the figures as they are now."""
        session = self._session
        document, before = session.document, session.history.document
        tolerance = document.tolerance
        self.tolerance.show_value(tolerance)
        item = session.chosen(Sampled)
        surfaces = [item] if item is not None else session.seen.that(Sampled)
        cage = item is not None and isinstance(item.shape, Cage)
        told = item.shape.told if item is not None and isinstance(item.shape, Body) else None
        self.item.heading.setText("Model" if item is None else "Cage" if cage else "Patch" if told is None else "Body")
        self.points.heading.setText("Faces" if cage or told is not None else "Points")
        self.degrees.heading.setText("Degree" if told is None else "It is")
        # of a cage the patches are made only where they are asked for
        count = sum(1 if isinstance(i.shape, Cage) else len(i.shape.patches()) for i in surfaces)
        self._show_name(item.name if item is not None else f"{count} patch{'' if count == 1 else 'es'}")
        shape = item.shape if item is not None else None
        degree = f"{shape.degree[0]} x {shape.degree[1]}" if isinstance(shape, Surface) else "–"
        state = "" if told is None else "closed" if told.closed else "open"
        self.degrees.show_value(state or degree, "", "")
        self.degrees.setToolTip(hint(f"Volume {told.volume:,.1f} mm³") if told is not None and told.closed else "")
        self.points.show_value(str(sum(kind_of(i.shape).weight(i.shape) for i in surfaces)), "", "")
        measured = document.with_images(surfaces)
        known = [before[i.id] for i in surfaces if i.id in before] if document is not before else []
        self._show_distances(measured, before.with_images(known), tolerance)
        self._show_joins(measured if item is not None else None)

    def _show_name(self, name: str) -> None:
        """The name as far as there is room; names may hold any sign."""
        short = self.item.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, theme.scaled(LONGEST_NAME))
        self.item.show_value(escape(short), "", "")
        self.item.setToolTip(hint(name) if short != name else "")

    def _show_distances(self, items: list[Item], earlier: list[Item], tolerance: float) -> None:
        """The figures of items, and as ghosts those of ``earlier``."""
        now, then = self._measured(items), self._measured(earlier)
        back, back_then = self._ways(items), self._ways(earlier)
        # what is measured are values: what stands still in a drag is counted once
        kept = self._session.kept
        figures = kept(figures_of, now, tolerance)
        self.histogram.show_bars(kept(_bars, now, tolerance), kept(_bars, then, tolerance) if then else None)
        words = {**figures.words(), "back": kept(_back_words, back, tolerance)}
        ghosts = {}
        if then:
            ghosts = {**kept(figures_of, then, tolerance).words(), "back": kept(_back_words, back_then, tolerance)}
        cells = {"inside": self.inside, "worst": self.worst, "rms": self.rms, "back": self.back}
        for key, cell in cells.items():
            cell.show_value(words[key], ghosts.get(key, ""), theme.now().faint)
        self.fly.setEnabled(figures.samples > 0)

    def _show_joins(self, chosen: list[Item] | None) -> None:
        """The worst join, of some items or of all; only while joins are shown, for they take their time."""
        shown, limits = JOINS.id in self._session.looks.on, limits_of(self._session)
        self.joins.setVisible(shown)
        if not shown:
            return
        items = rimmed(self._session)
        numbers = {n for n, item in enumerate(owners(items)) if chosen is None or any(item.id == c.id for c in chosen)}
        found = [join for join in joins(self._session, items) if {join.first[0], join.second[0]} & numbers]
        worst = min(found, key=lambda join: join.rank(limits), default=None)
        self.joins.show_value("–" if worst is None else worst.word(limits), "", "")

    def _measured(self, items: list[Item]) -> tuple[Distances, ...]:
        return tuple(found for item in items if (found := self._session.distances(item)) is not None)

    def _ways(self, items: list[Item]) -> tuple[WayBack | Back, ...]:
        return tuple(way for item in items if (way := self._session.back(item)) is not None)

    def _set_tolerance(self, value: float) -> None:
        try:
            self._session.set_tolerance(value)
        except ArabesqueError as problem:
            self.tolerance.refuse(str(problem))
            self._session.tell_problem(problem)


def _distances(measured: tuple[Distances, ...]) -> Floats:
    """(n,) signed distances where there is a scan below."""
    return np.concatenate([one.distance[one.valid] for one in measured]) if measured else np.zeros(0)


def _bars(measured: tuple[Distances, ...], tolerance: float) -> Floats:
    """Heights 0 to 1 of the bars; the tolerance fills the middle third, the ends take all beyond."""
    distances = _distances(measured)
    if not len(distances):
        return np.zeros(BARS)
    width = tolerance / (BARS // 6 + 0.5)
    # counted by number: a tenth of the time of a histogram that looks for the limits first
    numbers = np.clip(np.rint(distances / width), -(BARS // 2), BARS // 2).astype(np.int64) + BARS // 2
    counts = np.bincount(numbers, minlength=BARS)
    return np.asarray(np.sqrt(counts / counts.max()))


def _back_words(ways: tuple[WayBack | Back, ...], tolerance: float) -> str:
    figures = way_figures(ways, tolerance)
    return f"{figures.inlier_p99:.3f}" if figures.samples else "–"
