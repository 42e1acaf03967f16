"""Random trees of features: a body drilled, drawn on, parted, rounded, hollowed, repeated, swapped, then pulled."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Element, ElementKind, Plane, Sketch, Surface, frame_of, motion, rotation_about
from arabesque.script import AnyItem, Project
from tests.examples import box_sides

LINKS = 5
A, B, C = 60.0, 40.0, 24.0
"""mm: the body begins as a box."""
ROOM = 1e-6


def tree(seed: int) -> tuple[list[str], list[str]]:
    """What was made in a random tree, and what was refused, in words; raises AssertionError for what is not sound."""
    rng = np.random.default_rng(seed)
    made: list[str] = []
    refused: list[str] = []
    with Project() as project:
        sides = [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(A, B, C))]
        bodies = [project.sew(sides)]
        for _ in range(LINKS):
            link = _LINKS[int(rng.integers(len(_LINKS)))]
            try:
                after = link(project, bodies, rng)
            except ArabesqueError as problem:
                assert problem.cause and problem.cure, f"{link.__name__} gave no reason"
                refused.append(f"{link.__name__[1:]}: {problem}")
                continue
            _sound(project, after)
            made.append(link.__name__[1:])
            bodies.append(after)
        # taller: all of it follows, or says why
        for item, shape in zip(sides, box_sides(A, B, C + 3), strict=True):
            project.reshape(item, shape, "taller")
        for body in bodies:
            now = project.item(body.id)
            if now.trouble:
                refused.append(f"followed: {now.trouble}")
            else:
                _sound(project, now)
    return made, refused


def _sound(project: Project, body: AnyItem) -> None:
    """Closed, valid, with a volume that its own triangles enclose."""
    told = project.told_of_body(body)
    assert told.valid and told.closed, f"{body.name}: valid {told.valid}, closed {told.closed}"
    assert told.volume > ROOM, f"{body.name} has no volume"
    samples = project.item(body.id).shape.sampler(60).read(project.item(body.id).shape)
    a, b, c = np.swapaxes(samples.points[samples.triangles], 0, 1)
    volume = float(np.einsum("nc,nc->", a, np.cross(b, c)) / 6)
    assert abs(volume / told.volume - 1) < 0.03, f"{body.name}: {volume:.1f} by triangles, {told.volume:.1f} told"


def _place(rng: np.random.Generator) -> np.ndarray:
    return rng.uniform([8, 8, C], [A - 8, B - 8, C])


def _hole(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    size = float(rng.uniform(3, 9))
    mouth = float(rng.choice([0.0, size + rng.uniform(1, 4)]))
    depth = float(rng.choice([0.0, rng.uniform(6, 18)]))
    return project.hole(
        bodies[-1], _place(rng), [0, 0, 1], size, depth, mouth, float(rng.uniform(1, 5)) if mouth else 0
    )


def _boss(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    return project.boss(bodies[-1], _place(rng), [0, 0, 1], float(rng.uniform(4, 12)), float(rng.uniform(3, 12)), 2.0)


def _slot(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    way = rotation_about([0, 0, 1], float(rng.uniform(0, 180))) @ [1.0, 0, 0]
    return project.slot(bodies[-1], _place(rng), [0, 0, 1], way, float(rng.uniform(2, 5)), float(rng.uniform(4, 14)),
                        float(rng.uniform(2, 10)))  # fmt: skip


def _pocket(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    turn = rotation_about([0, 0, 1], float(rng.uniform(0, 90)))
    flat = [[-6.0, -4], [6, -4], [6, 4], [-6, 4]]
    drawn = Sketch(
        motion(turn, _place(rng)), flat, tuple(Element(ElementKind.LINE, (k, (k + 1) % 4)) for k in range(4))
    )
    how = str(rng.choice(["cut away", "added"]))
    return project.profile_body(project.add("Drawn", drawn), bodies[-1], how, ahead=5.0, back=float(rng.uniform(2, 9)))


def _ring(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    """A groove turned about an upright axis."""
    centre = _place(rng)
    drawn = Sketch(frame_of(centre, [0, 1, 0], [1, 0, 0]), [[9.0, 0], [11, 0]], (Element(ElementKind.CIRCLE, (0, 1)),))
    return project.profile_body(project.add("Groove", drawn), bodies[-1], "cut away", at=centre, axis=[0, 0, 1])


def _part(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    x, y = np.meshgrid(np.linspace(-20, A + 20, 4), np.linspace(-20, B + 20, 4), indexing="ij")
    heights = rng.uniform(0.7 * C, 0.95 * C) + rng.uniform(-2, 2, (4, 4))
    roof = project.add("Roof", Surface.bezier(np.stack([x, y, heights], -1)))
    return project.part_body(bodies[-1], roof, "behind it")


def _swap(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    x, y = np.meshgrid(np.linspace(-20, A + 20, 4), np.linspace(-20, B + 20, 4), indexing="ij")
    roof = project.add("Roof", Surface.bezier(np.stack([x, y, -4 + rng.uniform(-2, 2, (4, 4))], -1)))
    return project.swap_face(bodies[-1], [A / 2, B / 2, 0.0], roof)


def _round(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    rims = project.item(bodies[-1].id).shape.rims()
    rim = rims[int(rng.integers(len(rims)))]
    place = rim.surface.at(rim.places(np.array([0.5])))[0]
    if rng.random() < 0.3:
        return project.chamfer(bodies[-1], place, float(rng.uniform(0.3, 2)))
    return project.round_body(bodies[-1], place, float(rng.uniform(0.3, 3)))


def _hollow(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    return project.hollow(bodies[-1], float(rng.uniform(0.8, 2.5)), [[A / 2, B / 2, 0.0]])


def _repeat(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    if len(bodies) < 2:
        raise ArabesqueError("There is nothing to repeat yet", "Make a feature first")
    step = float(rng.uniform(4, 12))
    return project.repeat(bodies[-1], int(rng.integers(2, 4)), [1, 0, 0], step=step, since=bodies[-2])


def _mirror(project: Project, bodies: list[AnyItem], rng: np.random.Generator) -> AnyItem:
    project.plane = Plane(np.array([0.0, 1, 0]), B / 2)
    return project.mirror_body(bodies[-1], str(rng.choice(["before it", "behind it"])))


_LINKS: tuple[Callable[[Project, list[AnyItem], np.random.Generator], AnyItem], ...] = (
    _hole, _boss, _slot, _pocket, _ring, _part, _swap, _round, _round, _hollow, _repeat, _mirror,
)  # fmt: skip
