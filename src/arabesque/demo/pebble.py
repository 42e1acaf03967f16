"""Pebble: a trekking-pole grip for the right hand, by Brackwater Bicycle Works (both invented)."""

import numpy as np

from arabesque.arrays import Floats
from arabesque.demo.implicit import ImplicitMaster, smooth_max
from arabesque.demo.master import Dent
from arabesque.geometry import unit

HEIGHT = 128.0
SOCKET_RADIUS, SOCKET_DEPTH = 8.0, 26.0
STRAP_NORMAL = unit(np.array([-0.94, 0.12, 0.32]))
STRAP_OFFSET = 42.5
EDGE = 1.2
SWELLS = ((30.0, 1.6), (54.0, 2.2), (78.0, 2.0), (100.0, 1.4))


class Pebble(ImplicitMaster):
    """Closed, z up along the pole; a true cylinder socket of 16 mm from below and a flat strap face behind.

    Not symmetric: the palm swells to one side, the finger swells wind with the hand.
    """

    name = "pebble"
    title = "Pebble, a trekking-pole grip"
    triangles = 60_000
    symmetry_plane = None
    area = 14_500.0
    box = (np.array([-30.0, -30.0, -4.0]), np.array([30.0, 30.0, HEIGHT + 4]))
    views = unit(
        np.array(
            [
                [0, 0, 1], [1, 0, 0.2], [-1, 0, 0.2], [0, 1, 0.2], [0, -1, 0.2], [0.7, 0.7, -0.3], [-0.7, 0.7, -0.3],
                [0.7, -0.7, -0.3], [-0.7, -0.7, -0.3], [0.3, 0, -1], [-0.3, 0, -1], [0, 0.3, -1], [0, -0.3, -1],
            ]
        )
    )  # fmt: skip

    def __init__(self) -> None:
        front = self.onto(np.array([[25.0, 5.0, 70.0]]))[0]
        self.dents = (Dent((float(front[0]), float(front[1]), float(front[2])), 4.0, 0.5),)
        self.holes = ()
        palm = np.array([[-10.0, 24, 40], [14.0, 24, 40], [14.0, 24, 86], [-10.0, 24, 86]])
        self.corners = {"palm": self.onto(palm, 12)}

    def value(self, x: Floats, y: Floats, z: Floats) -> Floats:
        angle = np.arctan2(y, x)
        swell: Floats = np.zeros(np.broadcast(x, y, z).shape)
        for height, size in SWELLS:
            swell = swell + size * np.exp(-(((z - height - 2.5 * np.sin(angle - 0.6)) / 9.0) ** 2)) * (
                0.5 + 0.5 * np.cos(angle - 0.25)
            )
        palm = 3.2 * np.exp(-(((z - 66) / 34.0) ** 2)) * (0.5 + 0.5 * np.cos(angle - 2.0)) ** 2
        lean = 0.00055 * (z - 64) ** 2
        wide = 17.5 + swell * 0.8 + palm
        deep = 14.5 + swell * 0.6 + palm
        round_ = np.sqrt(((x + lean - 1.0) / wide) ** 2 + (y / deep) ** 2 + 1e-12)
        ends = ((z - HEIGHT / 2) / (HEIGHT / 2)) ** 6
        body = 15.0 * ((round_**2 + ends**2 + 1e-12) ** 0.5 - 1)
        nx, ny, nz = STRAP_NORMAL
        body = smooth_max(body, nx * x + ny * y + nz * z - STRAP_OFFSET, EDGE)
        foot = smooth_max(body, 2.0 - z, EDGE)
        socket = smooth_max(np.hypot(x, y) - SOCKET_RADIUS, z - SOCKET_DEPTH, EDGE)
        return smooth_max(foot, -socket, EDGE)

    def equations(self) -> list[str]:
        return [
            "value(x, y, z) = 0, negative inside; t = atan2(y, x); M(a, b) = max(a, b) + h^2 e/4, "
            f"h = max(e - |a - b|, 0)/e, e = {EDGE}",
            "swell = sum s exp(-((z - h - 2.5 sin(t - 0.6))/9)^2) (0.5 + 0.5 cos(t - 0.25)), "
            f"(h, s) in {SWELLS}; palm = 3.2 exp(-((z - 66)/34)^2) (0.5 + 0.5 cos(t - 2))^2",
            "wide = 17.5 + 0.8 swell + palm; deep = 14.5 + 0.6 swell + palm; lean = 0.00055 (z - 64)^2",
            "rho^2 = ((x + lean - 1)/wide)^2 + (y/deep)^2; ends = ((z - 64)/64)^6; "
            "body = 15 (sqrt(rho^2 + ends^2) - 1)",
            f"grip = M(M(body, n . p - {STRAP_OFFSET}), 2 - z), n = {STRAP_NORMAL.tolist()}",
            f"socket = M(hypot(x, y) - {SOCKET_RADIUS}, z - {SOCKET_DEPTH}); value = M(grip, -socket)",
        ]
