"""The weight map: a table of what up to two steps more along u and v would bring; a click takes one."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QToolButton, QWidget

from arabesque.desk.plain import Words
from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.fitting import Candidate, lightest
from arabesque.geometry import Surface

STEPS = 3


class WeightTable(QWidget):
    """Rows are u + 0, 1, 2, columns v + 0, 1, 2; a cell says the p99 distance, and the lightest good one is marked."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        self.title = Words("p99, mm")
        self.title.setObjectName("faint")
        grid.addWidget(self.title, 0, 0)
        self.cells: dict[tuple[int, int], QToolButton] = {}
        for step in range(STEPS):
            for label, row, column in ((f"u + {step}", step + 1, 0), (f"v + {step}", 0, step + 1)):
                head = Words(label)
                head.setObjectName("faint")
                head.setAlignment(Qt.AlignmentFlag.AlignCenter)
                grid.addWidget(head, row, column)
            for other in range(STEPS):
                cell = QToolButton()
                cell.setObjectName("push")
                cell.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
                cell.setAccessibleName(f"u + {step}, v + {other}")
                grid.addWidget(cell, step + 1, other + 1)
                grid.setColumnStretch(other + 1, 1)
                cell.clicked.connect(partial(self._take, (step, other)))
                self.cells[step, other] = cell
        self._shown: list[Candidate] | None = None
        self.refresh()

    def refresh(self) -> None:
        """Show what is known; the lightest candidate within the tolerance stands out, those outside are in brackets."""
        item = self._session.surface_item
        found = None if item is None else self._session.weighing.candidates(self._session.history.document, item)
        self._shown = found
        best = None if found is None else lightest(found)
        by_steps = {} if found is None else {one.steps: one for one in found}
        for steps, cell in self.cells.items():
            one = by_steps.get(steps)
            cell.setEnabled(one is not None)
            if one is None:
                cell.setText("…")
                cell.setToolTip("Being weighed" if self._session.weighing.busy else "Needs a patch and a scan")
                continue
            # the lightest that suffices is pressed in and bold; what stays outside is in brackets
            cell.setText(f"{one.p99:.3f}" if one.within else f"({one.p99:.2f})")
            cell.setProperty("best", "true" if one is best else "false")
            style = cell.style()
            assert style is not None
            style.polish(cell)
            degree, spans = one.surface.degree, one.surface.spans
            words = "the lightest within the tolerance" if one is best else "within" if one.within else "outside"
            cell.setToolTip(
                f"{one.surface.count} control points, degree {degree[0]} x {degree[1]}, "
                f"{spans[0]} x {spans[1]} spans; {words}. Click takes it"
            )

    def _take(self, steps: tuple[int, int]) -> None:
        item = self._session.surface_item
        one = next((c for c in self._shown or [] if c.steps == steps), None)
        if item is None or one is None or not isinstance(item.shape, Surface):
            return
        try:
            document = self._session.history.document.with_shape(item.id, one.surface)
        except ArabesqueError as problem:
            self._session.tell_problem(problem)
            return
        words = f"{item.name}: {one.surface.count} points, u + {steps[0]}, v + {steps[1]}"
        self._session.commit(words, document)
