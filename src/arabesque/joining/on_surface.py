"""Lines over surfaces, curves in space and mirror images as borders that something sets out from."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats, tree_of, unit
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, Rim, Surface, foot_points
from arabesque.joining.border import BlendSide

ASIDE = 1e-5
"""mm: a place further aside of the normal at its foot lies beyond the surface."""


def line_over(surface: Surface, places: Floats, beyond: Floats) -> Rim:
    """The line of a surface nearest to (n, 3) places, as a border that is left towards (m, 3) places ``beyond``.

    Its shares are those of the places, evenly. Raises ArabesqueError where it runs past the surface.
    """
    bare = surface.whole
    feet = foot_points(bare, places)
    normals, away = bare.normals(feet.uv), places - feet.points
    aside = np.linalg.norm(away - np.einsum("nc,nc->n", away, normals)[:, None] * normals, axis=1)
    past = ~feet.inside & (aside > ASIDE)
    if past.any():
        share = round(100 * float(past.mean()))
        raise ArabesqueError(
            f"{max(share, 1)} % of the line run past the surface", "Extend the surface, or choose another line"
        )
    t = np.linspace(0, 1, len(places))
    rim = Rim(bare, feet.uv, at=t)
    d = bare.derivatives(feet.uv, 1)
    inward = np.broadcast_to(rim.inward(t), (len(t), 2))
    way = unit(d[1, 0] * inward[:, :1] + d[0, 1] * inward[:, 1:])
    gap = beyond[tree_of(beyond).query(feet.points)[1]] - feet.points
    return Rim(bare, feet.uv, -1.0, at=t) if float(np.einsum("nc,nc->", way, gap)) > 0 else rim


def curve_border(curve: Curve) -> Rim:
    """A curve as a border that is met in its place alone: the edge of a strip that is drawn out from it."""
    low, high = curve.domain
    chord = unit(np.ptp(curve.points, axis=0)[None])[0]
    aside = np.eye(3)[int(np.abs(chord).argmin())]
    points = np.stack([curve.points, curve.points + aside])
    weights = None if curve.weights is None else np.stack([curve.weights, curve.weights])
    strip = Surface((1, curve.degree), (np.array([0.0, 0.0, 1.0, 1.0]), curve.knots), points, weights)
    return Rim(strip, np.array([[0.0, low], [0.0, high]]))


def image_of(side: BlendSide, plane: Plane) -> BlendSide:
    """The mirror image of a border of a blend."""
    rim = side.rim
    low, high = rim.surface.domain[0]
    uv = np.array(rim.uv)
    uv[:, 0] = low + high - uv[:, 0]
    bare = rim.surface.whole
    return replace(side, rim=replace(rim, surface=bare.mirrored(plane), uv=uv, inwards=-rim.inwards))
