"""The section through one place, close by: heights of scan and surface along a direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.checking.sections import cut_triangles
from arabesque.geometry import unit
from arabesque.scan import Scan
from arabesque.shapes import Samples

SAMPLES = 61


@dataclass(frozen=True, eq=False)
class CloseUp:
    """along: (n,) mm from the place. scan, surface: (n,) heights over it along the normal, mm; NaN where none is."""

    along: Floats
    scan: Floats
    surface: Floats

    @property
    def gap(self) -> float:
        """Height of the surface over the scan at the place, mm; NaN where one is missing."""
        middle = len(self.along) // 2
        return float(self.surface[middle] - self.scan[middle])


def close_up(samples: Samples, scan: Scan, place: Floats, normal: Floats, direction: Floats, radius: float) -> CloseUp:
    """Heights along a direction through a place, within ``radius`` mm of it.

    The scan is met along the normal, the surface is cut by the plane of normal
    and direction.
    """
    up = unit(np.asarray(normal, dtype=float))
    way = unit(direction - (direction @ up) * up)
    along = np.linspace(-radius, radius, SAMPLES)
    high = 2 * radius
    origins = place + along[:, None] * way + high * up
    triangle, depth = scan.tree.first_hits(origins, np.tile(-up, (SAMPLES, 1)))
    scan_heights = np.where((triangle >= 0) & (depth < 2 * high), high - depth, np.nan)
    points, triangles = _near(samples, place, high)
    across = points @ np.cross(up, way)
    found = cut_triangles(points, triangles, np.clip(across / (4 * radius), -0.75, 0.75))
    ends = found.segments[found.plane == 0].reshape(-1, 3)
    s, h = ends @ way, ends @ up
    close = np.abs(h) < high
    if close.sum() < 2:
        return CloseUp(along, scan_heights, np.full(SAMPLES, np.nan))
    order = np.argsort(s[close], kind="stable")
    s, h = s[close][order], h[close][order]
    return CloseUp(along, scan_heights, np.interp(along, s, h, left=np.nan, right=np.nan))


def _near(samples: Samples, place: Floats, reach: float) -> tuple[Floats, Ints]:
    """Points (n, 3), from the place, and the triangles of them that come within ``reach``."""
    points = samples.points - place
    close = np.einsum("nc,nc->n", points, points) <= reach * reach
    # a triangle is far smaller than the reach, which is twice what is looked at: one corner speaks for it
    some = samples.triangles[close[samples.triangles[:, 0]]]
    return points, some if len(some) else samples.triangles
