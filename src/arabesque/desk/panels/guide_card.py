"""The card of the guided path: what to do now, and a way to leave."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from arabesque.desk import theme
from arabesque.desk.first_minute import FirstMinute
from arabesque.desk.plain import Words

WIDTH, MARGIN = 300, 12
LIFTED = 44
"""Pixels over the lower edge of the view: the scale bar stays free."""


class GuideCard(QWidget):
    """Lies over a corner of the view while somebody is led."""

    def __init__(self, path: FirstMinute, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.setAccessibleName("First minute")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._path, self._parent = path, parent
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 12)
        layout.setSpacing(8)
        self.heading, self.says = Words(), Words()
        self.heading.setObjectName("heading")
        self.says.setWordWrap(True)
        self.tool_button, self.leave_button = QPushButton("Take it up"), QPushButton("Stop here")
        self.tool_button.clicked.connect(path.take_up)
        self.leave_button.clicked.connect(path.leave)
        row = QHBoxLayout()
        row.addWidget(self.tool_button)
        row.addStretch()
        row.addWidget(self.leave_button)
        for label in (self.heading, self.says):
            layout.addWidget(label)
        layout.addLayout(row)
        path.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the present stage, or nothing."""
        self.setVisible(self._path.stage is not None)
        if self._path.stage is None:
            return
        width = theme.scaled(WIDTH)
        self.setFixedWidth(width)
        self.heading.setText(self._path.title)
        self.says.setText(self._path.says)
        self.says.setFixedHeight(self.says.heightForWidth(width - 32))
        self.tool_button.setVisible(self._path.offers_tool)
        self.leave_button.setText("Stop here" if self._path.now is not None else "Close")
        self.place()

    def place(self) -> None:
        """To the lower right corner of the view."""
        self.adjustSize()
        x = self._parent.width() - self.width() - MARGIN
        self.move(x, self._parent.height() - self.height() - LIFTED)
