"""The part of the scripting interface that lays cages out by itself."""

from __future__ import annotations

from collections.abc import Sequence

from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.layout import Detail, Layout, Wishes, lay_out
from arabesque.reading import find_symmetry_plane
from arabesque.recipes.layout_of_scan import lines_of
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
        """A cage of about ``quads`` faces over the reference scan, or of as few as keep a tolerance, mm.

        symmetric: "x", "y" or "z", alike on both sides of that plane through 0, or "auto", of the scan's own plane.
        detail: "calm", "balanced" or "faithful", how much small forms count. close: go over openings inside, too.
        along: curves on the scan that rows run along. How it came out: ``layout_of``.
        """
        if detail not in {known.value for known in Detail}:
            raise ArabesqueError(f"'{detail}' is no detail", "Give calm, balanced or faithful")
        curves = tuple(line for item in along for line in lines_of(self.item(item.id).shape))
        wishes = Wishes(quads, tolerance, Detail(detail), self._plane_of(symmetric), close, curves)
        made = lay_out(self.scan, wishes, progress=self._progress)
        item = self._added(f"layout of {made.cage.count} quads", "Layout", made.cage)
        self._layouts[item.id] = made
        return item

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
