"""Soft moves and edits of control nets."""

import unittest
from collections.abc import Callable

import numpy as np

from arabesque.geometry import (
    FallOff,
    Surface,
    averaged,
    evened,
    flattened,
    grown_choice,
    reach_weights,
    straightened,
    uniform_knots,
)
from arabesque.shapes import Net

Edit = Callable[[Net, np.ndarray], np.ndarray]


def sheet(n: int = 7) -> Surface:
    """A flat patch of 60 x 60 mm whose control points lie at their Greville places."""
    knots = uniform_knots(3, n - 3)
    from arabesque.geometry import greville

    at = 60 * greville(knots, 3)
    x, y = np.meshgrid(at, at, indexing="ij")
    return Surface((3, 3), (knots, knots), np.stack([x, y, np.zeros_like(x)], -1))


def only(i: int, j: int, n: int = 7) -> np.ndarray:
    mask = np.zeros((n, n), dtype=bool)
    mask[i, j] = True
    return mask


class ReachTest(unittest.TestCase):
    def test_fades_with_distance_on_the_surface(self) -> None:
        """A bell is s²(3 - 2 s), a cone s, a dome sqrt(1 - (1 - s)²) at the share s of the reach that is left."""
        surface, mask = sheet(), only(3, 3)
        points = surface.points
        share = np.clip(1 - np.linalg.norm(points - points[3, 3], axis=2) / 26.0, 0, 1)
        wanted = {
            FallOff.BELL: share**2 * (3 - 2 * share),
            FallOff.CONE: share,
            FallOff.DOME: np.sqrt(1 - (1 - share) ** 2),
        }
        for fall_off, values in wanted.items():
            found = reach_weights(surface.frames().places, mask.ravel(), 26.0, fall_off)
            np.testing.assert_allclose(found, values.ravel(), atol=1e-9)

    def test_no_reach_and_everything(self) -> None:
        places, one, everything = sheet().frames().places, only(2, 2).ravel(), np.ones(49, dtype=bool)
        np.testing.assert_array_equal(reach_weights(places, one, 0.0), one)
        np.testing.assert_array_equal(reach_weights(places, everything, 9.0), everything)


class NetTest(unittest.TestCase):
    def setUp(self) -> None:
        self.points = sheet().points + np.random.default_rng(0).normal(scale=1.0, size=(7, 7, 3))
        self.row = np.zeros((7, 7), dtype=bool)
        self.row[:, 2] = True

    def changed(
        self, edit: Callable[[Net, np.ndarray], np.ndarray], points: np.ndarray, mask: np.ndarray
    ) -> np.ndarray:
        """(7, 7, 3) what an edit makes of points in rows and columns."""
        return edit(sheet().with_points(points).net(), mask.ravel()).reshape(7, 7, 3)

    def test_straight_even_average_flat(self) -> None:
        straight = self.changed(straightened, self.points, self.row)[:, 2]
        way = straight[-1] - straight[0]
        np.testing.assert_allclose(np.cross(straight - straight[0], way), 0, atol=1e-9)
        straight_net = self.changed(straightened, self.points, self.row)
        even = self.changed(evened, straight_net, self.row)[:, 2]
        steps = np.linalg.norm(np.diff(even, axis=0), axis=1)
        # as the Greville abscissae are spaced: with clamped knots the end legs are shorter
        spacing = np.diff([sheet().knots[0][i + 1 : i + 1 + sheet().degree[0]].mean() for i in range(7)])
        np.testing.assert_allclose(steps / steps[0], spacing / spacing[0], rtol=1e-9)
        rough = np.abs(np.diff(self.points[:, 2], 2, axis=0)).sum()
        calm = np.abs(np.diff(self.changed(averaged, self.points, self.row)[:, 2], 2, axis=0)).sum()
        self.assertLess(calm, rough)
        everything = np.ones((7, 7), dtype=bool)
        flat = self.changed(flattened, self.points, everything).reshape(-1, 3)
        self.assertLess(np.linalg.svd(flat - flat.mean(axis=0))[1][-1], 1e-9)

    def test_others_and_ends_stay(self) -> None:
        for edit in (straightened, evened, averaged):
            changed = self.changed(edit, self.points, self.row)
            np.testing.assert_array_equal(changed[~self.row], self.points[~self.row])
            np.testing.assert_allclose(changed[[0, -1], 2], self.points[[0, -1], 2], atol=1e-12)

    def test_too_few_to_edit(self) -> None:
        np.testing.assert_array_equal(self.changed(straightened, self.points, only(1, 1) | only(1, 2)), self.points)
        np.testing.assert_array_equal(self.changed(flattened, self.points, only(1, 1)), self.points)

    def test_grown(self) -> None:
        self.assertEqual(int(grown_choice(sheet().net(), only(3, 3).ravel()).sum()), 5)
        self.assertEqual(int(grown_choice(sheet().net(), only(0, 0).ravel()).sum()), 3)
