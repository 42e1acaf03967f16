"""What the view shows besides the items: which checks lie over them, and how scans look. A frozen value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import Enum
from types import MappingProxyType
from typing import Any, Protocol, TypeVar

T = TypeVar("T", covariant=True)


class Along(Enum):
    """A direction of space; the value is its word and its vector."""

    X = ("x", (1.0, 0.0, 0.0))
    Y = ("y", (0.0, 1.0, 0.0))
    Z = ("z", (0.0, 0.0, 1.0))


class ScanLook(Enum):
    """How the reference scan is shown."""

    SOLID = "solid"
    SEE_THROUGH = "see-through"
    HIDDEN = "hidden"


class CageLook(Enum):
    """What of a cage is shown; the value is its words."""

    BOTH = "cage and surface"
    SURFACE = "surface alone"
    NET = "cage alone"


class Chosen(Protocol[T]):
    """A check, as far as its choices go: the word they are kept under, and the class of them."""

    @property
    def chooses(self) -> str: ...

    @property
    def Look(self) -> type[T]: ...


@dataclass(frozen=True)
class Looks:
    """What lies over the picture, and how.

    on: ids of the checks that are shown. latest: the one that was switched on
    last; the wheel changes that one. scans: how they are drawn. alone: ids of
    the only items that show, or empty. edges: those of triangles are drawn.
    cages: what of them is shown. against_all: distances are to the nearest of all scans that show, not to
    the reference scan alone. choices: what is chosen of each check.
    """

    on: frozenset[str] = frozenset()
    latest: str | None = None
    scans: ScanLook = ScanLook.SOLID
    alone: frozenset[str] = frozenset()
    edges: bool = False
    cages: CageLook = CageLook.BOTH
    against_all: bool = False
    choices: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))

    def of(self, check: Chosen[T]) -> T:
        """What is chosen of a check; its defaults where nothing was."""
        known: T | None = self.choices.get(check.chooses)
        return check.Look() if known is None else known

    def choosing(self, check: Chosen[T], look: Any) -> Looks:
        """The same with other choices of a check."""
        return replace(self, choices=MappingProxyType({**self.choices, check.chooses: look}))

    def toggled(self, check_id: str) -> Looks:
        """The same with a check laid over the picture, or taken away."""
        on = self.on ^ {check_id}
        return replace(self, on=on, latest=check_id if check_id in on else None)
