"""Fit one patch of given degree and knots to a scan."""

from dataclasses import dataclass

import numpy as np
from scipy.linalg import LinAlgError, cho_factor, cho_solve

from arabesque.arrays import Bools, Floats
from arabesque.checking import grid_pairs, inlier_bound, outliers
from arabesque.errors import FitProblem
from arabesque.fitting.evenness import evenness_matrix
from arabesque.fitting.fairness import fairness_matrix
from arabesque.geometry import Surface, basis_matrix, even_parameters, unit
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, rounded_places

AGREEING_NORMALS = 0.5
WIDE = 20.0
"""Tolerances within which everything counts while a patch is still on its way to the scan."""
ROW_WEIGHT = 1e3
"""How much more rows that are to be 0 count than the mean squared distance."""


@dataclass(frozen=True)
class FitSettings:
    """How a patch is fitted.

    tolerance:  mm; sets from where on a sample counts as an outlier
    samples:    about this many along each side
    rounds:     closest points and solve, this many times
    slide:      weight of the tangential part; above 0 keeps parameters from
                drifting, below 1 lets them slide (numbers around a tight
                radius need it)
    smoothness: weight of the fairness energy on the unit domain
    even: weight of the evenness energy of the net
    """

    tolerance: float
    samples: int = 40
    rounds: int = 4
    slide: float = 0.03
    smoothness: float = 1e-9
    even: float = 0.0


EVEN = 1e-4
"""The usual weight of evenness: rows run as if drawn, and hardly any closeness is lost (measured)."""
SLIDE = 0.002
"""The weight of the tangential part where evenness keeps parameters from drifting."""
ON_THE_SCAN = 97
"""Per cent of a border that keep the tolerance where the border lies on the scan; the rest may be a dent."""


def on_scan_borders(surface: Surface, scan: Scan, tolerance: float) -> Bools:
    """(nu, nv) mask of the corners, and of those borders that lie on the scan: what a fit leaves as it is."""
    held = corners_only(surface.points.shape[:2])
    share = np.linspace(0, 1, 41)[:, None]
    for edge, row in ((0, held[:, 0]), (1, held[-1]), (2, held[:, -1]), (3, held[0])):
        start, end = surface.boundary()[edge]
        points = surface.at(start + share * (end - start))
        if np.percentile(scan.closest(points).distance, ON_THE_SCAN) <= tolerance:
            row[:] = True
    return held


def corners_only(shape: tuple[int, ...]) -> Bools:
    """(nu, nv) mask of the four corner control points: those that stay where they are."""
    held = np.zeros(shape, dtype=bool)
    held[np.ix_([0, -1], [0, -1])] = True
    return held


def fit_patch(
    surface: Surface,
    scan: Scan,
    settings: FitSettings,
    held: Bools | None = None,
    trusted: bool = False,
    progress: Progress = silent,
    tie: Floats | None = None,
    rows: Floats | None = None,
) -> Surface:
    """The surface with its control points moved to fit the scan.

    Weighted Gauss-Newton on the distances along the smoothed scan normals:
    closest points, Tukey's biweight against dents, a small tangential weight,
    and a fairness energy (point-to-tangent-plane distance: Pottmann, Leopoldseder
    and Hofer, "Approximation with active B-spline curves and surfaces", 2002).

    held: (nu, nv) control points that stay; the four corners by default.
    trusted: the start is already close, so that samples whose normal
    disagrees are rejected from the first round on.
    tie: (3 nu nv, m) the moves that are left free, as of ``tie_matrix``.
    rows: (k, 3 nu nv) linear functions of the control points to bring to 0,
    mm, ahead of closeness; for tangent planes along an edge.
    Raises FitProblem when no part of the surface has a scan below it.
    """
    if held is None:
        held = corners_only(surface.points.shape[:2])
    u, v = (even_parameters(k, settings.samples) for k in surface.knots)
    bu, bv = (
        basis_matrix(surface.knots[0], surface.degree[0], u, 0),
        basis_matrix(surface.knots[1], surface.degree[1], v, 0),
    )
    du, dv = (
        basis_matrix(surface.knots[0], surface.degree[0], u, 1),
        basis_matrix(surface.knots[1], surface.degree[1], v, 1),
    )
    free = np.repeat(~held.ravel(), 3)
    ways = None if tie is None else tie[:, ~tie[~free].any(axis=0)]
    points = surface.points
    if not free.any() or (ways is not None and not ways.shape[1]):
        return surface
    demand = None if rows is None else ROW_WEIGHT * rows.T @ rows
    for number in range(settings.rounds):
        progress(number / settings.rounds, "Fitting")
        values = surface.with_points(points).on_basis([bu, du], [bv, dv])
        pulls = pulls_on(values, (u, v), scan, settings, trusted or number > 0, wide=number < settings.rounds / 2)
        now = surface.with_points(points)
        energy = settings.smoothness * fairness_matrix(now)
        whole = demand
        if settings.even:
            net = settings.even * evenness_matrix(now)
            whole = net if demand is None else net + demand
        points = points + _step(points, pulls, (bu, bv), energy, whole, free if ways is None else ways)
    return surface.with_points(points)


@dataclass(frozen=True, eq=False)
class Pulls:
    """What draws the surface: (r, s) residual along the (r, s, 3) normal, with (r, s) weights summing to 1."""

    residual: Floats
    normal: Floats
    weight: Floats
    slide: float


def pulls_on(
    values: Floats, at: tuple[Floats, Floats], scan: Scan, settings: FitSettings, check_normals: bool, wide: bool
) -> Pulls:
    """What draws a patch to the scan.

    values: its places and first derivatives on the grid of parameters ``at``, as of ``on_basis``. check_normals: what
    looks another way does not count. wide: nothing is a dent yet. Raises FitProblem with no scan below.
    """
    (u, v), points = at, values[0, 0]
    shape = points.shape[:2]
    across = np.cross(values[1, 0], values[0, 1])
    area = np.linalg.norm(across, axis=2)
    closest = scan.closest(points.reshape(-1, 3))
    normal = closest.normals.reshape(*shape, 3)
    places = rounded_places(scan, closest).reshape(*shape, 3)
    residual = np.einsum("rsc,rsc->rs", places - points, normal)
    valid = ~closest.on_border.reshape(shape)
    if check_normals:
        # a patch may have been clicked either way round: agreement is up to its overall side
        cosine = np.einsum("rsc,rsc->rs", unit(across), normal)
        side = 1.0 if np.sum(cosine * area) >= 0 else -1.0
        valid &= side * cosine > AGREEING_NORMALS
    if np.count_nonzero(valid) < 4:
        raise FitProblem("There is no scan below the patch", "Place the corners on the scan, around an area it covers")
    area = area * _steps(u)[:, None] * _steps(v)
    trust = _trust(residual, area * valid, points, settings.tolerance, wide)
    weight = trust * valid * area
    return Pulls(residual, normal, weight / weight.sum(), settings.slide)


def _trust(residual: Floats, area: Floats, points: Floats, tolerance: float, wide: bool) -> Floats:
    """(r, s) from 1 to 0: how much each sample counts.

    wide: nothing is a dent yet but what is far off everything else. After that small steep islands are, and what
    lies round them counts the less the further off it is.
    """
    valid = area > 0
    if wide:
        bound = max(WIDE * tolerance, inlier_bound(residual[valid], tolerance))
        return np.asarray(np.where(np.abs(residual) < bound, (1 - (residual / bound) ** 2) ** 2, 0.0))
    pairs = grid_pairs(*residual.shape)
    pairs = pairs[valid.ravel()[pairs].all(axis=1)]
    dents = outliers(residual.ravel(), area.ravel(), points.reshape(-1, 3), pairs, tolerance).reshape(residual.shape)
    if not dents.any():
        return np.ones_like(residual)
    from scipy.ndimage import binary_dilation  # at the start of the window nothing is fitted yet

    bound = 3 * tolerance
    doubted = np.where(np.abs(residual) < bound, (1 - (residual / bound) ** 2) ** 2, 0.0)
    return np.asarray(np.where(binary_dilation(dents, np.ones((3, 3)), 2), doubted, 1.0))


def _steps(at: Floats) -> Floats:
    """How much of the parameter range each of rising parameters stands for."""
    halves = np.diff(at) / 2
    return np.concatenate([halves, [0.0]]) + np.concatenate([[0.0], halves])


def _step(
    points: Floats,
    pulls: Pulls,
    basis: tuple[Floats, Floats],
    energy: Floats,
    demand: Floats | None,
    ways: Bools | Floats,
) -> Floats:
    """Move of the control points, (nu, nv, 3): the solution of the normal equations.

    ways: which coordinates are free, or the (3 n, m) moves that are.
    """
    whole, flat = normal_equations(points, pulls, basis, energy)
    if demand is not None:
        whole = whole + demand
        flat = flat - demand @ points.ravel()
    if ways.dtype == bool:
        whole, flat = whole[np.ix_(ways, ways)], flat[ways]
    else:
        whole, flat = ways.T @ whole @ ways, ways.T @ flat
    # a control point whose whole support has no scan below it is held only by this
    whole[np.diag_indices_from(whole)] += 1e-12 * whole.trace()
    try:
        solved = cho_solve(cho_factor(whole, lower=True, overwrite_a=True, check_finite=False), flat)
    except LinAlgError as problem:
        raise FitProblem(
            "The patch has folded onto itself", "Move its corners apart, or use a lower degree"
        ) from problem
    if ways.dtype != bool:
        return (ways @ solved).reshape(points.shape)
    move = np.zeros(points.size)
    move[ways] = solved
    return move.reshape(points.shape)


def normal_equations(
    points: Floats, pulls: Pulls, basis: tuple[Floats, Floats], energy: Floats
) -> tuple[Floats, Floats]:
    """(3 n, 3 n) matrix and (3 n,) right side for the move of (nu, nv, 3) control points.

    basis: along u and along v at the places of the pulls. energy: (n, n), the same for x, y and z. Assembled by sum
    factorisation over the grid: products of basis functions along u and along v, contracted one after the other.
    """
    bu, bv = basis
    nu, nv = bu.shape[1], bv.shape[1]
    pairs_u = (bu[:, :, None] * bu[:, None, :]).reshape(len(bu), -1)
    pairs_v = (bv[:, :, None] * bv[:, None, :]).reshape(len(bv), -1)
    m, w, slide = pulls.normal, pulls.weight, pulls.slide
    matrix = np.zeros((nu * nv, 3, nu * nv, 3))
    right = np.zeros((nu, nv, 3))
    for a in range(3):
        right[:, :, a] = bu.T @ (w * pulls.residual * m[:, :, a]) @ bv
        for b in range(a, 3):
            weights = w * ((1 - slide) * m[:, :, a] * m[:, :, b] + (slide if a == b else 0.0))
            block = (pairs_u.T @ weights @ pairs_v).reshape(nu, nu, nv, nv)
            matrix[:, a, :, b] = block.transpose(0, 2, 1, 3).reshape(nu * nv, nu * nv)
            if a == b:
                matrix[:, a, :, b] += energy
            else:
                matrix[:, b, :, a] = matrix[:, a, :, b]
    flat = (right.reshape(-1, 3) - energy @ points.reshape(-1, 3)).ravel()
    return matrix.reshape(3 * nu * nv, -1), flat
