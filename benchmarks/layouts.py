"""Layouts: how long they take on scans of some sizes, and how near and how plain they come out on known forms."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path

import numpy as np
import pynanoinstantmeshes
import trimesh
from pyQuadriFlow.pyQuadriFlow import pyquadriflow
from tests import reference
from tests.layout.forms import blob, creased, limb, pretzel, ring

from arabesque.arrays import Floats, Ints
from arabesque.cages import Cage
from arabesque.demo import Pebble, simulate
from arabesque.errors import ArabesqueError
from arabesque.fitting import CageSettings, fit_cage
from arabesque.layout import Guides, Layout, Wishes, ground_of, lay_out
from arabesque.layout.guides import NO_GUIDES
from arabesque.mending import Fill, fill, openings
from arabesque.scan import Scan, read_scan, ready_to_fit
from arabesque.script import Project
from arabesque.solid import KernelWorker
from benchmarks.row import Row, alternately

QUADS, FEWER_FORMS, NEAR_ENOUGH, OFF_COUNT = 2000, 1.6, 0.003, 0.06
PEER_QUADS = 1200
"""Beside general libraries, which make finer meshes of what is far coarser."""


def rows() -> Iterator[Row]:
    """Every row of layouts, in turn."""
    yield from _timed(130_000, 8000.0)
    yield from _timed(1_100_000, 15_000.0)
    for name, scan, limits in (
        ("bulging ball", blob(6), ((60, 0.197, 8), (300, 0.035, 8), (2000, 0.010, 8))),
        ("ring", ring(360), ((60, 0.064, 0), (300, 0.006, 0), (2000, 0.006, 0))),
        ("form with two handles", pretzel(2, 130_000), ((60, 0.75, 16), (300, 0.137, 16), (2000, 0.030, 16))),
    ):
        ground = ground_of(scan)
        for quads, most, irregular in limits:
            made = lay_out(scan, Wishes(quads), ground)
            yield _near(name, scan, made, quads, most, irregular)
    yield from _by_p99("limb with noise", limb(), NO_GUIDES, ((87, 2.55, 28), (307, 0.35, 28), (2032, 0.12, 28)))
    sheet, crease = creased(268)  # 143k triangles, as in the table
    along = Guides(sharp=(crease,))
    yield from _by_p99("sheet with a crease", sheet, along, ((58, 0.36, 2), (309, 0.16, 2), (2015, 0.09, 2)))
    for name, scan in (("bulging ball", blob()), ("published rabbit, closed", _rabbit())):
        yield from _beside(name, scan)
    yield _lightest("published rabbit", reference.rabbit(), 900)
    yield _lightest("published figure", reference.armadillo(), 3500)


def _lightest(name: str, path: Path, most: int) -> Row:
    """The quads that keep 0.3 % of the diagonal, openings closed, and whether the kernel finds one valid solid."""
    mesh = trimesh.load(path, process=False)
    kernel = KernelWorker()
    with tempfile.TemporaryDirectory() as folder, closing(kernel), Project() as project:
        scan, step = Path(folder) / "scan.ply", Path(folder) / "layout.step"
        mesh.apply_scale(100.0 / mesh.scale).export(scan)
        project.open_scan(scan)
        item = project.layout(tolerance=0.3, close=True)
        made = project.layout_of(item)
        project.export(step, [item])
        bodies = kernel.call("body_facts", str(step))
    sound = len(bodies) == 1 and bodies[0]["valid"] and bodies[0]["solid"]
    words = (
        f"{made.fit.verdict}; {'one valid solid' if sound else 'NO VALID SOLID'}; {sum(made.seconds.values()):.0f} s"
    )
    return Row(f"{name}: fewest quads within 0.3 %", made.cage.count, None, most, "", words)


def _timed(triangles: int, limit: float) -> Iterator[Row]:
    scan = ready_to_fit(simulate(Pebble(), triangles, 0.03, 1).scan)
    lay_out(scan, Wishes(60))  # its trees are grown
    made: list[Layout] = []
    (taken,) = alternately(lambda: made.append(lay_out(scan, Wishes(QUADS))), rounds=1)
    last = made[-1]
    stages = ", ".join(f"{stage} {1000 * seconds:.0f}" for stage, seconds in last.seconds.items())
    yield Row(f"{triangles} triangles to {QUADS} quads", taken, None, limit, "ms", f"{last.cage.count} quads; {stages}")
    (taken,) = alternately(lambda: lay_out(scan, Wishes(1000), last.ground), rounds=1)
    yield Row("another count on the same rows", taken, None, 4000.0, "ms", f"{triangles} triangles, 1000 quads")


def _by_p99(name: str, scan: Scan, guides: Guides, limits: tuple[tuple[int, float, int], ...]) -> Iterator[Row]:
    """Of forms with noise or an edge: 99 % of both directions, of the diagonal."""
    ground = ground_of(scan, guides=guides)
    for quads, most, irregular in limits:
        made = lay_out(scan, Wishes(quads, guides=guides), ground)
        near = 100 * max(made.figures.surface_to_scan.p99, made.figures.scan_to_surface.p99) / scan.diagonal
        yield Row(f"{name}, {quads} quads: 99 %", near, None, most, "%", _state(made, quads, irregular))


def _state(made: Layout, quads: int, irregular: int) -> str:
    """Count and irregular points; in capitals what is not as it is to be."""
    odd = sum(made.net.irregular.values())
    wrong = [
        *(["FOLDED"] if made.net.folded.any() or made.folds else []),
        *(["TOO MANY IRREGULAR"] if odd > irregular else []),
        *(["COUNT OFF"] if abs(made.cage.count / quads - 1) > OFF_COUNT else []),
    ]
    return f"{made.cage.count} quads, {odd} irregular" + "".join(f", {word}" for word in wrong)


def _near(name: str, scan: Scan, made: Layout, quads: int, most: float, irregular: int) -> Row:
    figures = made.figures
    far = 100 * max(figures.surface_to_scan.max, figures.scan_to_surface.max) / scan.diagonal
    return Row(f"{name}, {quads} quads: furthest", far, None, most, "%", _state(made, quads, irregular))


def _rabbit() -> Scan:
    scan = ready_to_fit(read_scan(str(reference.rabbit()), "m"))
    return fill(scan, [one for one in openings(scan) if not one.outer], Fill.CURVED).scan


def _flow_based(scan: Scan) -> tuple[Floats, Ints]:
    made = pyquadriflow(
        PEER_QUADS, 0, scan.points.tolist(), scan.triangles.tolist(), False, False, False, False, False
    )  # fmt: skip
    return np.array(made["vertices"], dtype=float), np.array(made["faces"], dtype=np.int64)


def _field_aligned(scan: Scan) -> tuple[Floats, Ints]:
    # its quad step splits each by four
    points, faces = pynanoinstantmeshes.remesh(
        scan.points.astype(np.float32), scan.triangles.astype(np.uint32), PEER_QUADS // 4, align_to_boundaries=True
    )
    return np.asarray(points, dtype=float), np.asarray(faces, dtype=np.int64)


def _beside(name: str, scan: Scan) -> Iterator[Row]:
    """Irregular points, and how near the surface comes with the same fit, beside two general remeshers."""
    made = lay_out(scan, Wishes(PEER_QUADS))
    odd, near = sum(made.net.irregular.values()), made.figures.inlier_p99
    remeshers: tuple[tuple[str, Callable[[Scan], tuple[Floats, Ints]]], ...] = (
        ("flow-based", _flow_based), ("field-aligned", _field_aligned),
    )  # fmt: skip
    for kind, remesh in remeshers:
        points, faces = remesh(scan)
        valence = np.bincount(faces.ravel(), minlength=len(points))
        theirs = int(((valence != 4) & (valence > 0)).sum())
        counts = f"{made.cage.count} quads, {kind} peer {len(faces)}"
        # a layout that leaves ears and toes out needs fewer
        yield Row(f"{name}: irregular points beside a remesher", odd, theirs, FEWER_FORMS, "", counts)
        try:
            fit = fit_cage(Cage.of(points, faces), scan, CageSettings(made.fit.tolerance))
        except ArabesqueError as problem:
            limit = NEAR_ENOUGH * scan.diagonal
            yield Row(f"{name}: furthest but 1 %", near, None, limit, "mm", f"{kind} peer makes no cage: {problem}")
            continue
        off = fit.figures.inlier_p99
        yield Row(f"{name}: furthest but 1 % with the same fit", near, off, 1.0, "mm", counts)
