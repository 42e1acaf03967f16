"""Blends: a patch from one border to another that goes on in both as smoothly as asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import comb, perm

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.fitting.patch import SLIDE, FitSettings, fit_patch
from arabesque.geometry import LARGEST_DEGREE, Surface, greville
from arabesque.joining.border import BlendSide, Leaving, Ways, common_basis, refined
from arabesque.joining.border_lines import Lines, along_lines, directions
from arabesque.joining.collocation import apart, between, through
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

EXACT = 1e-9
"""Of its size: rows of control points that are off by no more are the borders themselves."""
CLOSE = 1e-6
"""Of their size, so near rows come to borders whose basis cannot hold them; angles are then off by less than 1e-4°."""
MOST_SPANS = 256
MIDDLE_EVEN = 1e-5
"""Weight of evenness of rows in the middle: a tenth of the usual one, because those beside them cannot give way."""
NOTHING = 1e-6
"""mm: borders that are shorter, or nearer to each other, leave nothing to blend."""


@dataclass(frozen=True, eq=False)
class Blend:
    """surface: u runs across from the first border to the second, v along. exact: whether both borders are held by
    its own basis; off: mm, how far its border rows are from them at most. lined: whether its sides follow lines; aside:
    mm, how far they are from these at most."""

    surface: Surface
    exact: bool
    off: float
    lined: bool = False
    aside: float = 0.0


def blend(
    one: BlendSide,
    two: BlendSide,
    ways: Ways = Ways.ROWS,
    degree: int = 0,
    close: float = CLOSE,
    lines: Lines = (None, None),
) -> Blend:
    """The patch between two borders that meets each with its order of geometric continuity.

    Every order takes a row of control points of a Bezier patch across; a row is a combination of derivatives of the
    surface that is left, along a straight way in its parameters whose length is a pull times the gap, so that the
    blend goes on as that surface reparametrised does: DeRose and Barsky, "An intuitive approach to geometric
    continuity for parametric curves and surfaces", Graphics Interface 1985. Along polynomial edges whose rows are
    followed the blend holds them exactly; else knots are added along until rows are near enough. The second border
    is run the way that fits the first. degree: across, at least. close: of their size, how near rows come to borders
    whose basis cannot hold them. lines: from the first border to the second, along which its sides run where it begins
    and where it ends; it leaves the borders along them then, and has more rows across. Raises ArabesqueError where a
    border is a point, or the borders are one.
    """
    lined = any(line is not None for line in lines)
    ways = Ways.ACROSS if lined else ways
    first = Leaving(one, ways)
    sides = first, Leaving(two, ways).beside(first.places(np.array([0.0, 1.0])))
    gap = _gap(*sides)
    n = one.order + two.order + 1
    if n > LARGEST_DEGREE or degree > LARGEST_DEGREE:
        raise InvalidShape(f"A blend has degree {LARGEST_DEGREE} across at most", "Ask for less continuity")
    rows = _Rows(sides, gap, n, lines if lined else None)
    along, knots, held = common_basis([side.space for side in sides])
    while True:
        points, off = rows.in_basis(along, knots)
        if off <= (EXACT if held else close) or len(np.unique(knots)) > MOST_SPANS:
            break
        held, knots = False, refined(knots)
    surface = Surface((n, along), (np.repeat([0.0, 1.0], n + 1), knots), points)
    surface = surface.elevated(max(0, degree - n), 0)
    aside = 0.0
    if lined:
        surface, aside = along_lines(surface, (one.order, two.order), lines)
    middle = np.array([[0.0, 0.5]])
    facing = np.einsum("nc,nc->n", surface.normals(middle), sides[0].normals(np.array([0.5])))
    size = float(np.linalg.norm(np.ptp(points.reshape(-1, 3), axis=0)))
    return Blend(surface.reversed(1) if facing[0] < 0 else surface, off <= EXACT, off * size, lined, aside)


def laid_on_scan(
    made: Blend,
    orders: tuple[int, int],
    rows: int,
    scan: Scan,
    tolerance: float,
    progress: Progress = silent,
) -> Blend:
    """A blend with so many rows more in its middle, which are fitted to a scan.

    Those beside its borders stay, by the orders that it meets them with, so that it meets them as before. Raises
    InvalidShape where the degree across does not allow so many, FitProblem where there is no scan below.
    """
    surface = made.surface
    missing = sum(orders) + 2 + rows - len(surface.points)
    if missing > 0:
        if surface.degree[0] + missing > LARGEST_DEGREE:
            raise InvalidShape(
                f"A blend has degree {LARGEST_DEGREE} across at most", "Ask for fewer rows in the middle"
            )
        surface = surface.elevated(missing, 0)
    held = np.zeros(surface.points.shape[:2], dtype=bool)
    held[: orders[0] + 1] = held[len(held) - orders[1] - 1 :] = True
    if made.lined:
        held[:, [0, -1]] = True
    settings = FitSettings(tolerance, slide=SLIDE, even=MIDDLE_EVEN)
    return replace(made, surface=fit_patch(surface, scan, settings, held, progress=progress))


def _gap(one: Leaving, two: Leaving) -> float:
    """mm: the mean gap between two borders; raises ArabesqueError where there is none."""
    t = np.linspace(0, 1, 33)
    places = one.places(t), two.places(t)
    for line in places:
        if float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) < NOTHING:
            raise ArabesqueError("A border of the blend is a single point", "Choose another edge")
    gap = float(np.linalg.norm(places[0] - places[1], axis=1).mean())
    if gap < NOTHING:
        raise ArabesqueError("Both borders lie on each other: there is no gap to blend", "Pull one of them back")
    return gap


class _Rows:
    """The rows of control points of a blend along both borders, as functions of the share of the way."""

    def __init__(self, sides: Sequence[Leaving], gap: float, degree: int, lines: Lines | None = None) -> None:
        self._sides, self._gap, self._degree = sides, gap, degree
        ends = np.array([0.0, 1.0])
        self._aims = lines and [
            gap * directions(lines, side.squarely(ends), number > 0) for number, side in enumerate(sides)
        ]
        t = np.linspace(0, 1, 17)
        places = [side.places(t) for side in sides]
        self._speed: list[float] = []
        for side, other in zip(sides, places[::-1], strict=True):
            towards = self._towards(len(self._speed), t, side.places(t), other)
            first = side.leaving(t, towards)[1] if side.side.order else np.ones((len(t), 3))
            self._speed.append(float(np.linalg.norm(first, axis=1).mean()))
            if self._speed[-1] < 1e-12:
                raise ArabesqueError("The surface does not go on beyond a border of the blend", "Choose another edge")

    def _towards(self, number: int, t: Floats, own: Floats, other: Floats) -> Floats:
        """(n, 3) places that a border aims at: the other border's, or along lines at its ends."""
        if not self._aims:
            return other
        start, end = self._aims[number]
        return np.asarray(own + (1 - t[:, None]) * start + t[:, None] * end)

    def at(self, t: Floats) -> Floats:
        """(rows, n, 3)."""
        places = [side.places(t) for side in self._sides]
        both = []
        for number, side in enumerate(self._sides):
            found = side.leaving(t, self._towards(number, t, places[number], places[1 - number]))
            pull = side.pulls(t)[:, None] * self._gap / self._speed[number]
            both.append(self._rows([pull**k * d for k, d in enumerate(found)]))
        return np.array([*both[0], *both[1][::-1]])

    def _rows(self, d: list[Floats]) -> list[Floats]:
        """Control points of a Bezier curve from its end's derivatives (Farin, "Curves and Surfaces for CAGD", 5.3)."""
        # forward differences of the control points are derivatives over n (n - 1) ...
        steps = [one / perm(self._degree, k) for k, one in enumerate(d)]
        return [np.asarray(sum(comb(i, k) * steps[k] for k in range(i + 1))) for i in range(len(d))]

    def in_basis(self, degree: int, knots: Floats) -> tuple[Floats, float]:
        """(rows, m, 3) control points in a basis along, and how far the rows are from it at most, of their size."""
        wanted = np.swapaxes(self.at(greville(knots, degree)), 0, 1)
        points = through(wanted, degree, knots)
        dense = between(degree, knots)
        off = apart(points, degree, knots, dense, np.swapaxes(self.at(dense), 0, 1)).max()
        size = float(np.linalg.norm(np.ptp(wanted.reshape(-1, 3), axis=0)))
        return np.swapaxes(points, 0, 1), float(off) / size
