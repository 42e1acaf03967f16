"""Fitting planes, cylinders, cones, spheres and tori to parts of a scan, and telling which one a part is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.geometry import Elementary, ElementaryKind, frame_of, unit
from arabesque.reading import distance_kernel as kernel

MOST_POINTS = 20_000
ROUNDS = 30
AT_THE_NOISE = 1.15
"""Times the noise: nothing comes much closer."""
ROUGHLY = 4
"""So many starts are settled over a few points."""
CONE_TILTS = (-40.0, -20.0, -8.0, -3.0, 3.0, 8.0, 20.0, 40.0)
TORUS_TILTS = (0.0, 22.5, 45.0, 67.5, 90.0, 112.5, 135.0, 157.5)
"""Degrees by which an axis may be tilted from a way of most or least bend towards the normal."""
LEAST_INLIERS = 0.85
FEWEST_RECOGNISED = 60
MOST_AXIS_ERROR, MOST_SIZE_ERROR = 1.0, 0.05
"""Degrees, and share of a size, from which on a part does not determine its shape."""
LEAST_TAPER, CLIPPED, SURE = 0.5, 3.0, 4.0
"""Degrees from which on a part is a cone rather than a cylinder; deviations that count fully, in noises; and how often
the price of one more size, the logarithm of the number of points, a cone has to be likelier."""
FEWEST = dict(zip(ElementaryKind, (3, 6, 8, 4, 8), strict=True))
SIMPLICITY = dict(zip(ElementaryKind, (1.0, 1.12, 1.3, 1.06, 1.4), strict=True))
"""Factors on the spread: a kind with more freedom must fit that much better to be chosen."""


@dataclass(frozen=True, eq=False)
class TrueShape:
    """A fitted true shape.

    origin: on the axis (the centre of a sphere and torus), mm. axis: unit.
    sizes:  as of ``Elementary``. rms, p99, largest: of the points' distances, mm;
    rms and p99 of the inliers. inlier_share: of points that are inliers.
    axis_error: standard error of the axis, degrees, and size_errors: of each
    size as a share of it, as the points' spread leaves them.
    """

    kind: ElementaryKind
    origin: Floats
    axis: Floats
    sizes: tuple[float, ...]
    rms: float
    p99: float
    largest: float
    inlier_share: float
    axis_error: float = 0.0
    size_errors: tuple[float, ...] = ()

    @property
    def determined(self) -> bool:
        """False where the part is too small a piece to tell the axis, or a size."""
        return self.axis_error <= MOST_AXIS_ERROR and all(error <= MOST_SIZE_ERROR for error in self.size_errors)

    def distance(self, points: Floats) -> Floats:
        """(n,) signed distances, positive away from the axis (along the normal of a plane)."""
        return _gaps(self.kind, np.ascontiguousarray(points, dtype=float), self._state)

    @property
    def _state(self) -> _State:
        return _State(
            np.array(self.origin, dtype=float), np.array(self.axis, dtype=float), np.array(self.sizes, dtype=float)
        )

    def surface(self, points: Floats) -> Elementary:
        """The piece of the shape that the (n, 3) points cover."""
        inliers = points[np.abs(self.distance(points)) <= max(4 * self.rms, 1e-9)]
        return _covering(self, inliers if len(inliers) >= 3 else points)


class _State(NamedTuple):
    origin: Floats
    axis: Floats
    sizes: Floats


def fit_true_shape(
    kind: ElementaryKind,
    points: Floats,
    normals: Floats,
    axis: Floats | None = None,
    radius: float | None = None,
    hopeless: float = np.inf,
    noise: float | None = None,
) -> TrueShape:
    """The shape of a kind closest to (n, 3) points with (n, 3) unit normals.

    axis: keeps the direction of the axis (of a plane: its normal). radius:
    keeps the radius (of a torus: that of its tube). hopeless: a spread, mm,
    above which it is not worth going on. noise: of the scan, mm, by which
    inliers are judged; by the fit's own spread if not given. From several
    starts: the normals (Pottmann, Peternell and Ravani, "An introduction to
    line geometry with applications", Computer-Aided Design 31, 1999, for the
    torus), and the lines along which the part bends most and least; each
    settled by Levenberg-Marquardt on the distances with Tukey's weights.

    Raises FitProblem for too few points, or points that no such shape meets.
    """
    if len(points) < FEWEST[kind]:
        raise FitProblem(f"{len(points)} points are too few for a {kind.value}", "Mark a larger part of the scan")
    if len(points) > MOST_POINTS:
        chosen = np.random.default_rng(0).choice(len(points), MOST_POINTS, replace=False)
        points, normals = points[chosen], normals[chosen]
    middle = points.mean(axis=0)
    size = float(np.linalg.norm(points - middle, axis=1).max()) or 1.0
    scaled = (points - middle) / size
    direction = None if axis is None else unit(np.asarray(axis, dtype=float))
    fixed = None if radius is None else radius / size
    try:
        settled = []
        close = 0.0 if noise is None else AT_THE_NOISE * noise / size
        for begun in _starts(kind, scaled, normals, direction, close, hopeless / size):
            if fixed is not None and len(begun.sizes):
                begun = begun._replace(sizes=_with_radius(kind, begun.sizes, fixed))
            one = _settled(kind, scaled, begun, direction is None, fixed is None, hopeless / size)
            settled.append((_badness(kind, scaled, one), one))
        state = min(settled, key=lambda pair: pair[0])[1]
        errors = _errors(kind, scaled, state, direction is None, fixed is None)
    except np.linalg.LinAlgError as problem:
        raise FitProblem(f"No {kind.value} fits here", "Mark another part, or choose another shape") from problem
    sizes = tuple(
        float(s) if kind is ElementaryKind.CONE and n == 1 else float(s * size) for n, s in enumerate(state.sizes)
    )
    if not np.isfinite([*state.origin, *state.axis, *sizes]).all() or (sizes and not 0 < sizes[0] < 1e4 * size):
        raise FitProblem(f"No {kind.value} fits here", "Mark another part, or choose another shape")
    fitted = TrueShape(kind, state.origin * size + middle, state.axis, sizes, 0.0, 0.0, 0.0, 1.0)
    return replace(_measured(fitted, points, noise), axis_error=errors[0], size_errors=errors[1])


def recognise(points: Floats, normals: Floats, noise: float) -> tuple[TrueShape | None, dict[ElementaryKind, float]]:
    """The true shape that a part of a scan is, None for a free form; and the rms of every kind tried, mm.

    A kind is taken when its spread is that of the noise, the simplest first.
    """
    spreads: dict[ElementaryKind, float] = {}
    fits: dict[ElementaryKind, TrueShape] = {}
    size = float(np.linalg.norm(np.ptp(points, axis=0))) if len(points) else 0.0
    limit = spread_limit(points, noise)
    floor = max(noise, 1e-4 * size)
    for kind in sorted(ElementaryKind, key=lambda one: SIMPLICITY[one]):
        # what no fit of this kind could beat is not worth several starts
        if any(_price(other, spreads, fits, floor, limit) <= floor * SIMPLICITY[kind] for other in fits):
            break
        if kind in (ElementaryKind.CONE, ElementaryKind.TORUS) and len(points) < FEWEST_RECOGNISED:
            continue  # so few points are met by nearly any of them
        try:
            fits[kind] = fit_true_shape(kind, points, normals, hopeless=6 * limit, noise=noise)
        except FitProblem:  # this part is not of that kind
            continue
        spreads[kind] = _spread(fits[kind].distance(points))
    prices = {kind: _price(kind, spreads, fits, floor, limit) for kind in fits}
    cheapest = min(prices, key=prices.__getitem__, default=None)
    if cheapest is None or not np.isfinite(prices[cheapest]):
        return None, spreads
    if cheapest is ElementaryKind.CYLINDER and len(points) >= FEWEST_RECOGNISED:
        tapered = _tapered(fits, points, normals, noise, limit)
        if tapered is not None:
            return tapered, {**spreads, ElementaryKind.CONE: _spread(tapered.distance(points))}
    return fits[cheapest], spreads


def _tapered(
    fits: dict[ElementaryKind, TrueShape], points: Floats, normals: Floats, noise: float, limit: float
) -> TrueShape | None:
    """The cone that a part is instead of the cylinder that was taken for it; None where that is one.

    The spread of a part of a slender cone about a cylinder is hardly more than the noise, but over thousands of points
    the likelihoods at that noise differ clearly (Schwarz, "Estimating the dimension of a model", Annals of Statistics
    6, 1978). What tapers by less than a scanner bends is left a cylinder.
    """
    try:
        cone = fits.get(ElementaryKind.CONE) or fit_true_shape(
            ElementaryKind.CONE, points, normals, hopeless=6 * limit, noise=noise
        )
    except FitProblem:
        return None
    if not cone.determined or np.degrees(abs(cone.sizes[1])) < LEAST_TAPER or cone.inlier_share <= LEAST_INLIERS:
        return None
    sigma = max(noise, _spread(cone.distance(points)), 1e-9)
    one, other = (
        np.minimum((fits_at.distance(points) / sigma) ** 2, CLIPPED**2).sum()
        for fits_at in (fits[ElementaryKind.CYLINDER], cone)
    )
    return cone if one - other > SURE * np.log(len(points)) else None


def spread_limit(points: Floats, noise: float) -> float:
    """mm: the points of a true shape spread about it by no more."""
    size = float(np.linalg.norm(np.ptp(points, axis=0))) if len(points) else 0.0
    return max(1.6 * noise, 3e-4 * size, 1e-6)


def _price(
    kind: ElementaryKind,
    spreads: dict[ElementaryKind, float],
    fits: dict[ElementaryKind, TrueShape],
    floor: float,
    limit: float,
) -> float:
    """The spread of a kind, dearer the more freedom it has; infinite for one that does not fit."""
    fits_well = spreads[kind] <= limit and fits[kind].inlier_share > LEAST_INLIERS
    # cones and tori fit nearly any sliver: only one that the part determines is recognised
    fits_well = fits_well and (fits[kind].determined or kind not in (ElementaryKind.CONE, ElementaryKind.TORUS))
    return max(spreads[kind], floor) * SIMPLICITY[kind] if fits_well else np.inf


def _spread(distances: Floats) -> float:
    middle = len(distances) // 2
    return float(1.4826 * np.partition(np.abs(distances), middle)[middle])


def _measured(fitted: TrueShape, points: Floats, noise: float | None) -> TrueShape:
    distances = np.abs(fitted.distance(points))
    bound = max(4 * (_spread(distances) if noise is None else noise), 3e-4 * _extent(points), 1e-9)
    near = distances <= bound
    inliers = distances[near] if near.any() else distances
    return TrueShape(
        fitted.kind,
        fitted.origin,
        fitted.axis,
        fitted.sizes,
        float(np.sqrt((inliers**2).mean())),
        float(np.percentile(inliers, 99)),
        float(distances.max()),
        float(near.mean()),
    )


def _extent(points: Floats) -> float:
    return float(np.linalg.norm(np.ptp(points, axis=0)))


_NUMBERS = {kind: number for number, kind in enumerate(ElementaryKind)}


def _gaps(kind: ElementaryKind, points: Floats, state: _State) -> Floats:
    """(n,) signed distances."""
    gaps: Floats = kernel.distances(_NUMBERS[kind], points, state.origin, state.axis, state.sizes)
    return gaps


def distances_to(shape: Elementary, points: Floats) -> Floats:
    """(n,) signed distances of points from a true shape as far as it goes on, mm: positive away from its axis, or
    along the normal of a plane."""
    state = _State(np.array(shape.origin), np.array(shape.axis), np.array(shape.sizes, dtype=float))
    return _gaps(shape.kind, np.ascontiguousarray(points, dtype=float), state)


def _polar(points: Floats, axis: Floats) -> tuple[Floats, Floats]:
    """Distance from an axis through the origin, and height along it."""
    height = points @ axis
    return np.linalg.norm(points - height[:, None] * axis, axis=1), height


# first guesses


def _starts(
    kind: ElementaryKind, points: Floats, normals: Floats, axis: Floats | None, close: float, hopeless: float
) -> list[_State]:
    """The most likely starts, the best first; only one where it comes as close as the noise lets anything come."""
    first = _first_guess(kind, points, normals, axis)
    if axis is not None or kind not in (ElementaryKind.CONE, ElementaryKind.TORUS):
        return [first]
    some = slice(None, None, max(1, len(points) // 1000))
    few, their_normals = np.ascontiguousarray(points[some]), normals[some]
    best = _settled(kind, few, first, True, True, hopeless)
    if _badness(kind, few, best) <= close:
        return [best]
    tried = []
    for direction in _axes(few, their_normals, kind):
        guess = _cone_about if kind is ElementaryKind.CONE else _guess_torus
        state = guess(few, their_normals, direction)
        if np.isfinite(np.concatenate([state.origin, state.sizes])).all() and (state.sizes > 0).any():
            tried.append((_badness(kind, few, state), _State(*map(np.ascontiguousarray, state))))
    tried.sort(key=lambda pair: pair[0])
    # each settles roughly over a few points: what is best then is settled over all
    settled = [_settled(kind, few, state, True, True, hopeless) for _, state in tried[:ROUGHLY]]
    return [min([best, *settled], key=lambda state: _badness(kind, few, state)), first]


def _badness(kind: ElementaryKind, points: Floats, state: _State) -> float:
    """The spread about a shape, dearer where its sizes are far larger than the part: nearly anything fits those."""
    sizes = state.sizes[: 2 if kind is ElementaryKind.TORUS else 1]
    if len(sizes) and (not np.isfinite(sizes).all() or sizes.min() <= 0):
        return np.inf
    gaps = _gaps(kind, points, state)
    root = float(np.sqrt(np.mean(np.minimum(gaps**2, (4 * _spread(gaps)) ** 2))))
    return root * (1.0 + 0.002 * float(sizes.max(initial=0.0)))


def _axes(points: Floats, normals: Floats, kind: ElementaryKind) -> list[Floats]:
    """Directions that an axis may have: in the planes of the normal and of the ways of most and of least bend."""
    up = unit(normals.mean(axis=0))
    frame = frame_of(np.zeros(3), up)[:3, :3]
    a, b, c = ((points - points.mean(axis=0)) @ frame).T
    form = np.linalg.lstsq(np.column_stack([a * a, a * b, b * b, a, b, np.ones_like(a)]), c, rcond=None)[0]
    ways = frame[:, :2] @ np.linalg.eigh(np.array([[form[0], form[1] / 2], [form[1] / 2, form[2]]]))[1]
    tilts = CONE_TILTS if kind is ElementaryKind.CONE else TORUS_TILTS
    angles = np.radians(tilts)
    return [np.cos(t) * way + np.sin(t) * up for way in ways.T for t in angles]


def _cone_about(points: Floats, normals: Floats, axis: Floats) -> _State:
    """A cone about a direction: its centre as that of a cylinder, its slope as the points tell."""
    frame = frame_of(np.zeros(3), axis)[:3, :3]
    centre, _ = _circle(points @ frame[:, :2])
    away, height = _polar(points - frame[:, :2] @ centre, frame[:, 2])
    slope, radius = np.polyfit(height, away, 1)
    middle, direction = float(height.mean()), frame[:, 2]
    if slope < 0:
        direction, slope, middle = -direction, -slope, -middle
    return _State(
        frame[:, :2] @ centre + middle * direction, direction, np.array([radius + slope * middle, np.arctan(slope)])
    )


def _errors(
    kind: ElementaryKind, points: Floats, state: _State, turns: bool, sizes_free: bool
) -> tuple[float, tuple[float, ...]]:
    """Standard errors of the axis, degrees, and of the sizes as shares: by the spread and the normal equations."""
    freedom = _freedom(kind, state, turns, sizes_free)
    jacobian = kernel.jacobian(_NUMBERS[kind], points, *state, *freedom, 1e-6)
    spread = _spread(_gaps(kind, points, state))
    covariance = spread**2 * np.linalg.pinv(jacobian.T @ jacobian, rcond=1e-14, hermitian=True)
    tilts = freedom.tilt @ covariance @ freedom.tilt.T
    sizes = np.diag(freedom.grow @ covariance @ freedom.grow.T)
    shares = np.sqrt(np.maximum(sizes, 0.0)) / np.maximum(np.abs(state.sizes), 1e-12)
    if kind is ElementaryKind.CONE and len(shares) > 1:
        shares[1] = np.sqrt(max(sizes[1], 0.0))  # an angle is off by radians, not by a share of itself
    axis = 0.0 if kind is ElementaryKind.SPHERE else float(np.degrees(np.sqrt(max(np.trace(tilts), 0.0))))
    return axis, tuple(float(share) for share in shares)


def _first_guess(kind: ElementaryKind, points: Floats, normals: Floats, axis: Floats | None) -> _State:
    guess = _GUESSES[kind](points, normals, axis)
    return _State(*(np.ascontiguousarray(part, dtype=float) for part in guess))


def _guess_plane(points: Floats, normals: Floats, axis: Floats | None) -> _State:
    direction = np.linalg.eigh(np.cov(points.T))[1][:, 0] if axis is None else axis
    if direction @ normals.sum(axis=0) < 0 and axis is None:
        direction = -direction
    return _State(points.mean(axis=0), direction, np.zeros(0))


def _guess_sphere(points: Floats, normals: Floats, axis: Floats | None) -> _State:
    centre, radius = _circle(points)
    return _State(centre, np.array([0.0, 0, 1]) if axis is None else axis, np.array([radius]))


def _guess_cylinder(points: Floats, normals: Floats, axis: Floats | None) -> _State:
    direction = np.linalg.eigh(normals.T @ normals)[1][:, 0] if axis is None else axis
    frame = frame_of(np.zeros(3), direction)[:3, :3]
    centre, radius = _circle(points @ frame[:, :2])
    return _State(frame[:, :2] @ centre, direction, np.array([radius]))


def _guess_cone(points: Floats, normals: Floats, axis: Floats | None) -> _State:
    # the normals of a cone make one angle with its axis, and its tangent planes meet in the tip
    direction = np.linalg.eigh(np.cov(normals.T))[1][:, 0] if axis is None else axis
    tip = np.linalg.lstsq(normals, np.einsum("nc,nc->n", normals, points), rcond=1e-6)[0]
    if (points.mean(axis=0) - tip) @ direction < 0 and axis is None:
        direction = -direction
    away, height = _polar(points - tip, direction)
    slope, radius = np.polyfit(height, away, 1)
    middle = float(height.mean())
    return _State(tip + middle * direction, direction, np.array([radius + slope * middle, np.arctan(slope)]))


def _guess_torus(points: Floats, normals: Floats, axis: Floats | None) -> _State:
    # all normals of a surface of revolution meet its axis: a linear complex of lines
    lines = np.column_stack([np.cross(points, normals), normals])
    matrix = lines.T @ lines
    solve = np.linalg.pinv(matrix[3:, 3:], rcond=1e-9)
    if axis is None:
        direction = np.linalg.eigh(matrix[:3, :3] - matrix[:3, 3:] @ solve @ matrix[3:, :3])[1][:, 0]
    else:
        direction = axis
    moment = -solve @ matrix[3:, :3] @ direction
    place = np.cross(direction, moment - (moment @ direction) * direction)
    away, height = _polar(points - place, direction)
    centre, tube = _circle(np.column_stack([away, height]))
    return _State(place + centre[1] * direction, direction, np.array([abs(centre[0]), tube]))


_GUESSES: dict[ElementaryKind, Callable[..., _State]] = dict(
    zip(ElementaryKind, (_guess_plane, _guess_cylinder, _guess_cone, _guess_sphere, _guess_torus), strict=True)
)


def _circle(points: Floats) -> tuple[Floats, float]:
    """Centre and radius of the circle or ball through (n, d) points, by linear least squares (Kåsa 1976)."""
    middle = points.mean(axis=0)
    p = points - middle
    square = (p * p).sum(axis=1)
    solved = np.linalg.lstsq(np.column_stack([2 * p, np.ones(len(p))]), square, rcond=1e-10)[0]
    centre = solved[:-1]
    return centre + middle, float(np.sqrt(max(solved[-1] + centre @ centre, 1e-12)))


def _with_radius(kind: ElementaryKind, sizes: Floats, radius: float) -> Floats:
    changed = sizes.copy()
    changed[1 if kind is ElementaryKind.TORUS else 0] = radius
    return changed


# settling


class _Freedom(NamedTuple):
    """What small changes do: (3, k) shifts of the origin, (3, k) tilts of the axis, (s, k) changes of the sizes."""

    shift: Floats
    tilt: Floats
    grow: Floats

    def applied(self, state: _State, change: NDArray[Any]) -> _State:
        axis = state.axis + self.tilt @ change
        return _State(state.origin + self.shift @ change, axis / np.sqrt(axis @ axis), state.sizes + self.grow @ change)


def _freedom(kind: ElementaryKind, state: _State, turns: bool, sizes_free: bool) -> _Freedom:
    """What is open to a shape of a kind."""
    frame = frame_of(np.zeros(3), state.axis)[:3, :3]
    along = [2] if kind is ElementaryKind.PLANE else [0, 1]
    # with its radius held, a cone still finds its place along the axis
    if kind in (ElementaryKind.SPHERE, ElementaryKind.TORUS) or (kind is ElementaryKind.CONE and not sizes_free):
        along = [0, 1, 2]
    tilts = 2 if turns and kind is not ElementaryKind.SPHERE else 0
    held = 1 if kind is ElementaryKind.TORUS else 0
    sizes = [n for n in range(len(state.sizes)) if sizes_free or n != held]
    k = len(along) + tilts + len(sizes)
    shift, tilt, grow = np.zeros((3, k)), np.zeros((3, k)), np.zeros((len(state.sizes), k))
    shift[:, : len(along)] = frame[:, along]
    tilt[:, len(along) : len(along) + tilts] = frame[:, :tilts]
    for column, number in enumerate(sizes):
        grow[number, len(along) + tilts + column] = 1.0
    return _Freedom(shift, tilt, grow)


def _settled(
    kind: ElementaryKind, points: Floats, state: _State, turns: bool, sizes_free: bool, hopeless: float = np.inf
) -> _State:
    """Levenberg-Marquardt with Tukey's weights over what is free; given up when the spread stays above ``hopeless``."""
    damping, step = 1e-3, 1e-6
    gaps = _gaps(kind, points, state)
    weight = _weights(gaps)
    for number in range(ROUNDS):
        if number >= 2 and _spread(gaps) > hopeless:
            return state
        freedom = _freedom(kind, state, turns, sizes_free)
        jacobian = kernel.jacobian(_NUMBERS[kind], points, *state, *freedom, step)
        matrix = jacobian.T @ (jacobian * weight[:, None])
        gradient = jacobian.T @ (weight * gaps)
        cost = float((weight * gaps**2).sum())
        while damping < 1e8:
            change = -np.linalg.solve(matrix + damping * np.diag(np.diag(matrix) + 1e-12), gradient)
            trial = freedom.applied(state, change)
            trial_gaps = _gaps(kind, points, trial)
            if float((weight * trial_gaps**2).sum()) <= cost:
                break
            damping *= 8
        else:
            return state
        damping = max(damping / 8, 1e-9)
        state, gaps = trial, trial_gaps
        weight = _weights(gaps)
        if np.abs(change).max() < 1e-8:
            break
    return state


def _weights(gaps: Floats) -> Floats:
    k = max(4.685 * _spread(gaps), 1e-9)
    weight: Floats = np.maximum(1 - (gaps / k) ** 2, 0) ** 2
    return weight


# the piece that is shown


def _covering(shape: TrueShape, points: Floats) -> Elementary:
    away = points - shape.origin
    kind = shape.kind
    if kind is ElementaryKind.PLANE:
        flat = away - (away @ shape.axis)[:, None] * shape.axis
        longest = np.linalg.eigh(flat.T @ flat)[1][:, 2]
        frame = frame_of(shape.origin, shape.axis, longest)
        return Elementary.make(kind, frame, (), (_span(away @ frame[:3, 0]), _span(away @ frame[:3, 1])))
    if kind is ElementaryKind.SPHERE:
        # poles lie across the middle of what is covered
        towards = unit(away.mean(axis=0))
        axis = unit(np.cross(towards, np.eye(3)[np.abs(towards).argmin()]))
        frame = frame_of(shape.origin, axis, towards)
    else:
        mean = away - (away @ shape.axis)[:, None] * shape.axis
        frame = frame_of(shape.origin, shape.axis, mean.mean(axis=0))
    x, y, z = (away @ frame[:3, :3]).T
    u = _arc_span(np.arctan2(y, x))
    if kind is ElementaryKind.SPHERE:
        v = _span(np.arcsin(np.clip(z / np.linalg.norm(away, axis=1), -1, 1)))
    elif kind is ElementaryKind.TORUS:
        v = _arc_span(np.arctan2(z, np.hypot(x, y) - shape.sizes[0]))
    else:
        v = _span(z)
    return Elementary.make(kind, frame, shape.sizes, (u, v))


def _span(values: Floats) -> tuple[float, float]:
    low, high = np.percentile(values, [0.2, 99.8])
    return (float(low), float(high)) if high > low else (float(low) - 1e-3, float(low) + 1e-3)


def _arc_span(angles: Floats) -> tuple[float, float]:
    """The shortest arc that holds nearly all angles; the full turn when there is no wide gap."""
    ordered = np.sort(angles)
    gaps: Floats = np.append(np.diff(ordered), ordered[0] + 2 * np.pi - ordered[-1])
    widest = int(gaps.argmax())
    if gaps[widest] < np.radians(12):
        return -np.pi, np.pi
    start = ordered[(widest + 1) % len(ordered)]
    length = 2 * np.pi - gaps[widest]
    if start + length / 2 > np.pi:
        start -= 2 * np.pi
    return float(start), float(start + length)
