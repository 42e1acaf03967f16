"""The way back, live: distances of a scan's points to a surface while it is being moved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.checking.back import Back, Places, belonging, reading_step, scan_places
from arabesque.checking.figures import Figures
from arabesque.checking.outliers import FAR, outliers
from arabesque.geometry import Surface, foot_points, strictly_inside
from arabesque.geometry.kernels import step_to_feet
from arabesque.scan import Scan

MOST_POINTS = 1000
LOOKED_AT = 30_000
BESIDE = 0.05
"""Points beside the surface, up to this share of its size, may come to lie under it when an edge is moved."""
STEPS = 3
SETTLED = 0.2
"""mm along the surface: for shorter steps the second order of the surface says where the foot is."""


@dataclass(frozen=True, eq=False)
class WayBack:
    """Some points of a scan, and the feet of their perpendiculars on a surface.

    points, normals: (n, 3) of the scan. uv: (n, 2) parameters of the feet.
    distance: (n,) mm, positive where the surface lies above the scan. counts:
    (n,) true where the foot lies inside the surface and belongs to it. own:
    (n,) true for points of the sheet of the scan that the surface lies on,
    inside it or beside. start: the surface that the points were chosen for.
    reach: mm, how far from that one they may lie. every: the way back of all of the scan, while the surface stays.
    """

    points: Floats
    normals: Floats
    areas: Floats
    own: Bools
    uv: Floats
    distance: Floats
    counts: Bools
    start: Surface
    reach: float
    every: Back | None = None

    @classmethod
    def begin(cls, surface: Surface, scan: Scan, reach: float, most: int = MOST_POINTS) -> WayBack:
        """Choose at most ``most`` scan points near a surface, evenly over their order, and find their feet."""
        size = float(np.linalg.norm(np.ptp(surface.points.reshape(-1, 3), axis=0)))
        places = scan_places(scan, surface, reach + BESIDE * size, reading_step(scan, [surface]), most, LOOKED_AT)
        n = len(places.points)
        uv = foot_points(surface, places.points).uv if n else np.empty((0, 2))
        points, up = surface.at(uv), surface.normals(uv)
        # what lies beside may come to lie below: it is judged as if it did
        own = belonging(places, points, up, np.ones(n, dtype=bool), reach + BESIDE * size)
        empty = np.zeros(n)
        begun = cls(
            places.points, places.normals, places.areas, own, uv, empty, empty.astype(bool), surface, reach
        )  # fmt: skip
        return begun.follow(surface)

    @property
    def distances(self) -> Floats:
        """The signed distances that count."""
        return self.distance[self.counts]

    def apart(self, tolerance: float) -> Bools:
        """(n,) which of the points are outliers."""
        found = np.zeros(len(self.points), dtype=bool)
        if (np.abs(self.distances) > FAR * tolerance).any():
            among = np.flatnonzero(self.counts)
            pairs = Places(self.points, self.normals, self.areas, np.arange(len(found))).pairs(among)
            found = outliers(np.where(self.counts, self.distance, 0.0), self.areas, self.points, pairs, tolerance)
        return found

    def thinned(self, share: int) -> WayBack:
        """One in ``share`` of the points."""
        names = ("points", "normals", "areas", "own", "uv", "distance", "counts")
        taken = {name: getattr(self, name)[::share] for name in names}
        return replace(self, **taken, every=None)

    def follow(self, surface: Surface) -> WayBack:
        """The same points on a surface with other control points; quick when these moved a little.

        Newton's method from the last feet (Piegl and Tiller, "The NURBS Book",
        section 6.1); the last step is taken to second order, which saves
        evaluating the surface there.
        """
        uv, feet = self.uv.copy(), np.empty_like(self.points)
        low, high = np.array(surface.domain).T
        left = np.arange(len(uv))
        for _ in range(STEPS):
            uv[left], feet[left], _, gone = step_to_feet(
                surface.derivatives(uv[left], 2), self.points[left], uv[left], low, high
            )
            left = left[gone > SETTLED]
            if not len(left):
                break
        gap = feet - self.points
        size = np.sqrt(np.einsum("nc,nc->n", gap, gap))
        # no place of a surface moves further than the control point that moves most (convex hull)
        moved = surface.points - self.start.points
        far = self.reach + float(np.sqrt(np.einsum("ijc,ijc->ij", moved, moved).max()))
        side = np.einsum("nc,nc->n", gap, self.normals)
        distance = np.where(side < 0, -size, size)
        counts = self.own & strictly_inside(surface, uv) & surface.shows(uv) & (size <= far)
        return replace(self, uv=uv, distance=distance, counts=counts, every=None)


def way_figures(ways: Sequence[WayBack | Back], tolerance: float) -> Figures:
    """Figures of several ways, by area: of all of the scan where the surface stays, else of the points that count."""
    if not ways:
        return Figures.of(np.zeros(0), tolerance)
    parts = []
    for way in ways:
        every = way if isinstance(way, Back) else way.every
        if every is not None:
            parts.append((every.distance, every.areas, every.apart))
        else:
            assert isinstance(way, WayBack)
            some = way.counts
            parts.append((way.distance[some], way.areas[some], way.apart(tolerance)[some]))
    distance, areas, apart = (np.concatenate(values) for values in zip(*parts, strict=True))
    return Figures.of(distance, tolerance, areas, apart)
