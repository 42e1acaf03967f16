"""The way back, live: distances of a scan's points to a surface while it is being moved."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.checking.distance import AGREEING_NORMALS, near_points
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
    (n,) true where the foot lies inside the surface and belongs to it. start:
    the surface that the points were chosen for. reach: mm, how far from that
    one they may lie.
    """

    points: Floats
    normals: Floats
    uv: Floats
    distance: Floats
    counts: Bools
    start: Surface
    reach: float

    @classmethod
    def begin(cls, surface: Surface, scan: Scan, reach: float, most: int = MOST_POINTS) -> WayBack:
        """Choose at most ``most`` scan points near a surface, evenly over their order, and find their feet."""
        size = float(np.linalg.norm(np.ptp(surface.points.reshape(-1, 3), axis=0)))
        near = near_points(scan, surface, reach + BESIDE * size, LOOKED_AT)
        near = near[:: max(1, -(-len(near) // most))]
        points, normals = scan.points[near], scan.smoothed_normals[near]
        uv = foot_points(surface, points).uv if len(near) else np.empty((0, 2))
        empty = np.zeros(len(near))
        return cls(points, normals, uv, empty, empty.astype(bool), surface, reach).follow(surface)

    @property
    def distances(self) -> Floats:
        """The signed distances that count."""
        return self.distance[self.counts]

    def thinned(self, share: int) -> WayBack:
        """One in ``share`` of the points."""
        taken = {name: getattr(self, name)[::share] for name in ("points", "normals", "uv", "distance", "counts")}
        return replace(self, **taken)

    def follow(self, surface: Surface) -> WayBack:
        """The same points on a surface with other control points; quick when these moved a little.

        Newton's method from the last feet (Piegl and Tiller, "The NURBS Book",
        section 6.1); the last step is taken to second order, which saves
        evaluating the surface there.
        """
        uv, feet, up = self.uv.copy(), np.empty_like(self.points), np.empty_like(self.points)
        low, high = np.array(surface.domain).T
        left = np.arange(len(uv))
        for _ in range(STEPS):
            uv[left], feet[left], up[left], gone = step_to_feet(
                surface.derivatives(uv[left], 2), self.points[left], uv[left], low, high
            )
            left = left[gone > SETTLED]
            if not len(left):
                break
        gap = feet - self.points
        size = np.sqrt(np.einsum("nc,nc->n", gap, gap))
        agree = np.abs(np.einsum("nc,nc->n", up, self.normals)) > AGREEING_NORMALS
        # no place of a surface moves further than the control point that moves most (convex hull)
        moved = surface.points - self.start.points
        far = self.reach + float(np.sqrt(np.einsum("ijc,ijc->ij", moved, moved).max()))
        side = np.einsum("nc,nc->n", gap, self.normals)
        distance = np.where(side < 0, -size, size)
        counts = strictly_inside(surface, uv) & surface.shows(uv) & agree & (size <= far)
        return replace(self, uv=uv, distance=distance, counts=counts)
