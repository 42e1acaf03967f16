"""The part of the scripting interface that lays cages out by itself."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Bools, Floats
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.layout import NO_GUIDES, Aim, Detail, Guides, Improved, Layout, improved
from arabesque.model import Change, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.reading import find_symmetry_plane
from arabesque.recipes import LayoutOfScan, SurfaceOfRegion, Taken, marked_part
from arabesque.script_base import AnyItem, Lends


class Layouts(Lends):
    """What a project can do with layouts; ``script.Project`` inherits it."""

    _layouts: dict[str, Layout]

    def layout(
        self,
        quads: int | None = None,
        tolerance: float | None = None,
        symmetric: str | None = None,
        detail: str = "balanced",
        close: bool = False,
        along: Sequence[AnyItem] = (),
        sharp: Sequence[AnyItem] = (),
        inside: Sequence[AnyItem] = (),
        marked: Bools | None = None,
        areas: tuple[AnyItem, Sequence[Floats]] | None = None,
        beside: Sequence[AnyItem] = (),
        guides: Guides = NO_GUIDES,
    ) -> AnyItem:
        """A cage of about ``quads`` faces over the reference scan, or of as few as keep the tolerance.

        tolerance: mm, the project's from then on. symmetric: "x", "y" or "z", alike on both sides of that plane
        through 0, or "auto", of the scan's own plane; it is the project's twin plane from then on. detail: "calm",
        "balanced" or "faithful", how much small forms count. close: go over openings inside, too. along: curves on the
        scan that rows run along. sharp: curves on which edges lie, and are sharp. Of the scan all is laid out, or what
        closed curves enclose (inside), triangles (m,) that are marked, or of regions the areas at (3,) places. beside:
        cages whose borders are met, point by point; with no part named what they do not cover is laid out. guides:
        strokes, places of irregular points, brushed rows. The layout follows all of these
        until it is edited. How it came out: ``layout_of``.
        """
        if detail not in {known.value for known in Detail}:
            raise ArabesqueError(f"'{detail}' is no detail", "Give calm, balanced or faithful")
        plane = self._plane_of(symmetric)
        if tolerance is not None:
            self.tolerance = tolerance
        if plane is not None:
            self._do(Change("twin plane set", self.document.with_plane(plane)))
        curves, edges, rings, cages = (
            tuple(self.item(item.id).id for item in items) for items in (along, sharp, inside, beside)
        )
        taken = self._part(rings, marked, areas, bool(cages))
        recipe = LayoutOfScan(quads or 0, Detail(detail), plane is not None, close, curves, edges, taken, cages, guides)
        document = self.document
        made = recipe.lay(given(document, recipe), None, self._progress)
        adds = edits.items.derived if plane is None else edits.cages.laid_out
        change = adds(
            document, f"layout of {made.cage.count} quads", "Layout", made.cage, recipe, ingredients(document, recipe)
        )
        self._do(change)
        assert change.select is not None
        self._layouts[change.select] = made
        return self.item(change.select)

    def surface_of_region(
        self,
        marked: ArrayLike | None = None,
        areas: tuple[AnyItem, Sequence[ArrayLike]] | None = None,
        inside: Sequence[AnyItem] = (),
        within: float = 0.0,
        smoothness: float = 0.3,
        past: float = 2.0,
        along: ArrayLike | None = None,
    ) -> AnyItem:
        """A free, fair patch over a part of the scan that reaches past it, to cut a body with or to build on.

        The part: triangles (m,) that are marked, of regions the areas at (3,) places, or what closed curves enclose.
        within: mm that 99 % of it keep, 0 for the tolerance. smoothness: 0 to 1. past: mm. along: (3,) along which its
        rows run. It follows the scan and its regions.
        """
        rings = tuple(self.item(item.id).id for item in inside)
        mask = None if marked is None else np.asarray(marked, dtype=bool)
        some = None if areas is None else (areas[0], [np.asarray(place, dtype=float) for place in areas[1]])
        way = None if along is None else np.asarray(along, dtype=float)
        recipe = SurfaceOfRegion(self._part(rings, mask, some, False), within, smoothness, past, way)
        shape = recipe.build(given(self.document, recipe), self._progress)
        return self._derived("surface of a region made", "Surface", recipe, shape)

    def _part(
        self, rings: tuple[str, ...], marked: Bools | None, areas: tuple[AnyItem, Sequence[Floats]] | None, free: bool
    ) -> Taken:
        """What of the scan is laid out; raises ArabesqueError where more than one part is named."""
        if sum((bool(rings), marked is not None, areas is not None)) > 1:
            raise ArabesqueError("Several parts are named", "Give one of inside, marked and areas")
        if marked is not None:
            return marked_part(self.scan, np.asarray(marked, dtype=bool))
        if areas is not None:
            regions, places = areas
            on = self.document.reference
            assert on is not None
            return Taken(regions=regions.id, on=on, areas=tuple(np.asarray(place, dtype=float) for place in places))
        return Taken(inside=rings, free=free and not rings)

    def improve(self, item: AnyItem, aim: str, most: int = 1, symmetric: str | None = None) -> Improved:
        """A cage with up to ``most`` strips put in or taken out, fitted to the reference scan.

        aim: "closer" puts strips through the faces that fail the tolerance, "lighter" takes out what is not needed for
        it, "calmer" what leaves fewer irregular points. A cage that is alike on both sides stays so; symmetric: "x",
        "y" or "z" for one that is not tied.
        """
        if aim not in {known.value for known in Aim}:
            raise ArabesqueError(f"'{aim}' is no aim", "Give closer, lighter or calmer")
        document = self.document
        known = document[item.id]
        plane = document.plane_of(known) if edits.cages.is_tied(known) else self._plane_of(symmetric)
        made = improved(known.shape, self.scan, Aim(aim), document.tolerance, plane, most, self._progress)
        self._do(edits.items.reshaped(document, known, made.words, made.cage))
        return made

    def layout_of(self, item: AnyItem) -> Layout:
        """How a layout came out."""
        if item.id not in self._layouts:
            raise ArabesqueError(f"{item.name} was not laid out here", "Lay it out first")
        return self._layouts[item.id]

    def _plane_of(self, symmetric: str | None) -> Plane | None:
        if symmetric is None:
            return None
        if symmetric == "auto":
            return find_symmetry_plane(self.scan, self._progress).plane
        if symmetric not in ("x", "y", "z"):
            raise ArabesqueError(f"'{symmetric}' is no direction", "Give auto, x, y or z")
        return Plane.coordinate("xyz".index(symmetric))
