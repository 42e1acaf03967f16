"""What every recipe is: a frozen value that says how a derived item is made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

from arabesque.arrays import Floats
from arabesque.geometry import Plane
from arabesque.progress import Progress, silent
from arabesque.scan import Scan


@dataclass(frozen=True)
class Given:
    """What a recipe is built from.

    shapes: of its inputs, by id. scan: the reference scan. tolerance: mm. plane: the twin plane of its first input.
    kernel: the process of the B-rep kernel (``solid.KernelWorker``), where bodies can be made. recipes: how items are
    made, by id.
    """

    shapes: Mapping[str, Any] = field(default_factory=dict)
    scan: Scan | None = None
    tolerance: float = 0.2
    plane: Plane | None = None
    kernel: Any = None
    recipes: Mapping[str, Recipe | None] = field(default_factory=dict)


class Recipe:
    """How a derived item is made: a frozen dataclass of numbers, words, arrays and ids, in its own module.

    word: in files, and in the Outline. uses: what of the document it goes by
    besides its inputs: "scan" (the reference scan), "tolerance", "plane" (the
    twin plane of its first input, or of the document). live: quick enough to follow in a drag.
    """

    word: ClassVar[str]
    live: ClassVar[bool] = False

    @property
    def uses(self) -> tuple[str, ...]:
        """What of the document it goes by."""
        return ()

    @property
    def inputs(self) -> tuple[str, ...]:
        """Ids of the items it is made from."""
        return ()

    @property
    def stands_for(self) -> tuple[str, ...]:
        """Ids of the items in whose place it is shown."""
        return ()

    @property
    def in_drags(self) -> bool:
        """Whether it follows in a drag, as it is set."""
        return self.live

    def moved(self, matrix: Floats) -> Recipe:
        """The recipe after a (4, 4) rigid motion of all that it is made from."""
        return self

    def build(self, given: Given, progress: Progress = silent) -> Any:
        """The shape; raises ArabesqueError when it cannot be made."""
        raise NotImplementedError
