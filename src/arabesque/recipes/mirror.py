"""The live mirror image of a shape at the twin plane."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Surface
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe


@dataclass(frozen=True, eq=False)
class Mirror(Recipe):
    """Exact to the last bit, and looking to the same side of the form.

    of: id of the shape. axis: the direction along which the image of a patch runs backwards: 0 along u, 1 along v.
    """

    word = "mirror image"
    live = True

    of: str
    axis: int = 0

    def __post_init__(self) -> None:
        if self.axis not in (0, 1):
            raise InvalidShape(f"A patch has no direction {self.axis}", "Give 0 for u or 1 for v")

    @property
    def uses(self) -> tuple[str, ...]:
        return ("plane",)

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of,)

    def build(self, given: Given, progress: Progress = silent) -> Any:
        if given.plane is None:
            raise ArabesqueError("There is no twin plane", "Set one, or make the image free")
        shape = given.shapes[self.of]
        return shape.mirrored(given.plane, self.axis) if isinstance(shape, Surface) else shape.mirrored(given.plane)
