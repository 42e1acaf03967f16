"""Words that may come from a file are shown as they are, never read as markup."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel


class Words(QLabel):
    """A label of plain text."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


def hint(text: str) -> str:
    """A tool tip that shows ``text`` as it is: Qt reads as markup what looks like it."""
    return f"<qt>{escape(text)}</qt>" if "<" in text or "&" in text else text
