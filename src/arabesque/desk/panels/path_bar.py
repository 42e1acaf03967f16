"""The path of the seven steps, and the column of the step's tools."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction, QColor, QFocusEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QScrollArea, QToolButton, QVBoxLayout, QWidget

from arabesque.desk import theme
from arabesque.desk.commands.actions import Commands
from arabesque.desk.plain import Words
from arabesque.desk.steps import Step
from arabesque.desk.tools import GROUPS

WIDTH, WIDE, SIDE = 118, 128, 6
"""Pixels of the column, for the usual size of text and for larger ones, and beside the tools."""
LINE, UPRIGHT, GAP, WIDE_GAP, ENDS = 28, 61, 4, 10, 8
"""Pixels of a tool as a line and with its word below, between groups of either, and at both ends of the column."""
CROWDED = 8
"""More tools than this stand as lines, word beside icon."""


class PathBar(QWidget):
    """Prepare › Trace › Patch › … : switches the tools on the left and nothing else."""

    chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("pathbar")
        self.setAccessibleName("Steps")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 0, 8, 0)
        layout.setSpacing(0)
        self._group = QButtonGroup(self)
        self.buttons: dict[Step, QToolButton] = {}
        for number, step in enumerate(Step):
            if number:
                arrow = Words("›")
                arrow.setObjectName("faint")
                layout.addWidget(arrow)
            button = QToolButton()
            button.setObjectName("step")
            button.setText(step.title)
            button.setToolTip(step.line)
            button.setCheckable(True)
            button.clicked.connect(lambda _, step=step: self.chosen.emit(step))
            self._group.addButton(button)
            self.buttons[step] = button
            layout.addWidget(button)
        layout.addStretch()
        self._row = layout

    def add(self, widget: QWidget) -> None:
        """Put something at the right end."""
        self._row.addWidget(widget)

    def show_step(self, step: Step) -> None:
        """Mark the step one is at."""
        self.buttons[step].setChecked(True)


class ToolColumn(QScrollArea):
    """The tools of the step, icon and word, in small groups; one calm line where there are none yet."""

    def __init__(self, commands: Commands) -> None:
        super().__init__()
        self._commands = commands
        column = QWidget()
        column.setObjectName("panel")
        self.setAccessibleName("Tools")
        self.setWidget(column)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._layout = QVBoxLayout(column)
        self._layout.setContentsMargins(SIDE, ENDS // 2, SIDE, ENDS // 2)
        self._layout.setSizeConstraint(QVBoxLayout.SizeConstraint.SetMinimumSize)
        self._layout.setSpacing(2)
        self._step: Step | None = None

    def dress(self) -> None:
        """As wide as the present size of text needs."""
        self._widen()
        if self._step is not None:
            self.show_step(self._step)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        # later: it is being laid out
        QTimer.singleShot(0, self._widen)

    def _widen(self) -> None:
        """Room for all words, and for the bar where the longest column scrolls: no step makes the view jump."""
        bar = self.verticalScrollBar()
        assert bar is not None
        wide = theme.scaled(WIDE if theme.scale() > 1 else WIDTH)
        wide += bar.sizeHint().width() if self.height() < theme.scaled(max(map(_tall, GROUPS.values()))) else 0
        if wide != self.width():
            self.setFixedWidth(wide)

    def show_step(self, step: Step) -> None:
        """Show the tools of another step."""
        self._step = step
        while (entry := self._layout.takeAt(0)) is not None:
            widget = entry.widget()
            if widget is not None:
                widget.deleteLater()
        groups = [
            [self._commands[one if isinstance(one, str) else one.id] for one in group] for group in GROUPS.get(step, ())
        ]
        crowded = sum(map(len, groups)) > CROWDED
        self._layout.setSpacing(0 if crowded else 2)
        for number, group in enumerate(groups):
            if number:
                self._layout.addSpacing(GAP if crowded else WIDE_GAP)
            for action in group:
                button = ToolButton(action, crowded)
                button.focused.connect(self.ensureWidgetVisible)
                self._layout.addWidget(button)
        if not groups or step in (Step.CHECK,):
            line = Words(step.line)
            line.setObjectName("faint")
            line.setWordWrap(True)
            line.setContentsMargins(6, 6, 6, 6)
            self._layout.addWidget(line)
            line.ensurePolished()
            line.setMinimumHeight(line.heightForWidth(self.width() - 2 * SIDE - 2 * self.frameWidth()))
        self._layout.addStretch()
        self._layout.activate()


def _tall(groups: Sequence[Sequence[object]]) -> int:
    """Pixels that the column of a step needs, at the usual size of text."""
    tools = sum(map(len, groups))
    line, gap = (LINE, GAP) if tools > CROWDED else (UPRIGHT, WIDE_GAP)
    return tools * line + (len(groups) - 1) * gap + ENDS


class ToolButton(QToolButton):
    """Icon over word, or beside it where there are many tools; the tool's letter stands faintly at the right end."""

    focused = pyqtSignal(QWidget)

    def __init__(self, action: QAction, beside: bool) -> None:
        super().__init__()
        self.setObjectName("line" if beside else "tool")
        self.setDefaultAction(action)
        style = Qt.ToolButtonStyle
        self.setToolButtonStyle(style.ToolButtonTextBesideIcon if beside else style.ToolButtonTextUnderIcon)
        side = theme.scaled(17 if beside else 22)
        self.setIconSize(QSize(side, side))
        self.setMinimumWidth(theme.scaled(90))
        self.setSizePolicy(self.sizePolicy().Policy.Expanding, self.sizePolicy().Policy.Fixed)

    @property
    def letter(self) -> str:
        """The key that takes the tool up in this step, where it is a letter alone."""
        action = self.defaultAction()
        keys = "" if action is None else action.shortcut().toString()
        return keys if len(keys) == 1 else ""

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.focused.emit(self)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.letter:
            painter = QPainter(self)
            painter.setFont(theme.small_font())
            painter.setPen(QColor(theme.now().faint))
            edge = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(self.rect().adjusted(0, 0, -7, 0), edge, self.letter)
