"""What every check is: one class, with its key, its choices and what it lays over the picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from arabesque.desk.kinds.base import Pen
from arabesque.model import Item


@dataclass(frozen=True)
class NoLook:
    """Of checks that leave nothing to choose."""


class Check:
    """A check that lies over any tool and any other check; listed in ``CHECKS``.

    id: its word in looks and commands. key: the number key. word: on its chip
    and in the menu. Look: a frozen dataclass of what can be chosen of it.
    """

    id: ClassVar[str]
    key: ClassVar[str]
    word: ClassVar[str]
    Look: ClassVar[type[Any]] = NoLook

    @property
    def chooses(self) -> str:
        """Under which word its choices are kept."""
        return self.id

    @property
    def short(self) -> str:
        """What its chip says."""
        return f"{self.key} {self.word.split()[-1]}"

    def prepare(self, pen: Pen) -> None:
        """Say how items are to be drawn, before they are."""

    def lay(self, pen: Pen, items: list[Item]) -> None:
        """Add lines, discs and words over the patches that show."""

    def scaled(self, look: Any, up: int, fine: bool) -> Any:
        """The choices made larger or denser (up: 1 or -1) by the wheel, fine: the other scale; None without one."""
        return None
