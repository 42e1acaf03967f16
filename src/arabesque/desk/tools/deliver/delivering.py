"""What tools share that write a file: Enter asks for the place."""

from __future__ import annotations

from abc import abstractmethod
from pathlib import Path
from typing import NamedTuple

from arabesque.desk.tools.base import Tool


class Written(NamedTuple):
    """What is asked for: title of the dialog, a name to begin with, the kinds of file in words, and the suffix."""

    title: str
    start: str
    kinds: str
    suffix: str


class Delivering(Tool):
    """Enter, or its button, asks for a place and writes there."""

    @property
    @abstractmethod
    def writes(self) -> Written:
        """What would be written now."""

    @abstractmethod
    def write(self, path: Path) -> None:
        """Write it there, beside the window."""

    @property
    def apply_word(self) -> str:
        return "Write…"

    def apply(self) -> None:
        if self.can_apply:
            self.place_wanted.emit()
