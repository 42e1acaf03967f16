"""Preparing scans: symmetry, reducing, even triangles, regions, true shapes, cutting."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import fast_simplification
import numpy as np

from arabesque.demo import Heron, simulate
from arabesque.geometry import Elementary, ElementaryKind, Plane, frame_of, inverse, unit
from arabesque.mending import cut_by_plane, distance_between, even_triangles, fill, openings, reduce_triangles
from arabesque.reading import find_regions, find_symmetry_plane, fit_true_shape, turned_and_shifted
from arabesque.scan import Scan, ready_to_fit
from benchmarks.row import Row, alternately

K = ElementaryKind
CASES = {
    K.PLANE: ((), ((-20.0, 20.0), (-10.0, 10.0))),
    K.CYLINDER: ((8.0,), ((-1.0, 1.2), (0.0, 30.0))),
    K.CONE: ((10.0, 0.3), ((-2.0, 2.0), (0.0, 25.0))),
    K.SPHERE: ((15.0,), ((-0.8, 0.8), (-0.6, 0.6))),
    K.TORUS: ((30.0, 6.0), ((-0.8, 0.8), (-1.2, 1.2))),
}


def rows() -> Iterator[Row]:
    """Every row of preparing, in turn."""
    scan = ready_to_fit(simulate(Heron(), 400_000, 0.03, 1).scan)
    yield from symmetry(scan)
    yield from lighter(scan)
    yield from regions()
    yield from true_shapes()
    yield from holes(scan)
    yield from cutting()


def timed(call: Callable[[], object]) -> tuple[object, float]:
    """A result and how long it took, s."""
    began = time.perf_counter()
    result = call()
    return result, time.perf_counter() - began


def symmetry(scan: Scan) -> Iterator[Row]:
    """The saddle turned awry, one flank dented 3 mm deep over 50 mm."""
    awry = turned_and_shifted(np.array([20.0, 35.0, -50.0]), np.array([30.0, -20.0, 11.0]), np.zeros(3))
    away = np.linalg.norm(scan.points - Heron().at_plan(90, -30), axis=1) / 25
    dented = Scan(scan.points - [0, 0, 3.0] * np.exp(-2 * away**2)[:, None], scan.triangles)
    lying = ready_to_fit(dented.moved(awry))
    find_symmetry_plane(simulate(Heron(), 5000, 0.03, 1).scan.moved(awry))
    found, seconds = timed(lambda: find_symmetry_plane(lying))
    plane = found.plane.moved(inverse(awry))  # type: ignore[attr-defined]
    turned = float(np.degrees(np.arcsin(np.linalg.norm(np.cross(plane.normal, [0, 1, 0])))))
    middle = scan.points.mean(axis=0)
    offset = abs(float(plane.height(middle[None])[0]) - middle[1])
    yield Row("symmetry plane of 400k, one side dented: time", seconds, None, 5.0, "s")
    yield Row("the same: direction", turned, None, 0.05, "°")
    yield Row("the same: place", offset, None, 0.05, "mm")


def lighter(scan: Scan) -> Iterator[Row]:
    points, faces = np.array(scan.points), np.array(scan.triangles, dtype=np.int32)
    ours, peer = alternately(
        lambda: reduce_triangles(scan, 40_000),
        lambda: fast_simplification.simplify(points, faces, target_count=40_000),
        rounds=4,
    )
    yield Row("400k to 40k triangles", ours, peer, 1.5, "ms", "checked for damage; peer: bare fast-simplification")
    even_triangles(simulate(Heron(), 5000, 0.0, 1).scan, 4.0)
    even, seconds = timed(lambda: even_triangles(scan, 0.5))
    assert isinstance(even, Scan)
    yield Row("even triangles of 0.5 mm over 400k", seconds, None, 25.0, "s", f"{len(even.triangles)} triangles")
    calm = _calm_part(even)
    yield Row("the same: p99 distance in calm areas", calm, None, 0.05, "mm", "a tenth of the edge length")
    ball = ready_to_fit(simulate(Heron(), 435_000, 0.0, 1).scan)
    coarse, seconds = timed(lambda: even_triangles(ball, 2.5))
    assert isinstance(coarse, Scan)
    p99 = distance_between(coarse, ball)["p99"]
    note = (
        f"{len(coarse.triangles)} triangles of 2.5 mm, {seconds:.1f} s; a twentieth keeps its shape (common practice)"
    )
    yield Row("435k to a twentieth: p99 distance", p99, None, 0.25, "mm", note)


def _calm_part(even: Scan) -> float:
    """p99 distance of the middles of triangles on the top's calm part to the scan they came from."""
    scan = simulate(Heron(), 400_000, 0.03, 1).scan
    middles = even.points[even.triangles].mean(axis=1)
    calm = middles[(middles[:, 0] > 90) & (middles[:, 0] < 180) & (np.abs(np.abs(middles[:, 1]) - 35) < 15)]
    return float(np.percentile(scan.tree.closest(calm).distance, 99))


def regions() -> Iterator[Row]:
    scan = ready_to_fit(simulate(Heron(), 150_000, 0.03, 1).scan)
    find_regions(ready_to_fit(simulate(Heron(), 5000, 0.03, 1).scan))
    found, seconds = timed(lambda: find_regions(scan))
    yield Row("regions of 150k", seconds, None, 6.0, "s", f"{len(found.areas)} areas")  # type: ignore[attr-defined]


def true_shapes() -> Iterator[Row]:
    """The worst of all five shapes at a noise of 0.03 mm, 20,000 points each."""
    frame = frame_of([10.0, 20.0, -5.0], [1.0, 2.0, 3.0])
    turned, radius = 0.0, 0.0
    rng = np.random.default_rng(0)
    for kind, (sizes, bounds) in CASES.items():
        shape = Elementary.make(kind, frame, sizes, bounds)
        places = rng.random((20_000, 2))
        normals = shape.normals(places)
        points = shape.at(places) + normals * rng.normal(scale=0.03, size=(20_000, 1))
        found = fit_true_shape(kind, points, unit(normals + rng.normal(scale=0.03, size=normals.shape)))
        if kind is not K.SPHERE:
            turned = max(turned, float(np.degrees(np.arcsin(np.linalg.norm(np.cross(found.axis, frame[:3, 2]))))))
        if kind is K.CONE:
            at_frame = found.sizes[0] + np.tan(found.sizes[1]) * float((frame[:3, 3] - found.origin) @ found.axis)
            radius = max(radius, abs(at_frame - sizes[0]))
        else:
            radius = max([radius, *(abs(a - b) for a, b in zip(found.sizes, sizes, strict=True))])
    yield Row("true shapes at noise 0.03: worst radius", radius, None, 0.01, "mm")
    yield Row("true shapes at noise 0.03: worst direction", turned, None, 0.05, "°")


def holes(scan: Scan) -> Iterator[Row]:
    chosen = [o for o in openings(scan) if not o.outer]
    done, seconds = timed(lambda: fill(scan, chosen))
    new = done.scan.points[len(scan.points) :]  # type: ignore[attr-defined]
    note = f"two holes, 16 and 11 mm wide, {seconds:.1f} s; to the true surface"
    yield Row("holes of the saddle filled: largest error", float(Heron().distance(new).max()), None, 0.15, "mm", note)


def cutting() -> Iterator[Row]:
    scan = simulate(Heron(), 2_000_000, 0.03, 1).scan
    plane = Plane.through(scan.points.mean(axis=0), [0.3, 0.9, 0.1])
    _, seconds = timed(lambda: cut_by_plane(scan, plane))
    yield Row("cutting 2M triangles by a plane", seconds, None, 3.0, "s")
