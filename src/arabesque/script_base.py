"""What parts of the scripting interface ask of the project that they belong to."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from arabesque.files import Source
from arabesque.model import Change, Document, Item
from arabesque.progress import Progress
from arabesque.recipes import Recipe
from arabesque.scan import Scan
from arabesque.solid import KernelWorker

AnyItem = Item[Any]


class Lends:
    """A project as its parts see it; ``script.Project`` is one."""

    _progress: Progress

    @property
    def document(self) -> Document:
        """See ``script.Project``."""
        raise NotImplementedError

    @property
    def items(self) -> tuple[AnyItem, ...]:
        """See ``script.Project``."""
        raise NotImplementedError

    @property
    def scan(self) -> Scan:
        """See ``script.Project``."""
        raise NotImplementedError

    @property
    def tolerance(self) -> float:
        """See ``script.Project``."""
        raise NotImplementedError

    @tolerance.setter
    def tolerance(self, tolerance: float) -> None:
        raise NotImplementedError

    @property
    def _path(self) -> Path | None:
        raise NotImplementedError

    def _milestone(self, name: str) -> tuple[str, Document] | None:
        raise NotImplementedError

    @property
    def _worker(self) -> KernelWorker:
        raise NotImplementedError

    def item(self, name: str) -> AnyItem:
        """See ``script.Project``."""
        raise NotImplementedError

    def _do(self, change: Change) -> None:
        raise NotImplementedError

    def _derived(self, label: str, name: str, recipe: Recipe, shape: Any = None) -> AnyItem:
        raise NotImplementedError

    def _added(
        self,
        label: str,
        name: str,
        shape: Any,
        made_from: tuple[str, ...] = (),
        words: str = "",
        file: Source | None = None,
    ) -> AnyItem:
        raise NotImplementedError
