"""Borders first: the lightest even patch between four lines on a scan."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import Enum
from math import isqrt

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import CALM_BEND, CALM_LEG, Evenness, Figures, evenness, scan_to_shapes, shape_to_scan
from arabesque.errors import FitProblem
from arabesque.fitting.borders import BorderLine, FittedBorder, exact_border, fitted_border
from arabesque.fitting.even_curve import evened_curve
from arabesque.fitting.patch import EVEN, SLIDE, FitSettings, fit_patch
from arabesque.fitting.patch_fit import MOST_POINTS
from arabesque.fitting.rungs import Rung, driven_rungs, even_rungs, rungs_over
from arabesque.geometry import (
    Curve,
    Surface,
    basis_matrix,
    border_of,
    compatible_curves,
    coons_net,
    reversed_curve,
    uniform_knots,
)
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, rounded_places

MOST_EVEN, LEAST_EVEN = 1e-1, 1e-7
"""Weights of evenness that are tried at most, and at least."""
CLOSE = 0.8
"""Evenness may cost closeness up to this share of the tolerance."""
GRID = 49
"""Places a side at which the scan is read for candidates."""
HOPEFUL = 2.5
"""Candidates are tried when a plain projection misses by no more tolerances than this: a fit lets numbers slide."""
CHECK_ALONG = 40
CHECK_BACK = 1500
IDLE_STEPS = 3
AT_THE_NOISE, NOISE_P99 = 1.15, 2.4
"""Times the noise of the scan: the rms of what is as close as can be, and the p99 that noise alone leaves, nearly."""
FAIRER = 2.0
"""Where a net is within, but turns, up to so many times its points are tried: after that the turn is in the form."""
GROUP = 1.08
"""Candidates whose numbers of control points differ by less than this factor are tried for the best of them."""
EVEN_LEG, HEAVIER, GAIN_IN_LEG = 1.3, 2.5, 0.95
"""Nets with longer legs than that look uneven: up to so many times their points are tried for an even one, and one
that is not even is taken only where that wins so much."""
AT_ONCE = 2
LEAST_GAIN = 0.98


class Ended(Enum):
    """How a search ended."""

    WITHIN = "within"
    TURNS = "the net turns with the form"
    NOISE = "only noise is left"
    LIMIT = "no more points"


@dataclass(frozen=True, eq=False)
class Try:
    """A candidate as fitted: how close it comes to the scan and back, and how even its net is."""

    surface: Surface
    there: Figures
    back: Figures
    net: Evenness
    even: float

    @property
    def p99(self) -> float:
        """The worse of both directions, mm."""
        return max(self.there.inlier_p99, self.back.inlier_p99)

    def within(self, tolerance: float) -> bool:
        """True when both directions keep the tolerance."""
        return self.there.within(tolerance) and (self.back.samples == 0 or self.back.within(tolerance))


@dataclass(frozen=True, eq=False)
class _Target:
    """The scan, read over an even grid: (r, s, 3) places and normals."""

    places: Floats
    normals: Floats


class CalmFit:
    """Looks for the lightest patch between four border lines.

    scan: the part of it that they enclose, or all. noise: of the scan, mm.
    """

    def __init__(self, lines: Sequence[BorderLine], scan: Scan, tolerance: float, noise: float = 0.0) -> None:
        self._lines, self._scan, self._tolerance, self._noise = lines, scan, tolerance, noise
        self._points = [lines[0].points, lines[1].points, lines[2].points[::-1], lines[3].points[::-1]]
        curves = [
            line.curve if k < 2 or line.curve is None else reversed_curve(line.curve) for k, line in enumerate(lines)
        ]
        self._exact = [None if curve is None else compatible_curves([curve])[0] for curve in curves]
        self._at = np.linspace(0, 1, GRID)
        self._fitted: dict[tuple[int, tuple[int, bytes]], FittedBorder] = {}
        self._even: dict[tuple[int, tuple[int, bytes]], Curve] = {}
        self._inverses: dict[tuple[int, bytes], Floats] = {}

    # one patch

    def start(self, u: Rung, v: Rung, even: bool = True) -> Surface:
        """The patch between the fitted borders, its inside only from them; even: with their poles evened."""
        border = self._even_border if even else self._plain_border
        low, right, high, left = (border(k, (u, v)[k % 2]).points for k in range(4))
        points = coons_net(low, high, left, right, u.greville, v.greville)
        return Surface((u.degree, v.degree), (u.knots, v.knots), points)

    def border(self, side: int, rung: Rung) -> FittedBorder:
        """A border line as a curve, run the way u or v runs."""
        key = side, rung.key
        if key not in self._fitted:
            exact = self._exact[side]
            self._fitted[key] = (
                fitted_border(self._points[side], rung.degree, rung.knots, self._tolerance)
                if exact is None
                else exact_border(exact, rung.degree, rung.knots)
            )
        return self._fitted[key]

    def lightest_rung(self, axis: int, degree: int) -> Rung:
        """One span of a degree along an axis; where sides there are curves, the lightest of at least that degree."""
        exact = self._given(axis)
        if not exact:
            return Rung(degree, uniform_knots(degree, 1))
        return next(rung for rung in rungs_over(exact, MOST_POINTS, degree) if rung.degree >= degree)

    def _given(self, axis: int) -> list[Curve]:
        """The curves that sides along an axis are exactly."""
        return [curve for curve in (self._exact[axis], self._exact[axis + 2]) if curve is not None]

    def _ladder(self, axis: int, lines: Floats | None = None) -> list[Rung]:
        """The spline spaces along an axis; lines: along which knots may crowd where the form changes."""
        exact = self._given(axis)
        if exact:
            return rungs_over(exact, MOST_POINTS)
        return even_rungs(MOST_POINTS) + ([] if lines is None else driven_rungs(lines, MOST_POINTS))

    def _plain_border(self, side: int, rung: Rung) -> Curve:
        return self.border(side, rung).curve

    def _even_border(self, side: int, rung: Rung) -> Curve:
        """The same with its poles as even as may be."""
        key = side, rung.key
        if key not in self._even:
            plain = self.border(side, rung).curve
            given = self._exact[side] is not None
            self._even[key] = plain if given else evened_curve(plain, self._points[side], self._tolerance)
        return self._even[key]

    def fitted(self, start: Surface, even: float = EVEN, rounds: int = 4, samples: int = 0) -> Surface:
        """The inside fitted, the borders as they are."""
        along = max(samples, 25, 2 * max(start.points.shape[:2]) + 5)
        settings = FitSettings(self._tolerance, along, rounds, SLIDE, even=even)
        return fit_patch(start, self._scan, settings, border_of(start.points.shape), trusted=True)

    def tried(self, surface: Surface, even: float) -> Try:
        """The figures of a candidate."""
        along = max(CHECK_ALONG, 3 * max(surface.points.shape[:2]))
        there = shape_to_scan(surface, self._scan, along).figures(self._tolerance)
        back = Figures.of(np.zeros(0), self._tolerance)
        if there.within(self._tolerance):
            found = scan_to_shapes(self._scan, [surface], 10 * self._tolerance, self._tolerance, CHECK_BACK)
            back = found.figures(self._tolerance)
        return Try(surface, there, back, evenness(surface), even)

    # the search

    def _check_sides(self) -> None:
        """Raises FitProblem where curves that sides are exactly need too many control points together."""
        u, v = (self._ladder(axis) for axis in (0, 1))
        light = [rungs[0].count if rungs else MOST_POINTS for rungs in (u, v)]
        if light[0] * light[1] > MOST_POINTS:
            raise FitProblem(
                f"The curves that the sides lie on ask for {light[0]} x {light[1]} control points",
                "Fit them with fewer poles first, or allow a larger tolerance",
            )

    def lightest(self, progress: Progress = silent) -> tuple[Try, Ended]:
        """The lightest that keeps the tolerance with a net that can be worked with, and how the search ended.

        What is within is evened. Where its legs stay over ``EVEN_LEG``, somewhat heavier nets are tried for one that
        runs evenly. Where there is none: the one that comes closest, or of those that are within the one with the
        best net.
        """
        self._check_sides()
        best: Try | None = None
        uneven: Try | None = None
        most = np.inf
        turning, idle = False, 0
        factor = 1 / HOPEFUL
        first = [next((r for r in self._ladder(k) if r.count >= 4 and self._holds(r, k)), None) for k in (0, 1)]
        # as heavy each way as the limit of points allows both to be
        light = [[r for r in self._ladder(k) if r.count <= isqrt(MOST_POINTS)] or self._ladder(k)[:1] for k in (0, 1)]
        heaviest = light[0][-1], light[1][-1]
        target = self._read(self.fitted(self.start(first[0] or heaviest[0], first[1] or heaviest[1]), rounds=6))
        lines = target.places.swapaxes(0, 1), target.places
        ladders = [self._ladder(k, lines[k]) for k in (0, 1)]
        for group in _by_weight(ladders):
            if group[0][0].count * group[0][1].count > most:
                break
            hopeful = []
            for u, v in group:
                if self._holds(u, 0) and self._holds(v, 1):
                    missed = self._projected(target, u, v, even=False)[1]
                    if missed * factor <= self._tolerance:
                        hopeful.append((missed, u, v))
            for _, u, v in sorted(hopeful, key=lambda one: one[0])[:AT_ONCE]:
                start, missed = self._projected(target, u, v)
                progress(min(0.9, start.count / 60), f"Trying {start.count} control points")
                found = self._fit_as_even_as_may_be(start, missed)
                within = found.within(self._tolerance)
                if within and found.net.fair:
                    found = self.evened(found, progress)
                    if found.net.leg <= EVEN_LEG:
                        return found, Ended.WITHIN
                    most = min(most, HEAVIER * start.count)
                    if uneven is None or found.net.leg < GAIN_IN_LEG * uneven.net.leg:
                        uneven = found
                    continue
                if within:
                    turning, most = True, min(most, FAIRER * start.count)
                # how much closer a fit comes than the projection says what need not be tried
                factor = max(factor, 0.6 * min(1.0, found.there.inlier_p99 / max(missed, 1e-12)))
                target = self._read(found.surface)
                better = best is None or found.there.inlier_rms < LEAST_GAIN * best.there.inlier_rms
                idle = 0 if better else idle + 1
                if best is None or self._rank(found) < self._rank(best):
                    best = found
            if uneven is None and not turning and best is not None and best.there.inlier_rms <= self._least_rms(idle):
                return best, Ended.NOISE
        if uneven is not None:
            return uneven, Ended.WITHIN
        if best is not None and turning:
            return best, Ended.TURNS
        if best is None:
            start = self.start(*heaviest)
            best = self.tried(self.fitted(start), EVEN)
        return best, Ended.LIMIT

    def _least_rms(self, idle: int) -> float:
        """mm: a patch so close has nothing left to come closer to but noise."""
        if idle >= IDLE_STEPS:
            return 1.5 * self._noise
        return AT_THE_NOISE * self._noise if NOISE_P99 * self._noise > self._tolerance else 0.0

    def _rank(self, one: Try) -> tuple[bool, float]:
        within = one.within(self._tolerance)
        return not within, _unevenness(one.net) if within else one.there.inlier_p99

    def evened(self, found: Try, progress: Progress = silent) -> Try:
        """The same net as even as the tolerance allows, and no more even than anybody sees."""
        limit = max(CLOSE * self._tolerance, min(found.p99, self._tolerance))
        if found.net.leg > EVEN_LEG:
            limit = self._tolerance  # legs that look uneven are worth all the closeness there is
        low = high = found
        while not high.net.calm and high.even < MOST_EVEN:
            progress(0.9, "Evening the net")
            trial = self._again(high, 10 * high.even)
            if not self._may_be(trial, found, limit):
                high = trial
                break
            before, low, high = low, trial, trial
            if _unevenness(low.net) > LEAST_GAIN * _unevenness(before.net):
                return before  # what is left of it lies in the borders, or in the form
        if high is not low:
            for _ in range(2):
                trial = self._again(low, float(np.sqrt(low.even * high.even)))
                if self._may_be(trial, found, limit):
                    low = trial
                else:
                    high = trial
        return low

    def one_step_more(self, found: Try, axis: int) -> float | None:
        """The p99, mm, to the scan that the next heavier net along u or v would reach; None where there is none."""
        surface = found.surface
        sizes = surface.points.shape[:2]
        now = [Rung(surface.degree[k], surface.knots[k]) for k in (0, 1)]
        heavier = (r for r in self._ladder(axis) if r.count > sizes[axis] and self._holds(r, axis))
        more = next(heavier, None)
        if more is None:
            return None
        now[axis] = more
        start, _ = self._projected(self._read(surface), now[0], now[1])
        heavier_patch = self.fitted(start, found.even, 2)
        return shape_to_scan(heavier_patch, self._scan, CHECK_ALONG).figures(self._tolerance).inlier_p99

    def _may_be(self, trial: Try, found: Try, limit: float) -> bool:
        return trial.within(self._tolerance) and trial.p99 <= limit and (trial.net.fair or not found.net.fair)

    def _again(self, found: Try, even: float) -> Try:
        return self.tried(self.fitted(found.surface, even, 3), even)

    def _fit_as_even_as_may_be(self, start: Surface, missed: float) -> Try:
        found = self.tried(self.fitted(start), EVEN)
        fairer = found
        while not found.within(self._tolerance) and missed < self._tolerance and found.even > LEAST_EVEN:
            lower = found.even / 10
            looser = self.tried(self.fitted(start, lower), lower)
            if not (looser.net.fair or looser.within(self._tolerance)):
                break
            fairer, found = found, looser
        if found.within(self._tolerance) and not found.net.fair and fairer.net.fair:
            # one of them is close enough, the other even enough: one between may be both
            between = self._again(found, float(np.sqrt(found.even * fairer.even)))
            if between.within(self._tolerance) and between.net.fair:
                return between
        return found

    def _holds(self, rung: Rung, axis: int) -> bool:
        """True when both borders along an axis keep the tolerance on a rung."""
        return all(self.border(side, rung).within(self._tolerance) for side in (axis, axis + 2))

    def _inverse(self, rung: Rung) -> Floats:
        """Pseudo-inverse of the inner basis functions at the places where the scan is read."""
        if rung.key not in self._inverses:
            self._inverses[rung.key] = np.linalg.pinv(basis_matrix(rung.knots, rung.degree, self._at, 0)[:, 1:-1])
        return self._inverses[rung.key]

    def _read(self, surface: Surface) -> _Target:
        grid = surface.on_grid(self._at, self._at)[0, 0]
        closest = self._scan.closest(grid.reshape(-1, 3))
        normals = closest.normals.reshape(grid.shape)
        places = rounded_places(self._scan, closest).reshape(grid.shape)
        off = np.einsum("rsc,rsc->rs", places - grid, normals)
        # over an opening the surface is all that is known
        off[closest.on_border.reshape(off.shape)] = 0.0
        return _Target(grid + off[..., None] * normals, normals)

    def _projected(self, target: _Target, u: Rung, v: Rung, even: bool = True) -> tuple[Surface, float]:
        """A candidate by plain least squares through the target, its borders held; and how far it misses, mm."""
        start = self.start(u, v, even)
        bu, bv = (basis_matrix(rung.knots, rung.degree, self._at, 0) for rung in (u, v))
        rest = target.places - np.matmul(bv, (bu @ start.points.reshape(len(start.points), -1)).reshape(GRID, -1, 3))
        points = start.points
        if u.count > 2 and v.count > 2:
            pu, pv = (self._inverse(rung) for rung in (u, v))
            move = np.matmul(pv, (pu @ rest.reshape(GRID, -1)).reshape(len(pu), GRID, 3))
            points = points.copy()
            points[1:-1, 1:-1] += move
            rest = rest - np.matmul(bv[:, 1:-1], (bu[:, 1:-1] @ move.reshape(len(move), -1)).reshape(GRID, -1, 3))
        off = np.abs(np.einsum("rsc,rsc->rs", rest, target.normals))
        return start.with_points(points), float(np.percentile(off, 97))


def _by_weight(ladders: Sequence[Sequence[Rung]]) -> Iterator[list[tuple[Rung, Rung]]]:
    """Pairs in groups of about the same number of control points, the light ones first."""
    pairs = [(u, v) for u in ladders[0] for v in ladders[1] if u.count * v.count <= MOST_POINTS]
    pairs.sort(key=lambda p: p[0].count * p[1].count)
    most = 0.0
    group: list[tuple[Rung, Rung]] = []
    for u, v in pairs:
        if u.count * v.count > most:
            if group:
                yield group
            group, most = [], max(GROUP * u.count * v.count, u.count * v.count + 0.5)
        group.append((u, v))
    yield group


def _unevenness(net: Evenness) -> float:
    return net.leg / CALM_LEG + net.bend / CALM_BEND
