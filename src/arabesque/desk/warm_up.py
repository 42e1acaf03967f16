"""Loads compiled code, and libraries that the first picture does without, before the hand needs them."""

import numpy as np

from arabesque.checking import Family, find_joins, scan_sections
from arabesque.fitting import FitSettings, bilinear, fit_patch
from arabesque.scan import Scan


def warm_up() -> None:
    """Run every compiled kernel once on a tiny example, so that the first click does not wait for it."""
    x, y = np.meshgrid(np.linspace(0, 1, 5), np.linspace(0, 1, 5), indexing="ij")
    points = np.column_stack([x.ravel(), y.ravel(), np.zeros(25)])
    corner = np.array([i * 5 + j for i in range(4) for j in range(4)])
    triangles = np.concatenate(
        [np.column_stack([corner, corner + 5, corner + 6]), np.column_stack([corner, corner + 6, corner + 1])]
    )
    scan = Scan(points, triangles)
    scan.pick([0.5, 0.5, 1.0], [0.0, 0.0, -1.0])
    inner = np.array([[0.2, 0.2, 0], [0.8, 0.2, 0], [0.8, 0.8, 0], [0.2, 0.8, 0]])
    fitted = fit_patch(bilinear(inner).elevated(1, 1), scan, FitSettings(0.1, samples=6, rounds=1))
    fitted.derivatives([[0.5, 0.5]])
    scan_sections(scan, Family(np.array([1.0, 0.0, 0.0]), 0.3))
    find_joins([fitted, fitted.moved(np.eye(4))])
