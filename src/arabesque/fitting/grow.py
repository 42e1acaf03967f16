"""Grow: from one place on a scan, the largest four-sided area that a net of a chosen weight holds within tolerance."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from arabesque.arrays import Bools, Floats, Ints, tree_of, unit
from arabesque.checking import Evenness, evenness, shape_to_scan
from arabesque.errors import FitProblem
from arabesque.fitting.borders import ALL_CALM, Through, border_lines
from arabesque.fitting.calm import CalmFit
from arabesque.fitting.four_corners import four_corner_patch
from arabesque.fitting.patch import EVEN, SLIDE, FitSettings, fit_patch
from arabesque.fitting.patch_fit import check_tolerance
from arabesque.fitting.rungs import HIGHEST_DEGREE, Rung
from arabesque.geometry import Curve, Plane, Surface, border_of, uniform_knots
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, walk_ahead

START = 0.02
"""Of the scan's diagonal: half the side of the first try."""
SMALLEST_START = 0.003
FEWEST_NEAR = 8
SAME_BEND = 0.3
"""Of the tolerance: bending both ways that differs by less, over what lies near, has no principal directions."""
REACH = 0.03
"""Of the scan's diagonal: what lies so near to the seed tells the principal directions."""
STEP = 0.3
"""Of the size, by which a side is pushed at first."""
SMALLEST_STEP = 0.015
"""Of the size: a side that cannot go that far stops."""
MOST_LEG, MOST_BEND = 1.5, 20.0
"""Nets less even than that hold no more."""
MOST_MISSING = 0.02
SHARPEST, BLUNTEST = 35.0, 145.0
"""Degrees: between these lie the corners of an area that is four-sided."""
FULL = 0.92
"""Of the tolerance: what is found by few samples is to stand before many."""
SHRINK, MOST_SHRINKS = 0.97, 5
"""An area that does not stand before many samples is taken back by so much, so many times at most."""
BELOW = 4.0
"""Tolerances from a patch up to which the scan lies below it."""
SAMPLES, ROUNDS, CHECKED = 20, 3, 30
EDGE_PLACES = 61

Grown = Callable[[Surface], None]


@dataclass(frozen=True, eq=False)
class Growth:
    """corners: (4, 3) on the scan, counter-clockwise seen from outside. surface: over them, of one span each way.

    through: for each side the curve or the places of a line that it lies on, or None for a calm line.
    """

    corners: Floats
    surface: Surface
    p99: float
    net: Evenness
    through: tuple[Floats | Curve | None, ...] = (None,) * 4

    @property
    def edges(self) -> list[Floats]:
        """The four edges, (n, 3) places each, in the order of its sides."""
        at = np.linspace(0.0, 1.0, EDGE_PLACES)[:, None]
        return [self.surface.at(start + at * (end - start)) for start, end in self.surface.boundary()]

    @property
    def area(self) -> float:
        """mm²."""
        return float(self.surface.sampler(CHECKED).read(self.surface).areas.sum())


@dataclass(frozen=True, eq=False)
class _Frame:
    """The seed, and the two directions along which the area grows."""

    place: Floats
    triangle: int
    along: Floats
    up: Floats


@dataclass(frozen=True)
class _Extent:
    """mm from the seed to each side, and what each corner goes further, along both directions."""

    sides: tuple[float, float, float, float]
    corners: tuple[tuple[float, float], ...] = field(default=((0.0, 0.0),) * 4)

    def pushed(self, side: int, by: float) -> _Extent:
        """With one side further out."""
        sides = list(self.sides)
        sides[side] += by
        return replace(self, sides=(sides[0], sides[1], sides[2], sides[3]))

    def corner_pushed(self, corner: int, by: tuple[float, float]) -> _Extent:
        """With one corner further out."""
        corners = list(self.corners)
        corners[corner] = (corners[corner][0] + by[0], corners[corner][1] + by[1])
        return replace(self, corners=tuple(corners))

    def shrunk(self, by: float) -> _Extent:
        """With everything nearer to the seed."""
        a, b, c, d = (by * side for side in self.sides)
        return _Extent((a, b, c, d), tuple((by * du, by * dv) for du, dv in self.corners))

    @property
    def size(self) -> tuple[float, float]:
        """mm along both directions."""
        return self.sides[0] + self.sides[2], self.sides[1] + self.sides[3]

    def places(self) -> list[tuple[float, float]]:
        """How far along both directions each corner lies, counter-clockwise."""
        low_u, low_v, high_u, high_v = self.sides
        signs = ((-low_u, -low_v), (high_u, -low_v), (high_u, high_v), (-low_u, high_v))
        return [(u + du, v + dv) for (u, v), (du, dv) in zip(signs, self.corners, strict=True)]


class Grower:
    """Grows areas on one scan. blocked: (m,) triangles that no area may touch."""

    def __init__(
        self, scan: Scan, tolerance: float, counts: tuple[int, int] = (4, 4), blocked: Bools | None = None
    ) -> None:
        check_tolerance(tolerance)
        if not all(2 <= count <= HIGHEST_DEGREE + 1 for count in counts):
            raise FitProblem(
                f"{counts[0]} x {counts[1]} control points cannot grow", f"Use 2 to {HIGHEST_DEGREE + 1} each way"
            )
        self._scan, self._tolerance = scan, tolerance
        self._rungs = [Rung(count - 1, uniform_knots(count - 1, 1)) for count in counts]
        self._blocked = np.zeros(len(scan.triangles), dtype=bool) if blocked is None else blocked

    @property
    def degree(self) -> tuple[int, int]:
        """Of what grows: one span of as many control points as were asked for."""
        return self._rungs[0].degree, self._rungs[1].degree

    def grow(self, place: Floats, grown: Grown | None = None, progress: Progress = silent) -> Growth:
        """The largest area from a (3,) place on the scan.

        grown: hears of every larger one. Raises FitProblem where not even a small one holds.
        """
        frame = self._frame(place)
        extent, best = self._first(frame)
        steps = [STEP] * 4
        pushes = 0
        while max(steps) > 0:
            for side in range(4):
                if steps[side] <= 0:
                    continue
                progress(min(0.9, pushes / 80), f"{best.surface.count} points hold {best.area:.0f} mm²")
                pushes += 1
                by = steps[side] * float(np.sqrt(np.prod(extent.size)))
                wider = extent.pushed(side, by)
                found = self._tried(frame, wider)
                if found is None:
                    steps[side] = steps[side] / 2 if steps[side] / 2 >= SMALLEST_STEP else 0.0
                    continue
                extent, best = wider, found
                if grown is not None:
                    grown(best.surface)
        extent, best = self._corners(frame, extent, best, grown, progress)
        tried: Growth | None = best
        for _ in range(MOST_SHRINKS):
            progress(0.97, "Measuring both ways")
            sure = None if tried is None else self.sure(tried)
            if sure is not None:
                return sure
            extent = extent.shrunk(SHRINK)
            tried = self._tried(frame, extent)
        raise _nothing_holds()

    def _corners(
        self, frame: _Frame, extent: _Extent, best: Growth, grown: Grown | None, progress: Progress
    ) -> tuple[_Extent, Growth]:
        """Each corner pushed out on its own."""
        out = ((-1, -1), (1, -1), (1, 1), (-1, 1))
        for corner in range(4):
            step = STEP / 2
            while step >= SMALLEST_STEP:
                progress(0.9 + 0.02 * corner, f"{best.surface.count} points hold {best.area:.0f} mm²")
                size = step * float(np.sqrt(np.prod(extent.size)))
                wider = extent.corner_pushed(corner, (size * out[corner][0], size * out[corner][1]))
                found = self._tried(frame, wider)
                if found is None or found.area <= best.area:
                    step /= 2
                    continue
                extent, best = wider, found
                if grown is not None:
                    grown(best.surface)
        return extent, best

    def _frame(self, place: Floats) -> _Frame:
        """The principal directions by the quadric of least squares over what lies near (Goldfeather and Interrante,
        "A novel cubic-order algorithm for approximating principal direction vectors", 2004, section 2)."""
        scan = self._scan
        closest = scan.closest(place[None])
        place, up = closest.points[0], closest.normals[0]
        near = np.flatnonzero(np.linalg.norm(scan.points - place, axis=1) < REACH * scan.diagonal)
        near = near[scan.smoothed_normals[near] @ up > 0.5]
        x = unit(np.cross(up, [0.0, 0, 1] if abs(up[2]) < 0.9 else [1.0, 0, 0]))
        y = np.cross(up, x)
        local = scan.points[near] - place
        a, b, c = local @ x, local @ y, local @ up
        bends, directions = np.zeros(2), np.eye(2)
        if len(near) >= FEWEST_NEAR:
            terms = np.column_stack([a * a, a * b, b * b, a, b, np.ones_like(a)])
            uu, uv, vv = np.linalg.lstsq(terms, c, rcond=None)[0][:3]
            bends, directions = np.linalg.eigh(np.array([[uu, uv / 2], [uv / 2, vv]]))
        if (bends[1] - bends[0]) * (REACH * scan.diagonal) ** 2 > SAME_BEND * self._tolerance:
            along = directions[0, 0] * x + directions[1, 0] * y
        else:
            # where it bends alike every way, as the whole scan lies
            axes = np.linalg.eigh(np.cov(scan.points[:: max(1, len(scan.points) // 5000)].T))[1]
            flat = axes - np.outer(up, up @ axes)
            along = unit(flat[:, int(np.linalg.norm(flat, axis=0).argmax())])
        return _Frame(place, int(closest.triangle[0]), along, up)

    def _first(self, frame: _Frame) -> tuple[_Extent, Growth]:
        size = START
        while size >= SMALLEST_START:
            half = size * self._scan.diagonal
            extent = _Extent((half, half, half, half))
            found = self._tried(frame, extent)
            if found is not None:
                return extent, found
            size /= 2
        raise _nothing_holds()

    def _place(self, frame: _Frame, u: float, v: float) -> Floats | None:
        """The place on the scan u mm along one direction and then v mm along the other; None beyond a rim."""
        place, triangle, along, arrived = walk_ahead(
            self._scan, (frame.place, frame.triangle), np.sign(u) * frame.along, frame.up, abs(u)
        )
        if not arrived:
            return None
        up = self._scan.closest(place[None]).normals[0]
        across = unit(np.cross(up, np.sign(u) * along))
        place, triangle, _, arrived = walk_ahead(self._scan, (place, triangle), np.sign(v) * across, up, abs(v))
        return place if arrived else None

    def _tried(self, frame: _Frame, extent: _Extent) -> Growth | None:
        """The patch over an extent; None where it does not hold."""
        found = [self._place(frame, u, v) for u, v in extent.places()]
        if any(place is None for place in found):
            return None
        return self.held(np.array(found))

    def sure(self, growth: Growth) -> Growth | None:
        """The patch as its recipe lays it, where that keeps the tolerance both ways; None where it does not."""
        fit = four_corner_patch(growth.corners, self._scan, self._tolerance, self.degree, through=growth.through)
        return replace(growth, surface=fit.surface, p99=fit.figures.inlier_p99, net=fit.net) if fit.within else None

    def held(self, corners: Floats, through: Through = ALL_CALM) -> Growth | None:
        """The patch between (4, 3) corners, where it holds; None where it does not."""
        closed = self._blocked
        if not _four_sided(corners):
            return None
        lines = border_lines(corners, self._scan, through)
        # a side that lies on a line may run along what is blocked there
        calm = [line for line, places in zip(lines, through, strict=True) if places is None]
        if not all(line.whole for line in lines) or any(closed[line.triangles].any() for line in calm):
            return None
        search = CalmFit(lines, self._scan, FULL * self._tolerance)
        u, v = self._rungs
        if not all(search.border(k, (u, v)[k % 2]).within(FULL * self._tolerance) for k in range(4)):
            return None
        start = search.start(u, v)
        settings = FitSettings(self._tolerance, SAMPLES, ROUNDS, SLIDE, even=EVEN)
        surface = fit_patch(start, self._scan, settings, border_of(start.points.shape), trusted=True)
        measured = shape_to_scan(surface, self._scan, CHECKED)
        figures = measured.figures(self._tolerance)
        if measured.missing > MOST_MISSING or not figures.within(FULL * self._tolerance):
            return None
        closest = self._scan.closest(measured.samples.points)
        backwards = np.einsum("nc,nc->n", measured.samples.normals, closest.normals) < 0
        if closed[closest.triangle].any() or backwards.any():
            return None
        net = evenness(surface)
        if net.leg > MOST_LEG or net.bend > MOST_BEND:
            return None
        return Growth(corners, surface, figures.inlier_p99, net, tuple(through))


def _nothing_holds() -> FitProblem:
    return FitProblem(
        "Nothing grows from here within the tolerance",
        "Click a calmer place, away from rims, lines and patches; or use more control points",
    )


def _four_sided(corners: Floats) -> bool:
    """True for corners that are neither sharp nor blunt."""
    ahead, behind = unit(np.roll(corners, -1, axis=0) - corners), unit(np.roll(corners, 1, axis=0) - corners)
    angles = np.degrees(np.arccos(np.clip(np.einsum("kc,kc->k", ahead, behind), -1, 1)))
    return bool((angles > SHARPEST).all() and (angles < BLUNTEST).all())


def crossed_triangles(scan: Scan, lines: list[Floats]) -> Ints:
    """The triangles of a scan that polylines on it run over, and those beside them."""
    if not lines:
        return np.zeros(0, dtype=np.int64)
    places = np.concatenate(lines)
    corners = np.unique(scan.triangles[scan.closest(places).triangle])
    mask = np.zeros(len(scan.points), dtype=bool)
    mask[corners] = True
    found: Ints = np.flatnonzero(mask[scan.triangles].any(axis=1))
    return found


def plane_triangles(scan: Scan, normal: Floats, offset: float) -> Ints:
    """The triangles that a plane crosses."""
    side = scan.points @ normal > offset
    counts = side[scan.triangles].sum(axis=1)
    found: Ints = np.flatnonzero((counts > 0) & (counts < 3))
    return found


def blocked_triangles(
    scan: Scan,
    tolerance: float,
    patches: Sequence[Surface] = (),
    lines: Sequence[Floats] = (),
    plane: Plane | None = None,
) -> Bools:
    """(m,) triangles that nothing may grow over: below patches, under lines, across a plane."""
    blocked = np.zeros(len(scan.triangles), dtype=bool)
    blocked[crossed_triangles(scan, list(lines))] = True
    blocked[covered_triangles(scan, list(patches), BELOW * tolerance)] = True
    if plane is not None:
        blocked[plane_triangles(scan, plane.normal, plane.offset)] = True
    return blocked


def covered_triangles(scan: Scan, surfaces: list[Surface], reach: float) -> Ints:
    """The triangles below surfaces, no further off than ``reach`` mm."""
    found = []
    middles = scan.points[scan.triangles].mean(axis=1)
    for surface in surfaces:
        samples = surface.sampler(CHECKED * 2).read(surface)
        step = float(np.sqrt(samples.areas.max())) if len(samples.areas) else 0.0
        low, high = samples.points.min(axis=0) - reach - step, samples.points.max(axis=0) + reach + step
        near = np.flatnonzero(((middles >= low) & (middles <= high)).all(axis=1))
        away, index = tree_of(samples.points).query(middles[near])
        facing = np.einsum("nc,nc->n", samples.normals[index], unit(scan.area_vectors[near])) > 0
        found.append(near[(away <= reach + 0.75 * step) & facing])
    return np.unique(np.concatenate(found)) if found else np.zeros(0, dtype=np.int64)
