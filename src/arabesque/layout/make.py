"""A scan becomes a cage of quads by itself, for a wanted count or a tolerance."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from arabesque.arrays import Bools, Floats, tree_of
from arabesque.cages import Cage, CageProblem
from arabesque.cages.edits import dissolve_doublets, mirror_and_weld, seat
from arabesque.cages.symmetry import mirror_pairs
from arabesque.checking import BothWays, CageNet
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.fitting import CageFit, CageSettings, fit_cage
from arabesque.geometry import Plane
from arabesque.layout.coarse import coarse_quads
from arabesque.layout.ground import Detail, Ground, form_of, ground_of
from arabesque.layout.guides import NO_GUIDES, Guides, closer_at
from arabesque.layout.improve import Aim, improved, workable
from arabesque.layout.integer_map import MapProblem
from arabesque.layout.last_resort import last_resort
from arabesque.layout.meeting import Border, meetings, pinned, put_on, rows_given
from arabesque.layout.part import Part, largest_piece
from arabesque.layout.proxy import proxy_of
from arabesque.layout.quantise import quantised
from arabesque.layout.start import started
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan, pieces, rims

LEAST_QUADS = 6
MOST_QUADS = 20_000
USUAL = 5e-4
"""Of the diagonal: how near a layout of a wanted count is fitted when no tolerance is given."""
COUNT_TRIES, NEAR_COUNT, FORCED = 8, 1.05, 1.12
"""How many counts are tried for a tolerance; how near to the lightest one is near enough; and how many times what was
asked for shows that the form asks for so many rows."""
BESIDE_IT = 1.03
"""Times the count of a layout that could not be drawn in: the next one that is tried."""
MORE_TRIES, MORE, UNFOLDING = 4, 1.3, 0.6
"""How often, and by how much more quads, a layout that stays folded is made again, as long as folds get so much fewer:
to this share."""
COUNTED = 0.8
"""Of the way to a tolerance: what is left is for strips that are not needed."""
FIRST_COUNT, A_POINT, MOST_OUT, TRIANGLE_TRIES = 150, 10, 4, 4
"""Quads with which the search for a tolerance begins, and as many for each irregular point if these are more; strips
that are taken out at its end, and counts that are tried where there are no rows."""
SEATED = 0.6
"""Of a quad's side: points of a half that lie so near the plane and on the border are put on it."""
FOLD = -0.3
"""Cosine between the surface's normal and the scan's from which on the surface is folded: beside a sharp edge of the
scan it is about 0."""
ROUND = 1.5
"""Times the distance within which the scan is seen round a place."""
LITTLE = 0.02
"""Of the area: smaller pieces beside the one that is laid out are dirt."""
PULL = 1.5
"""How far rows are drawn together where more quads are asked for: found on a ball and a sheet."""
BESIDE = 0.5
"""Of a quad's side: borders and sharp edges so near a line are drawn to it."""
OVER = 4
"""Places along a side of a face at which the surface is looked at for folds."""


@dataclass(frozen=True, eq=False)
class Wishes:
    """What a layout is to be.

    quads: how many; or tolerance, mm: as few as keep it. With both, the count is kept and the tolerance is what the fit
    aims at. plane: both sides of it alike. close: openings inside are gone over. part: what of the scan is laid out.
    guides: what rows follow beside the form. meet: borders of other cages that its own are to be one with.
    """

    quads: int | None = None
    tolerance: float | None = None
    detail: Detail = Detail.BALANCED
    plane: Plane | None = None
    close: bool = False
    part: Part | None = None
    guides: Guides = NO_GUIDES
    meet: tuple[Border, ...] = ()

    def checked(self) -> Wishes:
        """Itself; raises ArabesqueError for what cannot be."""
        if self.quads is None and self.tolerance is None:
            raise ArabesqueError("A layout needs a count or a tolerance", "Give the number of quads, or a tolerance")
        if self.quads is not None and not LEAST_QUADS <= self.quads <= MOST_QUADS:
            raise ArabesqueError(
                f"A layout of {self.quads} quads is not possible", f"Give from {LEAST_QUADS} to {MOST_QUADS:,}"
            )
        if self.tolerance is not None and not 0 < self.tolerance < np.inf:
            raise ArabesqueError(f"A tolerance of {self.tolerance:g} mm is not possible", "Give a length above 0")
        return self


@dataclass(frozen=True, eq=False)
class Layout:
    """A cage that was laid out, how it stands to the scan, and what was not reached.

    ground: for another count on the same rows; None when there are none. folds: how many places of the surface look
    against the scan. left_out: which share of the scan's area is not laid out. seconds: of each stage. lacking: in
    words; empty when all was reached.
    """

    cage: Cage
    fit: CageFit
    wishes: Wishes
    ground: Ground | None
    folds: int
    left_out: float
    seconds: dict[str, float]
    lacking: tuple[str, ...]

    @property
    def figures(self) -> BothWays:
        """How the surface and the scan stand to each other."""
        return self.fit.figures

    @property
    def net(self) -> CageNet:
        """How even it is."""
        return self.fit.net

    def as_record(self) -> dict[str, Any]:
        """Plain values for a report; lengths in mm."""
        quads = self.cage.quads
        record = self.fit.as_record()
        plane = self.wishes.plane
        return {
            **record,
            "quads": self.cage.count,
            "irregular": record["net"]["irregular"],
            "folded": record["net"]["folded"],
            "surface_folds": self.folds,
            "watertight": not quads.borders(),
            "symmetric_error": None if plane is None else symmetric_error(self.cage, plane),
            "left_out": self.left_out,
            "detail": self.wishes.detail.value,
            "lacking": list(self.lacking),
            "tries": None if self.ground is None else self.ground.tries,
            "seconds": {**self.seconds, "in all": sum(self.seconds.values())},
        }

    @property
    def words(self) -> str:
        """In words: count, irregular points, distances, and what is lacking."""
        irregular = sum(self.net.irregular.values())
        words = f"{self.cage.count} quads, {irregular} irregular points; {self.fit.verdict}"
        return f"{words}; {'; '.join(self.lacking)}" if self.lacking else words


def symmetric_error(cage: Cage, plane: Plane) -> float:
    """How far the cage's points are from its mirror image, mm; infinite when the nets are not alike."""
    pairs = mirror_pairs(cage, plane)
    if pairs is None:
        return float("inf")
    return float(np.linalg.norm(plane.mirrored(cage.points) - cage.points[pairs], axis=1).max())


def lay_out(scan: Scan, wishes: Wishes, ground: Ground | None = None, progress: Progress = silent) -> Layout:
    """Lay a cage over a whole scan, or over a part of it; of several pieces over the largest.

    ground: of an earlier layout of the same scan with the same detail, plane, closing, part and guides, which saves
    half of the time. Raises MapProblem, FitProblem or CageProblem with what stood against it.
    """
    wishes = wishes.checked()
    asked = scan if wishes.part is None else wishes.part.of(scan, wishes.plane)
    place = None if wishes.part is None else wishes.part.place
    taken = largest_piece(asked, place) if ground is None else ground.scan
    made = _of_scan(taken, wishes, ground, progress)
    said: tuple[str, ...] = ()
    if (
        taken.area < (1 - LITTLE) * asked.area
        and (np.bincount(pieces(asked), asked.areas) > LITTLE * asked.area).sum() > 1
    ):
        said = ("only one is laid out of several pieces: mark one at a time for the others",)
    return replace(made, left_out=max(0.0, 1 - taken.area / scan.area), lacking=(*made.lacking, *said))


def _of_scan(scan: Scan, wishes: Wishes, ground: Ground | None, progress: Progress) -> Layout:
    fresh = ground is None
    if ground is None:
        began = time.monotonic()
        try:
            ground = ground_of(scan, wishes.detail, wishes.plane, wishes.close, wishes.guides, part(progress, 0.0, 0.4))
        except MapProblem as problem:
            spent = {"tries": time.monotonic() - began}
            return _by_triangles(scan, wishes, problem, spent, part(progress, 0.4, 1.0))
    spent = dict(ground.seconds) if fresh else {}
    later = part(progress, 0.4 if fresh else 0.0, 1.0)
    try:
        if wishes.quads is not None:
            return _unfolded(scan, wishes, ground, wishes.quads, spent, later)
        return _for_tolerance(scan, wishes, ground, spent, later)
    except (CageProblem, FitProblem) as problem:
        return _by_triangles(scan, wishes, problem, spent, later)


def _for_tolerance(scan: Scan, wishes: Wishes, ground: Ground, spent: dict[str, float], progress: Progress) -> Layout:
    """The lightest of some counts that keeps the tolerance, or the nearest; an error falls with the square of the
    count."""
    assert wishes.tolerance is not None
    wanted, best, problem = max(FIRST_COUNT, A_POINT * int((ground.field.index != 0).sum())), None, None
    low, high = LEAST_QUADS, MOST_QUADS
    tried: set[int] = set()
    for number in range(COUNT_TRIES):
        steps = part(progress, COUNTED * number / COUNT_TRIES, COUNTED * (number + 1) / COUNT_TRIES)
        asked = wanted
        try:
            made = _for_count(scan, wishes, ground, asked, spent, steps)
        except FitProblem as fault:
            # so few rows cannot be
            problem, low, wanted = fault, max(low, asked), 3 * asked
            continue
        spent = made.seconds
        tried.add(made.cage.count)
        within = made.fit.within and not made.lacking
        # a form may ask for more rows than were wanted: what counts is what came out
        # one that could not be drawn in at all says nothing of its count: the next one beside it may be well
        stuck = not within and made.fit.balance == 0
        if within:
            high = min(high, made.cage.count)
        elif not stuck:
            low = max(low, asked, made.cage.count)
        if best is None or _rank(made) < _rank(best):
            best = made
        off = max(made.figures.inlier_p99, 1e-12) / wishes.tolerance
        aimed = made.cage.count * float(np.clip(off * 1.1, 0.05, 30.0)) ** 0.5
        wanted = round(aimed) if low < aimed < high else round((low * high) ** 0.5) if high < MOST_QUADS else 2 * low
        if stuck and BESIDE_IT * made.cage.count < high:
            wanted = round(BESIDE_IT * made.cage.count)
        as_few_as_can_be = within and made.cage.count > FORCED * asked
        if high <= NEAR_COUNT * low or wanted >= MOST_QUADS or wanted in tried or as_few_as_can_be:
            break
    if best is None:
        assert problem is not None
        raise problem
    best = replace(best, seconds=spent)
    plain = wishes.part is None and not wishes.guides and not wishes.meet
    if not plain or not best.fit.within or best.lacking:
        return best
    return _lighter(scan, best, part(progress, COUNTED, 1.0))


def _lighter(scan: Scan, layout: Layout, progress: Progress) -> Layout:
    """A layout that keeps its tolerance without the strips that it can do without."""
    began = time.monotonic()
    tolerance, plane = layout.fit.tolerance, layout.wishes.plane
    try:
        made = improved(layout.cage, scan, Aim.LIGHTER, tolerance, plane, MOST_OUT, progress)
    except (FitProblem, CageProblem):
        return layout  # every strip is needed
    folds = surface_folds(made.cage, scan)
    if folds or not made.fit.within:
        return layout
    return replace(
        layout, cage=made.cage, fit=made.fit, folds=folds, seconds=_with_stage(layout.seconds, "strips", began)
    )


def _unfolded(
    scan: Scan, wishes: Wishes, ground: Ground, count: int, spent: dict[str, float], progress: Progress
) -> Layout:
    """A count of quads, or more where so few would stay folded and more do not."""
    first: Layout | None = None
    folds = np.inf
    for number in range(MORE_TRIES):
        steps = part(progress, number / MORE_TRIES, (number + 1) / MORE_TRIES)
        made = _for_count(scan, wishes, ground, round(count * MORE**number), spent, steps)
        spent = made.seconds
        now = made.folds + int(made.net.folded.sum())
        if not now:
            return made
        first = first or made
        if now > UNFOLDING * folds:
            break  # more quads are no cure here
        folds = now
    assert first is not None
    return replace(first, seconds=spent)


def _rank(layout: Layout) -> tuple[bool, float]:
    """What is lighter of those that are within, else what is nearer."""
    within = layout.fit.within and not layout.lacking
    return not within, layout.cage.count if within else layout.figures.inlier_p99


def _for_count(
    scan: Scan, wishes: Wishes, ground: Ground, count: int, spent: dict[str, float], progress: Progress
) -> Layout:
    began = time.monotonic()
    plane = wishes.plane
    met = meetings(ground.fine, ground.walls, wishes.meet)
    wanted = round(count / 2) if plane is not None else count
    rows = quantised(ground.walls, wanted, ground.asked, rows_given(met), ground.learned, part(progress, 0.0, 0.3))
    coarse = coarse_quads(ground.fine, ground.walls, rows)
    cage = put_on(started(ground.fine, ground.walls, coarse), coarse, met)
    if plane is not None:
        cage = _whole(cage, coarse.cage, plane)
    cage = dissolve_doublets(cage)
    _check_net(cage)
    spent = _with_stage(spent, "counts", began)
    return _fitted(scan, wishes, cage, ground, spent, part(progress, 0.3, 1.0))


def _fitted(
    scan: Scan, wishes: Wishes, cage: Cage, ground: Ground | None, spent: dict[str, float], progress: Progress
) -> Layout:
    began = time.monotonic()
    area = scan.area
    lines = list(wishes.guides.sharp)
    if wishes.part is not None:
        lines += [scan.points[np.append(ring, ring[0])] for ring in rims(scan)]
    settings = CageSettings(
        wishes.tolerance or USUAL * scan.diagonal,
        plane=wishes.plane,
        lines=lines,
        reach=BESIDE * float(np.sqrt(area / cage.count)) if lines else 0.0,
        pinned=pinned(cage, wishes.meet),
        placed=True,
        patient=wishes.tolerance is not None,
        spacing=_spacing(wishes.guides),
    )
    if settings.spacing is not None:
        # a calm fit first, in which rows slide to where they are wanted
        cage = fit_cage(cage, scan, replace(settings, balance=0.0), part(progress, 0.0, 0.3)).cage
    fit = fit_cage(cage, scan, settings, part(progress, 0.3, 0.95))
    folds = surface_folds(fit.cage, scan)
    progress(1.0, "Laid out")
    lacking = _lacking(fit, folds, wishes)
    return Layout(fit.cage, fit, wishes, ground, folds, 0.0, _with_stage(spent, "fit", began), lacking)


def _spacing(guides: Guides) -> Callable[[Floats], Floats] | None:
    return (lambda places: np.exp(-PULL * closer_at(places, guides.rows))) if guides.rows else None


def _with_stage(spent: dict[str, float], stage: str, began: float) -> dict[str, float]:
    return {**spent, stage: spent.get(stage, 0.0) + time.monotonic() - began}


def _by_triangles(
    scan: Scan, wishes: Wishes, problem: ArabesqueError, spent: dict[str, float], progress: Progress
) -> Layout:
    """The last resort, with what stood against rows: of a count, or of as many as a tolerance asks for."""
    began = time.monotonic()
    proxy = proxy_of(form_of(scan, wishes.plane, wishes.close))
    spent = _with_stage(spent, "triangles", began)
    count, best = wishes.quads or 4 * FIRST_COUNT, None
    for number in range(TRIANGLE_TRIES if wishes.quads is None else 1):
        steps = part(progress, number / TRIANGLE_TRIES, (number + 1) / TRIANGLE_TRIES)
        laid = last_resort(proxy, round(count / 2) if wishes.plane is not None else count, wishes.plane)
        cage = laid if wishes.plane is None else _whole(laid, laid, wishes.plane)
        _check_net(cage)
        made = _fitted(scan, wishes, cage, None, spent, steps)
        spent = made.seconds
        if best is None or _rank(made) < _rank(best):
            best = made
        if made.fit.within:
            break
        off = max(made.figures.inlier_p99, 1e-12) / made.fit.tolerance
        count = round(made.cage.count * float(np.clip(1.2 * off, 1.3, 3.0)))
    assert best is not None
    said = f"no rows could be laid out ({problem.cause[0].lower()}{problem.cause[1:]}): made of triangles in three"
    return replace(best, seconds=spent, lacking=(said, *best.lacking))


def _whole(half: Cage, laid: Cage, plane: Plane) -> Cage:
    """Both sides of a half whose border points near the plane are put on it."""
    side = np.linalg.norm(laid.points[laid.quads.edges[:, 0]] - laid.points[laid.quads.edges[:, 1]], axis=1)
    # by where they lie on the scan: the cage's own points stand off it
    near = laid.quads.on_border & (np.abs(plane.height(laid.points)) <= SEATED * float(np.median(side)))
    near &= _along_plane(laid, plane, float(np.median(side)))
    points = half.points.copy()
    height = plane.height(points)
    points[near] -= height[near, None] * plane.normal
    return mirror_and_weld(seat(half.with_points(points), plane, 1e-9), plane)


def _along_plane(laid: Cage, plane: Plane, side: float) -> Bools:
    """(n,) points of borders at least one of whose border edges lies along the plane."""
    quads = laid.quads
    border = np.flatnonzero(quads.border)
    ends = np.column_stack([quads.starts[border], quads.ends[border]])
    flat = (np.abs(plane.height(laid.points[ends])) <= SEATED * side).all(axis=1)
    found = np.zeros(quads.count, dtype=bool)
    found[ends[flat].ravel()] = True
    return found


def _check_net(cage: Cage) -> None:
    if not workable(cage):
        raise CageProblem("Rows meet in a point of too few or too many quads", "Ask for a calmer layout")


def surface_folds(cage: Cage, scan: Scan) -> int:
    """How many of even places on the surface look against all of the scan round the place below them; on a thin rim
    the nearest place may lie on the other side."""
    samples = cage.sampler(round(OVER * cage.count**0.5)).read(cage)
    closest = scan.closest(samples.points)
    cosine = np.einsum("nc,nc->n", samples.normals, closest.normals)
    against = np.flatnonzero((cosine < FOLD) & ~closest.on_border)
    if not len(against):
        return 0
    reach = ROUND * closest.distance[against] + scan.edge_length
    round_ = tree_of(scan.points).query_ball_point(samples.points[against], reach)
    return sum(
        not (scan.point_normals[some] @ samples.normals[place] > FOLD).any()
        for place, some in zip(against.tolist(), round_, strict=True)
    )


def _lacking(fit: CageFit, folds: int, wishes: Wishes) -> tuple[str, ...]:
    found = []
    folded = int(fit.net.folded.sum())
    if folded:
        found.append(f"{folded} quads stay folded")
    if folds:
        found.append(f"the surface is folded at {folds} places")
    if wishes.tolerance is not None and not fit.figures.within(wishes.tolerance):
        found.append("the tolerance is not kept everywhere")
    if wishes.quads is not None and abs(fit.cage.count / wishes.quads - 1) > 0.06:
        more = "more" if fit.cage.count > wishes.quads else "fewer"
        found.append(f"{more} than the wanted {wishes.quads} quads: the form asks for so many rows")
    return tuple(found)
