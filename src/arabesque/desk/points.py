"""Which control points are chosen, patch by patch; it outlives the tool in which they were chosen."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Bools
from arabesque.geometry import Surface
from arabesque.model import Item


class PointChoice:
    """Masks over the nets of patches; a net of another size starts with none chosen."""

    def __init__(self) -> None:
        self._masks: dict[str, Bools] = {}

    def mask(self, item: Item) -> Bools:
        """(nu, nv) of a patch: True where chosen."""
        assert isinstance(item.shape, Surface)
        shape = item.shape.points.shape[:2]
        known = self._masks.get(item.id)
        return known if known is not None and known.shape == shape else np.zeros(shape, dtype=bool)

    def put(self, item: Item, mask: Bools) -> None:
        """Choose these points of a patch and no others of it."""
        self._masks[item.id] = mask

    def clear(self) -> None:
        """Choose nothing."""
        self._masks.clear()

    def count(self, items: list[Item]) -> int:
        """How many points of some patches are chosen."""
        return int(sum(self.mask(item).sum() for item in items))
