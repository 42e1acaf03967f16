"""Which half of a symmetric object was scanned better: holes, dents, noise."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Floats, Ints, unit
from arabesque.geometry import Plane
from arabesque.mending.openings import openings
from arabesque.scan import Scan

DIFFERENT = 4.0
"""Times the noise from which on the two sides differ at a place."""
LEAST_POINTS = 8
MOST_PLACES = 30
AROUND = 2.0
"""The surroundings of a place reach so many times as far as it does itself."""
CLEARLY = 1.3
"""One side is worse where it is so many times as bad."""


class HalfState(NamedTuple):
    """How good a half is: its holes, their summed width (mm), its noise (mm), its area (mm²), and its dents: how far
    it stands off a smooth continuation where the two sides differ, mm times mm²."""

    holes: int
    hole_width: float
    noise: float
    area: float
    dents: float = 0.0


def half_states(above: Scan, below: Scan, plane: Plane) -> tuple[HalfState, HalfState]:
    """The states of both halves."""
    image = below.mirrored(plane)
    dents = _dents(above, image)
    made = []
    for half, own in ((above, dents[0]), (below, dents[1])):
        on = np.abs(plane.height(half.points)) <= 1e-9 * max(half.diagonal, 1.0)
        holes = [o for o in openings(half) if not o.outer and on[o.ring].mean() < 0.5]
        area = half.area
        made.append(HalfState(len(holes), sum(o.width for o in holes), half.noise, area, own))
    return made[0], made[1]


def _dents(one: Scan, two: Scan) -> tuple[float, float]:
    """How far each of two sheets that lie over one another stands off a smooth continuation where they differ."""
    bound = DIFFERENT * max(one.noise, two.noise, 1e-6 * one.diagonal)
    totals = np.zeros(2)
    for place in _places(one, two, bound):
        middle = one.points[place].mean(axis=0)
        reach = float(np.linalg.norm(one.points[place] - middle, axis=1).max())
        off = [_off_continuation(scan, middle, reach) for scan in (one, two)]
        if None not in off:
            totals += [value or 0.0 for value in off]
    return float(totals[0]), float(totals[1])


def _places(one: Scan, two: Scan, bound: float) -> list[Ints]:
    """Points (k,) of each place where the first sheet lies off the second, the largest places first."""
    distance, closest = two.signed_distance(one.points)
    far = (np.abs(distance) > bound) & ~closest.on_border
    far &= np.einsum("nc,nc->n", one.smoothed_normals, closest.normals) > 0
    edges = one.edges[0]
    both = edges[far[edges].all(axis=1)]
    graph = coo_array((np.ones(len(both)), (both[:, 0], both[:, 1])), shape=(len(far), len(far)))
    _, label = connected_components(graph, directed=False)
    numbers = np.flatnonzero(far)
    sizes = np.bincount(label[numbers], minlength=int(label.max()) + 1 if len(label) else 1)
    largest = np.argsort(-sizes)[:MOST_PLACES]
    return [numbers[label[numbers] == k] for k in largest if sizes[k] >= LEAST_POINTS]


def _off_continuation(scan: Scan, middle: Floats, reach: float) -> float | None:
    """How far a scan stands off the quadric of its surroundings within ``reach`` of a place, mm times mm².

    None where there are no surroundings to go by.
    """
    away = np.linalg.norm(scan.points - middle, axis=1)
    inner, around = away <= reach, (away > reach) & (away < AROUND * reach)
    up = unit(scan.smoothed_normals[inner | around].sum(axis=0))
    around &= scan.smoothed_normals @ up > 0
    inner &= scan.smoothed_normals @ up > 0
    if inner.sum() < LEAST_POINTS or around.sum() < 2 * LEAST_POINTS:
        return None
    x = unit(np.cross(up, [0.0, 0, 1] if abs(up[2]) < 0.9 else [1.0, 0, 0]))
    y = np.cross(up, x)

    def terms(points: Floats) -> Floats:
        a, b = (points - middle) @ x / reach, (points - middle) @ y / reach
        return np.column_stack([np.ones_like(a), a, b, a * a, a * b, b * b])

    form = np.linalg.lstsq(terms(scan.points[around]), (scan.points[around] - middle) @ up, rcond=None)[0]
    off = (scan.points[inner] - middle) @ up - terms(scan.points[inner]) @ form
    return float(np.abs(off).mean() * np.pi * reach**2)
