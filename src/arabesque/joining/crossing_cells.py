"""Compiled search for where two grids of triangles cross: plain arrays in, plain arrays out."""

import numpy as np
from numba import njit

from arabesque.arrays import Floats, Ints

BLOCK = 8
"""Cells each way that are passed over together where their boxes are apart."""


@njit(cache=True, nogil=True, error_model="numpy")
def cell_boxes(grid: Floats, rows: int, columns: int) -> Floats:
    """(a, b, 6) lowest and highest corners of the boxes round ``rows`` x ``columns`` cells of an (n, m, 3) grid."""
    n, m = grid.shape[0] - 1, grid.shape[1] - 1
    down, along = (n + rows - 1) // rows, (m + columns - 1) // columns
    boxes = np.empty((down, along, 6))
    for a in range(down):
        for b in range(along):
            for c in range(3):
                low, high = np.inf, -np.inf
                for i in range(a * rows, min(n, (a + 1) * rows) + 1):
                    for j in range(b * columns, min(m, (b + 1) * columns) + 1):
                        low = min(low, grid[i, j, c])
                        high = max(high, grid[i, j, c])
                boxes[a, b, c], boxes[a, b, 3 + c] = low, high
    return boxes


@njit(cache=True, nogil=True, error_model="numpy")
def _meet(a: Floats, b: Floats) -> bool:
    apart = False
    for c in range(3):
        apart |= a[c] > b[3 + c] or b[c] > a[3 + c]
    return not apart


@njit(cache=True, nogil=True, error_model="numpy")
def meeting_cells(one: Floats, two: Floats, most: int) -> Ints:
    """(k, 4) row and column of a cell of one grid and of one of the other whose boxes meet; ``most`` and one more
    where there are more."""
    fine = cell_boxes(one, 1, 1), cell_boxes(two, 1, 1)
    wide = cell_boxes(one, BLOCK, BLOCK), cell_boxes(two, BLOCK, BLOCK)
    found = np.empty((1024, 4), dtype=np.int64)
    count = 0
    for a in range(wide[0].shape[0]):
        for b in range(wide[0].shape[1]):
            for c in range(wide[1].shape[0]):
                for d in range(wide[1].shape[1]):
                    if not _meet(wide[0][a, b], wide[1][c, d]):
                        continue
                    for i in range(a * BLOCK, min((a + 1) * BLOCK, fine[0].shape[0])):
                        for j in range(b * BLOCK, min((b + 1) * BLOCK, fine[0].shape[1])):
                            if not _meet(fine[0][i, j], wide[1][c, d]):
                                continue
                            for k in range(c * BLOCK, min((c + 1) * BLOCK, fine[1].shape[0])):
                                for m in range(d * BLOCK, min((d + 1) * BLOCK, fine[1].shape[1])):
                                    if _meet(fine[0][i, j], fine[1][k, m]):
                                        if count == len(found):
                                            more = np.empty((2 * count, 4), dtype=np.int64)
                                            more[:count] = found
                                            found = more
                                        found[count] = i, j, k, m
                                        count += 1
                                        if count > most:
                                            return found[:count]
    return found[:count]


@njit(cache=True, nogil=True, error_model="numpy")
def _corners(i: int, j: int, half: int, columns: int) -> tuple[int, int, int]:
    """Numbers of the corners of half a cell of a grid with so many columns of places, counter-clockwise."""
    a = i * columns + j
    if half == 0:
        return a, a + columns, a + columns + 1
    return a, a + columns + 1, a + 1


@njit(cache=True, nogil=True, error_model="numpy")
def _volume(a: Floats, b: Floats, c: Floats, d: Floats) -> float:
    """Six times that of a tetrahedron."""
    x0, x1, x2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    y0, y1, y2 = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    z0, z1, z2 = d[0] - a[0], d[1] - a[1], d[2] - a[2]
    return x0 * (y1 * z2 - y2 * z1) + x1 * (y2 * z0 - y0 * z2) + x2 * (y0 * z1 - y1 * z0)


@njit(cache=True, nogil=True, error_model="numpy")
def _pierced(p: Floats, q: Floats, a: Floats, b: Floats, c: Floats, out: Floats) -> bool:
    """Whether a leg from p to q passes through a triangle; out: the share of the leg, and shares of b and c."""
    at, to = _volume(a, b, c, p), _volume(a, b, c, q)
    if (at > 0) == (to > 0):
        return False
    ab, bc, ca = _volume(p, q, a, b), _volume(p, q, b, c), _volume(p, q, c, a)
    if not ((ab > 0) == (bc > 0) and (bc > 0) == (ca > 0)):
        return False
    whole = ab + bc + ca
    if whole == 0.0:
        return False
    out[0] = at / (at - to)
    out[1], out[2] = ca / whole, ab / whole
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def crossing_legs(one: Floats, two: Floats, cells: Ints) -> tuple[Ints, Floats]:
    """Where sides of triangles of one grid pass through triangles of the other, two a pair of triangles that cross.

    one, two: (n, m, 3). cells: (k, 4) pairs that may cross. Returns (2 s, 4) numbers: whose side it is, its lower and
    its higher end, and the number of the triangle it passes through among all halves of cells; and (2 s, 3) the share
    of the side from its lower end and the shares of the triangle's second and third corner.
    """
    flat = one.reshape(-1, 3), two.reshape(-1, 3)
    width = one.shape[1], two.shape[1]
    legs = np.empty((256, 4), dtype=np.int64)
    shares = np.empty((256, 3))
    found = np.empty((6, 3))
    sides = np.empty((6, 4), dtype=np.int64)
    t = np.empty((2, 3), dtype=np.int64)
    out = np.empty(3)
    count = 0
    for k in range(len(cells)):
        for first in range(2):
            a0, a1, a2 = _corners(cells[k, 0], cells[k, 1], first, width[0])
            t[0, 0], t[0, 1], t[0, 2] = a0, a1, a2
            for second in range(2):
                b0, b1, b2 = _corners(cells[k, 2], cells[k, 3], second, width[1])
                t[1, 0], t[1, 1], t[1, 2] = b0, b1, b2
                hits = 0
                for whose in range(2):
                    mine, other = (flat[0], flat[1]) if whose == 0 else (flat[1], flat[0])
                    face = t[1 - whose]
                    cell = (cells[k, 2] * (width[1] - 1) + cells[k, 3]) * 2 + second
                    if whose == 1:
                        cell = (cells[k, 0] * (width[0] - 1) + cells[k, 1]) * 2 + first
                    for side in range(3):
                        p, q = t[whose, side], t[whose, (side + 1) % 3]
                        low, high = min(p, q), max(p, q)
                        if hits < 6 and _pierced(
                            mine[low], mine[high], other[face[0]], other[face[1]], other[face[2]], out
                        ):
                            found[hits] = out
                            sides[hits, 0], sides[hits, 1], sides[hits, 2], sides[hits, 3] = whose, low, high, cell
                            hits += 1
                if hits != 2:
                    continue
                if count + 2 > len(legs):
                    more, wider = np.empty((2 * count, 4), dtype=np.int64), np.empty((2 * count, 3))
                    more[:count], wider[:count] = legs[:count], shares[:count]
                    legs, shares = more, wider
                for hit in range(2):
                    legs[count] = sides[hit]
                    shares[count] = found[hit]
                    count += 1
    return legs[:count], shares[:count]
