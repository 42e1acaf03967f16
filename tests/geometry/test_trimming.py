"""Trim loops."""

import unittest

import numpy as np

from arabesque.geometry import Trim


class TrimTest(unittest.TestCase):
    def test_ring(self) -> None:
        """Inside a square but outside its round hole; area = square - polygon of the hole."""
        angle = np.linspace(0, 2 * np.pi, 400, endpoint=False)
        hole = 0.5 + 0.25 * np.column_stack([np.cos(angle), np.sin(angle)])
        square = np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]])
        trim = Trim((hole, square))
        uv = np.array([[0.5, 0.5], [0.2, 0.2], [0.05, 0.5], [0.5, 0.85]])
        np.testing.assert_array_equal(trim.contains(uv), [False, True, False, True])
        self.assertAlmostEqual(trim.area, 0.64 - np.pi / 16, places=4)
