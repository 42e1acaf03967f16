"""The patches over a network of curves."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Patchwork, Surface
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.inputs import curves_of
from arabesque.shapes import Sampled, can
from arabesque.tracing import Meeting, NetworkFit, closed_ring, patches_over


@dataclass(frozen=True, eq=False)
class NetworkOfCurves(Recipe):
    """Its meshes are found and filled anew whenever a curve changes: see ``tracing.patches_over``.

    of: ids of the curves; between the ends of only two go calm lines.
    sharp: of those along which patches meet at an angle. beside: of patches that outer borders
    meet likewise. guides: of curves that patches pass inside their meshes.
    """

    word = "network of curves"

    of: tuple[str, ...]
    meeting: Meeting = Meeting.TANGENT
    sharp: tuple[str, ...] = ()
    beside: tuple[str, ...] = ()
    guides: tuple[str, ...] = ()

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance")

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.of, *self.guides, *self.beside)))

    def build(self, given: Given, progress: Progress = silent) -> Patchwork | Surface:
        return self.shape_of(self.fit(given, progress))

    @staticmethod
    def shape_of(fit: NetworkFit) -> Patchwork | Surface:
        """One patch is a patch."""
        return fit.made if len(fit.made.surfaces) > 1 else fit.made.surfaces[0]

    def fit(self, given: Given, progress: Progress = silent) -> NetworkFit:
        """The patches with what the fit tells of them."""
        beside = [given.shapes[key] for key in self.beside]
        if any(not can(shape, Sampled) for shape in beside):
            raise ArabesqueError("A neighbour is no patch any more", "Undo that, or make the network free")
        curves: list[Curve] = closed_ring(curves_of(given, self.of), given.scan, given.tolerance)
        return patches_over(
            curves,
            given.scan,
            given.tolerance,
            self.meeting,
            [k for k, key in enumerate(self.of) if key in self.sharp],
            [patch for shape in beside for patch in shape.patches()],
            curves_of(given, self.guides),
            progress,
        )
