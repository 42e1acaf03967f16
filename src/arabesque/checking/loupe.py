"""The section through one place, close by: heights of scan and surface along a direction."""

from __future__ import annotations

from collections.abc import Sequence
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


def close_ups(
    samples: Samples, scan: Scan, place: Floats, normal: Floats, directions: Sequence[Floats], radius: float
) -> list[CloseUp]:
    """Heights along directions through a place, within ``radius`` mm of it.

    The scan is met along the normal, the surface is cut by the plane of normal
    and direction.
    """
    up, high = unit(np.asarray(normal, dtype=float)), 2 * radius
    points, triangles = _near(samples, place, high)
    ways = [unit(direction - (direction @ up) * up) for direction in directions]
    return [_close_up(points, triangles, scan, place, up, way, radius) for way in ways]


def _close_up(
    points: Floats, triangles: Ints, scan: Scan, place: Floats, up: Floats, way: Floats, radius: float
) -> CloseUp:
    """One of them; points: of the surface, from the place."""
    along, high = np.linspace(-radius, radius, SAMPLES), 2 * radius
    origins = place + along[:, None] * way + high * up
    triangle, depth = scan.tree.first_hits(origins, np.tile(-up, (SAMPLES, 1)))
    scan_heights = np.where((triangle >= 0) & (depth < 2 * high), high - depth, np.nan)
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
    return points, samples.triangles[close[samples.triangles[:, 0]]]
