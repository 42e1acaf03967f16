"""Heron: a touring saddle's clay model, by Brackwater Bicycle Works (both invented)."""

import numpy as np

from arabesque.arrays import Floats
from arabesque.demo.master import Dent, DiscMaster, Hole

LENGTH = 270.0
NOSE_WIDTH, TAIL_WIDTH = 26.0, 88.0
DROP = 62.0
ROLL, UNDER = 0.055, 0.08
CHANNEL_DEPTH, CHANNEL_WIDTH = 5.0, 9.0
CHANNEL_REAR, CHANNEL_FRONT = 62.0, 205.0


def _softplus(x: Floats) -> Floats:
    return np.logaddexp(0.0, x)


def _sigmoid(x: Floats) -> Floats:
    return 0.5 * (1 + np.tanh(x / 2))


class Heron(DiscMaster):
    """Symmetric to y = 0, x from the rear (0) to the nose (270), z up, open underneath.

    The channel along the middle begins with one sharp edge across, at the
    rear, and runs out smoothly to the nose; the rim is rolled under.
    """

    name = "heron"
    title = "Heron, a touring saddle"
    triangles = 120_000
    reach = 1.42
    scale = (LENGTH / 2, 78.0)
    symmetry_plane = "y"

    def __init__(self) -> None:
        on_top = self.at_plan
        dents = (
            ((95.0, -44.0), 4.0, 0.45),
            ((150.0, 58.0), 6.0, 0.8),
            ((228.0, 14.0), 5.0, 0.7),
            ((40.0, 12.0), 7.0, 0.6),
        )
        self.dents = tuple(Dent(on_top(*at), radius, depth) for at, radius, depth in dents)
        self.holes = (Hole(on_top(118.0, 40.0), 6.5), Hole(on_top(238.0, -9.0), 4.0))
        flank = ((40.0, 16.0), (190.0, 16.0), (190.0, 61.0), (40.0, 61.0))
        self.corners = {
            "flank": np.array([on_top(x, -y) for x, y in reversed(flank)]),
            "other flank": np.array([on_top(x, y) for x, y in flank]),
        }

    def evaluate(self, parameters: Floats) -> Floats:
        a, b = parameters[:, 0], parameters[:, 1]
        rho = np.hypot(a, b)
        plan = rho - ROLL * _softplus((rho - 1) / ROLL) - 0.5 * UNDER * _softplus((rho - 1.22) / UNDER)
        fall = ROLL * _softplus((rho - 1) / ROLL)
        safe = np.where(rho > 0, rho, 1.0)
        # directions on a rounded square, so that the outline is full at its corners
        square = safe / (a**6 + b**6 + 1e-300) ** (1 / 6) * plan / safe
        xi, eta = a * square, b * square
        x = LENGTH / 2 * (1 + xi)
        y = eta * self.half_width(xi)
        return np.column_stack([x, y, self.height(x, y) - DROP * fall])

    @staticmethod
    def half_width(xi: Floats) -> Floats:
        """Half the width of the plan at xi = 2 x / 270 - 1, mm."""
        return NOSE_WIDTH + (TAIL_WIDTH - NOSE_WIDTH) * _sigmoid((0.70 - xi) / 0.15)

    @staticmethod
    def height(x: Floats, y: Floats) -> Floats:
        """Height of the top over the plan, mm, before the rim rolls down."""
        xi = 2 * x / LENGTH - 1
        profile = 14.0 * np.exp(-(((xi + 1.05) / 0.6) ** 2)) + 4.0 * xi**2 - 3.0 * xi
        crown = 1 / 170.0 + (1 / 55.0 - 1 / 170.0) * _sigmoid((xi - 0.55) / 0.16)
        start = np.where(x > CHANNEL_REAR, 1 - np.exp(-np.maximum(x - CHANNEL_REAR, 0) / 9.0), 0.0)
        channel = CHANNEL_DEPTH * start * _sigmoid((CHANNEL_FRONT - x) / 8.0) * np.exp(-((y / CHANNEL_WIDTH) ** 4))
        return profile - 0.5 * crown * y**2 - channel

    def at_plan(self, x: float, y: float) -> tuple[float, float, float]:
        """The point of the top above (x, y): solved for, because the roll moves the plan a little."""
        parameters = np.array([[2 * x / LENGTH - 1, y / float(self.half_width(np.array(2 * x / LENGTH - 1)))]])
        for _ in range(30):
            gap = np.array([x, y]) - self.evaluate(parameters)[:, :2]
            along_a, along_b = self.tangents(parameters)
            parameters += np.linalg.solve(np.column_stack([along_a[0, :2], along_b[0, :2]]), gap[0])
        px, py, pz = self.evaluate(parameters)[0]
        return float(px), float(py), float(pz)

    def equations(self) -> list[str]:
        return [
            "parameters a, b with rho = sqrt(a^2 + b^2) <= 1.42; sp(t) = ln(1 + e^t); sg(t) = 1 / (1 + e^-t)",
            f"g = rho - {ROLL} sp((rho-1)/{ROLL}) - {0.5 * UNDER} sp((rho-1.22)/{UNDER})",
            "xi = a g / (a^6 + b^6)^(1/6); eta = b g / (a^6 + b^6)^(1/6)",
            f"x = {LENGTH / 2} (1 + xi); y = eta ({NOSE_WIDTH} + {TAIL_WIDTH - NOSE_WIDTH} sg((0.70 - xi)/0.15))",
            "z = 14 exp(-((X+1.05)/0.6)^2) + 4 X^2 - 3 X - (1/2) c y^2 - h - drop, with X = 2 x / 270 - 1",
            "c = 1/170 + (1/55 - 1/170) sg((X - 0.55)/0.16)",
            f"h = {CHANNEL_DEPTH} s sg(({CHANNEL_FRONT} - x)/8) exp(-(y/{CHANNEL_WIDTH})^4), "
            f"s = 1 - exp(-max(x - {CHANNEL_REAR}, 0)/9)",
            f"drop = {DROP * ROLL} sp((rho-1)/{ROLL})",
        ]
