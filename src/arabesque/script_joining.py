"""Joining from Python: blends between patches, and how all that should meet does."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from arabesque.checking import Join, find_joins
from arabesque.errors import ArabesqueError
from arabesque.joining import Ways
from arabesque.model import edits
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import BlendBetween, BorderOf, MatchedEdge, MatchedTo, SetOffSurface
from arabesque.script_base import AnyItem, Lends
from arabesque.shapes import Rimmed, Sampled, can


class Joins(Lends):
    """What lies between patches; ``script.Project`` is one."""

    def blend_borders(
        self,
        one: tuple[AnyItem, int],
        two: tuple[AnyItem, int],
        order: int | tuple[int, int] = 2,
        pull: float | tuple[float, float] = 1.0,
        parts: tuple[tuple[float, float], tuple[float, float]] = ((0.0, 1.0), (0.0, 1.0)),
        ways: str = "along the rows",
        degree: int = 0,
    ) -> AnyItem:
        """A patch from one border to another that goes on in both with G0 to G3, and follows them.

        one, two: (item, border): of a patch as in ``geometry.Edge``, of a trimmed face the number among its ``rims``.
        order: of both, or each. pull: how far each one's form is followed, 1 is usual. parts: from which share of each
        border to which. ways: "along the rows", "square to the border" or "towards the other". degree: across, at
        least. Exact where the rows of two edges are followed.
        """
        orders = (order, order) if isinstance(order, int) else order
        pulls = (pull, pull) if isinstance(pull, (int, float)) else pull
        sides = [
            BorderOf(self.item(item.id).id, int(rim), orders[k], parts[k], (float(pulls[k]),) * 3)
            for k, (item, rim) in enumerate((one, two))
        ]
        return self._derived("blend", "Blend", BlendBetween(sides[0], sides[1], Ways(ways), degree))

    def best_pull(self, made: AnyItem) -> float:
        """Give a blend the pulls at which it lies nearest to the reference scan; how near 99 % of it are then, mm."""
        item = self.item(made.id)
        recipe = item.recipe
        if not isinstance(recipe, BlendBetween):
            raise ArabesqueError(f"{item.name} is no blend", "Give one that blend_borders has made")
        pulled, away = recipe.best(given(self.document, recipe), self.scan, self._progress)
        shape = pulled.build(given(self.document, pulled), self._progress)
        made_of = ingredients(self.document, pulled)
        self._do(edits.items.derived_again(self.document, item, "best pull", shape, pulled, made_of))
        return away

    def match_edge(
        self, patch: AnyItem, edge: int, to: tuple[AnyItem, int], order: int = 2, rows: int = 0,
        ways: str = "along the rows",
    ) -> AnyItem:  # fmt: skip
        """Bring an edge of a patch to a border of something else, (item, number), and let it go on there with G0 to G3;
        it follows from then on. rows: so many rows of control points at least take part."""
        item = self.item(patch.id)
        again = isinstance(item.recipe, MatchedTo)
        before = item.recipe if again else MatchedTo(item.shape, (), Ways(ways))
        assert isinstance(before, MatchedTo)
        kept = tuple(one for one in before.edges if one.edge != int(edge))
        one = MatchedEdge(int(edge), BorderOf(self.item(to[0].id).id, int(to[1]), order), rows)
        recipe = replace(before, edges=(*kept, one), ways=Ways(ways))
        shape = recipe.build(given(self.document, recipe), self._progress)
        made_of = ingredients(self.document, recipe)
        self._do(edits.items.derived_again(self.document, item, "edge matched", shape, recipe, made_of))
        return self.item(item.id)

    def offset(self, surface: AnyItem, length: float, near: float = 0.001) -> AnyItem:
        """A surface set off by ``length`` mm along the normals of a patch or true shape, below 0 against them; it
        follows. near: mm, how near it comes to the true offset."""
        return self._derived("set off", "Set off", SetOffSurface(self.item(surface.id).id, length, near))

    def joins(self, items: Iterable[AnyItem] | None = None) -> list[Join]:
        """How patches (all, unless some are given) meet: gap, angle, curvature, the grade in words; the worst first."""
        some = [item.shape for item in (self.items if items is None else items) if can(item.shape, Rimmed)]
        # the patches of a network meet each other too
        shapes = [patch for shape in some for patch in (shape.patches() if can(shape, Sampled) else (shape,))]
        return sorted(find_joins(shapes), key=Join.rank)
