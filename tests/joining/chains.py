"""Random chains of joining: patches cut, rounded, recast, blended, matched, extended and filled, then pulled."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Face, Surface
from arabesque.script import AnyItem, Project
from tests.joining.test_crossing import rough

LINKS = 4


def chain(seed: int) -> tuple[list[str], list[str]]:
    """What was made in a random chain, and what was refused, in words; raises AssertionError for what is not sound."""
    rng = np.random.default_rng(seed)
    made: list[str] = []
    refused: list[str] = []
    with Project() as project:
        for name in ("One", "Two"):
            tilt = float(rng.uniform(0.1, 1.2)) * (name == "Two")
            project.add(name, rough(int(rng.integers(1 << 30)), tilt, 100.0, float(rng.choice([0.0, 0.5, 2.0]))))
        frame = np.eye(4)
        frame[:3, :3] = np.linalg.qr(rng.normal(size=(3, 3)))[0]
        frame[:3, 3] = 50, 50, 0
        bounds = ((-80.0, 80.0), (-80.0, 80.0))
        project.add("Blade", Elementary.make(ElementaryKind.PLANE, frame, (), bounds))
        for _ in range(LINKS):
            link = _LINKS[int(rng.integers(len(_LINKS)))]
            try:
                item = link(project, rng)
                made.append(link.__name__)
                _sound(item.shape)
            except ArabesqueError as problem:
                assert problem.cause and problem.cure, f"{link.__name__} gave no reason"
                refused.append(f"{link.__name__}: {problem}")
        root = project.items[0]
        project.reshape(
            root, root.shape.with_points(root.shape.points + rng.normal(scale=0.3, size=root.shape.points.shape))
        )
        for item in project.items:
            _sound(item.shape)
            if item.trouble:
                refused.append(f"{item.name} later: {item.trouble}")
    return made, refused


def _sound(shape: object) -> None:
    for surface in getattr(shape, "surfaces", (shape,)):
        assert isinstance(surface, Surface)
        assert np.isfinite(surface.points).all()
        if isinstance(surface, Face):
            samples = surface.sampler(20).read(surface)
            assert len(samples.points) and np.isfinite(samples.points).all()
            for rim in surface.rims():
                low, high = np.array(surface.domain).T
                places = rim.places(np.linspace(0, 1, 50))
                assert ((places > low - 0.05 * (high - low)) & (places < high + 0.05 * (high - low))).all()


def _some(project: Project, rng: np.random.Generator, count: int = 1, shown: bool = True) -> list[AnyItem]:
    """Random surfaces, of those that show."""
    items = [item for item in project.items if isinstance(item.shape, Surface) and item.look.visible == shown]
    if len(items) < count:
        raise ArabesqueError("Too few surfaces show", "Undo a step")
    return [items[k] for k in rng.choice(len(items), count, replace=False)]


def _place(item: AnyItem, rng: np.random.Generator) -> np.ndarray:
    points = item.shape.sampler(20).read(item.shape).points
    place: np.ndarray = points[int(rng.integers(len(points)))]
    return place


def trim(project: Project, rng: np.random.Generator) -> AnyItem:
    """One surface cut by another."""
    item, by = _some(project, rng, 2)
    return project.trim(item, by, [_place(item, rng)], further=float(rng.choice([0.0, 5.0])))


def round_(project: Project, rng: np.random.Generator) -> AnyItem:
    """The edge of two rounded."""
    one, two = _some(project, rng, 2)
    section = str(rng.choice(["circular", "in curvature (G2)", "in its change (G3)"]))
    return project.round(one, two, float(rng.uniform(1, 12)), (_place(one, rng), _place(two, rng)), section)


def recast(project: Project, rng: np.random.Generator) -> AnyItem:
    """A surface made anew."""
    (item,) = _some(project, rng)
    return project.recast(item, (3, 3), near=0.2)


def blend(project: Project, rng: np.random.Generator) -> AnyItem:
    """Two borders blended."""
    one, two = _some(project, rng, 2)
    ends = [(item, int(rng.integers(len(item.shape.rims())))) for item in (one, two)]
    return project.blend_borders(ends[0], ends[1], int(rng.integers(4)), ways="squarely")


def set_off(project: Project, rng: np.random.Generator) -> AnyItem:
    """A surface set off."""
    (item,) = _some(project, rng)
    return project.offset(item, float(rng.uniform(-4, 4)), 0.05)


def fill(project: Project, rng: np.random.Generator) -> AnyItem:
    """All borders of a loop filled."""
    (item,) = _some(project, rng)
    return project.fill([(item, k) for k in range(len(item.shape.rims()))], int(rng.integers(3)))


def extend(project: Project, rng: np.random.Generator) -> AnyItem:
    """A border moved out or back, or until it passes another surface."""
    item, by = _some(project, rng, 2)
    border = int(rng.integers(len(item.shape.rims())))
    past = by if rng.random() < 0.3 else None
    length = 1.0 if past is not None else float(rng.uniform(-6, 12))
    return project.extend(item, border, length, str(rng.choice(["straight", "with its curvature"])), past)


def match(project: Project, rng: np.random.Generator) -> AnyItem:
    """An edge brought to a border, to the inside of another surface or half way."""
    item, other = _some(project, rng, 2)
    to = other if rng.random() < 0.4 else (other, int(rng.integers(len(other.shape.rims()))))
    half_way = isinstance(to, tuple) and rng.random() < 0.4
    return project.match(item, int(rng.integers(4)), to, int(rng.integers(4)), half_way=half_way)


def image(project: Project, rng: np.random.Generator) -> AnyItem:
    """A border blended to its mirror image."""
    (item,) = _some(project, rng)
    return project.blend_borders((item, int(rng.integers(len(item.shape.rims())))), None, int(rng.integers(4)))


def as_one(project: Project, rng: np.random.Generator) -> AnyItem:
    """Two pieces of a cut made one patch."""
    item, by = _some(project, rng, 2)
    pieces = project.trim_apart(item, by)
    return project.recast(pieces[:2], near=0.2)


_LINKS: tuple[Callable[[Project, np.random.Generator], AnyItem], ...] = (
    trim,
    trim,
    round_,
    recast,
    blend,
    set_off,
    fill,
    extend,
    match,
    image,
    as_one,
)
