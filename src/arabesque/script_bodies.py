"""Bodies from Python: sewn, put together, checked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from arabesque.errors import ArabesqueError
from arabesque.joining import Rims, alike, edges_of, nearest_edge, same_rim
from arabesque.model import edits
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import (
    CombinedBody,
    Putting,
    Recipe,
    RepeatedBody,
    RoundedBody,
    SewnBody,
    ThickenedBody,
    Thickness,
)
from arabesque.script_base import AnyItem, Lends
from arabesque.solid import Body, KernelWorker, Told


class Bodies(Lends):
    """What becomes solid; ``script.Project`` is one."""

    @property
    def _worker(self) -> KernelWorker:
        raise NotImplementedError

    def sew(self, items: Sequence[AnyItem], within: float = 0.01, cap: bool = False, merge: bool = False) -> AnyItem:
        """The body of patches and faces whose borders lie within so many mm of each other: a solid where it is closed.

        It follows them and stands for them; see ``told_of_body`` for what it is. cap: openings are closed. merge: faces
        of one surface become one.
        """
        keys = tuple(self.item(item.id).id for item in items)
        if not keys:
            raise ArabesqueError("There is nothing to sew", "Give patches or faces")
        return self._body("sewn", SewnBody(keys, within, cap, merge))

    def thicken(
        self,
        items: Sequence[AnyItem],
        length: float,
        side: str = "along the normals",
        near: float = 0.002,
        rims: str = "square",
    ) -> AnyItem:
        """The solid of a skin of patches and faces with a thickness, mm; it follows them and stands for them.

        side: "along the normals", "against the normals" (of the first) or "to both sides". near: mm, how near its sides
        come to true offsets. rims: of free borders, "square", "rounded" or "drawn to an edge". Edges inside stay edges.
        """
        keys = tuple(self.item(item.id).id for item in items)
        return self._body("thickened", ThickenedBody(keys, length, Thickness(side), near, Rims(rims)))

    def cut(self, body: AnyItem, by: AnyItem | Sequence[AnyItem]) -> AnyItem:
        """A body with others cut away, or the solids that closed true shapes bound; it follows all of them."""
        return self._put(body, by, Putting.CUT)

    def add_bodies(self, body: AnyItem, others: AnyItem | Sequence[AnyItem]) -> AnyItem:
        """A body with others added; as ``cut``."""
        return self._put(body, others, Putting.ADD)

    def common(self, body: AnyItem, others: AnyItem | Sequence[AnyItem]) -> AnyItem:
        """What a body and others have in common; as ``cut``."""
        return self._put(body, others, Putting.COMMON)

    def round_body(self, body: AnyItem, near: ArrayLike, radius: float, end: float = 0.0, like: str = "") -> AnyItem:
        """A body with the edges nearest to places, (3,) or (k, 3), rounded; what goes on smoothly is taken along.

        end: mm, a radius to which it goes evenly along each edge. like: "rim" takes the whole rim of each edge along,
        "alike" all that are as long, at the same angle, and bulge or are hollow as it does.
        """
        return self._edges(body, self._like(body, near, like), radius, False, end)

    def chamfer(self, body: AnyItem, near: ArrayLike, length: float) -> AnyItem:
        """A body with the edges nearest to places, (3,) or (k, 3), cut off by a length, mm."""
        return self._edges(body, near, length, True)

    def repeat(
        self,
        body: AnyItem,
        count: int,
        way: ArrayLike,
        at: ArrayLike = (0.0, 0.0, 0.0),
        step: float = 0.0,
        since: AnyItem | None = None,
    ) -> AnyItem:
        """A body ``count`` times as one: turned about an axis (3,) through a place (3,), or each time ``step`` mm
        further along it. since: an earlier body, where only what was done to that is repeated."""
        place, axis = (np.asarray(value, dtype=float) for value in (at, way))
        earlier = "" if since is None else self.item(since.id).id
        return self._body("repeated", RepeatedBody(self.item(body.id).id, place, axis, count, step, earlier))

    def _edges(self, body: AnyItem, near: ArrayLike, size: float, chamfer: bool, end: float = 0.0) -> AnyItem:
        places = np.asarray(near, dtype=float).reshape(-1, 3)
        return self._body("edges rounded", RoundedBody(self.item(body.id).id, places, size, chamfer, end))

    def _like(self, body: AnyItem, near: ArrayLike, like: str) -> ArrayLike:
        """Places on edges, with those of edges that are like them."""
        if not like:
            return near
        found = {"rim": same_rim, "alike": alike}.get(like)
        if found is None:
            raise ArabesqueError(f"Edges are not known by '{like}'", "Give 'rim' or 'alike'")
        edges = edges_of(self.item(body.id).shape)
        some = [nearest_edge(edges, place) for place in np.asarray(near, dtype=float).reshape(-1, 3)]
        return np.array([edge.middle for one in some for edge in found(edges, one)])

    def told_of_body(self, body: AnyItem) -> Told:
        """Whether a body is valid and closed, its volume, area, centre, widest gap, shortest edge and free borders."""
        shape = self.item(body.id).shape
        if not isinstance(shape, Body):
            raise ArabesqueError(f"{body.name} is no body", "Give one that sew, cut, add or common has made")
        return shape.told

    def _put(self, body: AnyItem, others: AnyItem | Sequence[AnyItem], how: Putting) -> AnyItem:
        some = others if isinstance(others, Sequence) else [others]
        keys = tuple(self.item(item.id).id for item in some)
        return self._body(how.value, CombinedBody(self.item(body.id).id, keys, how))

    def _body(self, word: str, recipe: Recipe, name: str = "Body") -> AnyItem:
        source = replace(given(self.document, recipe), kernel=self._worker)
        shape = recipe.build(source, self._progress)
        made_of = ingredients(self.document, recipe)
        change = edits.items.standing_for(self.document, word, name, shape, recipe, made_of)
        self._do(change)
        assert change.select is not None
        return self.document[change.select]
