"""A curve or a relief laid on a surface: as a curve, as a raised body, or as a mesh."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Sketch, apply
from arabesque.joining import Laid, raised_face, thickened, wrapped_line, wrapped_mesh
from arabesque.progress import Progress, part, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.bodies import kernel_of, named
from arabesque.scan import Scan
from arabesque.shapes import Sampled, can
from arabesque.solid import sew
from arabesque.tracing import curve_along

SEWN, NEAR = 0.02, 0.002
"""mm: a raised body is sewn within the first, and its faces are as near as the second."""


@dataclass(frozen=True, eq=False)
class WrappedOn(Recipe):
    """What is flat (id: a curve, a sketch, or a relief mesh), laid on a surface (id).

    place: (3,) where its origin comes to lie. up: (3,) towards which its y looks. size: factor. height: mm that what
    curves enclose is raised, 0 for the curve alone; of a relief a factor of its heights. sunk: mm that a raised body
    reaches into the surface.
    """

    word = "wrapped"

    what: str
    on: str
    place: Floats
    up: Floats
    size: float = 1.0
    height: float = 0.0
    sunk: float = 0.5

    def __post_init__(self) -> None:
        for name in ("place", "up"):
            object.__setattr__(self, name, frozen_array(getattr(self, name), (3,), np.float64, what="Place"))

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.what, self.on)))

    def moved(self, matrix: Floats) -> WrappedOn:
        return replace(self, place=apply(matrix, self.place[None])[0], up=matrix[:3, :3] @ self.up)

    def build(self, given: Given, progress: Progress = silent) -> Any:
        what, on = given.shapes[self.what], given.shapes[self.on]
        if not can(on, Sampled):
            raise ArabesqueError("What it lies on is no surface any more", "Undo that, or make it free")
        laid = Laid(self.place, self.up, self.size, self.height if isinstance(what, Scan) and self.height else 1.0)
        if isinstance(what, Scan):
            return wrapped_mesh(on, laid, what)
        curves = self._flat(what)
        if self.height <= 0:
            if len(curves) != 1:
                raise ArabesqueError("A sketch of several curves is no one curve", "Give a height, or choose a curve")
            return curve_along(*wrapped_line(on, laid, curves[0]), tolerance=NEAR).curve
        face = raised_face(on, laid, curves)
        faces = thickened([face], -self.sunk, self.height, NEAR, part(progress, 0.0, 0.6))
        return sew(named(faces), SEWN, kernel_of(given), progress=part(progress, 0.6, 1.0))

    def _flat(self, what: Any) -> list[Curve]:
        """The curves with x and y as they are drawn: of a sketch in its plane, else seen from above."""
        if isinstance(what, Sketch):
            flat = replace(what, frame=np.eye(4))
            return list(flat.curves)
        if isinstance(what, Curve):
            return [what]
        raise ArabesqueError("Only curves, sketches and relief meshes are laid on", "Choose one of these")
