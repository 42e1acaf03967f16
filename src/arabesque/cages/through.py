"""Cages whose smooth surface passes where it is wanted: through places, over patches, over true forms."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages.cage import Cage
from arabesque.cages.edits.join import merged, weld_near
from arabesque.cages.net import through
from arabesque.cages.quads import CageProblem
from arabesque.geometry import Surface

FEWEST_ROUND = 3


def grid_faces(nu: int, nv: int) -> np.ndarray:
    """(nu nv, 4) faces over (nu + 1) x (nv + 1) points, v running quicker."""
    index = np.arange((nu + 1) * (nv + 1)).reshape(nu + 1, nv + 1)
    return np.stack([index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]], axis=-1).reshape(-1, 4)


def cage_of_patches(patches: Sequence[Surface], nu: int, nv: int, reach: float) -> Cage:
    """Patches as a cage of nu x nv faces each, whose surface passes through them at its points.

    Borders within ``reach`` mm of each other become one. Raises CageProblem where that makes no surface.
    """
    if min(nu, nv) < 1:
        raise CageProblem("A patch becomes one face at least", "Give numbers from 1 on")
    parts = []
    for patch in patches:
        (u0, u1), (v0, v1) = patch.domain
        places = patch.on_grid(np.linspace(u0, u1, nu + 1), np.linspace(v0, v1, nv + 1))[0, 0].reshape(-1, 3)
        parts.append(Cage.of(places, grid_faces(nu, nv)))
    whole = merged(parts)
    if len(parts) > 1:
        try:
            whole = weld_near(whole, reach)
        except CageProblem as problem:
            if "within" not in problem.cause:
                raise
    # until here the points stand where they are to come to lie
    return through(whole, whole.points)


# first cages to push onto a scan


def box_cage(low: Floats, high: Floats, faces: tuple[int, int, int] = (2, 2, 2), sharp: bool = False) -> Cage:
    """A box with so many faces along x, y and z; round, or with sharp edges and corners."""
    if min(faces) < 1:
        raise CageProblem("A box has one face a side at least", "Give numbers from 1 on")
    nx, ny, nz = faces
    number: dict[tuple[int, int, int], int] = {}
    quads = []

    def point(i: int, j: int, k: int) -> int:
        return number.setdefault((i, j, k), len(number))

    for i in range(nx):
        for j in range(ny):
            quads.append([point(i, j, 0), point(i, j + 1, 0), point(i + 1, j + 1, 0), point(i + 1, j, 0)])
            quads.append([point(i, j, nz), point(i + 1, j, nz), point(i + 1, j + 1, nz), point(i, j + 1, nz)])
    for i in range(nx):
        for k in range(nz):
            quads.append([point(i, 0, k), point(i + 1, 0, k), point(i + 1, 0, k + 1), point(i, 0, k + 1)])
            quads.append([point(i, ny, k), point(i, ny, k + 1), point(i + 1, ny, k + 1), point(i + 1, ny, k)])
    for j in range(ny):
        for k in range(nz):
            quads.append([point(0, j, k), point(0, j, k + 1), point(0, j + 1, k + 1), point(0, j + 1, k)])
            quads.append([point(nx, j, k), point(nx, j + 1, k), point(nx, j + 1, k + 1), point(nx, j, k + 1)])
    places = np.array(list(number), dtype=float) / np.array(faces) * (np.asarray(high) - low) + low
    cage = Cage.of(places, quads)
    if not sharp:
        return cage
    at_end = [
        sum(c in (0, n) for c, n in zip(ijk, faces, strict=True)) for ijk in number
    ]  # 1 on a face, 2 on an edge, 3 at a corner
    along = [
        edge for edge in cage.quads.edges
        if min(at_end[edge[0]], at_end[edge[1]]) >= 2 and _same_line(list(number), edge, faces)
    ]  # fmt: skip
    return Cage.of(places, quads, along)


def _same_line(ijk: list[tuple[int, int, int]], edge: np.ndarray, faces: tuple[int, int, int]) -> bool:
    """True for an edge along an edge of the box."""
    a, b = (np.array(ijk[k]) for k in edge)
    shared = (a == b) & ((a == 0) | (a == np.array(faces)))
    return int(shared.sum()) >= 2


def sphere_cage(centre: Floats, radius: float, faces: int = 2) -> Cage:
    """A sphere of six times ``faces`` squared faces, through whose points the surface passes."""
    _positive(radius, "radius")
    cube = box_cage(-np.ones(3), np.ones(3), (faces, faces, faces), sharp=True)
    # equal angles rather than equal lengths: Ronchi, Iacono and Paolucci, "The cubed sphere", J. Comp. Phys. 124, 1996
    places = np.tan(cube.points * np.pi / 4)
    places = radius * places / np.linalg.norm(places, axis=1, keepdims=True) + centre
    return through(Cage.of(places, cube.faces), places)


def cylinder_cage(base: Floats, axis: Floats, radius: float, height: float, round_: int = 8, along: int = 3) -> Cage:
    """An open cylinder of ``round_`` x ``along`` faces on a base, through whose points the surface passes."""
    _positive(radius, "radius")
    _positive(height, "height")
    if round_ < FEWEST_ROUND or along < 1:
        raise CageProblem("A cylinder has at least 3 faces round it and 1 along", "Give larger numbers")
    e, f, way = _frame(axis)
    turn = 2 * np.pi * np.arange(round_) / round_
    ring = radius * (np.cos(turn)[:, None] * e + np.sin(turn)[:, None] * f)
    places = np.concatenate([base + height * k / along * way + ring for k in range(along + 1)])
    index = np.arange(round_ * (along + 1)).reshape(along + 1, round_)
    low, high = index[:-1], index[1:]
    faces = np.stack([low, np.roll(low, -1, 1), np.roll(high, -1, 1), high], axis=-1).reshape(-1, 4)
    return through(Cage.of(places, faces), places)


def disc_cage(centre: Floats, normal: Floats, radius: float, faces: int = 3) -> Cage:
    """A round disc of faces x faces quads, looking along a normal, through whose points the surface passes."""
    _positive(radius, "radius")
    if faces < 1:
        raise CageProblem("A disc has one face at least", "Give a number from 1 on")
    e, f, _ = _frame(normal)
    at = np.linspace(-1, 1, faces + 1)
    x, y = (c.ravel() for c in np.meshgrid(at, at, indexing="ij"))
    # a square onto a disc, its rim onto the circle: Nowell 2005, in Fong, "Analytical methods for squaring the disc"
    u, v = x * np.sqrt(1 - y**2 / 2), y * np.sqrt(1 - x**2 / 2)
    places = centre + radius * (u[:, None] * e + v[:, None] * f)
    return through(Cage.of(places, grid_faces(faces, faces)), places)


def strip_cage(line: Floats, normals: Floats, width: float, along: int, across: int = 1) -> Cage:
    """A strip of faces along a polyline (k, 3), ``width`` mm wide, lying square to (k, 3) normals."""
    _positive(width, "width")
    if along < 1 or across < 1:
        raise CageProblem("A strip has one face along and across at least", "Give numbers from 1 on")
    steps = np.linalg.norm(np.diff(line, axis=0), axis=1)
    way = np.concatenate([[0.0], np.cumsum(steps)])
    closed = bool(np.linalg.norm(line[0] - line[-1]) < 1e-6 * max(way[-1], 1e-300))
    at = np.linspace(0, way[-1], along + 1)
    places = np.stack([np.interp(at, way, line[:, k]) for k in range(3)], axis=-1)
    up = np.stack([np.interp(at, way, normals[:, k]) for k in range(3)], axis=-1)
    ahead = np.gradient(places, axis=0)
    if closed:
        ahead[0] = ahead[-1] = places[1] - places[-2]
    side = np.cross(up, ahead)
    side = side / np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-300)
    rows = np.stack([places + width * (k / across - 0.5) * side for k in range(across + 1)], axis=1)
    if closed:
        rows = rows[:-1]
        index = np.arange(along * (across + 1)).reshape(along, across + 1)
        low, high = index, np.roll(index, -1, axis=0)
        faces = np.stack([low[:, :-1], high[:, :-1], high[:, 1:], low[:, 1:]], axis=-1).reshape(-1, 4)
        return through(Cage.of(rows.reshape(-1, 3), faces), rows.reshape(-1, 3))
    return through(Cage.of(rows.reshape(-1, 3), grid_faces(along, across)), rows.reshape(-1, 3))


def _frame(normal: Floats) -> tuple[Floats, Floats, Floats]:
    way = np.asarray(normal, dtype=float)
    size = float(np.linalg.norm(way))
    if not size > 0:
        raise CageProblem("The axis has no direction", "Give it three numbers that are not all 0")
    way = way / size
    first = np.eye(3)[np.abs(way).argmin()]
    e = np.cross(way, first)
    e = e / np.linalg.norm(e)
    return e, np.cross(way, e), way


def _positive(value: float, what: str) -> None:
    if not (np.isfinite(value) and value > 0):
        raise CageProblem(f"A {what} of {value:g} mm is not possible", "Give a length above 0")
