"""The simulated scanner: looks at a master shape from a few places and brings back an honest mesh."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats, Ints
from arabesque.demo.master import Master
from arabesque.errors import ArabesqueError
from arabesque.geometry import unit
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, compact

GRAZING = 0.18
"""Cosine of the flattest angle at which the scanner still sees a surface (about 80°)."""


@dataclass(frozen=True, eq=False)
class Simulated:
    """A scan and what is known about the surface behind it."""

    scan: Scan
    master: Master
    noise: float
    seed: int

    def truth(self, samples: int = 4000) -> dict[str, Any]:
        """What a test elsewhere needs to know: equations, flaws, and true points with normals, mm."""
        rng = np.random.default_rng(self.seed)
        master = self.master
        points, normals = master.true_samples(samples, rng)
        return {
            "name": master.name,
            "title": master.title,
            "unit": "mm",
            "noise": self.noise,
            "seed": self.seed,
            "triangles": len(self.scan.triangles),
            "symmetry_plane": master.symmetry_plane,
            "equations": master.equations(),
            "corners": {name: corners.tolist() for name, corners in master.corners.items()},
            "dents": [vars(dent) for dent in master.dents],
            "holes": [vars(hole) for hole in master.holes],
            "true_points": points.tolist(),
            "true_normals": normals.tolist(),
        }


def simulate(master: Master, triangles: int, noise: float, seed: int, progress: Progress = silent) -> Simulated:
    """Scan ``master`` with about ``triangles`` triangles and Gaussian ``noise`` (standard deviation, mm).

    The same seed gives the same scan. Raises ArabesqueError for a count, a
    noise or a seed that makes no sense.
    """
    if not 1000 <= triangles <= 20_000_000:
        raise ArabesqueError(f"{triangles} triangles make no useful scan", "Ask for 1,000 to 20,000,000")
    if not 0 <= noise <= 5:
        raise ArabesqueError(f"A noise of {noise} mm makes no useful scan", "Ask for 0 to 5 mm")
    if seed < 0:
        raise ArabesqueError(f"A seed of {seed} cannot be used", "Give a whole number from 0 on")
    progress(0.0, "Looking from all sides")
    trial = _scan(master, 30_000, noise, seed)
    wanted = round(triangles * 30_000 / len(trial.triangles))
    progress(0.1, "Scanning")
    scan = _scan(master, wanted, noise, seed)
    progress(1.0, "Scanned")
    return Simulated(scan, master, noise, seed)


def _scan(master: Master, triangles: int, noise: float, seed: int) -> Scan:
    rng = np.random.default_rng(seed)
    points, normals, faces = master.triangulated(triangles, rng)
    points = _dented(master, points, normals)
    flattest, seen = _seen(points, normals, faces, master.views)
    for hole in master.holes:
        seen &= np.linalg.norm(points - hole.centre, axis=1) > hole.radius
    # a surface seen at a flat angle is measured worse
    spread = noise * np.clip(0.7 / flattest, 1.0, 2.0)
    points = points + normals * (rng.normal(size=len(points)) * spread)[:, None]
    faces = _largest_piece(faces[seen[faces].all(axis=1)], len(points))
    return Scan(*compact(points, faces))


def _dented(master: Master, points: Floats, normals: Floats) -> Floats:
    depth = np.zeros(len(points))
    for dent in master.dents:
        away = np.linalg.norm(points - dent.centre, axis=1) / dent.radius
        depth += dent.depth * np.exp(-2 * away**2)
    return points - depth[:, None] * normals


def _seen(points: Floats, normals: Floats, faces: Ints, views: Floats) -> tuple[Floats, Bools]:
    """Best cosine between normal and view, (n,), and which points any view sees, by a depth image."""
    edges = points[faces[:, 0]] - points[faces[:, 1]]
    pixel = 2.5 * float(np.median(np.linalg.norm(edges, axis=1)))
    best = np.full(len(points), GRAZING)
    seen = np.zeros(len(points), dtype=bool)
    for view in views:
        right = unit(np.cross(view, [0.31, 0.87, 0.21]))
        up = np.cross(view, right)
        cells = np.floor(np.column_stack([points @ right, points @ up]) / pixel).astype(np.int64)
        cells -= cells.min(axis=0)
        key = cells[:, 0] * (cells[:, 1].max() + 1) + cells[:, 1]
        depth = points @ view
        nearest = np.full(key.max() + 1, -np.inf)
        np.maximum.at(nearest, key, depth)
        cosine = normals @ view
        # the depth image is coarse: what lies a few pixels behind is the same, slanted surface
        visible = (cosine > GRAZING) & (depth > nearest[key] - 2.0 - 2 * pixel / np.maximum(cosine, GRAZING))
        best = np.where(visible, np.maximum(best, cosine), best)
        seen |= visible
    return best, seen


def _largest_piece(faces: Ints, count: int) -> Ints:
    a, b = faces[:, [0, 1]].T, faces[:, [1, 2]].T
    links = np.concatenate([a, b], axis=1)
    _, label = connected_components(coo_array((np.ones(links.shape[1]), (links[0], links[1])), shape=(count, count)))
    piece = label[faces[:, 0]]
    return faces[piece == np.bincount(piece).argmax()]
