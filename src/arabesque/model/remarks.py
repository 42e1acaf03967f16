"""What is written onto a model for papers: numbered notes, and distances that are picked."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.errors import InvalidShape
from arabesque.model.item import cleaned

Place = tuple[float, float, float]
LONGEST_NOTE = 400


@dataclass(frozen=True)
class Note:
    """A remark at a place, mm; done: it was seen to. Its number is its place among all."""

    place: Place
    words: str
    done: bool = False

    def __post_init__(self) -> None:
        object.__setattr__(self, "words", cleaned(self.words, LONGEST_NOTE))
        if not self.words:
            raise InvalidShape("A note without words says nothing", "Write a few")


@dataclass(frozen=True)
class Measure:
    """A distance between two places, mm, that papers show."""

    one: Place
    other: Place

    def __post_init__(self) -> None:
        if self.length <= 0:
            raise InvalidShape("Both places of a distance are one", "Choose another place")

    @property
    def length(self) -> float:
        """mm."""
        return sum((a - b) ** 2 for a, b in zip(self.one, self.other, strict=True)) ** 0.5
