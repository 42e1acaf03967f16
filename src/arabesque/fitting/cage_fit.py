"""Fit a cage to a scan: its points move until the smooth surface lies on the scan, the net staying even."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from scipy.linalg import cho_factor, cho_solve
from scipy.sparse import block_array, block_diag, csr_array, diags_array, eye_array, hstack, vstack
from scipy.sparse.linalg import LinearOperator, cg

from arabesque.arrays import Bools, Floats, Ints, tree_of, unit
from arabesque.cages import Cage, CageProblem, Stencils, make_stencils
from arabesque.cages.edits.relax import neighbour_mean, relaxed
from arabesque.cages.net import on_sides
from arabesque.cages.quads import CORNER
from arabesque.cages.symmetry import mirror_pairs, symmetric
from arabesque.checking import (
    BothWays,
    CageNet,
    Distances,
    distances_to_scan,
    folded_faces,
    inlier_bound,
    measure_both_ways,
    outliers,
    read_cage_net,
)
from arabesque.checking.net import UNEVEN
from arabesque.errors import FitProblem
from arabesque.fitting.cage_energy import Spacing, evenness_rows, fairness_rows
from arabesque.fitting.cage_normal import NormalMatrix
from arabesque.fitting.patch_fit import check_tolerance
from arabesque.geometry import Plane
from arabesque.progress import Progress, silent
from arabesque.scan import Closest, Scan, rounded_places

PLACES = 16_000
"""Samples over the whole cage, about."""
AGREEING_NORMALS = 0.5
WIDE = 20.0
SCAN_PLACES = 6_000
"""Of the scan, by which it is seen whether the cage covers it."""
MOST_MEASURED = 100_000
"""Of the scan, from which the cage is measured in the end; evenly over its order."""
ASIDE = 1.5
FAR_BACK = 20.0
"""Tolerances within which a place of the scan still draws a surface that is nearly there."""
SLIDE = 0.002
LINE_WEIGHT = 4.0
"""How much more places on lines count than places on the surface."""
STAGES = 9
SHORTEST = 1 / 32
CALMEST, CLOSEST = 3e-2, 1e-6
"""Weights of evenness from which a fit starts and to which it goes at most."""
ROUNDS_FIRST, ROUNDS = 4, 2
LAID = 0.5
"""Points so much nearer to the scan than where they come to lie were laid on it."""
HELD, SMOOTHINGS, UNFOLDING = 0.1, 20, 4
"""How much points that were folded are kept from sliding, how often they are smoothed until nothing is folded, and
how many rounds follow each other for that."""
FLATTENINGS, LOST, FEW_FOLDED = 30, 1.1, 0.005
"""Steps that flatten what is still folded, how much further away the surface may come to lie by it, and up to which
share of folded faces that is done on the way."""
WORSENED = 1.1
"""A stage after which the surface is so much further from the scan than before is given up for a closer one."""
NEAR_AT_START = 3.0
"""Spacings of samples up to which the scan belongs to what was laid."""
WITHIN = 0.5
"""Spacings up to which a place of the scan lies beside a sample, and not beyond the border."""
MOST_UNEVEN = 3.0
WORSE = 1.25
"""Legs up to which a net counts as even on its way to the tolerance, and how much worse than the laid one, and than
after its first, calmest stage, it may become."""
PLACED, SLOW = 0.25, 0.8
"""Where the fit of a placed cage starts, and what is left of the distance after a stage that is not worth the next."""
AIM = 0.8
"""Of the tolerance: a fit that is so near goes no further, for what is left is evenness."""
FAIR_SHARE = 0.1
"""Fairness counts so much against evenness."""
MOST_STEPS = 120
FEW_WAYS = 900
RIDGE = 1e-10


@dataclass(frozen=True, eq=False)
class CageSettings:
    """How a cage is fitted.

    tolerance: mm. balance: from 0, as fair as can be, to 1, as close as can be; None goes from fair to close until
    the tolerance is kept. plane: the cage is kept alike on both sides of it. lines: (k, 3) polylines that borders and
    sharp edges within ``reach`` mm are drawn to. pinned: (n,) points that stay. placed: the cage lies where it belongs
    already, face by face, and need not be drawn there by a calm start; such a fit ends when it comes little nearer.
    patient: where it crumples on its way to the tolerance, it goes back and on in shorter steps.
    spacing: takes (k, 3) places to (k,) how far apart points are to be there, as to elsewhere; even if not given.
    """

    tolerance: float
    balance: float | None = None
    plane: Plane | None = None
    lines: Sequence[Floats] = ()
    reach: float = 0.0
    pinned: Bools | None = None
    placed: bool = False
    patient: bool = True
    spacing: Spacing | None = None


@dataclass(frozen=True, eq=False)
class CageFit:
    """A fitted cage, how it stands to the scan, and how even its net is. balance: at which the fit ended."""

    cage: Cage
    figures: BothWays
    net: CageNet
    tolerance: float
    balance: float
    seconds: float

    @property
    def within(self) -> bool:
        """True when both directions keep the tolerance and no face is folded."""
        return self.figures.within(self.tolerance) and not self.net.folded.any()

    @property
    def verdict(self) -> str:
        """In words."""
        words = self.figures.verdict(self.tolerance)
        folded = int(self.net.folded.sum())
        return f"{words}; {folded} face{'s are' if folded > 1 else ' is'} folded" if folded else words

    def as_record(self) -> dict[str, Any]:
        """Plain values for a report."""
        return {
            "tolerance": self.tolerance,
            "faces": self.cage.count,
            **self.figures.as_record(),
            "net": self.net.as_record(),
            "balance": self.balance,
            "within": self.within,
            "verdict": self.verdict,
            "seconds": self.seconds,
        }


def fit_cage(cage: Cage, scan: Scan, settings: CageSettings, progress: Progress = silent) -> CageFit:
    """The cage with its points moved so that its surface comes near the scan.

    Gauss-Newton on the distances along the scan's normals (Pottmann, Leopoldseder and Hofer 2002, as for patches)
    over limit stencils, solved by conjugate gradients; with a tangential thin-plate energy of the net and third
    differences along its rows, whose weights fall from stage to stage. Raises FitProblem with no scan below, and
    CageProblem where the net is not alike on both sides of the plane.
    """
    check_tolerance(settings.tolerance)
    began = time.monotonic()
    work = _Fit(_laid_on(cage, scan, settings), scan, settings)
    made, balance = _brought_near(work, settings, WORSE * read_cage_net(cage).leg, progress)
    progress(0.95, "Measuring")
    figures = measure_both_ways([made], scan, settings.tolerance, most_scan_points=MOST_MEASURED)
    return CageFit(made, figures, read_cage_net(made), settings.tolerance, balance, time.monotonic() - began)


def _brought_near(work: _Fit, settings: CageSettings, leg: float, progress: Progress) -> tuple[Cage, float]:
    """The best cage on the way from fair to close, and the balance at which it is; leg: how uneven it may be."""
    laid = work.cage
    by_hand = settings.balance is not None
    last = 1.0 if settings.balance is None else settings.balance
    balance, ahead = min(PLACED, last) if settings.placed else 0.0, 1.0 / (STAGES - 1)
    best: tuple[tuple[bool, bool, bool, float], float, Cage] | None = None
    even: tuple[float, Cage] | None = None
    nearest = np.inf
    legs, begun = max(MOST_UNEVEN, leg), False
    # what is placed cannot be drawn in
    apart = 0.0 if settings.placed else work.apart()
    while True:
        before = work.cage
        for number in range(ROUNDS if begun or settings.placed else ROUNDS_FIRST):
            progress(min((balance + ahead * number / ROUNDS_FIRST) / (last + ahead), 0.9), "Fitting the cage")
            work.step(balance, wide=not begun)
        now = 0.0 if settings.placed else work.apart()
        if now > WORSENED * apart and balance < last:
            # so fair a surface cannot follow what was laid: a spout would be drawn in
            work.cage, balance = before, min(balance + ahead, last)
            continue
        net = work.unfolded(balance)
        legs = legs if begun else max(legs, WORSE * net.leg)
        apart, begun = min(apart, now), True
        crumpled, near = bool(net.folded.any()) or net.leg > legs, work.near()
        # an even net goes before a close one: what is crumpled once to come closer seldom comes out flat
        rank = crumpled, near > settings.tolerance, net.leg > UNEVEN, near
        if best is None or rank < best[0] or by_hand:
            best = rank, balance, work.cage
        if crumpled and even is None and settings.placed and not by_hand:
            if balance <= 0:
                break
            # more calmly from the start
            work.cage, balance = laid, max(balance - ahead, 0.0)
            continue
        if crumpled and even is not None and not by_hand:
            # back to the last even one, from which shorter steps lead further
            if ahead <= SHORTEST or not settings.patient:
                break
            ahead /= 2
            balance, work.cage = even[0] + ahead, even[1]
            continue
        if settings.placed and even is not None and near > SLOW * nearest:
            break
        nearest = min(nearest, near)
        even = None if crumpled else (balance, work.cage)
        if balance >= last or (near <= AIM * settings.tolerance and not by_hand):
            break
        balance = min(balance + ahead, last)
    assert best is not None
    work.cage = best[2]
    if not by_hand:
        work.flatten(settings.tolerance)
    return work.cage, float(best[1])


def _laid_on(cage: Cage, scan: Scan, settings: CageSettings) -> Cage:
    """A cage whose points were laid on the scan with its surface brought near them: else it would begin drawn in."""
    points, limit = (float(np.median(scan.closest(places).distance)) for places in (cage.points, cage.limit))
    if settings.placed or settings.pinned is not None or limit <= settings.tolerance or points > LAID * limit:
        return cage
    # once, not until it passes: that would overshoot between points that are close together
    made = cage.with_points(2 * cage.points - cage.limit)
    if settings.plane is None:
        return made
    pairs = mirror_pairs(cage, settings.plane)
    return made if pairs is None else cage.with_points(symmetric(made.points, settings.plane, pairs))


class _Back(NamedTuple):
    """What places of the scan ask of the surface: (k,) the samples below them, with residuals along (k, 3) normals."""

    sample: Ints
    normal: Floats
    residual: Floats
    weight: Floats


class _Seen(NamedTuple):
    """Of places of the scan the sample nearest to each, how far it is, and what of that lies along its normal and
    beside it."""

    sample: Ints
    away: Floats
    over: Floats
    beside: Floats


class _Fit:
    """A cage on its way to a scan."""

    def __init__(self, cage: Cage, scan: Scan, settings: CageSettings) -> None:
        self.cage, self._scan, self._settings = cage, scan, settings
        quads = cage.quads
        each = max(2, round((PLACES / len(quads.faces)) ** 0.5))
        at = (np.arange(each) + 0.5) / each
        uv = np.stack(np.meshgrid(at, at, indexing="ij"), axis=-1).reshape(-1, 2)
        n = len(quads.faces)
        self._stencils: Stencils = make_stencils(quads, np.repeat(np.arange(n), len(uv)), np.tile(uv, (n, 1)), 1)
        self._matrix = self._stencils.matrix(0, quads.count)
        self._pairs = _grid_pairs(n, each)
        fair = fairness_rows(cage)
        self._fair = csr_array(block_diag([fair.T @ fair] * 3))
        self._normal = NormalMatrix(self._stencils, quads.count)
        free = np.ones(quads.count, dtype=bool) if settings.pinned is None else ~settings.pinned
        self._ways = self._moves(free)
        self._lines = _lines_below(cage, settings, scan)
        share = max(1, len(scan.points) // SCAN_PLACES)
        self._seen = np.arange(0, len(scan.points), share)
        self._held = np.zeros(quads.count, dtype=bool)
        self._last: Ints | None = None
        self._seen_area = scan.area / len(self._seen)
        places, du, dv = self._stencils.apply(cage.points)
        spacing, begun = self._spacing(places), self._seen_from(places, unit(np.cross(du, dv)))
        self._near = begun.away <= NEAR_AT_START * spacing
        self._below = self._near & (begun.beside <= WITHIN * spacing)

    def _moves(self, free: Bools) -> csr_array:
        """(3 n, m) the moves that are left free, x of all points first: of a twin pair one, on the plane two ways."""
        n, plane = self.cage.quads.count, self._settings.plane
        if plane is None:
            return csr_array(eye_array(3 * n, format="csc")[:, np.flatnonzero(np.tile(free, 3))])
        pairs = mirror_pairs(self.cage, plane)
        if pairs is None:
            raise CageProblem(
                "The cage is not alike on both sides of the twin plane", "Mirror and weld one half, or fit without twin"
            )
        own = pairs == np.arange(n)
        reflect = np.eye(3) - 2 * np.outer(plane.normal, plane.normal)
        inside = np.eye(3) - np.outer(plane.normal, plane.normal)
        rows, columns, values, count = [], [], [], 0
        basis = np.linalg.svd(inside)[0][:, :2]
        for point in np.flatnonzero(free & (np.arange(n) <= pairs)):
            own_ways = basis if own[point] else np.eye(3)
            for way in own_ways.T:
                for at, move in ((point, way),) if own[point] else ((point, way), (pairs[point], reflect @ way)):
                    for axis in np.flatnonzero(move):
                        rows.append(axis * n + at)
                        columns.append(count)
                        values.append(move[axis])
                count += 1
        return csr_array((np.array(values), (np.array(rows), np.array(columns))), shape=(3 * n, count))

    def step(self, balance: float, wide: bool) -> None:
        """One round: closest places, and the move that brings the surface nearest to them."""
        cage, scan = self.cage, self._scan
        found = self._stencils.apply(cage.points)
        places, across = found[0], np.cross(found[1], found[2])
        area = np.linalg.norm(across, axis=1)
        closest = self._closest(places)
        normal = closest.normals
        residual = np.einsum("nc,nc->n", rounded_places(scan, closest) - places, normal)
        valid = ~closest.on_border
        cosine = np.einsum("nc,nc->n", across, normal) / np.where(area > 0, area, 1.0)
        valid &= cosine > (0.0 if wide else AGREEING_NORMALS)
        if np.count_nonzero(valid) < 4:
            raise FitProblem("There is no scan below the cage", "Lay its points on the scan first")
        far = float(np.median(np.abs(residual[valid])))
        if far > float(np.linalg.norm(np.ptp(places, axis=0))):
            raise FitProblem(f"The cage lies {far:.0f} mm from the scan", "Bring it there first, or check its unit")
        weight = self._trust(residual, area * valid, places, wide) * valid * area
        up = across / np.where(area > 0, area, 1.0)[:, None]
        back = self._back(places, up, wide)
        weight = np.concatenate([weight, back.weight])
        rows = np.concatenate([np.arange(len(places)), back.sample])
        move = self._solve(
            rows, np.concatenate([normal, back.normal]), np.concatenate([residual, back.residual]),
            weight / weight.sum(), balance,
        )  # fmt: skip
        self.cage = cage.with_points(self._alike(cage.points + move))

    def _closest(self, places: Floats) -> Closest:
        """What of the scan is closest to the samples; quick, because they move little from round to round."""
        closest = self._scan.closest(places, near=self._last)
        self._last = closest.triangle
        return closest

    def _alike(self, points: Floats) -> Floats:
        """Points made alike on both sides of the plane to the bit, with the pinned ones where they were."""
        if self._settings.plane is not None:
            pairs = mirror_pairs(self.cage, self._settings.plane)
            assert pairs is not None
            points = symmetric(points, self._settings.plane, pairs)
        if self._settings.pinned is not None:
            points = np.where(self._settings.pinned[:, None], self.cage.points, points)
        return points

    def _back(self, places: Floats, up: Floats, wide: bool) -> _Back:
        """What draws the surface towards places of the scan that lie above or below it: without that a cage could
        keep close by covering less."""
        scan = self._scan
        seen, m = self._seen_from(places, up), scan.smoothed_normals[self._seen]
        sample = seen.sample
        cosine = np.einsum("nc,nc->n", up[sample], m)
        residual = np.einsum("nc,nc->n", scan.points[self._seen] - places[sample], m)
        over = (seen.beside <= ASIDE * self._spacing(places)) & (cosine > (0.0 if wide else AGREEING_NORMALS))
        tolerance = self._settings.tolerance
        bound = max(WIDE * tolerance, inlier_bound(residual[over], tolerance)) if wide else FAR_BACK * tolerance
        trust = np.where(over & (np.abs(residual) < bound), (1 - np.minimum(residual / bound, 1.0) ** 2) ** 2, 0.0)
        return _Back(sample, m, residual, trust * self._seen_area)

    def unfolded(self, balance: float) -> CageNet:
        """More rounds until no face is folded, or it does not help; the net as it is then."""
        net = read_cage_net(self.cage)
        for _ in range(UNFOLDING):
            if not net.folded.any():
                break
            self.calm(net.folded)
            self.step(balance, wide=False)
            net = read_cage_net(self.cage)
        if 0 < net.folded.sum() <= FEW_FOLDED * self.cage.count:
            # a whole net is not to stay far from the scan for a few faces
            self.flatten(self._settings.tolerance)
            net = read_cage_net(self.cage)
        return net

    def calm(self, folded: Bools) -> None:
        """The points of folded faces slid along the surface until nothing is folded, where they stay from now on: a
        fit that is only asked to be more even there draws the faces round about after them."""
        cage = self.cage
        movable = np.zeros(cage.quads.count, dtype=bool)
        for _ in range(SMOOTHINGS):
            if not folded.any():
                break
            movable[cage.faces[folded]] = True
            if self._settings.pinned is not None:
                movable &= ~self._settings.pinned
            self._held |= movable
            cage = relaxed(cage, 3, movable)
            folded = folded_faces(cage)
        self.cage = cage.with_points(self._alike(cage.points))

    def flatten(self, tolerance: float) -> None:
        """Points of faces that are folded to the last drawn to their neighbours, off the surface if need be, unless the
        surface loses by it what it had reached."""
        if not folded_faces(self.cage).any():
            return
        cage, near = self.cage, self.near()
        movable = np.zeros(cage.quads.count, dtype=bool)
        pinned = np.zeros(cage.quads.count, dtype=bool) if self._settings.pinned is None else self._settings.pinned
        mean, _ = neighbour_mean(cage.quads)
        for _ in range(FLATTENINGS):
            folded = folded_faces(self.cage)
            if not folded.any():
                break
            movable[cage.faces[folded]] = True
            movable &= ~pinned & (cage.quads.kinds != CORNER)
            points = self.cage.points
            move = 0.5 * movable[:, None] * (mean @ points - points)
            self.cage = self.cage.with_points(self._alike(points + move))
        if folded_faces(self.cage).any() or self.near() > max(tolerance, LOST * near):
            self.cage = cage

    def apart(self) -> float:
        """How far the cage and what of the scan lay near it at the start are from each other, both ways: rms, mm."""
        places = self._stencils.apply(self.cage.points)[0]
        away, _ = tree_of(places).query(self._scan.points[self._seen])
        spacing = self._spacing(places)
        back = np.maximum(away[self._near] - spacing, 0.0)
        there = self._closest(places).distance
        return float(np.sqrt(np.mean(np.concatenate([there, back]) ** 2)))

    def _spacing(self, places: Floats) -> float:
        """mm between samples, about."""
        steps = places[self._pairs[:, 1]] - places[self._pairs[:, 0]]
        return float(np.percentile(np.linalg.norm(steps, axis=1), 95)) if len(steps) else np.inf

    def _trust(self, residual: Floats, area: Floats, places: Floats, wide: bool) -> Floats:
        """(n,) from 1 to 0: how much each sample counts; small steep islands do not."""
        tolerance, valid = self._settings.tolerance, area > 0
        if wide:
            bound = max(WIDE * tolerance, inlier_bound(residual[valid], tolerance))
            return np.asarray(np.where(np.abs(residual) < bound, (1 - (residual / bound) ** 2) ** 2, 0.0))
        pairs = self._pairs[valid[self._pairs].all(axis=1)]
        dents = outliers(residual, area, places, pairs, tolerance)
        return np.where(dents, 0.0, 1.0)

    def _solve(self, rows: Ints, normal: Floats, residual: Floats, weight: Floats, balance: float) -> Floats:
        cage, n = self.cage, self.cage.quads.count
        calm = CALMEST * (CLOSEST / CALMEST) ** balance
        flat = cage.points.T.ravel()
        even = evenness_rows(cage, self._settings.spacing)
        energy = calm * (even.T @ even) + FAIR_SHARE * calm * self._fair
        matrix = self._normal.matrix(rows, normal, weight, SLIDE) + energy
        if self._held.any():
            matrix = matrix + self._holding(HELD / n)
        pull = self._matrix[rows].T @ ((weight * residual)[:, None] * normal)
        right = pull.T.ravel() - energy @ flat
        if self._lines is not None:
            rows, lacking = self._lines.rows(cage)
            matrix = matrix + rows.T @ rows
            right = right + rows.T @ lacking
        move = _solved(csr_array(matrix), right, self._ways)
        return np.asarray(move.reshape(3, n).T)

    def _holding(self, weight: float) -> csr_array:
        """(3 n, 3 n) what keeps points that were folded from sliding along the surface."""
        up = self.cage.frames().normals
        flat = weight * self._held[:, None, None] * (np.eye(3) - up[:, :, None] * up[:, None, :])
        return csr_array(block_array([[diags_array(flat[:, a, b]) for b in range(3)] for a in range(3)]))

    def near(self) -> float:
        """The worse p99 of both ways now, of the surface by area and without outliers, mm."""
        found = self._stencils.apply(self.cage.points)
        area = np.linalg.norm(np.cross(found[1], found[2]), axis=1)
        distance, valid = distances_to_scan(found[0], self._scan, near=self._last)
        pairs = self._pairs[valid[self._pairs].all(axis=1)]
        apart = outliers(distance, area * valid, found[0], pairs, self._settings.tolerance)
        some = valid & ~apart
        order = np.argsort(np.abs(distance[some]))
        share = np.cumsum(area[some][order])
        if not some.any():
            return np.inf
        there = float(np.abs(distance[some])[order][np.searchsorted(share, 0.99 * share[-1])])
        return max(there, self._back_p99(found[0], unit(np.cross(found[1], found[2]))))

    def _back_p99(self, places: Floats, up: Floats) -> float:
        """How near the scan that was below the cage at the start lies to the surface, mm."""
        if not self._below.any():
            return 0.0
        seen = self._seen_from(places, up)
        beside = seen.beside > ASIDE * self._spacing(places)
        return float(np.percentile(np.where(beside, seen.away, seen.over)[self._below], 99))

    def _seen_from(self, places: Floats, up: Floats) -> _Seen:
        away, sample = tree_of(places).query(self._scan.points[self._seen])
        over = np.abs(np.einsum("nc,nc->n", self._scan.points[self._seen] - places[sample], up[sample]))
        return _Seen(sample, away, over, np.sqrt(np.maximum(away**2 - over**2, 0.0)))


def _solved(matrix: csr_array, right: Floats, ways: csr_array) -> Floats:
    """The (3 n,) move among the free ones: directly where they are few, else by conjugate gradients, each way scaled
    to its own weight."""
    wanted = ways.T @ right
    size = np.asarray((ways.multiply(matrix @ ways)).sum(axis=0)).ravel() if ways.shape[1] <= FEW_WAYS else None
    if size is not None:
        whole = (ways.T @ (matrix @ ways)).toarray()
        # a point without scan below is held by this
        whole[np.diag_indices_from(whole)] += RIDGE * max(float(whole.trace()) / len(whole), 1e-300)
        return np.asarray(ways @ cho_solve(cho_factor(whole, overwrite_a=True, check_finite=False), wanted))
    own = matrix.diagonal()
    scale = np.asarray(ways.multiply(ways).T @ own).ravel()
    scale = np.where(scale > 0, scale, 1.0)
    ridge = RIDGE * float(scale.mean())
    turned = csr_array(ways.T)
    shape = (ways.shape[1],) * 2
    # where every point is free its ways are the axes
    free = ways.shape[0] == ways.shape[1]

    def applied(x: Floats) -> Floats:
        return np.asarray(matrix @ x if free else turned @ (matrix @ (ways @ x))) + ridge * x

    product = LinearOperator(shape, matvec=applied, dtype=float)
    ready = LinearOperator(shape, matvec=lambda x: x / scale, dtype=float)
    solved, _ = cg(product, wanted, rtol=1e-3, maxiter=MOST_STEPS, M=ready)
    return np.asarray(ways @ solved)


def _grid_pairs(faces: int, each: int) -> Ints:
    """(k, 2) neighbours among the samples of each face."""
    index = np.arange(each * each).reshape(each, each)
    own = np.concatenate(
        [np.column_stack([index[:-1].ravel(), index[1:].ravel()]),
         np.column_stack([index[:, :-1].ravel(), index[:, 1:].ravel()])]
    )  # fmt: skip
    return (np.arange(faces)[:, None, None] * each * each + own).reshape(-1, 2)


class _Lines:
    """Borders and sharp edges that lines of the form draw."""

    def __init__(self, cage: Cage, lines: Sequence[Floats], reach: float) -> None:
        quads = cage.quads
        halves = np.flatnonzero(quads.cut & ((np.arange(len(quads.twins)) < quads.twins) | quads.border))
        places = np.repeat(halves, 6)
        stencils = make_stencils(quads, places // 4, on_sides(places, np.tile(np.arange(6) / 6, len(halves))), 0)
        self._matrix = stencils.matrix(0, quads.count)
        points = np.concatenate([np.asarray(line)[:-1] for line in lines])
        self._ways = np.concatenate([np.diff(np.asarray(line), axis=0) for line in lines])
        self._points = points
        self._tree = tree_of(points + self._ways / 2)
        self._reach = reach

    def rows(self, cage: Cage) -> tuple[csr_array, Floats]:
        """What brings places on the edges to the lines, along which they may slide."""
        places = self._matrix @ cage.points
        _, near = self._tree.query(places, k=min(4, len(self._points)))
        near = near.reshape(len(places), -1)
        way = self._ways[near]
        size = np.maximum(np.einsum("nkc,nkc->nk", way, way), 1e-300)
        share = np.clip(np.einsum("nkc,nkc->nk", places[:, None] - self._points[near], way) / size, 0, 1)
        feet = self._points[near] + share[..., None] * way
        away = np.linalg.norm(feet - places[:, None], axis=2)
        best = away.argmin(axis=1)
        pick = np.arange(len(places)), best
        lacking, along = feet[pick] - places, way[pick]
        along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
        counts = np.where(away[pick] <= self._reach, LINE_WEIGHT / max(len(places), 1), 0.0)
        root = np.sqrt(counts)
        rows, right = [], []
        for axis in range(3):
            flat = -along[:, axis : axis + 1] * along
            flat[:, axis] += 1.0
            rows.append(hstack([diags_array(root * flat[:, other]) @ self._matrix for other in range(3)]))
            right.append(root * np.einsum("nc,nc->n", flat, lacking))
        return csr_array(vstack(rows)), np.concatenate(right)


def _lines_below(cage: Cage, settings: CageSettings, scan: Scan) -> _Lines | None:
    """The lines that were given; where none lies within reach of a border, that border stays where it is on the
    scan."""
    lines = [np.asarray(line, dtype=float) for line in settings.lines if len(line) > 1]
    own = [np.vstack([guide.points, guide.points[:1]]) for guide in cage.guides()]
    near = tree_of(np.concatenate(lines)) if lines else None
    reach = settings.reach
    for line in own:
        drawn = near is not None and np.median(near.query(line)[0]) <= max(reach, _longest(lines))
        if not drawn:
            lines.append(scan.closest(line).points)
            reach = max(reach, _longest([line]))
    return _Lines(cage, lines, reach) if lines and cage.quads.cut.any() else None


def _longest(lines: Sequence[Floats]) -> float:
    """The longest step of some polylines, mm."""
    return max((float(np.linalg.norm(np.diff(line, axis=0), axis=1).max()) for line in lines), default=0.0)


def faces_beyond(cage: Cage, measured: Distances, tolerance: float, share: float = 0.05) -> Ints:
    """The faces of a measured cage of which more than a share of the area breaks the tolerance: where it asks for
    more of them."""
    areas = measured.samples.areas * measured.valid
    beyond = areas * (np.abs(measured.distance) > tolerance) * ~measured.apart(tolerance)
    part = measured.samples.part
    whole = np.bincount(part, areas, cage.count)
    found = np.bincount(part, beyond, cage.count)
    return np.flatnonzero(found > share * np.maximum(whole, 1e-300))
