"""Curves whose poles run evenly: the tangential thin plate of nets, along one polygon."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import CALM_LEG
from arabesque.fitting.evenness import divided_differences
from arabesque.geometry import Curve, basis_matrix, curve_feet, greville, nearer_feet, unit

WEIGHTS = (1e-4, 1e-3, 1e-2, 1e-1)
"""Of evenness, tried in turn."""
ROUNDS = 3
SLIDE = 0.002
CLOSE, MOSTLY = 0.8, 97
"""Evenness may cost closeness up to this share of the tolerance, for so many per cent of the places."""
LEAST_GAIN = 0.98


def leg_ratio(curve: Curve) -> float:
    """The largest ratio of neighbouring legs of a polygon, each over its Greville spacing; 1 for one or two legs."""
    legs = np.linalg.norm(np.diff(curve.points, axis=0), axis=1) / np.diff(greville(curve.knots, curve.degree))
    if len(legs) < 2:
        return 1.0
    shorter = np.minimum(legs[1:], legs[:-1])
    ratio = np.maximum(legs[1:], legs[:-1]) / np.where(shorter > 0, shorter, np.nan)
    return float(np.nan_to_num(ratio, nan=np.inf).max())


def evened_curve(curve: Curve, points: Floats, tolerance: float) -> Curve:
    """The curve with its poles as even as ``tolerance`` mm to (n, 3) points allows; its ends stay.

    The weight of evenness rises while most places keep four fifths of the tolerance, or are no worse off than they
    were; where the poles run evenly, nothing is done.
    """
    ratio = leg_ratio(curve)
    if ratio <= CALM_LEG or curve.count < 3 or curve.weights is not None:
        return curve
    feet = curve_feet(curve, points)
    limit = max(CLOSE * tolerance, float(np.percentile(feet.distance, MOSTLY)))
    best = trial = curve
    t = feet.parameters
    for weight in WEIGHTS:
        for _ in range(ROUNDS):
            trial = closer_curve(trial, points, t, weight)
            t = nearer_feet(trial, points, t)
        now = leg_ratio(trial)
        if np.percentile(np.linalg.norm(trial.at(t) - points, axis=1), MOSTLY) > limit:
            break
        if now < LEAST_GAIN * ratio:
            best, ratio = trial, now
        if ratio <= CALM_LEG:
            break
    return best


def closer_curve(curve: Curve, points: Floats, t: Floats, weight: float = 0.0) -> Curve:
    """One step of Gauss-Newton towards (n, 3) points whose feet are at ``t``, the ends held.

    Closeness counts square to the curve, a little along it, and by ``weight`` how evenly the polygon runs: numbers
    may slide (Pottmann, Leopoldseder and Hofer, "Approximation with active B-spline curves and surfaces", 2002).
    """
    basis = basis_matrix(curve.knots, curve.degree, t, 0)
    at = greville(curve.knots, curve.degree)
    tangent, along = (unit(basis_matrix(curve.knots, curve.degree, p, 1) @ curve.points) for p in (t, at))
    square = np.eye(3) - (1 - SLIDE) * tangent[:, :, None] * tangent[:, None, :]
    count = curve.count
    whole = np.empty((count, 3, count, 3))
    for a in range(3):
        for b in range(3):
            whole[:, a, :, b] = basis.T @ (square[:, a, b, None] * basis)
    whole = whole.reshape(3 * count, -1) / len(points)
    gap = np.einsum("nab,nb->na", square, points - basis @ curve.points)
    right = (basis.T @ gap).ravel() / len(points)
    if weight:
        rows = divided_differences((at - at[0]) / (at[-1] - at[0]), 2)
        energy = np.zeros((len(rows), count, 3))
        for k, row in enumerate(rows):
            energy[k, k : k + 3] = row[:, None] * along[k + 1]
        flat = energy.reshape(len(rows), -1)
        whole += weight / len(rows) * flat.T @ flat
        right -= weight / len(rows) * flat.T @ (flat @ curve.points.ravel())
    inner = slice(3, -3)
    whole = whole[inner, inner]
    whole[np.diag_indices_from(whole)] += 1e-9 * whole.trace()
    moved = curve.points.copy()
    moved[1:-1] += np.linalg.solve(whole, right[inner]).reshape(-1, 3)
    return curve.with_points(moved)
