"""The path of the seven steps, and the column of the step's tools."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from arabesque.desk import theme
from arabesque.desk.commands.actions import Commands
from arabesque.desk.plain import Words
from arabesque.desk.steps import Step
from arabesque.desk.tools import GROUPS

CROWDED = 8
"""More tools than this stand as lines, word beside icon."""


class PathBar(QWidget):
    """Prepare › Trace › Patch › … : switches the tools on the left and nothing else."""

    chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("pathbar")
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


class ToolColumn(QWidget):
    """The tools of the step, icon and word, in small groups; one calm line where there are none yet."""

    def __init__(self, commands: Commands) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._commands = commands
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(6, 8, 6, 8)
        self._layout.setSpacing(2)
        self._buttons: list[QToolButton] = []

    def show_step(self, step: Step) -> None:
        """Show the tools of another step."""
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
                self._layout.addSpacing(6 if crowded else 10)
            for action in group:
                self._layout.addWidget(ToolButton(action, crowded))
        if not groups or step in (Step.CHECK,):
            line = Words(step.line)
            line.setObjectName("faint")
            line.setWordWrap(True)
            line.setContentsMargins(6, 6, 6, 6)
            self._layout.addWidget(line)
        self._layout.addStretch()


class ToolButton(QToolButton):
    """Icon over word, or beside it where there are many tools; the tool's letter stands faintly at the right end."""

    def __init__(self, action: QAction, beside: bool) -> None:
        super().__init__()
        self.setObjectName("line" if beside else "tool")
        self.setDefaultAction(action)
        style = Qt.ToolButtonStyle
        self.setToolButtonStyle(style.ToolButtonTextBesideIcon if beside else style.ToolButtonTextUnderIcon)
        self.setIconSize(QSize(17, 17) if beside else QSize(22, 22))
        self.setMinimumWidth(98)
        self.setSizePolicy(self.sizePolicy().Policy.Expanding, self.sizePolicy().Policy.Fixed)

    @property
    def letter(self) -> str:
        """The key that takes the tool up in this step, where it is a letter alone."""
        action = self.defaultAction()
        keys = "" if action is None else action.shortcut().toString()
        return keys if len(keys) == 1 else ""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.letter:
            painter = QPainter(self)
            painter.setFont(theme.text_font(theme.SMALL_POINTS))
            painter.setPen(QColor(theme.now().faint))
            edge = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(self.rect().adjusted(0, 0, -7, 0), edge, self.letter)
