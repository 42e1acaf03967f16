"""The path of the seven steps, and the column of the step's tools."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from arabesque.desk.steps import Step

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
                arrow = QLabel("›")
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

    def __init__(self, contents: Callable[[Step], list[list[QAction]]]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._contents = contents
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
        groups = self._contents(step)
        crowded = sum(map(len, groups)) > CROWDED
        self._layout.setSpacing(0 if crowded else 2)
        for number, group in enumerate(groups):
            if number:
                self._layout.addSpacing(6 if crowded else 10)
            for action in group:
                self._layout.addWidget(_tool_button(action, crowded))
        if not groups or step in (Step.CHECK,):
            line = QLabel(step.line)
            line.setObjectName("faint")
            line.setWordWrap(True)
            line.setContentsMargins(6, 6, 6, 6)
            self._layout.addWidget(line)
        self._layout.addStretch()


def _tool_button(action: QAction, beside: bool) -> QToolButton:
    """Icon over word; word beside icon where there are many tools."""
    button = QToolButton()
    button.setObjectName("line" if beside else "tool")
    button.setDefaultAction(action)
    style = Qt.ToolButtonStyle
    button.setToolButtonStyle(style.ToolButtonTextBesideIcon if beside else style.ToolButtonTextUnderIcon)
    button.setIconSize(QSize(17, 17) if beside else QSize(22, 22))
    button.setMinimumWidth(98)
    button.setSizePolicy(button.sizePolicy().Policy.Expanding, button.sizePolicy().Policy.Fixed)
    return button
