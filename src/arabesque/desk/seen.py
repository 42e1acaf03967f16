"""What shows: the one definition that picture, picking, checks and the Fit strip go by."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np

from arabesque.model import Document, Item
from arabesque.shapes import Box, Sampled, Shape, can

K = TypeVar("K", bound=Shape)


@dataclass(frozen=True, eq=False)
class Seen:
    """A document as it shows. alone: ids of the only items that show besides the reference scan, or empty.

    An item shows when neither it nor its layer is hidden and it is not put
    aside by showing others alone. What is dimmed shows, and takes part.
    """

    document: Document
    alone: frozenset[str] = frozenset()

    def shows(self, item: Item[Any]) -> bool:
        """True when an item shows."""
        among = not self.alone or item.id in self.alone or item.id == self.document.reference
        return among and self.document.shows(item)

    @property
    def items(self) -> list[Item[Any]]:
        """All items that show, in order."""
        return [item for item in self.document if self.shows(item)]

    def of(self, kind: type[K]) -> list[Item[K]]:
        """The items of a kind that show, in order."""
        return [item for item in self.document.of(kind) if self.shows(item)]

    @property
    def patches(self) -> list[Item[Any]]:
        """What shows and has a surface, in order."""
        return self.that(Sampled)

    def that(self, what: type[Any]) -> list[Item[Any]]:
        """The items that show and answer what a protocol asks, in order."""
        return [item for item in self.items if can(item.shape, what)]

    @property
    def box(self) -> Box | None:
        """Round everything that shows, or round everything when nothing does; None where there is nothing."""
        boxes = [box for item in self.items or list(self.document) if (box := item.shape.box) is not None]
        if not boxes:
            return None
        return np.min([low for low, _ in boxes], axis=0), np.max([high for _, high in boxes], axis=0)

    @property
    def ends(self) -> Box:
        """Lowest and highest corner as ``box``; zeros where there is nothing."""
        return self.box or (np.zeros(3), np.zeros(3))
