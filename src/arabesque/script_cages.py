"""Cages from Python: made, fitted, refined, matched, spanned, turned into surfaces."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from arabesque.cages import Cage, Report, deliver_cage
from arabesque.cages.edits import make_bent, span, subdivide, subdivide_faces
from arabesque.cages.files import read_cage
from arabesque.cages.match import Matched, OnCage, OnCurve, OnRim, Order, Target, match_border
from arabesque.cages.through import cage_of_patches
from arabesque.errors import ArabesqueError
from arabesque.files import source_of
from arabesque.fitting import CageFit, CageSettings, fit_cage
from arabesque.geometry import Curve, Plane
from arabesque.model import edits
from arabesque.recipes import SurfacesOfCage
from arabesque.script_base import AnyItem, Lends
from arabesque.shapes import Rimmed, can


class Cages(Lends):
    """Work on cages; ``script.Project`` is one."""

    _cage_fits: dict[str, CageFit]

    def cage(self, points: ArrayLike, faces: ArrayLike, sharp: ArrayLike = (), corners: ArrayLike = ()) -> AnyItem:
        """A cage over (n, 3) points, mm: (m, 4) faces of their numbers, (k, 2) sharp edges, (c,) corners."""
        made = Cage.of(points, faces, sharp, corners)
        return self._added(f"cage of {made.count} faces", "Cage", made)

    def open_cage(self, path: str | Path, unit: str = "mm") -> AnyItem:
        """The cage in an OBJ file of quads."""
        cage = read_cage(path, unit)
        return self._added(f"{Path(path).name} opened", Path(path).stem, cage, (), Path(path).name, source_of(path))

    def cage_of(self, patches: list[AnyItem], nu: int = 4, nv: int = 4, reach: float | None = None) -> AnyItem:
        """A cage of nu x nv faces for every patch, with borders within ``reach`` mm (the tolerance) of each other
        made one."""
        surfaces = [patch for item in patches for patch in self.item(item.id).shape.patches()]
        made = cage_of_patches(surfaces, nu, nv, self.tolerance if reach is None else reach)
        return self._added("cage of patches", "Cage", made, tuple(item.id for item in patches), "of patches")

    def fit(
        self,
        cage: AnyItem,
        balance: float | None = None,
        symmetric: str | None = None,
        lines: Sequence[AnyItem] = (),
        reach: float = 0.0,
        pinned: ArrayLike | None = None,
    ) -> AnyItem:
        """Fit a cage to the reference scan.

        balance: from 0, fair, to 1, close; without it from fair to close until the tolerance is kept. symmetric: "x",
        "y" or "z", alike on both sides of that plane through 0. lines: curves that borders and sharp edges within
        ``reach`` mm are drawn to. pinned: (n,) points that stay. How it came out: ``cage_fit_of``.
        """
        if symmetric not in (None, "x", "y", "z"):
            raise ArabesqueError(f"'{symmetric}' is no direction", "Give x, y or z")
        plane = None if symmetric is None else Plane.coordinate("xyz".index(symmetric))
        drawn = [guide.points for line in lines for guide in self.item(line.id).shape.guides()]
        mask = None if pinned is None else np.asarray(pinned, dtype=bool)
        settings = CageSettings(self.tolerance, balance, plane, drawn, reach, mask)
        fit = fit_cage(self._cage(cage), self.scan, settings, self._progress)
        made = self._reshaped(cage, fit.cage, "fitted to the scan")
        self._cage_fits[made.id] = fit
        return made

    def cage_fit_of(self, item: AnyItem) -> CageFit:
        """How the last fit of a cage came out."""
        found = self._cage_fits.get(item.id)
        if found is None or found.cage is not self.item(item.id).shape:
            raise ArabesqueError(f"{item.name} has not been fitted as it is", "Fit it first")
        return found

    def refine(self, cage: AnyItem, faces: ArrayLike | None = None) -> AnyItem:
        """Divide all faces in four, which leaves the surface as it is; or some, by number."""
        now = self._cage(cage)
        made = subdivide(now) if faces is None else subdivide_faces(now, np.asarray(faces, dtype=np.int64))
        return self._reshaped(cage, made, "made finer")

    def span(self, cage: AnyItem, first: ArrayLike, second: ArrayLike, count: int = 1) -> AnyItem:
        """Faces between two parts of the border, (k, 2) edges each by the points at their ends."""
        now = self._cage(cage)
        made = span(now, self._halves(now, first), self._halves(now, second), count)
        return self._reshaped(cage, made, "borders spanned")

    def match_border(
        self, cage: AnyItem, edges: ArrayLike, to: AnyItem, order: int = 1, near: ArrayLike | None = None
    ) -> Matched:
        """Bring (k, 2) border edges of a cage to a curve, to the edge of a patch or to the border of another cage
        that passes nearest; order 0 for the position, 1 for the tangent plane too, 2 for the curvature across as
        well. near: (3,) a place by that edge."""
        now = self._cage(cage)
        halves = self._halves(now, edges)
        place = now.points[now.quads.starts[halves]].mean(axis=0) if near is None else np.asarray(near, dtype=float)
        found = match_border(now, halves, _target(self.item(to.id).shape, place), Order(order))
        self._reshaped(cage, found.cage, f"border matched to {to.name}")
        return found

    def bend(self, cage: AnyItem, edges: ArrayLike, bent: bool = True) -> AnyItem:
        """Let a cage bend across the whole sides of its border that (k, 2) edges lie on, or no longer."""
        now = self._cage(cage)
        return self._reshaped(cage, make_bent(now, self._halves(now, edges), bent), "border bent")

    def rework(self, cage: AnyItem, work: Callable[[Cage], Cage], words: str = "reworked") -> AnyItem:
        """Any other edit: work is given the cage and gives it back, as those of ``arabesque.cages.edits`` do."""
        return self._reshaped(cage, work(self._cage(cage)), words)

    def to_surfaces(self, cage: AnyItem, merged: bool = True) -> AnyItem:
        """The NURBS patches that are a cage's surface; they follow the cage."""
        recipe = SurfacesOfCage(self.item(cage.id).id, merged)
        return self._derived("surfaces of a cage", f"{cage.name}, surfaces", recipe)

    def surfaces_report(self, cage: AnyItem) -> Report:
        """How well the patches of a cage are its surface: deviation, gaps, angles, counts."""
        return deliver_cage(self._cage(cage)).report

    def _cage(self, item: AnyItem) -> Cage:
        shape = self.item(item.id).shape
        if not isinstance(shape, Cage):
            raise ArabesqueError(f"{item.name} is no cage", "Make a cage of it first, or choose another item")
        return shape

    def _halves(self, cage: Cage, edges: ArrayLike) -> np.ndarray:
        halves = []
        for a, b in np.asarray(edges, dtype=np.int64).reshape(-1, 2):
            found = [h for h in (cage.quads.half_edge(a, b), cage.quads.half_edge(b, a)) if h >= 0]
            if len(found) != 1:
                raise ArabesqueError(f"The edge {a} to {b} is not on the border", "Name edges with one face")
            halves.append(found[0])
        return np.array(halves, dtype=np.int64)

    def _reshaped(self, item: AnyItem, shape: Cage, words: str) -> AnyItem:
        now = self.item(item.id)
        self._do(edits.items.reshaped(self.document, now, words, shape))
        return self.item(item.id)


def _target(shape: Any, place: np.ndarray) -> Target:
    """The line of a shape that passes nearest to a place."""
    if isinstance(shape, Curve):
        return OnCurve(shape)
    if isinstance(shape, Cage):
        rings = shape.quads.borders()
        if not rings:
            raise ArabesqueError("The other cage has no border", "Choose one that is open")
        ring = min(rings, key=lambda r: np.linalg.norm(shape.points[shape.quads.starts[r]] - place, axis=1).min())
        return OnCage(shape, ring)
    if not can(shape, Rimmed):
        raise ArabesqueError("This has no border", "Choose a curve, a patch or a cage")
    at = np.linspace(0, 1, 33)
    rims = shape.rims()
    away = [np.linalg.norm(rim.surface.at(rim.places(at)) - place, axis=1).min() for rim in rims]
    return OnRim(rims[int(np.argmin(away))])
