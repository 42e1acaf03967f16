"""Patches over a network of curves: its meshes filled, all fitted together, as lightly as the tolerance allows."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import Any

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.checking import BothWays, measure_both_ways, shape_to_scan
from arabesque.errors import FitProblem
from arabesque.fitting import check_tolerance
from arabesque.fitting.network import Demand, Solved, solve_network
from arabesque.fitting.network_space import NetworkSpace, PatchLayout
from arabesque.geometry import Curve, Patchwork, Surface, curve_feet, foot_points
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan
from arabesque.tracing.fit import fit_curve
from arabesque.tracing.meshes import CurveMeshes, find_meshes
from arabesque.tracing.network_layout import layout_of

TRIAL_ROUNDS, MORE_ROUNDS = 3, 11
"""Rounds of a trial without continuity, by which spans are chosen; and of a fit that goes on from another one."""
MOST_SPANS, MOST_RAISES, MOST_FITS = 8, 10, 2
TRIAL_SHARE, LEAST_GAIN = 0.92, 0.85
"""A trial keeps so much of the tolerance; and a span more brings what misses so much closer, or there is no other."""
MEETS = 2.0
"""Tolerances: curves that come so near to each other meet."""
ON_CURVES = 97
"""Per cent of a border that has to keep the tolerance to its curve."""
DENSE = 24
SMOOTH = 0.05
"""Degrees between neighbours over an inner border that still count as tangent."""


class Meeting(IntEnum):
    """How patches meet over inner borders: G0 (they touch), G1 (tangent) or G2 (with one curvature)."""

    TOUCHING = 0
    TANGENT = 1
    CURVATURE = 2

    @property
    def degree(self) -> int:
        """Of the patches, both ways: what so smooth a meeting needs."""
        return 5 if self is Meeting.CURVATURE else 3


@dataclass(frozen=True, eq=False)
class NetworkFit:
    """Patches over a network of curves and how they stand.

    made: all of them. meshes: those that were found. mesh_of: for each patch the number of its mesh among the filled
    ones. figures: to the scan and back; None without a scan. angle: the largest over inner borders, degrees. off:
    how far an outer border is off its curve at most, mm.
    """

    made: Patchwork
    meshes: CurveMeshes
    mesh_of: tuple[int, ...]
    figures: BothWays | None
    angle: float
    off: float
    tolerance: float
    seconds: float

    @property
    def within(self) -> bool:
        """True when both directions keep the tolerance."""
        return self.figures is None or self.figures.within(self.tolerance)

    @property
    def verdict(self) -> str:
        """In words."""
        words = "no scan to compare with" if self.figures is None else self.figures.verdict(self.tolerance)
        return f"{words}; at most {self.angle:.2g}° over inner borders"

    def as_record(self) -> dict[str, Any]:
        """Plain values for a report."""
        figures = {} if self.figures is None else self.figures.as_record()
        return {
            "tolerance": self.tolerance,
            "patches": len(self.made.surfaces),
            "control_points": self.made.count,
            "meshes": [mesh.sides for mesh in self.meshes.meshes],
            "left_open": sum(not mesh.fillable for mesh in self.meshes.meshes),
            "gaps": [{"gap": one.gap, "place": one.place.tolist()} for one in self.meshes.gaps],
            "angle": self.angle,
            "off_curves": self.off,
            **figures,
            "within": self.within,
            "verdict": self.verdict,
            "seconds": self.seconds,
        }


def patches_over(
    curves: Sequence[Curve],
    scan: Scan | None,
    tolerance: float,
    meeting: Meeting = Meeting.TANGENT,
    sharp: Sequence[int] = (),
    beside: Sequence[Surface] = (),
    guides: Sequence[Curve] = (),
    progress: Progress = silent,
) -> NetworkFit:
    """Fill the meshes that curves make on a scan, all patches fitted together.

    Four-sided meshes become one patch, three- and five-sided ones are divided. Every patch begins with single cubic
    spans (quintic ones for G2); where a mesh, or a border to its curve, does not keep the tolerance, the rows of
    patches that pass it get a span more. sharp: numbers of curves along which patches may meet at an angle. beside:
    patches that outer borders lie on and meet likewise. guides: curves inside meshes that the patches are to pass.
    Raises FitProblem where no mesh is closed, telling the smallest gap.
    """
    began = time.perf_counter()
    check_tolerance(tolerance)
    curves = [polynomial(curve, tolerance) for curve in curves]
    found = find_meshes(curves, scan, MEETS * tolerance)
    if not found.filled:
        raise _nothing_closed(found)
    progress(0.05, f"{len(found.filled)} meshes found")
    layout = layout_of(found, scan, sharp)
    demand = Demand(int(meeting), tuple(beside))
    strips = layout.strips()
    count = 1 + max(int(line.max()) for line in strips)
    spans = np.ones(count, dtype=np.int64)
    need = _Need(strips, scan, tolerance)
    solved: Solved | None = None
    tried, fits = 0, 0
    while fits < MOST_FITS:
        space = NetworkSpace(layout, meeting.degree, [spans[line] for line in strips])
        share = part(progress, 0.05 + 0.85 * tried / (tried + 2), 0.05 + 0.85 * (tried + 1) / (tried + 2))
        trial = solve_network(space, scan, tolerance, Demand(0), share, rounds=TRIAL_ROUNDS)
        raised = need.more(trial, spans, TRIAL_SHARE) if tried < MOST_RAISES else None
        if raised is None:
            passed = _passed(trial, guides)
            solved = solve_network(space, scan, tolerance, demand, share, trial.unknowns, MORE_ROUNDS, passed)
            fits, raised = fits + 1, need.more(solved, spans)
        tried += 1
        if raised is None:
            break
        spans = raised
    assert solved is not None
    made = Patchwork(solved.surfaces)
    figures = None if scan is None else measure_both_ways(list(made.surfaces), scan, tolerance)
    return NetworkFit(
        made,
        found,
        layout.mesh_of,
        figures,
        solved.angle,
        _off_curves(solved, curves),
        tolerance,
        time.perf_counter() - began,
    )


def polynomial(curve: Curve, tolerance: float) -> Curve:
    """The curve itself, or where it is rational a polynomial one that lies a hundredth of the tolerance off at most."""
    if curve.weights is None:
        return curve
    places = curve.at(np.linspace(*curve.domain, 60 * curve.spans + 1))
    closed = bool(np.linalg.norm(places[0] - places[-1]) < 1e-6)
    return fit_curve(places[:-1] if closed else places, None, tolerance / 100, 3, closed).curve


def _nothing_closed(found: CurveMeshes) -> FitProblem:
    if found.gaps:
        one = found.gaps[0]
        x, y, z = one.place
        return FitProblem(
            f"No mesh is closed: curves {one.first + 1} and {one.second + 1} end {one.gap:.3g} mm apart at "
            f"{x:.1f}, {y:.1f}, {z:.1f}",
            "Extend one of them to the other, or allow a larger tolerance",
        )
    sides = sorted({mesh.sides for mesh in found.meshes})
    if sides:
        return FitProblem(
            f"The meshes have {' and '.join(map(str, sides))} sides",
            "Divide them by more curves: three to five sides are filled",
        )
    return FitProblem("These curves enclose nothing", "Let them cross, or end on each other, all round a mesh")


class _Need:
    """Says where more spans are needed. What a span more brought next to nothing gets no other one: there the scan has
    a dent, or is rough."""

    def __init__(self, strips: Sequence[Ints], scan: Scan | None, tolerance: float) -> None:
        self._strips, self._scan, self._tolerance = strips, scan, tolerance
        self._before: dict[tuple[int, int], float] = {}

    def more(self, solved: Solved, spans: Ints, share: float = 1.0) -> Ints | None:
        """The spans of all strips, raised; None where all is well, or nothing more can be had.

        share: of the tolerance, that is to be kept; continuity costs a little closeness.
        """
        tolerance = share * self._tolerance
        layout, wanted = solved.space.layout, np.zeros(len(spans), dtype=bool)
        if self._scan is not None:
            for number, surface in enumerate(solved.surfaces):
                figures = shape_to_scan(surface, self._scan, DENSE).figures(self._tolerance)
                if not figures.within(tolerance) and self._pays((-1, number), figures.inlier_p99):
                    for side in layout.quads[number]:
                        wanted[[self._strips[side.line][k] for k in side.intervals]] = True
        for number, missed in _line_misses(solved, layout):
            for k, one in enumerate(missed):
                if one > self._tolerance / 2 and self._pays((number, k), one):
                    wanted[self._strips[number][k]] = True
        wanted &= spans < MOST_SPANS
        return spans + wanted if wanted.any() else None

    def _pays(self, key: tuple[int, int], missed: float) -> bool:
        before = self._before.get(key, np.inf)
        self._before[key] = min(missed, before)
        return missed < LEAST_GAIN * before


def _line_misses(solved: Solved, layout: PatchLayout) -> list[tuple[int, list[float]]]:
    """For each outer or sharp line how far most of each interval is off, mm."""
    found = []
    for number, line in enumerate(layout.lines):
        if line.border or line.sharp:
            start = solved.space.line_start[number]
            missed = []
            for a, b in zip(line.stations[:-1], line.stations[1:], strict=True):
                shares = np.linspace(a, b, DENSE)
                basis = solved.space.line_basis(number, shares)
                places = basis @ solved.unknowns[start : start + basis.shape[1]]
                missed.append(float(np.percentile(_to_polyline(places, line.places), ON_CURVES)))
            found.append((number, missed))
    return found


def _off_curves(solved: Solved, curves: Sequence[Curve]) -> float:
    """mm: the furthest that an outer border is off its curve."""
    misses = [max(missed) for _, missed in _line_misses(solved, solved.space.layout)]
    return max(misses, default=0.0)


def _to_polyline(points: Floats, line: Floats) -> Floats:
    """(n,) distances of points from a polyline."""
    return curve_feet(Curve(1, _chord_knots(line), line), points, 2).distance


def _chord_knots(line: Floats) -> Floats:
    at = np.linspace(0.0, 1.0, len(line))
    return np.concatenate([[0.0], at, [1.0]])


def _passed(solved: Solved, guides: Sequence[Curve]) -> list[tuple[int, Floats]]:
    """The places of guides, each with the patch that it lies over."""
    found: list[tuple[int, Floats]] = []
    if not guides:
        return found
    places = np.concatenate([guide.at(np.linspace(*guide.domain, 40)) for guide in guides])
    away = np.array(
        [
            np.where(feet.inside, np.linalg.norm(feet.points - places, axis=1), np.inf)
            for feet in (foot_points(surface, places) for surface in solved.surfaces)
        ]
    )
    nearest = away.argmin(axis=0)
    for number in range(len(solved.surfaces)):
        mine = (nearest == number) & np.isfinite(away.min(axis=0))
        if mine.any():
            found.append((number, places[mine]))
    return found
