"""The part of a scan that is laid out: what is marked or an area, or what closed lines on it enclose."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats, tree_of, unit
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.mending import border_share, split
from arabesque.scan import Scan, kept, pair_graph, pieces

NEAR = 1.5
"""Longest edges at a point within which a line may cross one of them."""
FEWEST_TRIANGLES = 20
ROUNDS = 3
"""Rings of points over which the stair-steps of marked triangles are smoothed."""
_CURE = "Mark more, choose closed lines that lie on the scan, or lay out the whole scan"


@dataclass(frozen=True, eq=False)
class Part:
    """mask: (m,) triangles of the scan. lines: closed (k, 3) polylines on it, the last point beside the first; what
    an odd number of them encloses, the smaller side of each counting as inside, or with a place (3,) the side of all
    of them on which it lies."""

    mask: Bools | None = None
    lines: tuple[Floats, ...] = ()
    place: Floats | None = None

    def of(self, scan: Scan, plane: Plane | None = None) -> Scan:
        """The part of a scan, with a clean rim; with a plane also the image of what lies in it.

        Raises ArabesqueError where nothing is enclosed.
        """
        if self.mask is not None:
            if len(self.mask) != len(scan.triangles):
                raise ArabesqueError("What was marked is of another scan", "Mark the part again")
            inside = border_share(scan, self.mask, ROUNDS) - 0.5
        else:
            inside = _inside(scan, self.lines, self.place)
        if plane is not None:
            inside = np.maximum(inside, _at_images(scan, inside, plane))
        part = split(scan, inside).above
        if part is None or len(part.triangles) < FEWEST_TRIANGLES:
            raise ArabesqueError("Hardly anything of the scan is enclosed", _CURE)
        return part


def largest_piece(scan: Scan, place: Floats | None = None) -> Scan:
    """The piece with the most area, or that at a place."""
    piece = pieces(scan)
    if not piece.any():
        return scan
    areas = np.bincount(piece, scan.areas)
    chosen = int(areas.argmax()) if place is None else int(piece[scan.closest(place[None]).triangle[0]])
    return kept(scan, piece == chosen)


def _inside(scan: Scan, lines: Sequence[Floats], place: Floats | None) -> Floats:
    """(n,) about how far, in mm, each point lies inside what the lines enclose."""
    if not lines:
        raise ArabesqueError("No closed line is given", _CURE)
    reach = NEAR * _longest_edges(scan)
    found = [_beside(scan, line, reach) for line in lines]
    if place is not None:
        triangle = int(scan.closest(place[None]).triangle[0])
        # of a triangle that a line crosses the corner that lies furthest from it says where the place is
        corners = scan.triangles[triangle]
        here = [one[corners][np.abs(one[corners]).argmax()] for one in found]
        return np.min([np.sign(at) * one for at, one in zip(here, found, strict=True)], axis=0)
    areas = np.zeros(len(scan.points))
    np.add.at(areas, scan.triangles.ravel(), np.repeat(scan.areas, 3))
    of_piece = pieces(scan)
    point_piece = np.zeros(len(scan.points), dtype=np.int64)
    point_piece[scan.triangles.ravel()] = np.repeat(of_piece, 3)
    turned = []
    for line, one in zip(lines, found, strict=True):
        own = point_piece == of_piece[scan.closest(line[:1]).triangle[0]]
        side = 1.0 if areas[own & (one > 0)].sum() <= areas[own & (one < 0)].sum() else -1.0
        turned.append(np.where(own, side * one, -np.abs(one)))
    odd = np.sum([one > 0 for one in turned], axis=0) % 2 == 1
    return np.where(odd, 1.0, -1.0) * np.min(np.abs(turned), axis=0)


def _beside(scan: Scan, line: Floats, reach: Floats) -> Floats:
    """(n,) mm from a closed line, positive on its left and on whatever hangs together with that."""
    closed = np.asarray(line, dtype=float)
    if np.linalg.norm(closed[0] - closed[-1]) > 0:
        closed = np.vstack([closed, closed[:1]])
    steps = np.linalg.norm(np.diff(closed, axis=0), axis=1)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    count = int(np.clip(4 * along[-1] / max(float(np.median(reach)), 1e-12), 64, 200_000))
    at = np.linspace(0, along[-1], count + 1)[:-1]
    places = np.column_stack([np.interp(at, along, closed[:, axis]) for axis in range(3)])
    closest = scan.closest(places)
    ways = unit(np.roll(places, -1, axis=0) - np.roll(places, 1, axis=0))
    left = unit(np.cross(closest.normals, ways))
    away, nearest = tree_of(places).query(scan.points)
    facing = np.einsum("nc,nc->n", scan.point_normals, closest.normals[nearest]) > 0
    near = (away <= reach + along[-1] / count) & facing
    over = np.einsum("nc,nc->n", scan.points - places[nearest], left[nearest])
    side = np.where(over >= 0, 1.0, -1.0)
    edges = scan.edges[0]
    crossed = near[edges].all(axis=1) & (side[edges[:, 0]] != side[edges[:, 1]])
    _, label = connected_components(pair_graph(edges[~crossed], len(scan.points)), directed=False)
    of_part = np.bincount(label, np.where(near, side, 0.0))
    # beside the line by its own side, further off by that of what it hangs together with
    return np.where(near, over, np.sign(of_part[label]) * np.maximum(away, 1e-9))


def _longest_edges(scan: Scan) -> Floats:
    edges = scan.edges[0]
    size = np.linalg.norm(scan.points[edges[:, 0]] - scan.points[edges[:, 1]], axis=1)
    found = np.zeros(len(scan.points))
    for end in (0, 1):
        np.maximum.at(found, edges[:, end], size)
    return found


def _at_images(scan: Scan, values: Floats, plane: Plane) -> Floats:
    """(n,) the values (n,) of points at their mirror images."""
    closest = scan.tree.closest(plane.mirrored(scan.points))
    return np.asarray(np.einsum("nk,nk->n", values[scan.triangles[closest.triangle]], closest.barycentric))
