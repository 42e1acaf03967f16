"""What lies under the pointer: control points, net lines, surfaces. No GL."""

from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.view.camera import Camera


class NetLine(NamedTuple):
    """A control row: axis 0 runs along u (fixed column number), axis 1 along v (fixed row number)."""

    axis: int
    number: int


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


def nearest_net_line(camera: Camera, points: Floats, x: float, y: float, within: float = 8.0) -> NetLine | None:
    """The control row of a (nu, nv, 3) net whose drawn line passes the pixel."""
    seen = camera.project(points)[:, :2].reshape(*points.shape[:2], 2)
    along_u = segment_distance(seen[:-1], seen[1:], x, y)
    along_v = segment_distance(seen[:, :-1], seen[:, 1:], x, y)
    best_u, best_v = along_u.min(initial=np.inf), along_v.min(initial=np.inf)
    if min(best_u, best_v) > within:
        return None
    if best_u <= best_v:
        return NetLine(0, int(np.unravel_index(along_u.argmin(), along_u.shape)[1]))
    return NetLine(1, int(np.unravel_index(along_v.argmin(), along_v.shape)[0]))


def segment_distance(a: Floats, b: Floats, x: float, y: float) -> Floats:
    """Distance in pixels of (x, y) to the segments (..., 2); infinite where they are not visible."""
    p = np.array([x, y])
    along = b - a
    length = np.einsum("...c,...c->...", along, along)
    t = np.clip(np.einsum("...c,...c->...", p - a, along) / np.where(length > 0, length, 1.0), 0, 1)
    distance = np.linalg.norm(a + t[..., None] * along - p, axis=-1)
    return np.where(np.isnan(distance), np.inf, distance)


def surface_under(camera: Camera, grid: Floats, x: float, y: float) -> float | None:
    """Depth at which a sampled (r, s, 3) surface is hit by the pixel's ray, or None."""
    origin, direction = camera.ray(x, y)
    a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
    first = np.concatenate([np.stack([a, b, c], -2).reshape(-1, 3, 3), np.stack([a, c, d], -2).reshape(-1, 3, 3)])
    e1, e2 = first[:, 1] - first[:, 0], first[:, 2] - first[:, 0]
    h = np.cross(direction, e2)
    det = np.einsum("nc,nc->n", e1, h)
    safe = np.where(np.abs(det) > 1e-14, det, np.nan)
    s = origin - first[:, 0]
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
