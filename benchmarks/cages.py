"""Cages: points moved, edits, a fit to a large scan, and the way to a STEP file."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from arabesque.cages import Cage, deliver_cage
from arabesque.cages.edits import (
    collapse_face,
    collapse_row,
    delete_faces,
    insert_loop,
    remove_loop,
    spin_edge,
    subdivide,
    subdivide_faces,
)
from arabesque.cages.through import box_cage, grid_faces
from arabesque.demo import Heron, simulate
from arabesque.fitting import CageSettings, fit_cage
from arabesque.scan import Scan, ready_to_fit
from arabesque.solid import FileKind, KernelWorker, deliver
from benchmarks.row import Row, alternately

LEVEL_3 = 8
"""Places a side of a face after three steps of subdivision."""


def rows() -> Iterator[Row]:
    """Every row of the cage step, in turn."""
    scan = ready_to_fit(simulate(Heron(), 400_000, 0.03, 1).scan)
    yield from _moved(scan)
    yield from _edited()
    yield from _fitted(scan)
    yield from _delivered()


def _on_top(scan: Scan, nu: int, nv: int) -> Cage:
    """A grid of faces over the calm top of the saddle."""
    x, y = np.meshgrid(np.linspace(70, 220, nu + 1), np.linspace(-30, 30, nv + 1), indexing="ij")
    above = np.stack([x, y, np.full(x.shape, 30.0)], -1).reshape(-1, 3)
    return Cage.of(scan.closest(above).points, grid_faces(nu, nv))


def _moved(scan: Scan) -> Iterator[Row]:
    cage = _on_top(scan, 25, 20)
    sampler = cage.sampler(round(LEVEL_3 * cage.count**0.5))
    rng = np.random.default_rng(0)
    sampler.read(cage)

    def every() -> None:
        sampler.read(cage.with_points(cage.points + rng.normal(scale=0.1, size=cage.points.shape)))

    def one() -> None:
        nonlocal now
        points = now.points.copy()
        points[260] += rng.normal(scale=0.1, size=3)
        now = now.with_points(points)
        sampler.read(now)

    (taken,) = alternately(every)
    yield Row("500 faces at level 3: all points moved", taken, None, 4.0, "ms", "places and normals")
    now = cage
    sampler.read(cage)
    (taken,) = alternately(one)
    yield Row("500 faces at level 3: one point moved", taken, None, 0.5, "ms", "only what it has a say in")
    live = cage.sampler(100)
    samples = live.read(cage)
    _, closest = scan.signed_distance(samples.points)

    def step() -> None:
        points = cage.points + 0.05 * rng.normal(size=cage.points.shape)
        scan.signed_distance(live.read(cage.with_points(points)).points, near=closest.triangle)

    (taken,) = alternately(step)
    note = f"{len(samples.points)} samples on 400k triangles, every point moved"
    yield Row("a live step of a cage with its distances", taken, None, 25.0, "ms", note)


def _edited() -> Iterator[Row]:
    cage = subdivide(subdivide(box_cage(np.zeros(3), np.array([200.0, 120, 80]), (7, 7, 7))))
    edits: dict[str, Callable[[], Cage]] = {
        "loop put in": lambda: insert_loop(cage, 500, 0.4, keep_form=False),
        "loop taken out": lambda: remove_loop(cage, 500),
        "row collapsed": lambda: collapse_row(cage, 500),
        "face collapsed": lambda: collapse_face(cage, 1000),
        "edge turned": lambda: spin_edge(cage, 4001),
        "faces deleted": lambda: delete_faces(cage, np.arange(40, 44)),
        "faces made finer": lambda: subdivide_faces(cage, np.arange(40, 44)),
    }
    for words, edit in edits.items():
        (taken,) = alternately(edit)
        yield Row(f"{cage.count} faces: {words}", taken, None, 30.0, "ms", "with every check of the net")
    (taken,) = alternately(lambda: insert_loop(cage, 500, 0.4))
    yield Row(f"{cage.count} faces: loop put in, form kept", taken, None, 30.0, "ms", "and the form kept near it")


def _fitted(scan: Scan) -> Iterator[Row]:
    cage = _on_top(scan, 50, 40)
    fits = []
    (taken,) = alternately(lambda: fits.append(fit_cage(cage, scan, CageSettings(0.2))), rounds=2)
    fit = fits[-1]
    note = f"p99 {fit.figures.inlier_p99:.3f} mm, legs {fit.net.leg:.2f} : 1"
    yield Row("2000 faces fitted to 400k triangles", taken, None, 6000.0, "ms", note)


def _delivered() -> Iterator[Row]:
    cage = box_cage(np.zeros(3), np.array([200.0, 120, 80]), (18, 18, 16))
    worker = KernelWorker()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "cage.step"
        worker.call("body_facts", str(_small(path, worker)))  # the kernel is started
        (taken,) = alternately(lambda: deliver(path, [("cage", _fresh(cage))], FileKind.STEP_AP214, worker), rounds=2)
        (facts,) = worker.call("body_facts", str(path))
    worker.close()
    report = deliver_cage(cage).report
    solid = "valid solid" if facts["valid"] and facts["solid"] and not facts["free_edges"] else "NO SOLID"
    yield Row(f"{cage.count} faces to STEP", taken, None, 4000.0, "ms", f"{report.surfaces} patches, {solid}")
    yield Row("its widest gap", 1e6 * report.gap, None, 1.0, "nm", "between patches")
    yield Row("its largest deviation", 1000 * report.deviation, None, 1.0, "µm", "from the cage's own surface, 200 mm")
    yield Row("its largest angle", report.angle, None, 0.1, "°", "between patches")


def _fresh(cage: Cage) -> Cage:
    """The cage with nothing computed of it yet."""
    return Cage.of(cage.points, cage.faces)


def _small(path: Path, worker: KernelWorker) -> Path:
    deliver(path, [("box", box_cage(np.zeros(3), np.ones(3) * 10))], FileKind.STEP_AP214, worker)
    return path
