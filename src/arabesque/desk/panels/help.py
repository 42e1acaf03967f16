"""The help page: the order of work, the words, and every command with its keys; ships with the program."""

from __future__ import annotations

from html import escape
from importlib.resources import files

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QTextBrowser, QWidget

from arabesque.desk.commands.command import Command


class HelpPage(QTextBrowser):
    """A window of its own that may stay open beside the work."""

    def __init__(self, commands: list[Command], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowFlag(Qt.WindowType.Window)
        self.setWindowTitle("Arabesque: help")
        self.resize(720, 760)
        text = files("arabesque.desk").joinpath("help.md").read_text(encoding="utf-8")
        self.setMarkdown(text)
        self.setHtml(self.toHtml().replace("@commands@", commands_table(commands)))
        QShortcut(QKeySequence("Esc"), self, self.close)


def commands_table(commands: list[Command]) -> str:
    """Every command with its place, keys and hint, as HTML rows."""
    rows = [
        f"<tr><td><b>{escape(c.label)}</b>&nbsp;&nbsp;</td><td>{escape(c.shortcut)}&nbsp;&nbsp;</td>"
        f"<td>{escape(c.hint)}</td></tr>"
        for c in commands
    ]
    return f"<table cellspacing='4'>{''.join(rows)}</table>"
