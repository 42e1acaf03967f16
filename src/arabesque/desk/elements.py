"""Which edges and faces of cages are chosen; it outlives the tool in which they were chosen."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Bools, Ints
from arabesque.cages import Quads
from arabesque.model import Item


class ElementChoice:
    """Chosen edges and faces, cage by cage; a cage of another net starts with none."""

    def __init__(self) -> None:
        self._edges: dict[str, tuple[Quads, Bools]] = {}
        self._faces: dict[str, tuple[Quads, Bools]] = {}

    def edges(self, item: Item) -> Bools:
        """(e,) which edges of a cage are chosen."""
        quads: Quads = item.shape.quads
        known = self._edges.get(item.id)
        return known[1] if known is not None and known[0] is quads else np.zeros(len(quads.edges), dtype=bool)

    def faces(self, item: Item) -> Bools:
        """(f,) which faces of a cage are chosen."""
        quads: Quads = item.shape.quads
        known = self._faces.get(item.id)
        return known[1] if known is not None and known[0] is quads else np.zeros(len(quads.faces), dtype=bool)

    def put_edges(self, item: Item, mask: Bools) -> None:
        """Choose these edges of a cage and no faces of it."""
        self._edges[item.id] = item.shape.quads, mask
        self._faces.pop(item.id, None)

    def put_faces(self, item: Item, mask: Bools) -> None:
        """Choose these faces of a cage and no edges of it."""
        self._faces[item.id] = item.shape.quads, mask
        self._edges.pop(item.id, None)

    def clear(self) -> None:
        """Choose nothing."""
        self._edges.clear()
        self._faces.clear()

    def halves(self, item: Item) -> Ints:
        """A half-edge of every chosen edge; on the border the one with a face."""
        quads: Quads = item.shape.quads
        chosen = np.flatnonzero(self.edges(item)[quads.edge_of])
        _, first = np.unique(quads.edge_of[chosen], return_index=True)
        found: Ints = chosen[first]
        return found
