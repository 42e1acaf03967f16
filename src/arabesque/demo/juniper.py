"""Juniper: a water jug for the handlebar bag, by Brackwater Bicycle Works (both invented)."""

import numpy as np

from arabesque.arrays import Floats
from arabesque.demo.implicit import ImplicitMaster, smooth_max, smooth_min
from arabesque.demo.master import Dent
from arabesque.geometry import unit

HEIGHT = 172.0
SPOUT_BLEND, HANDLE_BLEND, FOOT_EDGE = 3.0, 9.0, 1.5
RING, TUBE = 36.0, 7.5
HANDLE_X, HANDLE_Z = -45.0, 92.0


class Juniper(ImplicitMaster):
    """Symmetric to y = 0, z up; a handle (one through-hole), a spout with a tight radius, a flat foot at z = 0."""

    name = "juniper"
    title = "Juniper, a water jug"
    triangles = 150_000
    symmetry_plane = "y"
    area = 60_000.0
    box = (np.array([-95.0, -56.0, -2.0]), np.array([82.0, 56.0, HEIGHT + 8]))
    views = unit(
        np.array(
            [
                [0, 0, 1], [0, 0.02, -1], [1, 0, 0.2], [-1, 0, 0.2], [0, 1, 0.2], [0, -1, 0.2], [0.7, 0.7, 0.3],
                [-0.7, 0.7, 0.3], [0.7, -0.7, 0.3], [-0.7, -0.7, 0.3], [0.7, 0.7, -0.4], [-0.7, 0.7, -0.4],
                [0.7, -0.7, -0.4], [-0.7, -0.7, -0.4], [1, 0, -0.5], [-1, 0, -0.6], [-0.4, 0.8, -0.1],
                [-0.4, -0.8, -0.1], [-0.6, 0, 0.8],
            ]
        )
    )  # fmt: skip

    def __init__(self) -> None:
        side = self.onto(np.array([[10.0, 46.0, 70.0]]))[0]
        self.dents = (Dent((float(side[0]), float(side[1]), float(side[2])), 6.0, 0.7),)
        self.holes = ()
        belly = np.array([[-12.0, 46, 40], [26.0, 42, 40], [24.0, 34, 112], [-12.0, 40, 112]])
        self.corners = {"belly": self.onto(belly, 12)}

    @staticmethod
    def radius(z: Floats) -> Floats:
        """Radius of the body at a height, mm: a belly, a neck, a lip."""
        belly = 14.0 * np.exp(-(((z - 62) / 52.0) ** 2))
        return 33.0 + belly + 0.0016 * np.maximum(z - 130, 0) ** 2

    def value(self, x: Floats, y: Floats, z: Floats) -> Floats:
        body = np.hypot(x, y) - self.radius(z)
        # the spout: a leaning drop at the lip, towards +x
        sx, sz = (x - 40) * 0.8 + (z - 152) * 0.6, -(x - 40) * 0.6 + (z - 152) * 0.8
        spout = 13.0 * (np.sqrt((sx / 30) ** 2 + (y / 13) ** 2 + (sz / 12) ** 2 + 1e-9) - 1)
        body = smooth_min(body, spout, SPOUT_BLEND)
        ring = np.hypot(np.hypot(x - HANDLE_X, (z - HANDLE_Z) * 0.8) - RING, y) - TUBE
        body = smooth_min(body, ring, HANDLE_BLEND)
        # nothing of the handle's ring stays inside the jug's open top; the top is slightly dished
        body = smooth_max(body, z - HEIGHT + 3.0 * np.exp(-(x * x + y * y) / 900.0), 2.5)
        return smooth_max(body, -z, FOOT_EDGE)

    def equations(self) -> list[str]:
        return [
            "value(x, y, z) = 0, negative inside; M(a, b, e) = max(a, b) + h^2 e/4, h = max(e - |a - b|, 0)/e; "
            "m(a, b, e) = -M(-a, -b, e)",
            "R = 33 + 14 exp(-((z - 62)/52)^2) + 0.0016 max(z - 130, 0)^2; body = hypot(x, y) - R",
            "s = 0.8 (x - 40) + 0.6 (z - 152); t = -0.6 (x - 40) + 0.8 (z - 152); "
            "spout = 13 (sqrt((s/30)^2 + (y/13)^2 + (t/12)^2) - 1)",
            f"ring = hypot(hypot(x - {HANDLE_X}, 0.8 (z - {HANDLE_Z})) - {RING}, y) - {TUBE}",
            f"jug = m(m(body, spout, {SPOUT_BLEND}), ring, {HANDLE_BLEND})",
            f"value = M(M(jug, z - {HEIGHT} + 3 exp(-(x^2 + y^2)/900), 2.5), -z, {FOOT_EDGE})",
        ]
