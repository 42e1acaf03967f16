"""What the glances lay over the picture: sections, combs, joins. Plain values, made without GL."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import (
    Comb,
    Cuts,
    Family,
    Flaw,
    Grid,
    Join,
    border_combs,
    find_joins,
    grid_cuts,
    grid_sections,
    read_net,
    section_comb,
    surface_combs,
)
from arabesque.desk import theme
from arabesque.desk.looks import CombsOn, CutKind, Looks
from arabesque.desk.patches import form_of
from arabesque.desk.session import Session
from arabesque.desk.view.scene import Discs, Gloss, GlossKind, Label, Lines, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Face, Surface
from arabesque.model import Item

Part = Lines | Discs | Label


def cuts(looks: Looks) -> Cuts:
    """The planes of the sections that are shown."""
    look = looks.sections
    if look.kind is not CutKind.EVEN and look.planes is not None:
        return look.planes
    return Family(np.array(look.along.value[1]), look.spacing, look.start)


def section_parts(session: Session, looks: Looks, items: list[Item]) -> list[Part]:
    """Sections of the reference scan as thin lines, of patches as strong ones."""
    parts: list[Part] = []
    try:
        planes = cuts(looks)
        scan = session.scan
        cut = None if scan is None else session.scan_views.sections(scan, planes)
        if cut is not None:
            parts.append(Lines(cut, theme.now().scan_line, 1.4, 0.9, lift=1.0))
        for grid in _grids(session, items):
            found = grid_sections(grid, planes, float(looks.sections.gap))
            parts.append(Lines(found.segments, theme.now().accent, 2.0, lift=1.4))
    except ArabesqueError as problem:
        parts.append(Label(_middle(items), str(problem)))
    return parts


def comb_parts(session: Session, looks: Looks, items: list[Item], size: float) -> list[Part]:
    """Teeth and their outline on lines of each patch; flaws as discs in the colour of what is wrong."""
    if looks.combs.on is CombsOn.SECTIONS:
        return _section_comb_parts(session, looks, items, size)
    parts: list[Part] = []
    t = theme.now()
    combs = [comb for item in items for comb in combs_of_item(session, item, looks.combs.lines)]
    if not combs:
        return parts
    # the usual tallest, so that one tight radius does not make all other teeth vanish
    tall = float(np.percentile([np.linalg.norm(c.vectors, axis=1).max() for c in combs], 75)) or 1.0
    scale = looks.combs.teeth * size / tall
    teeth, hulls, flawed = [], [], []
    for comb in combs:
        ends = comb.teeth(scale)
        teeth.append(np.stack([comb.points, ends], axis=1))
        hulls.append(polyline(ends))
        flawed += _flawed(comb, ends)
    parts.append(Lines(np.concatenate(teeth), t.net, 1.0, 0.55, on_top=True))
    parts.append(Lines(np.concatenate(hulls), t.accent, 1.6, on_top=True))
    if flawed:
        parts.append(Discs(np.array(flawed), np.zeros(len(flawed)), 4.0, t.outside))
    return parts


def combs_of_item(session: Session, item: Item, lines: int) -> list[Comb]:
    """The combs of a patch; those of a live mirror image are mirrored themselves."""
    document = session.document
    source = document.source_of(item)
    if source is not None:
        plane = document.plane_of(source)
        return [comb.mirrored(plane) for comb in session.kept(combs_of, source.shape, lines)]
    return session.kept(combs_of, item.shape, lines)


def _section_comb_parts(session: Session, looks: Looks, items: list[Item], size: float) -> list[Part]:
    """Teeth on the sections of each patch."""
    try:
        planes = cuts(looks)
        found = []
        for item in items:
            grid = session.grid(item)
            if grid is not None and isinstance(item.shape, Surface):
                uv, normals = grid_cuts(grid, planes)
                found.append(section_comb(item.shape, uv, normals))
    except ArabesqueError as problem:
        return [Label(_middle(items), str(problem))]
    if not any(len(points) for points, _ in found):
        return []
    points, vectors = (np.concatenate([pair[k] for pair in found]) for k in (0, 1))
    tall = float(np.percentile(np.linalg.norm(vectors, axis=2), 90)) or 1.0
    tips = points - looks.combs.teeth * size / tall * vectors
    t = theme.now()
    teeth = np.stack([points[:, 0], tips[:, 0]], axis=1)
    return [Lines(teeth, t.net, 1.0, 0.55, on_top=True), Lines(tips, t.accent, 1.6, on_top=True)]


def _flawed(comb: Comb, ends: Floats) -> list[Floats]:
    return [ends[place] for flaw in Flaw for place in np.flatnonzero(comb.flaws[flaw])]


def comb_words(combs: list[Comb]) -> dict[str, int]:
    """How many lines have each flaw."""
    return {flaw.value: sum(bool(comb.flaws[flaw].any()) for comb in combs) for flaw in Flaw}


def net_parts(session: Session, shape: Surface) -> list[Part]:
    """What is wrong with a control net: crossing cells outlined, uneven points ringed, points that dip as discs."""
    report, points, t = session.kept(read_net, shape), shape.points, theme.now()
    parts: list[Part] = []
    for i, j in np.argwhere(report.crossing):
        ring = points[[i, i + 1, i + 1, i], [j, j, j + 1, j + 1]]
        parts.append(Lines(polyline(ring, closed=True), t.outside, 2.4, on_top=True))
    for mask, state, radius in ((report.uneven, 3.0, 4.5), (report.dips, 0.0, 4.5)):
        some = points[mask]
        if len(some):
            parts.append(Discs(some, np.full(len(some), state), radius, t.outside))
    return parts


def joins(session: Session, items: list[Item]) -> list[Join]:
    """How the patches among some items meet."""
    return session.kept(find_joins, tuple(item.shape for item in items if isinstance(item.shape, Surface)))


def combs_of(shape: Surface, lines: int) -> list[Comb]:
    """The combs of one patch: on its edges and the lines between, and on the borders of its trim."""
    return surface_combs(shape, lines) + (border_combs(shape) if isinstance(shape, Face) else [])


def join_parts(looks: Looks, found: list[Join]) -> list[Part]:
    """Edges that meet, with the grade in words at their middle, and signs along them.

    Filled: position or tangent fails there. Hollow: curvature fails. Large: what fails next is worst there.
    """
    parts: list[Part] = []
    t = theme.now()
    for join in found:
        grade = join.grade(looks.limits)
        colour = t.outside if grade < 1 else t.accent
        parts.append(Lines(polyline(join.points), colour, 3.0, on_top=True))
        parts.append(Label(join.points[len(join.points) // 2], join.word(looks.limits)))
        limits = looks.limits
        broken = (join.gap > limits.gap) | (join.angle > limits.angle)
        bent = ~broken & (join.curvature > limits.curvature)
        for mask, state, colour in ((broken, 0.0, t.outside), (bent, 3.0, t.accent)):
            if mask.any():
                parts.append(Discs(join.points[mask], np.full(int(mask.sum()), state), 3.0, colour))
        if grade < 3:
            parts.append(Discs(join.points[[join.worst(limits)]], np.zeros(1), 5.0, t.outside))
    return parts


def form_range(session: Session, looks: Looks) -> float:
    """1/mm at which the curvature colours of patches are full; their few tightest places do not decide."""
    if looks.form_radius > 0:
        return 1 / looks.form_radius
    values = [
        session.kept(form_of, item.shape, grid, looks.form).ravel()
        for item in session.patches
        if isinstance(item.shape, Surface) and (grid := session.grid(item)) is not None
    ]
    return float(np.percentile(np.abs(np.concatenate(values)), 95)) or 1e-9 if values else 1e-9


def gloss(looks: Looks, reflection: bool, size: float) -> Gloss:
    """What patches mirror: the chosen stripes, or the studio."""
    look = looks.gloss
    kind = GlossKind.STUDIO if reflection else look.stripes
    return Gloss(kind, look.along.value[1], float(look.count), float(np.radians(look.turn)), size, look.dark)


def _grids(session: Session, items: list[Item]) -> list[Grid]:
    grids = [session.grid(item) for item in items if isinstance(item.shape, Surface)]
    return [grid for grid in grids if grid is not None]


def _middle(items: list[Item]) -> Floats:
    places = [item.shape.points.reshape(-1, 3).mean(axis=0) for item in items if isinstance(item.shape, Surface)]
    return np.mean(places, axis=0) if places else np.zeros(3)
