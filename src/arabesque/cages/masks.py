"""Where the points of a cage come to lie under endless subdivision, and the tangents there."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.cages.quads import CORNER, CREASE, DART, Quads, after, before


class Mask(NamedTuple):
    """Weights of points: (k,) points, and (3, k) weights of the place and of two tangents, the first turned
    counter-clockwise into the second."""

    points: Ints
    weights: Floats


def corner_mask(quads: Quads, half: int) -> Mask:
    """The mask at the point that a half-edge leaves, as seen from its face: on a sharp line the tangents are those of
    the face's own side."""
    point = int(quads.starts[half])
    kind = int(quads.kinds[point])
    spokes, diagonals = _sector(quads, half)
    k = len(diagonals)
    if kind == DART or len(spokes) == k:
        ring = np.concatenate([[point], spokes[:k], diagonals])
        if kind == CORNER:
            return Mask(ring, _tip_weights(k))
        return Mask(ring, dart_weights(k) if kind == DART else smooth_weights(k))
    ring = np.concatenate([[point], spokes, diagonals])
    return Mask(ring, sector_weights(k) if kind == CREASE else corner_weights(k))


def _sector(quads: Quads, half: int) -> tuple[Ints, Ints]:
    """Ends of the spokes round a point, counter-clockwise from cut to cut, and the points across its faces; without a
    cut as many of both. Where one sharp edge ends, that is first and last."""
    halves, closed = quads.fan(half)
    spokes = [int(quads.ends[h]) for h in halves]
    if not closed:
        spokes.append(int(quads.starts[before(halves[-1])]))
    return np.array(spokes), np.array([int(quads.ends[after(h)]) for h in halves])


@lru_cache(maxsize=64)
def smooth_weights(n: int) -> Floats:
    """(3, 2 n + 1) of a smooth point with n faces: itself, its n neighbours, the n points across.

    Halstead, Kass and DeRose, "Efficient, fair interpolation using Catmull-Clark surfaces", SIGGRAPH 1993, section 3
    and appendix A.
    """
    turn = 2 * np.pi * np.arange(n) / n
    step = 2 * np.pi / n
    place = np.concatenate([[n * n], np.full(n, 4.0), np.ones(n)]) / (n * (n + 5))
    a = 1 + np.cos(step) + np.cos(np.pi / n) * np.sqrt(2 * (9 + np.cos(step)))
    first = np.concatenate([[0], a * np.cos(turn), np.cos(turn) + np.cos(turn + step)])
    second = np.concatenate([[0], a * np.sin(turn), np.sin(turn) + np.sin(turn + step)])
    return _frozen(np.stack([place, first, second]))


@lru_cache(maxsize=64)
def sector_weights(k: int) -> Floats:
    """(3, 2 k + 2) of a point on a sharp line or the border, for a side of k faces: itself, the k + 1 spokes from one
    end of the line to the other, the k points across.

    The tangent across is the left eigenvector of the side's own subdivision (Biermann, Levin and Zorin, "Piecewise
    smooth subdivision surfaces with normal control", SIGGRAPH 2000, section 3.3). With one face on a side of a
    straight line there is none; then the way to the point across stands for it.
    """
    place = np.zeros(2 * k + 2)
    place[[0, 1, k + 1]] = 2 / 3, 1 / 6, 1 / 6
    along, across = np.zeros(2 * k + 2), np.zeros(2 * k + 2)
    along[1], along[k + 1] = 1.0, -1.0
    if k == 1:
        across[3], across[0] = 1.0, -1.0
    elif k == 2:
        across[:] = _regular_across()
    else:
        theta = np.pi / k
        root = np.sqrt(18 + 2 * np.cos(theta))
        value = (5 + np.cos(theta) + np.cos(theta / 2) * root) / 16
        a = 1 + np.cos(theta) + np.cos(theta / 2) * np.sqrt(2 * (9 + np.cos(theta)))
        spokes = a * np.sin(theta * np.arange(k + 1))
        diagonals = np.sin(theta * np.arange(k)) + np.sin(theta * np.arange(1, k + 1))
        # x of either end of the line, y of the point itself: what is left of the eigenvector
        first = spokes[1] / 16 + diagonals[0] / 4
        second = 0.375 * spokes[1:-1].sum() + 0.25 * diagonals.sum()
        x, y = np.linalg.solve([[value - 0.5, -0.125], [-1.0, value - 0.75]], [first, second])
        spokes[0] = spokes[k] = x
        across[:] = np.concatenate([[y], spokes, diagonals])
    return _frozen(np.stack([place, along, across]))


def _regular_across() -> Floats:
    """Of two faces: the derivative across of the uniform cubic B-spline whose outer row is twice the line less the
    row inside."""
    row = np.array([1.0, 4.0, 1.0]) / 6
    # the row outside counts -1/2 and the one inside 1/2; the first is 2 line - inside
    line, inner = -row, row
    return np.array([line[1], line[0], inner[1], line[2], inner[0], inner[2]])


def _tip_weights(n: int) -> Floats:
    """(3, 2 n + 1) of a point that stays amid smooth faces: it is a tip, without tangents."""
    weights = np.zeros((3, 2 * n + 1))
    weights[0, 0] = 1.0
    return _frozen(weights)


@lru_cache(maxsize=64)
def corner_weights(k: int) -> Floats:
    """(3, 2 k + 2) of a point that stays, for k faces between two cuts: tangents run along both."""
    weights = np.zeros((3, 2 * k + 2))
    weights[0, 0] = 1.0
    weights[1, [1, 0]] = 1.0, -1.0
    weights[2, [k + 1, 0]] = 1.0, -1.0
    return _frozen(weights)


@lru_cache(maxsize=64)
def dart_weights(n: int) -> Floats:
    """(3, 2 n + 1) of a point with n faces where a sharp edge ends, that edge being the first spoke.

    Left eigenvectors of the ring's own matrix: for 1 the place, for the two next largest the tangents.
    """
    size = 2 * n + 1
    ring = np.zeros((size, size))
    ring[0, 0] = (n - 2) / n + 1 / (4 * n)
    ring[0, 1 : n + 1] = 1 / n**2 + 2 / (4 * n * n)
    ring[0, n + 1 :] = 1 / (4 * n * n)
    for i in range(n):
        following, previous = (i + 1) % n, (i - 1) % n
        if i == 0:
            ring[1, [0, 1]] = 0.5, 0.5
        else:
            ring[1 + i, [0, 1 + i]] = 0.375, 0.375
            for other in (1 + following, 1 + previous, 1 + n + i, 1 + n + previous):
                ring[1 + i, other] += 1 / 16
        ring[1 + n + i, [0, 1 + i, 1 + following, 1 + n + i]] = 0.25
    values, vectors = np.linalg.eig(ring.T)
    order = np.argsort(-values.real)
    place, first, second = (vectors[:, order[k]].real for k in range(3))
    place = place / place.sum()
    # the first tangent runs along the sharp edge, the second to its left
    odd = np.zeros(size)
    odd[1 + np.arange(n)] = np.sin(2 * np.pi * np.arange(n) / n)
    if abs(first @ odd) > abs(second @ odd):
        first, second = second, first
    first = first * np.sign(first[1]) if first[1] != 0 else first
    second = second * np.sign(second @ odd)
    return _frozen(np.stack([place, first, second]))


def _frozen(weights: Floats) -> Floats:
    weights.setflags(write=False)
    return weights
