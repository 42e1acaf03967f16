"""One line of the Outline: a shape, where it came from, and what edits of it have to keep."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field
from typing import Generic

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import InvalidShape
from arabesque.files import Source
from arabesque.geometry import Elementary, Twin
from arabesque.mending import Preparing
from arabesque.model.kinds import kind_of
from arabesque.recipes import Recipe
from arabesque.shapes import S, Shape

LONGEST_NAME = 120
LONGEST_WORDS = 400


def cleaned(words: str, most: int = LONGEST_NAME) -> str:
    """Words from anywhere as one line: what cannot be printed is a space, and what is too long is cut."""
    if words.isprintable() and len(words) <= most:
        return words
    line = " ".join("".join(sign if sign.isprintable() else " " for sign in words[: 4 * most]).split())
    return line if len(line) <= most else line[: most - 1] + "…"


@dataclass(frozen=True)
class Look:
    """How an item is shown."""

    visible: bool = True
    see_through: bool = False
    dimmed: bool = False


@dataclass(frozen=True, eq=False)
class Origin:
    """Where a free item comes from.

    made_from: ids of the items it was made from. words: a few, on how. motion: (4, 4) from where the item it was
    made from lies, for a scan that was laid square; None when it lies there still. file: that it was read from, if any.
    steps: of preparing, by which a scan was made of another.
    """

    made_from: tuple[str, ...] = ()
    words: str = ""
    motion: Floats | None = None
    file: Source | None = None
    steps: tuple[Preparing, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "words", cleaned(self.words, LONGEST_WORDS))
        if self.motion is not None:
            motion = frozen_array(self.motion, (4, 4), np.float64, what="Motion")
            object.__setattr__(self, "motion", motion)


@dataclass(frozen=True)
class Ties:
    """What an edit has to keep.

    twin: how a patch follows its mirror image, or None. pins: (i, j) of the control points that fits leave where
    they are.
    """

    twin: Twin | None = None
    pins: frozenset[tuple[int, int]] = frozenset()

    def __post_init__(self) -> None:
        if any(min(pin) < 0 for pin in self.pins):
            raise InvalidShape("A pin stands outside its net", "Let the pins go")


@dataclass(frozen=True, eq=False)
class Version:
    """An earlier state of an item, kept aside: out of the picture and of all checks."""

    name: str
    shape: Shape
    ties: Ties = field(default_factory=Ties)

    def __post_init__(self) -> None:
        object.__setattr__(self, "name", cleaned(self.name))


@dataclass(frozen=True, eq=False)
class Item(Generic[S]):
    """One line of the Outline.

    recipe: how it is made, for a derived item; a free one owns its data.
    made_of: the very values it was built from: it is stale when what it would
    be built from now is not those, by identity. trouble: why the last build
    failed; the shape is the last good one then. layer: id of the layer it
    lies on, or None. versions: parked ones, oldest first.
    """

    id: str
    name: str
    shape: S
    origin: Origin = field(default_factory=Origin)
    ties: Ties = field(default_factory=Ties)
    look: Look = field(default_factory=Look)
    layer: str | None = None
    versions: tuple[Version, ...] = ()
    recipe: Recipe | None = None
    made_of: tuple[object, ...] = ()
    trouble: str = ""

    def __post_init__(self) -> None:
        object.__setattr__(self, "name", cleaned(self.name) or "Unnamed")

    @property
    def kind(self) -> str:
        """The word of its kind; of a true shape, which one it is."""
        return self.shape.kind.value if isinstance(self.shape, Elementary) else kind_of(self.shape).word


def new_id() -> str:
    """An id that no other item has."""
    return uuid.uuid4().hex[:12]
