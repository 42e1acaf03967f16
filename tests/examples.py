"""Shapes that several tests need, made once."""

from collections.abc import Callable
from functools import cache

import numpy as np
import trimesh

from arabesque.arrays import Floats, Ints
from arabesque.cages import Cage
from arabesque.cages.through import grid_faces as grid_quads
from arabesque.demo import Heron, Simulated, simulate
from arabesque.geometry import (
    Curve,
    Element,
    Elementary,
    ElementaryKind,
    ElementKind,
    Face,
    Patchwork,
    Relation,
    RelationKind,
    Sketch,
    Surface,
    Trim,
    frame_of,
    motion,
    uniform_knots,
)
from arabesque.geometry.sampling import grid_triangles
from arabesque.mending import even_triangles
from arabesque.model import Document, Item, Origin
from arabesque.reading import LineSet, Region, Regions
from arabesque.scan import Scan, ready_to_fit
from arabesque.solid import Body, KernelWorker, sew


@cache
def heron(triangles: int = 60_000, noise: float = 0.03) -> Simulated:
    """The demo saddle as a scan."""
    simulated = simulate(Heron(), triangles, noise, seed=5)
    ready_to_fit(simulated.scan)
    return simulated


@cache
def sphere(radius: float = 50.0, subdivisions: int = 5) -> Scan:
    """A triangulated sphere about the origin."""
    mesh = trimesh.creation.icosphere(subdivisions=subdivisions, radius=radius)
    return Scan(np.asarray(mesh.vertices), np.asarray(mesh.faces))


def plane(size: float = 100.0, steps: int = 50, noise: float = 0.0, seed: int = 0) -> Scan:
    """A square of the plane z = 0, looking up, with Gaussian noise along z."""
    x, y = np.meshgrid(np.linspace(0, size, steps + 1), np.linspace(0, size, steps + 1), indexing="ij")
    z = np.random.default_rng(seed).normal(scale=noise, size=x.shape) if noise else np.zeros(x.shape)
    return Scan(np.stack([x, y, z], -1).reshape(-1, 3), grid_faces(steps + 1))


def grid_faces(side: int) -> Ints:
    """(m, 3) triangles over a square grid of side x side points."""
    index = np.arange(side**2).reshape(side, side)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    return np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])


def random_surface(degree: tuple[int, int], spans: tuple[int, int], seed: int = 0, rational: bool = False) -> Surface:
    """A wavy sheet of about 60 x 50 mm with the given degrees and equal spans."""
    rng = np.random.default_rng(seed)
    nu, nv = (p + n for p, n in zip(degree, spans, strict=True))
    x, y = np.meshgrid(np.linspace(0, 60, nu), np.linspace(0, 50, nv), indexing="ij")
    points = np.stack([x, y, np.zeros_like(x)], -1) + rng.normal(scale=1.5, size=(nu, nv, 3))
    weights = rng.uniform(0.5, 2.0, (nu, nv)) if rational else None
    return Surface(degree, (uniform_knots(degree[0], spans[0]), uniform_knots(degree[1], spans[1])), points, weights)


@cache
def block(noise: float = 0.03, edge: float = 1.0) -> Scan:
    """A block of 60 x 40 x 20 mm about the origin in even triangles, with noise."""
    box = trimesh.creation.box((60, 40, 20))
    even = even_triangles(Scan(np.asarray(box.vertices), np.asarray(box.faces)), edge)
    push = np.random.default_rng(0).normal(scale=noise, size=even.points.shape) if noise else 0.0
    return ready_to_fit(Scan(even.points + push, even.triangles))


@cache
def box_body() -> Body:
    """A box of 30 x 20 x 10 mm at the origin, sewn of six patches."""
    worker = KernelWorker()
    try:
        return sew([(f"side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))], 1e-4, worker)
    finally:
        worker.close()


def box_sides(a: float, b: float, c: float) -> list[Surface]:
    """Six bilinear patches round a box with a corner at the origin."""
    x, y, z = a * np.eye(3)[0], b * np.eye(3)[1], c * np.eye(3)[2]
    none = np.zeros(3)
    sides = [(none, x, y), (z, x, y), (none, x, z), (y, x, z), (none, y, z), (x, y, z)]
    return [Surface.bezier([[o, o + v], [o + u, o + u + v]]) for o, u, v in sides]


@cache
def every_kind() -> Document:
    """A document with one item of every kind that a project holds; their ids are the words of the kinds."""
    scan = ready_to_fit(plane(steps=20))
    patch = random_surface((2, 2), (1, 1))
    corner = Trim((np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.2, 0.8]]),))
    rod = Elementary.make(ElementaryKind.CYLINDER, frame_of([50, 50, 10], [0, 0, 1]), (8.0,), ((-1.0, 2.0), (0.0, 9.0)))
    along = patch.moved(motion(shift=[110, 0, 10]))
    sketch = Sketch(
        frame_of([130, 60, 5], [0, 0, 1]),
        [[0, 0], [8, 0], [8, 5], [4, 9], [0, 5.0]],
        (
            Element(ElementKind.LINE, (0, 1)),
            Element(ElementKind.ARC, (0, 1, 4)),
            Element(ElementKind.SPLINE, (2, 3, 4)),
        ),
        (Relation(RelationKind.HORIZONTAL, (0,)),),
    )
    shapes = {
        "scan": scan,
        "curve": Curve.bezier([[80, 5, 4], [85, 40, 9], [95, 60, 4], [80, 95, 6.0]]),
        "surface": patch.moved(motion(shift=[0, 0, 20])),
        "face": Face(patch.degree, patch.knots, patch.points + np.array([0, 0, 40.0]), None, corner),
        "true shape": rod,
        "patchwork": Patchwork((along, rod.moved(motion(shift=[90, 60, 0])))),
        "body": box_body().moved(motion(shift=[-60, 70, 0])),
        "cage": Cage.of(
            [[x, y, 70 + 0.01 * x * y] for x in (-75.0, -55, -35, -15) for y in (5.0, 30, 55)], grid_quads(3, 2)
        ),
        "sketch": sketch,
        "regions": Regions(np.arange(len(scan.triangles)) % 2, (Region(), Region())),
        "lines": LineSet.of([np.array([[5.0, 60, 3], [20, 80, 3], [40, 95, 3]])], [False]),
    }
    document = Document()
    for word, shape in shapes.items():
        document = document.with_item(Item(word, word, shape, Origin(("scan",) if word == "regions" else ())))
    return document


def sheet(
    height: Callable[[Floats, Floats], Floats], size: tuple[float, float], noise: float = 0.0, step: float = 1.0
) -> Scan:
    """A form by formula as a scan: z over x and y, over a rectangle about the origin and 8 mm beyond."""
    x, y = (np.arange(-length / 2 - 8, length / 2 + 8 + step / 2, step) for length in size)
    gx, gy = np.meshgrid(x, y, indexing="ij")
    z = height(gx, gy) + np.random.default_rng(0).normal(scale=noise, size=gx.shape)
    return ready_to_fit(Scan(np.stack([gx, gy, z], -1).reshape(-1, 3), grid_triangles(len(x), len(y))))
