"""The Inspector: the form of the running tool, or of the selection."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from arabesque.desk.facts import Choice, Fact
from arabesque.desk.kinds import shown_of
from arabesque.desk.panels.fields import OptionsForm
from arabesque.desk.panels.weight_table import WeightTable
from arabesque.desk.plain import Words
from arabesque.desk.session import Session
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.pick import Pick
from arabesque.geometry import Surface
from arabesque.model import Item

SPARE, LEAST_LIST = 12, 40
"""Pixels: of a list round its lines, and its least height."""
LEAST_HEIGHT = 120
_SPOKEN = {"bad": ", not as it should be"}
"""What the sign of a figure says to those who hear it."""


class Inspector(QWidget):
    """Options and live values of the tool; the coloured button is Enter, leave is Esc. Below, the jobs that run."""

    applied = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, session: Session, patch_actions: list[list[QAction]]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAccessibleName("Inspector")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self._patch_actions = patch_actions
        self._tool: Tool | None = None
        self._subject: object = None
        self._weights: WeightTable | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 6, 8, 8)
        layout.setSpacing(6)
        self.heading = Words()
        self.heading.setObjectName("heading")
        layout.addWidget(self.heading)
        self._form = QVBoxLayout()
        self._form.setSpacing(6)
        self._facts = FactsTable()
        self.choices = ChoiceList()
        # form and values scroll together: a long form never pushes the panel, nor does a job that comes and goes
        body = QWidget()
        body.setObjectName("panel")
        within = QVBoxLayout(body)
        within.setContentsMargins(0, 0, 4, 0)
        within.setSpacing(6)
        within.addLayout(self._form)
        within.addWidget(self._facts)
        within.addStretch(1)
        self._within = within
        scroll = QScrollArea()
        scroll.setAccessibleName("Form and values")
        scroll.setWidget(body)
        scroll.setWidgetResizable(True)
        scroll.setMinimumHeight(LEAST_HEIGHT)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout.addWidget(scroll, 2)
        layout.addWidget(self.choices, 1)
        buttons = QHBoxLayout()
        self.apply_button = QPushButton("Keep")
        self.apply_button.setObjectName("apply")
        self.apply_button.setToolTip("Enter")
        self.apply_button.clicked.connect(self.applied)
        self.leave_button = QPushButton("Leave")
        self.leave_button.setToolTip("Esc")
        self.leave_button.clicked.connect(self.left)
        buttons.addWidget(self.apply_button, 1)
        buttons.addWidget(self.leave_button)
        layout.addLayout(buttons)
        self._jobs = JobsList(session)
        layout.addWidget(self._jobs)
        session.on_any(self.refresh)

    def take(self, tool: Tool) -> None:
        """Show another tool's form."""
        self._tool = tool
        self._subject = None
        self._within.removeWidget(self._facts)
        self._within.insertWidget(0 if tool.told_first else 1, self._facts)
        tool.changed.connect(self.refresh)
        self.refresh()

    def make_anew(self) -> None:
        """Make the form again: the tool changed its own options."""
        self._subject = None
        self.refresh()

    def refresh(self) -> None:
        """Show live values; the form is made anew only for another tool or another kind of selection."""
        tool = self._tool
        if tool is None:
            return
        idle = isinstance(tool, Pick)
        item = self._session.selection
        subject = (tool, item.id if item is not None and idle else None, self._session.weighing.wanted)
        if subject != self._subject:
            self._subject = subject
            self._make_form(tool, item if idle else None)
        if self._weights is not None:
            self._weights.refresh()
        self.apply_button.setVisible(not idle and tool.applies)
        self.leave_button.setVisible(not idle)
        self.apply_button.setEnabled(tool.can_apply)
        self.apply_button.setText(tool.apply_word)
        self.choices.show_choices(tool.choices)
        if not idle:
            self.heading.setText(f"{tool.label} · {tool.subject}" if tool.subject else tool.label)
            self._facts.show_facts(tool.facts)
        else:
            self.heading.setText(item.name if item is not None else "Inspector")
            facts = [Fact("Nothing selected", "")] if item is None else shown_of(item).facts(self._session, item)
            self._facts.show_facts(facts)

    def _make_form(self, tool: Tool, item: Item | None) -> None:
        while (entry := self._form.takeAt(0)) is not None:
            widget = entry.widget()
            if widget is not None:
                widget.deleteLater()
        if tool.options is not None:
            form = OptionsForm(tool.options)
            form.edited.connect(tool.options_changed)
            self._form.addWidget(form)
        self._weights = None
        if item is not None and isinstance(item.shape, Surface):
            for group in self._patch_actions:
                self._form.addWidget(_button_row(group))
            if self._session.weighing.wanted:
                self._weights = WeightTable(self._session)
                self._form.addWidget(self._weights)


class ChoiceList(QListWidget):
    """Lines that can be clicked, or chosen with the arrows and Enter."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Choices")
        self.setWordWrap(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._choices: list[Choice] = []
        self.itemClicked.connect(lambda item: self._run(self.row(item)))
        self.itemActivated.connect(lambda item: self._run(self.row(item)))

    def show_choices(self, choices: list[Choice]) -> None:
        """Show these lines and no others."""
        self.setVisible(bool(choices))
        shown = [(choice.label, choice.current) for choice in choices]
        if shown != [(choice.label, choice.current) for choice in self._choices]:
            self.clear()
            for choice in choices:
                self.addItem(f"▸ {choice.label}" if choice.current else choice.label)
            # no higher than its lines: the form above has the rest
            high = sum(self.sizeHintForRow(row) for row in range(self.count()))
            self.setMaximumHeight(max(high + 2 * self.frameWidth() + SPARE, LEAST_LIST))
        self._choices = choices

    def _run(self, row: int) -> None:
        # the list is still handling the click: it is filled anew when that is over
        QTimer.singleShot(0, self._choices[row].run)


class FactsTable(QWidget):
    """Two columns of words and values; labels are reused, so that live values do not flicker."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 4, 0)
        self._grid.setVerticalSpacing(4)
        self._grid.setColumnStretch(1, 1)
        self._rows: list[tuple[Words, Words]] = []
        self._grid.setRowStretch(100, 1)

    def show_facts(self, facts: list[Fact]) -> None:
        """Show these facts and no others."""
        while len(self._rows) < len(facts):
            name, value = Words(), Words()
            name.setObjectName("faint")
            name.setAlignment(Qt.AlignmentFlag.AlignTop)
            value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
            value.setWordWrap(True)
            # as narrow as the panel is: beside a scroll bar it wraps instead of being cut
            value.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            row = len(self._rows)
            self._grid.addWidget(name, row, 0)
            self._grid.addWidget(value, row, 1)
            self._rows.append((name, value))
        for number, (name, value) in enumerate(self._rows):
            shown = number < len(facts)
            name.setVisible(shown)
            value.setVisible(shown)
            if shown:
                fact = facts[number]
                sign = {"good": "● ", "bad": "▲ "}.get(fact.state, "")
                name.setText(fact.label)
                value.setText(sign + fact.value)
                value.setAccessibleName(f"{fact.label}: {fact.value}{_SPOKEN.get(fact.state, '')}")
                if value.objectName() != fact.state:
                    value.setObjectName(fact.state)
                    value.style().polish(value)


class JobsList(QWidget):
    """The work that runs and waits, each with progress and a way to cancel it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._rows: dict[object, tuple[QWidget, Words, QProgressBar]] = {}
        session.jobs.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the jobs as they are."""
        jobs = self._session.jobs.jobs
        for job in [job for job in self._rows if job not in jobs]:
            self._rows.pop(job)[0].deleteLater()
        for job in jobs:
            if job not in self._rows:
                self._rows[job] = self._row(job)
            _, label, bar = self._rows[job]
            label.setText(job.message)
            bar.setAccessibleName(job.message)
            bar.setValue(round(100 * job.fraction))

    def _row(self, job: object) -> tuple[QWidget, Words, QProgressBar]:
        row = QWidget()
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 4, 0, 0)
        label = Words()
        label.setWordWrap(True)
        bar = QProgressBar()
        bar.setTextVisible(False)
        cancel = QToolButton()
        cancel.setText("Cancel")
        cancel.setAccessibleName(f"Cancel {job.message}")  # type: ignore[attr-defined]
        cancel.clicked.connect(job.cancel)  # type: ignore[attr-defined]
        grid.addWidget(label, 0, 0)
        grid.addWidget(cancel, 0, 1, 2, 1)
        grid.addWidget(bar, 1, 0)
        grid.setColumnStretch(0, 1)
        self._layout.addWidget(row)
        return row, label, bar


def _button_row(actions: list[QAction]) -> QWidget:
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(4)
    for action in actions:
        button = QToolButton()
        button.setObjectName("push")
        button.setDefaultAction(action)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
        button.setMinimumWidth(40)
        button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        layout.addWidget(button)
    return row
