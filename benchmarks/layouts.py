"""Layouts: how long they take on scans of some sizes, and how near and how plain they come out on known forms."""

from __future__ import annotations

from collections.abc import Iterator

from tests.layout.forms import blob, pretzel, ring

from arabesque.demo import Pebble, simulate
from arabesque.layout import Layout, Wishes, ground_of, lay_out
from arabesque.scan import Scan, ready_to_fit
from benchmarks.row import Row, alternately

QUADS = 2000


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


def _near(name: str, scan: Scan, made: Layout, quads: int, most: float, irregular: int) -> Row:
    figures = made.figures
    far = 100 * max(figures.surface_to_scan.max, figures.scan_to_surface.max) / scan.diagonal
    odd = sum(made.net.irregular.values())
    sound = not made.net.folded.any() and not made.folds and odd <= irregular
    note = f"{made.cage.count} quads, {odd} irregular{'' if sound else ', NOT SOUND'}"
    return Row(f"{name}, {quads} quads: furthest", far, None, most, "%", note)
