"""Which control points are chosen, shape by shape; it outlives the tool in which they were chosen."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Bools
from arabesque.model import Item


class PointChoice:
    """Masks over the nets of shapes; a net of another size starts with none chosen."""

    def __init__(self) -> None:
        self._masks: dict[str, Bools] = {}

    def mask(self, item: Item) -> Bools:
        """(n,) of a net: True where chosen."""
        count = len(item.shape.net().points)
        known = self._masks.get(item.id)
        return known if known is not None and len(known) == count else np.zeros(count, dtype=bool)

    def put(self, item: Item, mask: Bools) -> None:
        """Choose these points of a shape and no others of it."""
        self._masks[item.id] = mask

    def clear(self) -> None:
        """Choose nothing."""
        self._masks.clear()

    def count(self, items: list[Item]) -> int:
        """How many points of some shapes are chosen."""
        return int(sum(self.mask(item).sum() for item in items))
