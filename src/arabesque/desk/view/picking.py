"""What lies under the pointer: control points, net lines, surfaces. No GL."""

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.desk.view.camera import Camera
from arabesque.shapes import Net


def nearest_point(camera: Camera, points: Floats, x: float, y: float, within: float = 10.0) -> int | None:
    """Index of the (n, 3) point drawn nearest to the pixel, the one in front where several are close."""
    if not len(points):
        return None
    seen = camera.project(points)
    away = np.hypot(seen[:, 0] - x, seen[:, 1] - y)
    away[np.isnan(away)] = np.inf
    close = np.flatnonzero(away <= within)
    if not len(close):
        return None
    return int(close[np.lexsort((seen[close, 2], np.round(away[close] / 3)))[0]])


def nearest_row(camera: Camera, net: Net, x: float, y: float, within: float = 8.0) -> int | None:
    """Number of the row of a net whose drawn line passes the pixel; those along u before those along v."""
    seen = camera.project(net.points)[:, :2]
    legs = net.legs
    away, _ = nearest_on_segments(seen[legs[:, 0]], seen[legs[:, 1]], x, y)
    if not len(away) or away.min() > within:
        return None
    ends = np.cumsum([len(row) - 1 for row in net.rows])
    return int(np.searchsorted(ends, away.argmin(), side="right"))


def nearest_on_segments(a: Floats, b: Floats, x: float, y: float) -> tuple[Floats, Floats]:
    """Distance in pixels of (x, y) to the segments (..., 2), infinite where they are not visible; and the shares of
    these, from 0 to 1, at which they come nearest."""
    p = np.array([x, y])
    along = b - a
    length = np.einsum("...c,...c->...", along, along)
    t = np.clip(np.einsum("...c,...c->...", p - a, along) / np.where(length > 0, length, 1.0), 0, 1)
    distance = np.linalg.norm(a + t[..., None] * along - p, axis=-1)
    return np.where(np.isnan(distance), np.inf, distance), t


def triangles_under(camera: Camera, points: Floats, triangles: Ints, x: float, y: float) -> float | None:
    """Depth at which (m, 3) triangles over (n, 3) points are hit by the pixel's ray, or None.

    Moeller and Trumbore, "Fast, minimum storage ray/triangle intersection", Journal of Graphics Tools 2, 1997.
    """
    origin, direction = camera.ray(x, y)
    a, b, c = (points[triangles[:, k]] for k in range(3))
    e1, e2 = b - a, c - a
    h = np.cross(direction, e2)
    det = np.einsum("nc,nc->n", e1, h)
    safe = np.where(np.abs(det) > 1e-14, det, np.nan)
    s = origin - a
    u = np.einsum("nc,nc->n", s, h) / safe
    q = np.cross(s, e1)
    v = q @ direction / safe
    t = np.einsum("nc,nc->n", e2, q) / safe
    hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)
    return float(t[hit].min()) if hit.any() else None


def on_plane(camera: Camera, x: float, y: float, through: Floats, normal: Floats) -> Floats | None:
    """Where the pixel's ray meets a plane; None when it runs along it."""
    origin, direction = camera.ray(x, y)
    slope = float(direction @ normal)
    if abs(slope) < 1e-9:
        return None
    return origin + direction * float((through - origin) @ normal) / slope


def along_line(camera: Camera, x: float, y: float, through: Floats, direction: Floats) -> float:
    """Parameter (mm) on a line in space closest to the pixel's ray."""
    origin, ray = camera.ray(x, y)
    cosine = float(ray @ direction)
    gap = through - origin
    below = 1 - cosine * cosine
    if below < 1e-9:
        return 0.0
    return float((ray @ gap) * cosine - direction @ gap) / below
