"""How well the patches of a cage are its surface: distances from it, gaps and angles between them."""

from __future__ import annotations

from dataclasses import asdict, dataclass

import numpy as np

from arabesque.cages.cage import Cage
from arabesque.cages.conversion import Converted, on_faces, to_surfaces
from arabesque.cages.skin import Skin, side_places, skin_of
from arabesque.geometry import parameter_sine

GRADED = 0.5 ** np.arange(1, 14)
WITHIN = (0.29, 0.71)
INSIDE = np.array([0.0, 0.21, 0.5, 0.77, 1.0])
"""Of a face: where patches are compared with the surface, besides graded places at irregular corners."""
SHARE_OFF = 5e-6
"""Of a form's size: patches that are further off its surface are graded more finely (0.001 mm of 200 mm)."""
MOST_ANGLE = 0.1
NO_NORMAL = 1e-6
"""Sine between both parameters' ways below which their product is nothing but rounding."""
DEEPEST = 15


@dataclass(frozen=True)
class Report:
    """surfaces, points: how many. deviation: the largest from the cage's own surface, mm. gap: the largest between
    neighbours, mm. angle: the largest between their normals where the surface is smooth, degrees; by_valence: the
    same at points with so many faces. closed: every edge has two faces. depth: of the graded knots."""

    surfaces: int
    points: int
    deviation: float
    gap: float
    angle: float
    by_valence: dict[int, float]
    closed: bool
    depth: int

    def as_record(self) -> dict[str, object]:
        """Plain numbers for a report."""
        return {**asdict(self), "by_valence": {str(n): angle for n, angle in self.by_valence.items()}}


@dataclass(frozen=True, eq=False)
class Delivery:
    """A cage as patches with shared edges, and how well they are its surface."""

    converted: Converted
    skin: Skin
    report: Report


def deliver_cage(cage: Cage, merge: bool = True) -> Delivery:
    """The patches of a cage, graded as finely as its surface asks for, with their report."""
    size = float(np.linalg.norm(np.ptp(cage.points, axis=0)))
    depth = None
    while True:
        converted = to_surfaces(cage, merge, depth)
        skin = skin_of(cage, converted)
        report = report_of(cage, converted, skin)
        fine = report.deviation <= SHARE_OFF * size and report.angle <= MOST_ANGLE
        if fine or converted.depth >= DEEPEST or not len(converted.solved):
            return Delivery(converted, skin, report)
        depth = converted.depth + 2


def report_of(cage: Cage, converted: Converted, skin: Skin) -> Report:
    """Measure patches against the cage and each other."""
    gap, angles = _seams(cage, skin)
    by_valence: dict[int, float] = {}
    for valence, angle in angles:
        by_valence[valence] = max(by_valence.get(valence, 0.0), angle)
    return Report(
        len(converted.surfaces), converted.count, _deviation(cage, converted), gap,
        max(by_valence.values(), default=0.0), dict(sorted(by_valence.items())), skin.closed, converted.depth,
    )  # fmt: skip


def _deviation(cage: Cage, converted: Converted) -> float:
    """The largest distance, mm, at the same parameters: over faces at corners and in the middle of each patch."""
    odd = cage.quads.irregular
    fine = GRADED[: converted.depth + 2]
    close = np.unique(np.concatenate([INSIDE, fine, 1.4 * fine[1:], 1 - fine, 1 - 1.4 * fine[1:]]))
    faces, places, here = [], [], []
    for surface, block in zip(converted.surfaces, converted.blocks, strict=True):
        m, n = block.faces.shape
        for i, j in {(0, 0), (m - 1, 0), (m - 1, n - 1), (0, n - 1), (m // 2, n // 2)}:
            face = int(block.faces[i, j])
            at = close if odd[cage.faces[face]].any() else INSIDE
            # where both are near a corner, or inside: the rest follows
            a, b = (axis.ravel() for axis in np.meshgrid(at, at if len(at) < 9 else INSIDE, indexing="ij"))
            a, b = np.concatenate([a, at, at]), np.concatenate([b, at, 1 - at])
            turn = np.full(len(a), block.turned[i, j])
            faces.append(np.full(len(a), face))
            places.append(np.column_stack(on_faces(turn, a, b)))
            here.append(surface.at(np.column_stack([a + i, b + j])))
    there = cage.at(np.concatenate(faces), np.concatenate(places))
    return float(np.linalg.norm(np.concatenate(here) - there, axis=1).max())


def _seams(cage: Cage, skin: Skin) -> tuple[float, list[tuple[int, float]]]:
    """The widest gap; and for both ends of each edge where the surface is smooth the valence there and the largest
    angle between the patches on that half of it, degrees."""
    valence = cage.quads.valence[skin.points[skin.edges]]
    by_edge: dict[int, list[int]] = {}
    for use, (_, _, edge) in enumerate(skin.uses):
        by_edge.setdefault(int(edge), []).append(use)
    gap, angles = 0.0, []
    for edge, both in by_edge.items():
        if len(both) < 2:
            continue
        # graded towards both ends by the length of one face, however long the edge is
        long = float(abs(np.subtract(*skin.ways[both[0]])))
        fine = np.concatenate([GRADED, 1.4 * GRADED[1:]]) / long
        share = np.unique(np.concatenate([[0.0], fine, 1 - fine, WITHIN, [1.0]]))
        found = []
        for use in both:
            number, side, _ = skin.uses[use]
            a, b = skin.ways[use]
            surface = skin.surfaces[number]
            uv = side_places(surface, int(side), a + share * (b - a))
            d = surface.derivatives(uv, 1)
            found.append((d[0, 0], surface.normals(uv), parameter_sine(d[1, 0], d[0, 1])))
        (p, n, one), (q, m, other) = found
        gap = max(gap, float(np.linalg.norm(p - q, axis=1).max()))
        if not skin.sharp[edge]:
            # where both parameters run along one line, as at a point of two faces, a patch tells no normal
            told = (one > NO_NORMAL) & (other > NO_NORMAL)
            angle = np.where(told, np.degrees(np.linalg.norm(n - m, axis=1)), 0.0)
            angles += [(int(valence[edge, 0]), float(angle[share <= 0.5].max())),
                       (int(valence[edge, 1]), float(angle[share >= 0.5].max()))]  # fmt: skip
    return gap, angles
