"""Blends and matched edges: how exact they are, and how long a step of a drag takes with its distance to a scan."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from tests.joining.test_blend import hill

from arabesque.checking import Join, find_joins, shape_to_scan
from arabesque.demo import Heron, simulate
from arabesque.fitting import four_corner_patch
from arabesque.geometry import Edge, Surface, split_surface
from arabesque.joining import BlendSide, blend, match_edge
from arabesque.scan import ready_to_fit
from benchmarks.row import Row, alternately

EXACT = (("gap", 1e-9, "mm"), ("angle", 1e-7, "°"), ("curvature", 1e-6, ""), ("change", 1e-6, ""))


def rows() -> Iterator[Row]:
    """Every row of joining, in turn."""
    one, two = hill(0, 40, 0), hill(60, 100, 8, seed=1)
    made = blend(BlendSide(one.rims()[Edge.U_HIGH], 3), BlendSide(two.rims()[Edge.U_LOW], 3)).surface
    yield from _exact("blend of 7x7 patches, G3 both sides", find_joins([one, made, two]))
    near = hill(42, 100, 3, seed=1)
    matched = match_edge(near, Edge.U_LOW, BlendSide(one.rims()[Edge.U_HIGH], 3)).surface
    yield from _exact("7x7 patch matched with G3", find_joins([one, matched]))
    yield from _dragged()


def _exact(name: str, joins: list[Join]) -> Iterator[Row]:
    for word, limit, unit in EXACT:
        worst = max(float(getattr(join, word).max()) for join in joins)
        yield Row(f"{name}: {word}", worst, None, limit, unit)


def _dragged() -> Iterator[Row]:
    """A blend over the demo's flank whose input is pulled back, with its distance to a scan of 400k triangles."""
    scan = ready_to_fit(simulate(Heron(), 400_000, 0.03, 1).scan)
    whole = four_corner_patch(Heron().corners["flank"], scan, 0.2).surface
    rear = split_surface(whole, 0, 0.6)[1]
    fronts = [split_surface(whole, 0, share)[0] for share in np.linspace(0.3, 0.4, 12)]
    turn = iter(fronts * 100)

    def step() -> Surface:
        made = blend(BlendSide(next(turn).rims()[Edge.U_HIGH]), BlendSide(rear.rims()[Edge.U_LOW])).surface
        shape_to_scan(made, scan)
        return made

    (taken,) = alternately(step, rounds=15)
    yield Row("live blend with its distance, 400k triangles", taken, None, 25.0, "ms", "one step of a drag, best of 15")
