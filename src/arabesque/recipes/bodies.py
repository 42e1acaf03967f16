"""Bodies: sewn of surfaces, put together from other bodies and true shapes."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.shapes import Sampled, can
from arabesque.solid import Body, KernelWorker, combine, sew


class Putting(Enum):
    """How bodies are put together, the value in words."""

    CUT = "cut away"
    ADD = "added"
    COMMON = "kept in common"


_WORDS = {Putting.CUT: "cut", Putting.ADD: "add", Putting.COMMON: "common"}


@dataclass(frozen=True)
class SewnBody(Recipe):
    """The body of the patches and faces of items (ids), whose borders lie within so many mm of each other."""

    word = "sewn"

    of: tuple[str, ...]
    within: float = 0.01

    @property
    def inputs(self) -> tuple[str, ...]:
        return self.of

    @property
    def stands_for(self) -> tuple[str, ...]:
        return self.of

    def build(self, given: Given, progress: Progress = silent) -> Body:
        parts = []
        for number, key in enumerate(self.of):
            shape = given.shapes[key]
            if not can(shape, Sampled):
                raise ArabesqueError("Something that was sewn has no surface any more", "Undo that, or make it free")
            parts += [(f"face {number + 1}", patch) for patch in shape.patches()]
        return sew(parts, self.within, kernel_of(given), progress)


@dataclass(frozen=True)
class CombinedBody(Recipe):
    """A body (id) with others, or with the solids that closed true shapes bound, put together."""

    word = "put together"

    one: str
    others: tuple[str, ...]
    how: Putting = Putting.CUT

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.one, *self.others)))

    @property
    def stands_for(self) -> tuple[str, ...]:
        return self.inputs

    def build(self, given: Given, progress: Progress = silent) -> Body:
        one, *others = (_solid(given.shapes[key]) for key in (self.one, *self.others))
        if not isinstance(one, Body):
            raise ArabesqueError("A true shape alone is no body", "Sew a body first, or choose one")
        return combine(_WORDS[self.how], one, others, kernel_of(given), progress)


def kernel_of(given: Given) -> KernelWorker:
    """The process of the B-rep kernel; raises ArabesqueError where there is none."""
    if given.kernel is None:
        raise ArabesqueError("There is no geometry kernel here", "Rebuild it in the window, or from a project")
    worker: KernelWorker = given.kernel
    return worker


def _solid(shape: Any) -> Body | Elementary:
    if not isinstance(shape, Body | Elementary):
        raise ArabesqueError("Only bodies and true shapes are put together", "Sew the surfaces first")
    return shape
