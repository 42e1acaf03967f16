"""What is written onto a model for papers: numbered notes, and distances that are picked."""

from __future__ import annotations

from dataclasses import dataclass, replace

from arabesque.arrays import Floats
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

    def moved(self, matrix: Floats) -> Note:
        """The note after a (4, 4) rigid motion of what it stands on."""
        return replace(self, place=_moved(self.place, matrix))


@dataclass(frozen=True)
class Measure:
    """A distance between two places, mm, that papers show."""

    one: Place
    other: Place

    def __post_init__(self) -> None:
        if self.length <= 0:
            raise InvalidShape("Both places of a distance are one", "Choose another place")

    def moved(self, matrix: Floats) -> Measure:
        """The distance after a (4, 4) rigid motion of what it stands on."""
        return Measure(_moved(self.one, matrix), _moved(self.other, matrix))

    @property
    def length(self) -> float:
        """mm."""
        return sum((a - b) ** 2 for a, b in zip(self.one, self.other, strict=True)) ** 0.5


def _moved(place: Place, matrix: Floats) -> Place:
    x, y, z = (matrix[:3, :3] @ place + matrix[:3, 3]).tolist()
    return x, y, z
