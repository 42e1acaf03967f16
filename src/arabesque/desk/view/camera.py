"""The camera: where one looks from, and the way between screen and space. No GL."""

from dataclasses import dataclass, field, replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import VIEWS, slanted, unit

FIELD_OF_VIEW = np.radians(28.0)


@dataclass(frozen=True, eq=False)
class Camera:
    """A look at ``target`` from ``distance`` mm away; an immutable value.

    axes:  (3, 3) rows right, up, back. size: of the picture, in logical pixels.
    reach: radius of what is to be seen, mm; sets the near and far planes.
    """

    target: Floats = field(default_factory=lambda: np.zeros(3))
    distance: float = 500.0
    axes: Floats = field(default_factory=slanted)
    perspective: bool = True
    size: tuple[int, int] = (800, 600)
    reach: float = 300.0

    @property
    def eye(self) -> Floats:
        """Position of the eye."""
        return self.target + self.axes[2] * self.distance

    @property
    def mm_per_pixel(self) -> float:
        """Millimetres that a pixel covers at the target."""
        return 2 * self.distance * float(np.tan(FIELD_OF_VIEW / 2)) / self.size[1]

    def view_matrix(self) -> Floats:
        """(4, 4) from space to eye coordinates."""
        matrix = np.eye(4)
        matrix[:3, :3] = self.axes
        matrix[:3, 3] = -self.axes @ self.eye
        return matrix

    def projection_matrix(self) -> Floats:
        """(4, 4) from eye to clip coordinates."""
        aspect = self.size[0] / self.size[1]
        near = max(self.distance - 2 * self.reach, 0.02 * self.distance)
        far = self.distance + 2 * self.reach
        half = np.tan(FIELD_OF_VIEW / 2)
        matrix = np.zeros((4, 4))
        if self.perspective:
            matrix[0, 0], matrix[1, 1] = 1 / (half * aspect), 1 / half
            matrix[2, 2], matrix[2, 3] = -(far + near) / (far - near), -2 * far * near / (far - near)
            matrix[3, 2] = -1
        else:
            near = self.distance - 2 * self.reach
            high = half * self.distance
            matrix[0, 0], matrix[1, 1] = 1 / (high * aspect), 1 / high
            matrix[2, 2], matrix[2, 3] = -2 / (far - near), -(far + near) / (far - near)
            matrix[3, 3] = 1
        return matrix

    def project(self, points: Floats) -> Floats:
        """(n, 3) x and y in logical pixels from the top left, and depth; NaN behind the eye."""
        points = np.asarray(points, dtype=float).reshape(-1, 3)
        clip = np.column_stack([points, np.ones(len(points))]) @ (self.projection_matrix() @ self.view_matrix()).T
        w = np.where(clip[:, 3] > 1e-9, clip[:, 3], np.nan)
        ndc = clip[:, :3] / w[:, None]
        width, height = self.size
        return np.column_stack([(ndc[:, 0] + 1) / 2 * width, (1 - ndc[:, 1]) / 2 * height, ndc[:, 2]])

    def ray(self, x: float, y: float) -> tuple[Floats, Floats]:
        """Origin and unit direction of the ray through a pixel."""
        width, height = self.size
        half = float(np.tan(FIELD_OF_VIEW / 2))
        across = (2 * x / width - 1) * half * width / height
        along = (1 - 2 * y / height) * half
        right, up, back = self.axes
        if self.perspective:
            return self.eye, unit(right * across + up * along - back)
        start = self.target + (right * across + up * along) * self.distance
        return start + back * (self.distance + 2 * self.reach), -back

    def orbited(self, dx: float, dy: float, pivot: Floats) -> "Camera":
        """Turned by a drag of (dx, dy) pixels round ``pivot``: about the vertical, and about the picture's right."""
        around = _rotation(np.array([0.0, 0, 1]), -dx * 0.008)
        over = _rotation(self.axes[0], -dy * 0.008)
        turn = around @ over
        axes = self.axes @ turn.T
        target = pivot + turn @ (self.target - pivot)
        return replace(self, axes=_orthonormal(axes), target=target)

    def panned(self, dx: float, dy: float) -> "Camera":
        """Moved so that the picture follows a drag of (dx, dy) pixels."""
        right, up, _ = self.axes
        return replace(self, target=self.target + (-dx * right + dy * up) * self.mm_per_pixel)

    def zoomed(self, factor: float, x: float, y: float) -> "Camera":
        """Nearer by ``factor`` (above 1) while what is under the pixel stays there."""
        width, height = self.size
        distance = float(np.clip(self.distance / factor, 1e-3, 1e7))
        right, up, _ = self.axes
        offset = (right * (x - width / 2) - up * (y - height / 2)) * self.mm_per_pixel
        return replace(self, target=self.target + offset * (1 - distance / self.distance), distance=distance)

    def fitted(self, low: Floats, high: Floats) -> "Camera":
        """Showing the whole box, from the same direction."""
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        middle = (low + high) / 2
        seen = (corners - middle) @ self.axes.T
        width, height = self.size
        half = float(np.tan(FIELD_OF_VIEW / 2))
        need = max(np.abs(seen[:, 1]).max() / half, np.abs(seen[:, 0]).max() / (half * width / height))
        distance = 1.06 * need + (float(seen[:, 2].max()) if self.perspective else 0.0)
        reach = max(float(np.linalg.norm(high - low)) / 2, 1e-3)
        return replace(self, target=middle, distance=max(distance, 1e-3), reach=reach)

    def looking(self, direction: str) -> "Camera":
        """Along an axis: one of VIEWS, or "slanted"."""
        return replace(self, axes=VIEWS[direction] if direction in VIEWS else slanted())

    def looking_at(self, point: Floats, normal: Floats, radius: float) -> "Camera":
        """Flown to a place so that it fills a good part of the picture; turned when it faces away."""
        axes = self.axes
        if axes[2] @ normal < 0.25:
            back = unit(0.8 * normal + 0.6 * unit(np.cross(normal, [0.0, 0, 1]) + 1e-9))
            right = unit(np.cross([0.0, 0, 1], back) + np.array([1e-12, 0, 0]))
            axes = np.array([right, np.cross(back, right), back])
        distance = radius / float(np.tan(FIELD_OF_VIEW / 2)) * 1.3
        return replace(self, target=np.asarray(point, dtype=float), axes=axes, distance=distance)

    def seen_from(self, point: Floats, back: Floats, up: Floats, radius: float) -> "Camera":
        """Looking at a place from a side, with ``radius`` mm round it in sight; up: what stands upright."""
        back = unit(np.asarray(back, dtype=float))
        right = unit(np.cross(up, back))
        distance = radius / float(np.tan(FIELD_OF_VIEW / 2)) * 1.3
        axes = np.array([right, np.cross(back, right), back])
        return replace(self, target=np.asarray(point, dtype=float), axes=axes, distance=distance)


def _rotation(axis: Floats, angle: float) -> Floats:
    """Rotation matrix by Rodrigues' formula."""
    x, y, z = axis
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.eye(3) + np.sin(angle) * k + (1 - np.cos(angle)) * k @ k


def _orthonormal(axes: Floats) -> Floats:
    """The nearest rotation, so that rounding does not add up over many turns."""
    u, _, v = np.linalg.svd(axes)
    return u @ v
