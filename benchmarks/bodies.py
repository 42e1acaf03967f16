"""Bodies: how long sewing and putting together take, and how exact volumes are."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from tests.examples import box_sides
from tests.solid.test_body import rod

from arabesque.geometry import Surface, split_surface
from arabesque.solid import Body, KernelWorker, combine, sew, with_edges
from benchmarks.row import Row, alternately

SIZE = 60.0


def rows() -> Iterator[Row]:
    """Every row of bodies, in turn."""
    worker = KernelWorker()
    try:
        sides = [(f"face {k}", face) for k, face in enumerate(_squares())]
        (taken,) = alternately(lambda: sew(sides, 1e-4, worker), rounds=3)
        body = sew(sides, 1e-4, worker)
        yield Row(f"{len(sides)} patches sewn", taken / 1000, None, 0.6, "s", "with what is told of the body")
        yield Row("their volume against the formula", abs(body.told.volume / SIZE**3 - 1), None, 1e-7, "")
        drill = rod(8.0, SIZE / 2 + 1, SIZE / 2 + 2, -10.0, SIZE + 10.0)
        (taken,) = alternately(lambda: combine("cut", body, [drill], worker), rounds=3)
        cut = combine("cut", body, [drill], worker)
        wanted = SIZE**3 - np.pi * 64 * SIZE
        yield Row("cylinder cut from it", taken / 1000, None, 4.0, "s", "valid" if cut.told.valid else "NOT VALID")
        yield Row("its volume against the formula", abs(cut.told.volume / wanted - 1), None, 1e-7, "")
        yield from _many(body, worker)
        rim = np.array([[SIZE / 2 + 9, SIZE / 2 + 2, SIZE]])
        (taken,) = alternately(lambda: with_edges(cut, rim, 1.0, False, worker), rounds=3)
        yield Row("rim of the hole rounded", taken / 1000, None, 2.0, "s")
    finally:
        worker.close()


def _many(body: Body, worker: KernelWorker) -> Iterator[Row]:
    """Twenty cutters at once against the slowest one of them alone."""
    x = np.linspace(6, SIZE - 6, 5)
    drills = [rod(2.0, float(a), float(b), -10.0, SIZE + 10.0) for a in x for b in x[:4]]
    singles = [alternately(lambda one=one: combine("cut", body, [one], worker), rounds=1)[0] for one in drills[::5]]
    (taken,) = alternately(lambda: combine("cut", body, drills, worker), rounds=1)
    yield Row("20 cutters at once, of the slowest one alone", taken / max(singles), None, 2.0, "", f"{taken:.0f} ms")


def _squares() -> list[Surface]:
    """A box of six by six patches a side."""
    faces: list[Surface] = []
    for side in box_sides(SIZE, SIZE, SIZE):
        strips = [side]
        for axis in (0, 1):
            parts: list[Surface] = []
            for strip in strips:
                low, high = strip.domain[axis]
                left = strip
                for k in range(5, 0, -1):
                    left, right = split_surface(left, axis, low + k * (high - low) / 6)
                    parts.append(right)
                parts.append(left)
            strips = parts
        faces += strips
    return faces
