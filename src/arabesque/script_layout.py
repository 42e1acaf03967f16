"""The part of the scripting interface that lays cages out by itself."""

from __future__ import annotations

from collections.abc import Sequence

from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.layout import Detail, Layout
from arabesque.model import Change, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.reading import find_symmetry_plane
from arabesque.recipes import LayoutOfScan
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
    ) -> AnyItem:
        """A cage of about ``quads`` faces over the reference scan, or of as few as keep the tolerance.

        tolerance: mm, the project's from then on. symmetric: "x", "y" or "z", alike on both sides of that plane
        through 0, or "auto", of the scan's own plane; it is the project's twin plane from then on. detail: "calm",
        "balanced" or "faithful", how much small forms count. close: go over openings inside, too. along: curves on the
        scan that rows run along. The layout follows all of these until it is edited. How it came out: ``layout_of``.
        """
        if detail not in {known.value for known in Detail}:
            raise ArabesqueError(f"'{detail}' is no detail", "Give calm, balanced or faithful")
        plane = self._plane_of(symmetric)
        if tolerance is not None:
            self.tolerance = tolerance
        if plane is not None:
            self._do(Change("twin plane set", self.document.with_plane(plane)))
        curves = tuple(self.item(item.id).id for item in along)
        recipe = LayoutOfScan(quads or 0, Detail(detail), plane is not None, close, curves)
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
