"""Curves through places: few poles that run evenly, or as few as a tolerance needs; sharp corners stay sharp."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.fitting import closer_curve, evened_curve, leg_ratio
from arabesque.geometry import Curve, basis_matrix, blossom, curve_feet, nearer_feet, uniform_knots, unit

CORNER = 35.0
"""Degrees: a polyline that turns more than this within its reach of a place has a corner there."""
REACH = 0.01
"""Of the length of a polyline: so far to both sides of a place it is judged whether it turns there."""
MOST_POLES = 200
FEWEST_POLES = 3
READ, MANY = 200, 2000
"""Places at which a polyline is read for a fit, at most; more say no more. And for its figures."""
UNEVEN, HEAVIER = 3.0, 2.0
"""Legs of a polygon that differ by more are uneven: up to so many times its poles are tried for an even one."""
MOSTLY = 95
MOST_ROUNDS, SETTLED, CORRECTIONS = 60, 0.99, 4
PLAIN = 1e-9


@dataclass(frozen=True, eq=False)
class FittedCurve:
    """A curve and how it stands to the places that it was fitted to: rms, worst, and what most of them keep, mm."""

    curve: Curve
    rms: float
    worst: float
    most: float

    def within(self, tolerance: float) -> bool:
        """True when the worst place keeps the tolerance."""
        return self.worst <= tolerance


def fit_curve(
    points: Floats,
    poles: int | None = None,
    tolerance: float | None = None,
    degree: int = 3,
    closed: bool = False,
    mostly: bool = False,
    heaviest: int = MOST_POLES,
) -> FittedCurve:
    """One smooth curve through (n, 3) places in order: of so many poles, or of as few as the tolerance needs.

    mostly: 95 % of the places have to keep the tolerance, not all, as among noise. heaviest: no more poles are tried
    for a tolerance. Ends are met exactly; a closed curve is smooth over its start (its first and last pole are one
    place). Least squares over chord length (Piegl and Tiller, "The NURBS Book", 2nd edition, section 9.4), then the
    poles are evened inside the curve. Raises FitProblem for too few places, poles that make no curve, or a tolerance
    that no number of poles keeps.
    """
    places = checked_places(points)
    if (poles is None) == (tolerance is None):
        raise FitProblem("A curve needs a number of poles or a tolerance", "Give one of them")
    fewest = degree + 1 if not closed else max(FEWEST_POLES, degree) + degree
    if tolerance is not None and not tolerance > 0:
        raise FitProblem(f"A tolerance of {tolerance} mm is not possible", "Give a length above 0")
    if poles is not None:
        if not fewest <= poles <= MOST_POLES:
            raise FitProblem(
                f"{poles} poles make no {'closed ' if closed else ''}curve of degree {degree}",
                f"Give {fewest} to {MOST_POLES}",
            )
        return _fitted(places, poles, degree, closed, None)
    assert tolerance is not None
    uneven: FittedCurve | None = None
    for degree_, count in _ladder(degree, closed, fewest, heaviest):
        if uneven is not None and count > HEAVIER * uneven.curve.count:
            return uneven
        found = _fitted(places, count, degree_, closed, tolerance, mostly)
        if (found.most if mostly else found.worst) <= tolerance:
            if leg_ratio(found.curve) <= UNEVEN:
                return found
            uneven = uneven or found
    if uneven is not None:
        return uneven
    raise FitProblem(
        f"No curve of up to {heaviest} poles keeps {tolerance:g} mm: it stays {found.worst:.3g} mm off",
        "Allow more, or split it where it turns sharply",
    )


def fit_polyline(
    points: Floats,
    poles: int | None = None,
    tolerance: float | None = None,
    degree: int = 3,
    closed: bool = False,
    corner: float = CORNER,
    mostly: bool = False,
) -> list[FittedCurve]:
    """As ``fit_curve``, split at corners sharper than ``corner`` degrees: one curve a part, end to end."""
    places = checked_places(points)
    at = corners_of(places, closed, corner)
    if closed and not len(at):
        return [fit_curve(places, poles, tolerance, degree, True, mostly)]
    if closed:
        places = np.vstack([np.roll(places, -at[0], axis=0), places[at[0]]])
        at = at[1:] - at[0]
    cuts = [0, *at.tolist(), len(places) - 1]
    return [
        fit_curve(places[a : b + 1], poles and min(poles, b - a + 1), tolerance, min(degree, b - a), False, mostly)
        for a, b in pairwise(cuts)
        if b > a
    ]


def corners_of(points: Floats, closed: bool, corner: float = CORNER) -> np.ndarray:
    """Indices at which a polyline turns by more than ``corner`` degrees within a small reach; the sharpest of each."""
    ring = np.vstack([points, points[:1]]) if closed else points
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    whole = along[-1]
    reach = max(REACH * whole, float(np.median(np.diff(along))))

    def place(at: Floats) -> Floats:
        at = np.mod(at, whole) if closed else np.clip(at, 0.0, whole)
        return np.column_stack([np.interp(at, along, ring[:, c]) for c in range(3)])

    here = along[: len(points)]
    ahead, behind = unit(place(here + reach) - points), unit(points - place(here - reach))
    turn = np.degrees(np.arccos(np.clip(np.einsum("nc,nc->n", ahead, behind), -1.0, 1.0)))
    if not closed:
        turn[(here < reach) | (here > whole - reach)] = 0.0
    found: list[int] = []
    for i in np.argsort(-turn):
        if turn[i] <= corner:
            break
        gaps = np.abs(here[found] - here[i])
        gaps = np.minimum(gaps, whole - gaps) if closed else gaps
        if not len(gaps) or gaps.min() > 2 * reach:
            found.append(int(i))
    return np.array(sorted(found), dtype=np.int64)


def checked_places(points: Floats) -> Floats:
    """(n, 3) places without repeated ones; raises FitProblem where they make no line."""
    places = np.asarray(points, dtype=float)
    if places.ndim != 2 or places.shape[1:] != (3,) or not np.isfinite(places).all():
        raise FitProblem("These are no places in space", "Give (n, 3) finite coordinates")
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    places = places[np.concatenate([[True], steps > PLAIN])]
    if len(places) < 2:
        raise FitProblem("All places lie at one point", "Give two places that are apart, or more")
    return places


def _ladder(degree: int, closed: bool, fewest: int, most: int) -> list[tuple[int, int]]:
    """Degrees and numbers of poles from light to heavy."""
    single = [] if closed else [(d, d + 1) for d in range(1, degree + 1)]
    counts = np.unique(np.geomspace(fewest, max(most, fewest), 60).astype(int))
    return single + [(degree, int(count)) for count in counts if closed or count > degree + 1]


def _fitted(
    places: Floats, poles: int, degree: int, closed: bool, tolerance: float | None, mostly: bool = False
) -> FittedCurve:
    read = _read(places, closed, max(READ, 4 * poles))
    if closed:
        curve = _closed_fit(read, poles, degree)
    else:
        share = MOSTLY if mostly else 100
        curve, t = _open_fit(read, poles, degree)
        missed = float(np.percentile(curve_feet(curve, read).distance, share))
        if tolerance is None or missed > tolerance:
            # by chord length it is even, but not as close as it can be
            curve, off = _settled(curve, t, read)
            missed = float(np.percentile(off, share))
        if tolerance is None or missed <= tolerance:
            # without a tolerance evenness may cost as much again as the fit misses
            curve = evened_curve(curve, read, 2 * missed if tolerance is None else tolerance)
    off = curve_feet(curve, read if len(places) > MANY else places).distance
    return FittedCurve(curve, float(np.sqrt((off**2).mean())), float(off.max()), float(np.percentile(off, MOSTLY)))


def _settled(curve: Curve, t: Floats, places: Floats) -> tuple[Curve, Floats]:
    """The curve of least distance with as many poles, its parameters slid; and (n,) how far it is off, mm."""
    before = np.inf
    for _ in range(MOST_ROUNDS if curve.count > 2 else 0):
        now = float(np.sqrt((np.linalg.norm(curve.at(t) - places, axis=1) ** 2).mean()))
        if now > SETTLED * before or now < PLAIN:
            break
        before = now
        curve = closer_curve(curve, places, t)
        t = nearer_feet(curve, places, t)
    return curve, np.linalg.norm(curve.at(t) - places, axis=1)


def _read(places: Floats, closed: bool, most: int) -> Floats:
    """At most so many places, at even steps; of a closed line without the start again."""
    ring = np.vstack([places, places[:1]]) if closed else places
    if len(ring) <= most:
        return places
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    wanted = np.linspace(0.0, along[-1], most)
    found = np.column_stack([np.interp(wanted, along, ring[:, c]) for c in range(3)])
    return found[:-1] if closed else found


def _open_fit(places: Floats, poles: int, degree: int) -> tuple[Curve, Floats]:
    """The curve of least squares by chord length, and the parameters of the places."""
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1))])
    knots, t = uniform_knots(degree, poles - degree), along / along[-1]
    basis = basis_matrix(knots, degree, t, 0)
    ends = places[[0, -1]]
    rest = places - basis[:, [0, -1]] @ ends
    inner = np.linalg.lstsq(basis[:, 1:-1], rest, rcond=1e-10)[0]
    return Curve(degree, knots, np.vstack([ends[:1], inner, ends[1:]])), t


def _closed_fit(places: Floats, poles: int, degree: int) -> Curve:
    """A periodic spline with even knots, clamped at its start; parameters are corrected a few times."""
    spans = poles - degree
    ring = np.vstack([places, places[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    t = along[:-1] / along[-1]
    knots: Floats = np.arange(-degree, spans + degree + 1, dtype=np.float64) / spans
    for number in range(CORRECTIONS):
        full = basis_matrix(knots, degree, t, 0)
        wrapped = np.zeros((len(t), spans))
        for k in range(full.shape[1]):
            wrapped[:, k % spans] += full[:, k]
        unknown = np.linalg.lstsq(wrapped, places, rcond=1e-10)[0]
        curve = clamped(knots, degree, np.asarray(unknown[np.arange(spans + degree) % spans]))
        if number < CORRECTIONS - 1:
            t = nearer_feet(curve, places, t, closed=True)
    return curve


def clamped(knots: Floats, degree: int, points: Floats) -> Curve:
    """The curve of a closed spline over the inner part of its knots, its ends one place to the last bit."""
    found, made = clamped_rows(knots, degree, points)
    return Curve(degree, found, made)


def clamped_rows(knots: Floats, degree: int, points: Floats) -> tuple[Floats, Floats]:
    """Clamped knots over [0, 1] and coefficients of a closed spline; points: (n, ...) along the first axis."""
    low, high = knots[degree], knots[-degree - 1]
    inner = knots[degree + 1 : -degree - 1]
    wanted = np.concatenate([np.full(degree + 1, low), inner, np.full(degree + 1, high)])
    last, count = len(knots) - degree - 2, len(wanted) - degree - 1
    spans = [min(max(i, degree), last) for i in range(count)]
    made = [blossom(knots, degree, points, span, wanted[i + 1 : i + degree + 1]) for i, span in enumerate(spans)]
    made[-1] = made[0]
    return (wanted - low) / (high - low), np.array(made)


def through(points: Floats, closed: bool = False, degree: int = 3) -> Curve:
    """The smooth curve through all of (n, 3) places, by centripetal parameters (Lee 1989; The NURBS Book, 9.2.1)."""
    from scipy.interpolate import make_interp_spline  # not needed at the start of the window

    places = checked_places(points)
    if closed and np.linalg.norm(places[0] - places[-1]) < PLAIN:
        places = places[:-1]
    if closed and len(places) < 3:
        raise FitProblem("Two places make no closed curve", "Give three or more, or leave it open")
    ring = np.vstack([places, places[:1]]) if closed else places
    chords = np.sqrt(np.linalg.norm(np.diff(ring, axis=0), axis=1))
    t = np.concatenate([[0.0], np.cumsum(chords)]) / chords.sum()
    if closed:
        found = make_interp_spline(t, ring, k=3, bc_type="periodic")
        return clamped(np.asarray(found.t, dtype=np.float64), 3, np.asarray(found.c, dtype=np.float64))
    degree = min(degree, len(places) - 1)
    inner = [t[j : j + degree].mean() for j in range(1, len(places) - degree)]
    knots = np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)])
    return Curve(degree, knots, np.linalg.solve(basis_matrix(knots, degree, t, 0), places))
