"""Dipper: the lobed hand wheel of the workshop's folding stand, by Brackwater Bicycle Works (both invented)."""

import numpy as np

from arabesque.arrays import Floats
from arabesque.demo.implicit import ImplicitMaster, smooth_max, smooth_min
from arabesque.geometry import unit

RIM, HEIGHT, CORNER = 40.0, 20.0, 8.0
STEM_RADIUS, STEM_TOP = 9.0, 34.0
SOCKET, SOCKET_FLOOR = 10.0, 18.0
HOLLOWS, HOLLOW_AT = 5, 47.0
HOLLOW_EDGE, STEM_EDGE, SOCKET_EDGE = 0.8, 2.0, 0.2


class Dipper(ImplicitMaster):
    """Closed, its axis z: a turned wheel with five hand-shaped hollows round it, a stem, a square socket from above."""

    name = "dipper"
    title = "Dipper, a lobed hand wheel"
    triangles = 120_000
    symmetry_plane = None
    area = 14_500.0
    box = (np.array([-RIM - 2, -RIM - 2, -2.0]), np.array([RIM + 2, RIM + 2, STEM_TOP + 2]))
    views = unit(
        np.array(
            [
                [0, 0, 1], [0, 0.02, -1], [1, 0, 0.3], [-1, 0, 0.3], [0, 1, 0.3], [0, -1, 0.3], [0.7, 0.7, 0.7],
                [-0.7, 0.7, 0.7], [0.7, -0.7, 0.7], [-0.7, -0.7, 0.7], [0.7, 0.7, -0.6], [-0.7, 0.7, -0.6],
                [0.7, -0.7, -0.6], [-0.7, -0.7, -0.6], [0.25, 0, 1], [-0.25, 0, 1], [0, 0.25, 1], [0, -0.25, 1],
            ]
        )
    )  # fmt: skip

    def __init__(self) -> None:
        self.dents = ()
        self.holes = ()
        palm = np.array([[30.0, -6, 4], [36.0, -6, 15], [36.0, 6, 15], [30.0, 6, 4]])
        self.corners = {"hollow": self.onto(palm, 12)}

    @staticmethod
    def hollow(x: Floats, y: Floats, z: Floats) -> Floats:
        """Negative inside the cutter of the hollow at +x: a leaning drop, deeper where the thumb lies."""
        along = (x - HOLLOW_AT - 0.12 * (z - 10)) / 13.0
        across = y / (15.0 + 0.15 * (z - 10))
        up = (z - 11.0) / 24.0
        return 13.0 * (np.sqrt(along**2 + across**2 + up**2 + 1e-9) - 1)

    def value(self, x: Floats, y: Floats, z: Floats) -> Floats:
        around = np.hypot(x, y)
        a, b = around - (RIM - CORNER), np.abs(z - HEIGHT / 2) - (HEIGHT / 2 - CORNER)
        wheel = np.hypot(np.maximum(a, 0), np.maximum(b, 0)) + np.minimum(np.maximum(a, b), 0) - CORNER
        turn = 2 * np.pi / HOLLOWS
        angle = np.arctan2(y, x)
        angle = angle - turn * np.round(angle / turn)
        wheel = smooth_max(wheel, -self.hollow(around * np.cos(angle), around * np.sin(angle), z), HOLLOW_EDGE)
        stem = np.maximum(around - STEM_RADIUS, np.maximum(z - STEM_TOP, 10.0 - z))
        wheel = smooth_min(wheel, stem, STEM_EDGE)
        socket = np.maximum(np.maximum(np.abs(x), np.abs(y)) - SOCKET / 2, SOCKET_FLOOR - z)
        return smooth_max(wheel, -socket, SOCKET_EDGE)

    def equations(self) -> list[str]:
        return [
            "value(x, y, z) = 0, negative inside; M(a, b, e) = max(a, b) + h^2 e/4, h = max(e - |a - b|, 0)/e; "
            "m(a, b, e) = -M(-a, -b, e); r = hypot(x, y)",
            f"a = r - {RIM - CORNER}; b = |z - 10| - {HEIGHT / 2 - CORNER}; "
            f"wheel = hypot(max(a, 0), max(b, 0)) + min(max(a, b), 0) - {CORNER}",
            f"hollow at +x, and turned by each fifth: 13 (sqrt(((x - {HOLLOW_AT} - 0.12 (z - 10))/13)^2 "
            "+ (y/(15 + 0.15 (z - 10)))^2 + ((z - 11)/24)^2) - 1)",
            f"stem = max(r - {STEM_RADIUS}, z - {STEM_TOP}, 10 - z); "
            f"socket = max(|x| - {SOCKET / 2}, |y| - {SOCKET / 2}, {SOCKET_FLOOR} - z)",
            f"value = M(m(M(wheel, -hollow, {HOLLOW_EDGE}), stem, {STEM_EDGE}), -socket, {SOCKET_EDGE})",
        ]
