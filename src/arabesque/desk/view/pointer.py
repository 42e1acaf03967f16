"""The pointer over the view."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import nearest_on_segments
from arabesque.geometry import Plane, unit
from arabesque.scan import Scan


@dataclass(frozen=True)
class Pointer:
    """The pointer over the view: logical pixels, camera and keys held."""

    x: float
    y: float
    camera: Camera
    shift: bool = False
    ctrl: bool = False
    alt: bool = False

    def on_scan(self, scan: Scan | None) -> Floats | None:
        """Where the pointer's ray hits the scan first."""
        hit = None if scan is None else scan.pick(*self.camera.ray(self.x, self.y))
        return None if hit is None else hit[0]

    def near(self, point: Floats, within: float = 10.0) -> bool:
        """True when the point is drawn within so many pixels of the pointer."""
        x, y, _ = self.camera.project(point)[0]
        return bool(abs(complex(x - self.x, y - self.y)) <= within)

    def to_line(self, points: Floats) -> float:
        """Pixels to a drawn line of (n, 3) points."""
        seen = self.camera.project(points)[:, :2]
        return float(nearest_on_segments(seen[:-1], seen[1:], self.x, self.y)[0].min(initial=np.inf))

    def place_on(self, points: Floats) -> Floats:
        """(3,) place of a line of (n, 3) points that is drawn nearest to the pointer."""
        seen = self.camera.project(points)[:, :2]
        away, shares = nearest_on_segments(seen[:-1], seen[1:], self.x, self.y)
        k = int(away.argmin())
        place: Floats = points[k] + shares[k] * (points[k + 1] - points[k])
        return place

    def nearest(self, points: Floats) -> int:
        """Which of (n, 3) points is drawn nearest to the pointer."""
        seen = self.camera.project(points)[:, :2]
        return int(np.nanargmin(np.hypot(seen[:, 0] - self.x, seen[:, 1] - self.y)))

    def pixel(self, depth: float) -> float:
        """How large a pixel is so deep along the pointer's ray, mm."""
        (here, way), (beside, its_way) = self.camera.ray(self.x, self.y), self.camera.ray(self.x + 1, self.y)
        return float(np.linalg.norm(beside + depth * its_way - here - depth * way))

    def on_plane(self, plane: Plane, hit: Floats, within: float = 10.0) -> bool:
        """True when a place under the pointer lies so near to a plane as pixels are large there: seen along the plane's
        normal everything is drawn where the plane is."""
        return abs(float(plane.height(hit[None])[0])) <= within * self.pixel(self.depth(hit))

    def along(self, origin: Floats, way: Floats) -> float:
        """How far along a straight line, from an origin along a unit vector, its place is that the pointer's ray passes
        nearest to, mm; 0 where it is seen end on."""
        eye, ray = self.camera.ray(self.x, self.y)
        slope, apart = float(way @ ray), origin - eye
        if 1 - slope * slope < 1e-9:
            return 0.0
        return float((slope * (ray @ apart) - way @ apart) / (1 - slope * slope))

    def depth(self, point: Floats) -> float:
        """How far along the pointer's ray a place lies, mm."""
        origin, direction = self.camera.ray(self.x, self.y)
        return float((point - origin) @ direction)


def facing(camera: Camera) -> Floats:
    """Unit vector of the view plane's normal, towards the eye."""
    return unit(camera.axes[2])
