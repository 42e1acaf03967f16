"""The core: closest points, evaluation, fitting, opening, memory."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import igl
import numpy as np
import trimesh
from scipy.interpolate import LSQBivariateSpline, NdBSpline

from arabesque.demo import Heron, simulate
from arabesque.desk.meters import Live
from arabesque.fitting import Grower, covered_triangles, four_corner_patch, suggest
from arabesque.geometry import Surface, uniform_knots
from arabesque.model import Document, Item, Project, Work, leftovers, load_project, recover, save_project
from arabesque.scan import Scan, read_scan, ready_to_fit, write_scan
from benchmarks.row import Row, alternately


def rows() -> Iterator[Row]:
    """Every row of the core, in turn."""
    simulated = simulate(Heron(), 400_000, 0.03, 1)
    scan = ready_to_fit(simulated.scan)
    yield from closest_points(scan)
    yield from live_step(scan)
    yield from ladder(simulated.master, scan)
    yield from evaluation()
    with tempfile.TemporaryDirectory() as folder:
        yield from opening(Path(folder), scan)
        yield from large(Path(folder))


def closest_points(scan: Scan) -> Iterator[Row]:
    rng = np.random.default_rng(0)
    chosen = rng.choice(len(scan.points), 10_000, replace=False)
    queries = scan.points[chosen] + rng.normal(scale=0.5, size=(10_000, 3))
    points, triangles = np.array(scan.points), np.array(scan.triangles)
    tree = igl.AABB()
    tree.init(points, triangles)
    ours, peer = alternately(
        lambda: scan.tree.closest(queries), lambda: tree.squared_distance(points, triangles, queries), rounds=15
    )
    note = "peer: igl.AABB; both on all cores, ours without the GIL"
    yield Row("10,000 closest points, 400k triangles", ours, peer, 1.2, "ms", note)
    mesh = trimesh.Trimesh(points, triangles, process=False)
    few = queries[:300]
    trimesh.proximity.closest_point(mesh, few[:5])
    began = time.perf_counter()
    trimesh.proximity.closest_point(mesh, few)
    theirs = 1000 * (time.perf_counter() - began) * len(queries) / len(few)
    yield Row("the same against trimesh.proximity", ours, theirs, 0.01, "ms", "peer measured on 300 points and scaled")


def live_step(scan: Scan) -> Iterator[Row]:
    fit = four_corner_patch(Heron().corners["flank"], scan, 0.2)
    live = Live(fit.surface)
    points = fit.surface.points.copy()
    points[1, 1] += [0, 0, 0.5]
    moved = fit.surface.with_points(points)
    flat = live.measure(moved, scan).samples.points
    corners, triangles = np.array(scan.points), np.array(scan.triangles)
    tree = igl.AABB()
    tree.init(corners, triangles)
    ours, peer = alternately(
        lambda: live.measure(moved, scan), lambda: tree.squared_distance(corners, triangles, flat), rounds=15
    )
    yield Row(f"live step, {len(flat)} samples: points, normals, signed distances", ours, peer, 1.5, "ms", "peer: igl")


def ladder(master: Heron, scan: Scan) -> Iterator[Row]:
    corners = master.corners["flank"]
    fit = four_corner_patch(corners, scan, 0.2)
    (seconds,) = alternately(lambda: four_corner_patch(corners, scan, 0.2), rounds=3)
    note = f"{fit.surface.count} control points, leg {fit.net.leg:.2f}, bend {fit.net.bend:.1f}°, measured both ways"
    yield Row("four corners to an even patch at 0.2 mm, 400k triangles", seconds / 1000, None, 0.6, "s", note)
    ripples = rippled(scan)
    heavy = four_corner_patch(ripples.closest(corners).points, ripples, 0.2)
    (seconds,) = alternately(lambda: four_corner_patch(ripples.closest(corners).points, ripples, 0.2), rounds=1)
    note = f"{heavy.surface.count} control points; the scan with waves of 1 mm"
    yield Row("the same where the form asks for about 100", seconds / 1000, None, 3.0, "s", note)
    yield from growing(scan)
    (x0, y0), (x1, y1) = corners.min(axis=0)[:2], corners.max(axis=0)[:2]
    p = scan.points
    box = (p[:, 0] > x0) & (p[:, 0] < x1) & (p[:, 1] > y0) & (p[:, 1] < y1) & (scan.point_normals[:, 2] > 0.3)
    (u, v), (ku, kv) = fit.surface.degree, fit.surface.knots
    inner = [np.unique(knots)[1:-1] for knots in (ku, kv)]
    ends = [x0, x1, y0, y1]
    spline, swapped = (
        LSQBivariateSpline(*p[box].T, x0 + (x1 - x0) * a, y0 + (y1 - y0) * b, kx=i, ky=j, bbox=ends)
        for a, b, i, j in ((*inner, u, v), (*inner[::-1], v, u))
    )
    gx, gy = np.meshgrid(np.linspace(x0, x1, 80), np.linspace(y0, y1, 80), indexing="ij")

    def rms(points: np.ndarray) -> float:
        return float(np.sqrt(np.mean(master.distance(points) ** 2)))

    t = np.linspace(0, 1, 80)
    ours = rms(fit.surface.on_grid(t, t)[0, 0].reshape(-1, 3))
    x, y = gx.ravel(), gy.ravel()
    theirs = min(rms(np.column_stack([x, y, s.ev(x, y)])) for s in (spline, swapped))
    note = f"rms to the true surface, {fit.surface.count} control points each; peer: LSQBivariateSpline, borders free"
    yield Row("closeness of the patch", ours, theirs, 1.5, "mm", note)


def rippled(scan: Scan) -> Scan:
    """The scan with waves, 44 mm long along it and 38 mm across."""
    x, y, _ = scan.points.T
    return ready_to_fit(Scan(scan.points + np.outer(np.sin(x / 7) * np.cos(y / 6), [0, 0, 1]), scan.triangles))


def growing(scan: Scan) -> Iterator[Row]:
    """A patch from one click, and patches over the calm areas."""
    pick = scan.pick([110.0, -25, 300], [0, 0, -1])
    assert pick is not None
    place = pick[0]
    growth = Grower(scan, 0.2).grow(place)
    (seconds,) = alternately(lambda: Grower(scan, 0.2).grow(place), rounds=1)
    note = f"{growth.surface.count} points hold {growth.area:.0f} mm², 99 % within {growth.p99:.3f} mm"
    yield Row("grow from one click, 400k triangles, 0.2 mm", seconds / 1000, None, 3.0, "s", note)
    coarse = ready_to_fit(simulate(Heron(), 120_000, 0.03, 1).scan)
    began = time.perf_counter()
    found = suggest(coarse, 0.2)
    seconds = time.perf_counter() - began
    areas = coarse.areas
    top = coarse.smoothed_normals[coarse.triangles].mean(axis=1)[:, 2] > 0.3
    below = np.zeros(len(areas), dtype=bool)
    below[covered_triangles(coarse, [one.surface for one in found], 0.8)] = True
    share = areas[below & top].sum() / areas[top].sum()
    note = f"{len(found)} patches of 16 points cover {100 * share:.0f} % of the top"
    yield Row("suggest patches, 120k triangles, 0.2 mm", seconds, None, 30.0, "s", note)
    yield Row("of the top they leave open", 100 * (1 - share), None, 40.0, "%", "normals within 73° of straight up")


def evaluation() -> Iterator[Row]:
    rng = np.random.default_rng(0)
    uv = rng.random((10_000, 2))
    for degree in (3, 5):
        knots = uniform_knots(degree, 3)
        surface = Surface((degree, degree), (knots, knots), rng.normal(size=(degree + 3, degree + 3, 3)))
        oracle = NdBSpline(surface.knots, surface.points, surface.degree)
        ours, peer = alternately(partial(surface.derivatives, uv, 2), partial(_all_orders, oracle, uv), rounds=15)
        yield Row(f"10,000 points with second derivatives, degree {degree}", ours, peer, 0.5, "ms", "peer: NdBSpline")


def _all_orders(spline: NdBSpline, uv: np.ndarray) -> list[np.ndarray]:
    return [spline(uv, nu=nu) for nu in ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))]


def opening(folder: Path, scan: Scan) -> Iterator[Row]:
    path = folder / "heron.stl"
    write_scan(path, scan)
    ours, peer = alternately(lambda: read_scan(path), lambda: trimesh.load(path), rounds=4)
    yield Row("opening a 400k binary STL, ready to fit", ours, peer, 2.5, "ms", "peer: the bare trimesh load")


def large(folder: Path) -> Iterator[Row]:
    path = folder / "large.stl"
    scan = simulate(Heron(), 2_000_000, 0.03, 1).scan
    write_scan(path, scan)
    code = (
        "import resource, sys; from arabesque.scan import read_scan; read_scan(sys.argv[1]);"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
    )
    done = subprocess.run([sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=True)
    yield Row("memory to open 2M triangles", int(done.stdout) / 1e6, None, 2.5, "GB", "peak, whole process")
    project = folder / "large.arabesque"
    save_project(project, Project(Document().with_item(Item("s", "scan", scan))))

    def reopen() -> None:
        loaded = load_project(project).document.reference_scan
        assert loaded is not None
        ready_to_fit(loaded)

    (ms,) = alternately(reopen, rounds=2)
    yield Row("reopening a project with a 2M scan", ms / 1000, None, 4.0, "s", "ready to fit")

    work = Work(folder / "journal")
    surface = random_patch()
    document = Document().with_item(Item("s", "scan", scan)).with_item(Item("p", "Patch", surface))
    work.begin(document, None, "opened")
    for step in range(100):
        moved = work.document["p"].shape
        document = work.document.with_shape("p", moved.with_points(moved.points + 0.01 * step))
        work.commit(f"row {step}", document)
    assert work.journal is not None and work.journal.flush(120)
    work.journal.close(keep=True)
    (found,) = leftovers(folder / "journal")

    def take_up() -> None:
        history = recover(found).history
        scans = {id(state.document.reference_scan): state.document.reference_scan for state in history.steps}
        for one in scans.values():
            assert one is not None
            ready_to_fit(one)  # one scan for all steps, or undo would make it ready again

    ours, peer = alternately(take_up, reopen, rounds=2)
    note = "peer: the plain project; one scan for all steps"
    yield Row("taking up a project of 100 steps over a 2M scan", ours, peer, 1.2, "ms", note)


def random_patch() -> Surface:
    """A patch to be moved a hundred times."""
    return Surface.bezier(np.random.default_rng(0).random((4, 4, 3)) * 50)
