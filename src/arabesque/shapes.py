"""What shapes answer for themselves: structural protocols, nobody has to inherit."""

from __future__ import annotations

from typing import Any, Protocol, TypeVar

from arabesque.arrays import Floats

Box = tuple[Floats, Floats]
"""Lowest and highest corner, (3,) each, mm."""


class Shape(Protocol):
    """What every shape can: an immutable value over read-only arrays.

    box: round it, or None for what has no place of its own. moved: after a (4, 4) rigid motion. mirrored: the
    image at a ``geometry.Plane``, looking to the same side of the form.
    """

    @property
    def box(self) -> Box | None: ...

    def moved(self, matrix: Floats) -> Any: ...

    def mirrored(self, plane: Any) -> Any: ...


S = TypeVar("S", bound=Shape, covariant=True)
