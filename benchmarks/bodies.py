"""Bodies: how long sewing and putting together take, and how exact volumes are."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from tests.examples import box_sides
from tests.solid.test_body import rod

from arabesque.geometry import Surface, split_surface
from arabesque.joining import thickened
from arabesque.solid import Body, KernelWorker, combine, sew, with_edges
from benchmarks.row import Row, alternately

SIZE = 60.0
BULGE = 8.0
"""mm"""


def rows() -> Iterator[Row]:
    """Every row of bodies, in turn."""
    worker = KernelWorker()
    try:
        sides = [(f"face {k}", face) for k, face in enumerate(squares())]
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
        bulged = sew([(f"face {k}", face) for k, face in enumerate(squares(BULGE))], 1e-4, worker)
        swollen = SIZE**3 + 6 * SIZE**2 * BULGE / 4  # the mean of the heights of a bicubic net
        yield Row("216 bulged patches: their volume", abs(bulged.told.volume / swollen - 1), None, 1e-7, "")
        yield from _many(bulged, worker)
        rim = np.array([[SIZE / 2 + 9, SIZE / 2 + 2, SIZE]])
        (taken,) = alternately(lambda: with_edges(cut, rim, 1.0, False, worker), rounds=3)
        yield from _thick(worker)
        yield Row("rim of the hole rounded", taken / 1000, None, 2.0, "s")
    finally:
        worker.close()


def _thick(worker: KernelWorker) -> Iterator[Row]:
    """A wavy skin, thickened."""
    parts = wavy_skin()

    def thicken() -> Body:
        faces = thickened(parts, 0.0, 2.5)
        return sew([(f"face {k}", face) for k, face in enumerate(faces)], 1e-3, worker)

    (taken,) = alternately(thicken, rounds=2)
    told = thicken().told
    yield Row(f"{len(parts)} patches thickened and sewn", taken / 1000, None, 3.0, "s", f"closed: {told.closed}")
    yield Row("widest gap of its edges", told.gap, None, 1e-4, "mm")


def _many(body: Body, worker: KernelWorker) -> Iterator[Row]:
    """Twenty cutters at once against the slowest one of them alone."""
    x = np.linspace(5, SIZE - 15, 5)  # each in the middle of a patch, as bolt holes lie
    drills = [rod(2.0, float(a), float(b), -10.0, SIZE + 10.0) for a in x for b in x[:4]]
    singles = [alternately(lambda one=one: combine("cut", body, [one], worker), rounds=1)[0] for one in drills]
    (taken,) = alternately(lambda: combine("cut", body, drills, worker), rounds=1)
    yield Row("20 cutters at once, of the slowest one alone", taken / max(singles), None, 2.0, "", f"{taken:.0f} ms")


def wavy_skin() -> list[Surface]:
    """216 patches of an open skin, 180 by 120 mm."""
    x, y = np.meshgrid(np.linspace(0, 180, 7), np.linspace(0, 120, 7), indexing="ij")
    whole = Surface.bezier(np.stack([x, y, 12 * np.sin(x / 40) * np.cos(y / 30)], -1))
    return divided(divided([whole], 0, 18), 1, 12)


def squares(bulge: float = 0.0) -> list[Surface]:
    """A box of six by six patches a side, whose nets swell by so many mm inside."""
    faces: list[Surface] = []
    for side in box_sides(SIZE, SIZE, SIZE):
        if bulge:
            side = _swollen(side, bulge)
        faces += divided(divided([side], 0, 6), 1, 6)
    return faces


def divided(strips: list[Surface], axis: int, count: int) -> list[Surface]:
    """Each of some patches in so many along an axis."""
    parts: list[Surface] = []
    for strip in strips:
        low, high = strip.domain[axis]
        left = strip
        for k in range(count - 1, 0, -1):
            left, right = split_surface(left, axis, low + k * (high - low) / count)
            parts.append(right)
        parts.append(left)
    return parts


def _swollen(side: Surface, bulge: float) -> Surface:
    """A bicubic side whose four inner control points stand out of the box."""
    net = side.elevated(3 - side.degree[0], 3 - side.degree[1])
    points = np.array(net.points)
    out = points.mean(axis=(0, 1)) - SIZE / 2
    points[1:3, 1:3] += bulge * out / np.linalg.norm(out)
    return net.with_points(points)
