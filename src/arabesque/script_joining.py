"""Joining from Python: blends between patches, and how all that should meet does."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from arabesque.checking import Join, find_joins
from arabesque.errors import ArabesqueError
from arabesque.fitting import Together
from arabesque.geometry import Face, Manner, Surface
from arabesque.joining import Blend, Crossing, Filled, Recast, Round, Section, Shown, Ways, crossings, side_of
from arabesque.model import Item, edits
from arabesque.model.item import new_id
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import (
    INSIDE,
    BlendBetween,
    BorderOf,
    CrossingOf,
    CutBy,
    ExtendedFace,
    FillOpening,
    FillWith,
    RecastFace,
    Recipe,
    RoundBetween,
    SetOffSurface,
    TrimmedBy,
    shares_of,
)
from arabesque.script_base import AnyItem, Lends
from arabesque.shapes import Rimmed, Sampled, can


class Joins(Lends):
    """What lies between patches; ``script.Project`` is one."""

    def blend_borders(
        self,
        one: tuple[AnyItem, int | AnyItem],
        two: tuple[AnyItem, int | AnyItem] | None = None,
        order: int | tuple[int, int] = 2,
        pull: float | tuple[float, float] = 1.0,
        parts: tuple[tuple[float, float], tuple[float, float]] = ((0.0, 1.0), (0.0, 1.0)),
        ways: str = "along rows",
        degree: int = 0,
        middle: int = 0,
        lines: Sequence[AnyItem] = (),
    ) -> AnyItem:
        """A patch from one border to another that goes on in both with G0 to G3, and follows them.

        one, two: (item, border): of a patch as in ``geometry.Edge``, of a trimmed face the number among its ``rims``;
        or (surface, curve) for the line of a surface below a curve. Without ``two`` it goes to the mirror image of the
        first over the twin plane, symmetric to the bit.
        order: of both, or each. pull: how far each one's form is followed, 1 is usual. parts: from which share of each
        border to which. ways: "along rows", "squarely" or "to the other". degree: across, at
        least. middle: so many rows between lie on the reference scan. lines: up to two curves from border to border,
        along which its sides run. Exact where the rows of two edges are followed.
        """
        orders = (order, order) if isinstance(order, int) else order
        pulls = (pull, pull) if isinstance(pull, (int, float)) else pull
        sides = [
            replace(self._border(border, orders[k]), part=parts[k], pull=(float(pulls[k]),) * 3)
            for k, border in enumerate((one, two or one))
        ]
        along = tuple(self.item(line.id).id for line in lines)
        recipe = BlendBetween(sides[0], sides[1], Ways(ways), degree, middle, two is None, along)
        return self._derived("blend", "Blend", recipe)

    def _border(self, border: AnyItem | tuple[AnyItem, int | AnyItem], order: int) -> BorderOf:
        """A border by its number, a line of a surface below a curve, or the inside of what is given alone."""
        item, which = border if isinstance(border, tuple) else (border, INSIDE)
        key = self.item(item.id).id
        if isinstance(which, Item):
            return BorderOf(key, INSIDE, order, line=self.item(which.id).id)
        return BorderOf(key, int(which), order)

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
        self, patch: AnyItem, edge: int, to: AnyItem | tuple[AnyItem, int | AnyItem] | None, order: int = 2,
        rows: int = 0, ways: str = "along rows", half_way: bool = False,
    ) -> AnyItem:  # fmt: skip
        """Bring an edge of a patch to a border of something else, (item, number), and let it go on there with G0 to G3;
        it follows from then on.

        to: a surface alone is met inside, where the edge lies over it; a curve alone in its place (G0); None is the
        twin plane, where it is seated. rows: so many rows of control points at least take part. half_way: the other
        patch's edge comes half way, and that one is free from then on.
        """
        item = self.item(patch.id)
        if to is None:
            self._do(edits.twins.edge_seated(self.document, item, edge, order))
            return self.item(item.id)
        border = self._border(to, order)
        self._do(edits.joining.matched(self.document, item, edge, border, rows, Ways(ways), half_way))
        return self.item(item.id)

    def extend(
        self,
        patch: AnyItem,
        border: int | Sequence[int],
        length: float,
        manner: str = "as its own form",
        past: AnyItem | None = None,
    ) -> AnyItem:
        """Move an ``Edge`` of a patch, or some, out by ``length`` mm on average, or back below 0; returns the patch,
        which is free from then on.

        Of a trimmed face border is a number among its ``rims``, or some; what comes of it follows, and stands for the
        face, which is hidden. past: until all of the border lies ``length`` mm beyond this surface. manner: "as its own
        form", "straight" or "with its curvature".
        """
        item, some = self.item(patch.id), [border] if isinstance(border, (int, np.integer)) else list(border)
        beyond = "" if past is None else self.item(past.id).id
        recipe = ExtendedFace(item.id, tuple(int(k) for k in some), length, beyond, Manner(manner))
        if isinstance(item.shape, Face):
            return self._standing_for(item, "extended", recipe)
        if not isinstance(item.shape, Surface):
            raise ArabesqueError(f"{item.name} has no edge that can be moved", "Choose a patch or a face")
        longer = recipe.build(given(self.document, recipe), self._progress)
        self._do(edits.items.reshaped(self.document, item, "edge moved", longer))
        return self.item(item.id)

    def extend_chain(
        self, edges: Sequence[tuple[AnyItem, int]], length: float, manner: str = "as its own form"
    ) -> list[AnyItem]:
        """Move edges of neighbouring patches, (item, ``Edge``), out together: corners that they share stay shared. The
        first moves by ``length`` mm on average."""
        some = [(self.item(item.id), int(edge)) for item, edge in edges]
        self._do(edits.joining.chain_extended(self.document, some, length, Manner(manner)))
        return [self.item(item.id) for item, _ in some]

    def offset(self, surface: AnyItem, length: float, near: float = 0.001) -> AnyItem:
        """A surface set off by ``length`` mm along the normals of a patch or true shape, below 0 against them; it
        follows. near: mm, how near it comes to the true offset."""
        return self._derived("set off", "Set off", SetOffSurface(self.item(surface.id).id, length, near))

    def trim(
        self,
        surface: AnyItem,
        by: AnyItem | tuple[AnyItem, int] | list[AnyItem | tuple[AnyItem, int]],
        keep: Sequence[ArrayLike] | None = None,
        direction: ArrayLike | None = None,
        further: float = 0.0,
    ) -> AnyItem:
        """What is left of a surface where others cut it; it follows all of them, and stands for the surface, which is
        hidden.

        by: surfaces, curves, or borders (item, number), which are brought onto the surface along ``direction`` (3,) or
        to the closest places. keep: (3,) places on pieces that stay; without any, those stay that the scan shows.
        further: mm by which what cuts goes on at its ends; a plane goes on by itself.
        """
        item, cutters = self.item(surface.id), self._cutters(by, direction, further)
        places = np.array([np.asarray(place, dtype=float) for place in keep or ()]).reshape(-1, 3)
        shares = shares_of(item.shape, places) if len(places) else np.empty((0, 2))
        return self._standing_for(item, "cut", TrimmedBy(item.id, cutters, shares))

    def trim_apart(
        self,
        surface: AnyItem,
        by: AnyItem | tuple[AnyItem, int] | list[AnyItem | tuple[AnyItem, int]],
        direction: ArrayLike | None = None,
        further: float = 0.0,
    ) -> list[AnyItem]:
        """All the pieces into which others cut a surface, the largest first; each follows, and together they stand for
        the surface, which is hidden. Otherwise as ``trim``."""
        item, cutters = self.item(surface.id), self._cutters(by, direction, further)
        whole = TrimmedBy(item.id, cutters, np.full((1, 2), 0.5))
        source = given(self.document, whole)
        pieces = whole.pieces(source)
        recipes = [replace(whole, keep=pieces.share(number)[None]) for number in range(len(pieces.pieces))]
        parts = [(item.id, one.build(source), one, ingredients(self.document, one)) for one in recipes]
        known = set(self.document.items)
        self._do(edits.items.derived_in_place(self.document, "cut", parts))
        return [made for made in self.document if made.id not in known]

    def untrim(self, face: AnyItem) -> list[AnyItem]:
        """Show what a face was cut, extended or recast from again, in its place; returns that."""
        item = self.item(face.id)
        change = edits.items.stood_down(self.document, item)
        if change is None or item.recipe is None:
            raise ArabesqueError(f"{item.name} stands for nothing", "Give one that trim, extend or recast has made")
        self._do(change)
        return [self.item(key) for key in item.recipe.stands_for]

    def _cutters(
        self,
        by: AnyItem | tuple[AnyItem, int] | list[AnyItem | tuple[AnyItem, int]],
        direction: ArrayLike | None,
        further: float,
    ) -> tuple[CutBy, ...]:
        some = [by] if isinstance(by, (Item, tuple)) else list(by)
        pairs = [one if isinstance(one, tuple) else (one, -1) for one in some]
        way = None if direction is None else np.asarray(direction, dtype=float)
        return tuple(CutBy(self.item(one.id).id, int(rim), way, further) for one, rim in pairs)

    def round_surfaces(
        self,
        one: AnyItem,
        two: AnyItem,
        radius: float | tuple[float, float, float],
        keep: tuple[ArrayLike, ArrayLike],
        section: str = "circular",
        chord: bool = False,
        pull: float = 1.0,
        cut: bool = True,
    ) -> AnyItem:
        """The edge in which two surfaces cross, rounded; both are cut where the round touches them, unless ``cut`` is
        False. All of it follows.

        radius: mm, or at the start, in the middle and at the end; with ``chord`` the length between both contacts.
        keep: (3,) places on the parts of both that stay. section: "circular", "in curvature (G2)" or
        "in its change (G3)"; pull: how far such a section follows the surfaces.
        """
        recipe = self._round_recipe(one, two, radius, keep, section, chord, pull)
        source = given(self.document, recipe)
        made, key = recipe.made(source), new_id()
        cuts = recipe.cuts(key, made, source) if cut else []
        parts = [(one.of, face, one, (source.shapes[one.of], made.surface)) for one, face in cuts]
        item = key, made.surface, recipe, ingredients(self.document, recipe)
        self._do(edits.items.derived_and_cut(self.document, "edge rounded", "Round", item, parts))
        return self.document[key]

    def radius_shown(self, one: AnyItem, two: AnyItem, keep: tuple[ArrayLike, ArrayLike]) -> Shown:
        """The radius that the reference scan shows along the edge of two surfaces, with its spread; keep: as
        ``round``."""
        recipe = self._round_recipe(one, two, 1.0, keep, "circular", False, 1.0)
        return recipe.shown(given(self.document, recipe), self.scan)

    def _round_recipe(
        self, one: AnyItem, two: AnyItem, radius: float | tuple[float, float, float],
        keep: tuple[ArrayLike, ArrayLike], section: str, chord: bool, pull: float,
    ) -> RoundBetween:  # fmt: skip
        radii = (float(radius),) * 3 if isinstance(radius, (int, float)) else radius
        places = [np.asarray(place, dtype=float) for place in keep]
        items = [self.item(item.id) for item in (one, two)]
        sides = side_of(items[0].shape.whole, places[1]), side_of(items[1].shape.whole, places[0])
        near = (places[0] + places[1]) / 2
        return RoundBetween(items[0].id, items[1].id, near, sides, radii, Section(section), chord, pull)

    def recast(
        self,
        face: AnyItem | Sequence[AnyItem],
        degree: tuple[int, int] = (3, 3),
        spans: tuple[int, int] | None = None,
        near: float = 0.01,
        corners: Sequence[ArrayLike] = (),
    ) -> AnyItem:
        """A trimmed face, or several surfaces side by side, made anew as one patch with natural edges; it follows, and
        stands for them, which are hidden.

        spans: along both ways, or as few as come ``near``, mm. corners: four (3,) places on the border, or the sharpest
        ones.
        """
        keys = [self.item(one.id).id for one in ([face] if isinstance(face, Item) else face)]
        places = np.array([np.asarray(place, dtype=float) for place in corners]).reshape(-1, 3)
        return self._recast(RecastFace(keys[0], degree, spans or (0, 0), near, places, tuple(keys[1:])))[0]

    def recast_at_crease(
        self,
        patch: AnyItem,
        degree: tuple[int, int] = (3, 3),
        spans: tuple[int, int] | None = None,
        near: float = 0.01,
    ) -> tuple[AnyItem, AnyItem]:
        """A patch with a crease inside made anew as two that share their edge there; as ``recast``."""
        recipes = [RecastFace(self.item(patch.id).id, degree, spans or (0, 0), near, side=side) for side in (1, 2)]
        one, two = self._recast(*recipes)
        return one, two

    def _recast(self, *recipes: RecastFace) -> list[AnyItem]:
        parts = []
        for recipe in recipes:
            shape = recipe.build(given(self.document, recipe), self._progress)
            parts.append((shape, recipe, ingredients(self.document, recipe)))
        known = set(self.document.items)
        self._do(edits.joining.recast(self.document, parts))
        return [item for item in self.document if item.id not in known]

    def _standing_for(self, item: AnyItem, word: str, recipe: Recipe) -> AnyItem:
        """A new derived item that stands for another one, which is hidden."""
        shape = recipe.build(given(self.document, recipe), self._progress)
        made_of = ingredients(self.document, recipe)
        change = edits.items.derived_in_place(self.document, word, [(item.id, shape, recipe, made_of)])
        self._do(change)
        assert change.select is not None
        return self.document[change.select]

    def fill(
        self,
        borders: Sequence[tuple[AnyItem, int]],
        order: int = 2,
        pieces: str = "as suits",
        curves: Sequence[AnyItem] = (),
        scan: bool = False,
    ) -> AnyItem:
        """An opening filled, with G0 to G2 to the borders round it, (item, number) in any order; it follows them.

        pieces: "as suits": a patch with natural edges over four, else one trimmed; "one trimmed", or
        "four-sided" round a middle. Of a border that goes on past its neighbours, only what lies between them is met.
        curves: that it passes within. scan: it goes by the reference scan inside.
        """
        sides = tuple(BorderOf(self.item(item.id).id, int(rim), order) for item, rim in borders)
        inner = tuple(self.item(curve.id).id for curve in curves)
        return self._derived("opening filled", "Fill", FillOpening(sides, FillWith(pieces), inner, scan))

    def told_of(self, item: AnyItem) -> Blend | Round | Filled | Recast:
        """The figures of a blend, a round, a fill or a recast, as it would be made now; see ``joining``."""
        recipe = self.item(item.id).recipe
        if isinstance(recipe, FillOpening):
            return recipe.filled(given(self.document, recipe), self._progress)
        if isinstance(recipe, BlendBetween):
            return recipe.made(given(self.document, recipe), self._progress)
        if isinstance(recipe, RoundBetween | RecastFace):
            return recipe.made(given(self.document, recipe))
        raise ArabesqueError(f"{item.name} is no blend, round, fill or recast", "Give one that was made here")

    def fit_together(self, patches: Sequence[AnyItem], order: int = 1) -> Together:
        """Neighbouring patches fitted to the reference scan once more, with G0 to G2 over the edges that they share;
        their outer edges stay. Returns what the fit told; the patches are changed in one step, and are free then."""
        items = [self.item(item.id) for item in patches]
        scan = self.document.reference_scan
        made = edits.joining.together(self.document, items, scan, order, self._progress)
        self._do(edits.joining.fitted_together(self.document, items, made, order))
        return made

    def crossings(self, one: AnyItem, two: AnyItem) -> list[Crossing]:
        """The lines in which two surfaces cross, exact in the parameters of both; the longest first."""
        return list(crossings(*(self.item(item.id).shape.whole for item in (one, two))))

    def intersect(self, one: AnyItem, two: AnyItem, near: ArrayLike | None = None, poles: int = 0) -> AnyItem:
        """The line in which two surfaces cross, as a curve that follows both: the longest, or that nearest to a place
        (3,). poles: control points between corners, or as few as a quarter of the tolerance needs."""
        if near is None:
            lines = self.crossings(one, two)
            if not lines:
                raise ArabesqueError(f"{one.name} and {two.name} do not cross", "Extend one of them through the other")
            near = lines[0].points[len(lines[0].points) // 2]
        place = np.asarray(near, dtype=float)
        return self._derived("crossing", "Curve", CrossingOf(self.item(one.id).id, self.item(two.id).id, place, poles))

    def joins(self, items: Iterable[AnyItem] | None = None) -> list[Join]:
        """How patches (all that show, unless some are given) meet: gap, angle, curvature, the grade in words; the worst
        first."""
        shown = [item for item in self.items if self.document.shows(item)] if items is None else items
        some = [item.shape for item in shown if can(item.shape, Rimmed)]
        # the patches of a network meet each other too
        shapes = [patch for shape in some for patch in (shape.patches() if can(shape, Sampled) else (shape,))]
        return sorted(find_joins(shapes), key=Join.rank)
