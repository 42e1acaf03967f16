"""Loops over a grid of heights: a ball rolled over it, cut into it, and how near it comes to places.

NumPy would run through memory once for each place of the ball; these release the GIL.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from arabesque.arrays import Floats


@njit(cache=True, nogil=True, error_model="numpy")
def dilated(heights: Floats, rise: Floats) -> Floats:
    """(nx, ny) at each place the largest of the heights round it, less the rise there (k, k); infinite rises count
    not. Past the border there is nothing."""
    nx, ny = heights.shape
    reach = rise.shape[0] // 2
    found = np.full((nx, ny), -np.inf)
    for a in range(-reach, reach + 1):
        for b in range(-reach, reach + 1):
            less = rise[a + reach, b + reach]
            if np.isinf(less):
                continue
            low, high = max(0, -b), min(ny, ny - b)
            for i in range(max(0, -a), min(nx, nx - a)):
                for j in range(low, high):
                    value = heights[i + a, j + b] - less
                    if value > found[i, j]:
                        found[i, j] = value
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def standing_off(places: Floats, tips: Floats, start: Floats, cell: float, radius: float, reach: float) -> Floats:
    """(n,) mm that a ball stays off each of (n, 3) places at least, where its tip may be anywhere over the tip heights
    (nx, ny); no further away than ``reach`` mm is looked for."""
    nx, ny = tips.shape
    found = np.empty(len(places))
    around = int(np.ceil((radius + reach) / cell))
    for n in range(len(places)):
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        i0, j0 = int(np.floor((x - start[0]) / cell)), int(np.floor((y - start[1]) / cell))
        best = (radius + reach) ** 2
        for i in range(max(0, i0 - around), min(nx, i0 + around + 2)):
            dx = start[0] + i * cell - x
            if dx * dx >= best:
                continue
            for j in range(max(0, j0 - around), min(ny, j0 + around + 2)):
                dy = start[1] + j * cell - y
                up = tips[i, j] + radius - z
                square = dx * dx + dy * dy + (up * up if up > 0 else 0.0)
                if square < best:
                    best = square
        found[n] = max(np.sqrt(best) - radius, 0.0)
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def cut_into(heights: Floats, start: Floats, cell: float, radius: float, tips: Floats) -> None:
    """Lower heights (nx, ny), in place, to what a ball leaves whose tip was at (n, 3) places."""
    nx, ny = heights.shape
    for n in range(len(tips)):
        x, y, z = tips[n, 0], tips[n, 1], tips[n, 2]
        first, last = int(np.ceil((x - radius - start[0]) / cell)), int(np.floor((x + radius - start[0]) / cell))
        for i in range(max(0, first), min(nx, last + 1)):
            dx = start[0] + i * cell - x
            half = np.sqrt(max(radius * radius - dx * dx, 0.0))
            low, high = int(np.ceil((y - half - start[1]) / cell)), int(np.floor((y + half - start[1]) / cell))
            for j in range(max(0, low), min(ny, high + 1)):
                dy = start[1] + j * cell - y
                under = z + radius - np.sqrt(max(radius * radius - dx * dx - dy * dy, 0.0))
                if under < heights[i, j]:
                    heights[i, j] = under
