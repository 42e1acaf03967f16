"""Neighbouring patches fitted once more, together: smooth over the edges that they share, while outer edges stay."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import NamedTuple

import numpy as np

from arabesque.arrays import Floats, Ints, tree_of, unit
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.fitting.network import Demand, solve_network
from arabesque.fitting.network_space import Line, NetworkSpace, PatchLayout, Quad, SideOf, united
from arabesque.geometry import LARGEST_DEGREE, Edge, Surface, missing_knots
from arabesque.progress import Progress, silent
from arabesque.scan import Scan

LEAST_DEGREE = {0: 1, 1: 4, 2: 5}
"""For a continuity: bicubic patches keep 0.03 degrees at corners of three and five, quintic ones 0.004 (measured)."""
LEAST_ROWS = {0: 2, 1: 7, 2: 8}
"""Control points along each side, at least."""
FIRM = 100.0
"""Patches that are smooth nearly can be asked for more than lines drawn by hand."""
ALONG = 65
"""Places along an edge by which it is compared with others."""
PARTLY = 8
"""So many of them in a row that run along another edge, while its ends do not meet that edge's, are half a join."""
_RUNS = ((0, 0, False), (1, 1, False), (0, 1, True), (1, 0, True))
"""Of each ``Edge``, going round: the axis along it, at which end of the other one it lies, and if it is run back."""


@dataclass(frozen=True, eq=False)
class Together:
    """surfaces: in the order they were given. angle: degrees between neighbours over shared edges at most. shared: how
    many edges are. moved: mm, how far the form moved at most."""

    surfaces: tuple[Surface, ...]
    angle: float
    shared: int
    moved: float


class _Meeting(NamedTuple):
    """Two sides, (patch, edge) each, that run along each other; against: the second one runs the other way round."""

    one: tuple[int, int]
    two: tuple[int, int]
    against: bool


def fit_together(
    surfaces: Sequence[Surface],
    scan: Scan | None,
    tolerance: float,
    order: int = 1,
    reach: float = 1.0,
    held: Mapping[tuple[int, int], int] | None = None,
    progress: Progress = silent,
) -> Together:
    """Patches fitted together to a scan, or as fair as may be without one, with G0 to G2 over edges that they share.

    order: of continuity. reach: mm up to which edges are one. held: for outer sides, (number of a patch, ``Edge``), how
    many rows of control points stay where they are; one does by itself. All get one degree, and rows that
    fit each other. Method: see ``network``. Raises ArabesqueError where no edges are shared, or an edge meets only part
    of another one.
    """
    if any(surface.weights is not None for surface in surfaces):
        raise InvalidShape("A rational patch cannot be fitted with others", "Fit a polynomial patch to it first")
    if order not in LEAST_DEGREE:
        raise InvalidShape(f"Patches cannot be fitted together with G{order}", "Choose G0 to G2")
    meetings = _meetings(surfaces, reach)
    if not meetings:
        raise ArabesqueError("These patches share no edge", f"Choose neighbours that meet within {reach:.3g} mm")
    alike = _alike(surfaces, meetings, order)
    space, x = _space(alike, meetings)
    stay = _held(space, alike, meetings, held or {})
    solved = solve_network(space, scan, tolerance, Demand(order, firm=FIRM), progress, x, held=stay)
    moved = max(_moved(before, made) for before, made in zip(alike, solved.surfaces, strict=True))
    # each keeps the range of its parameters
    made = [_over(one, before.domain) for one, before in zip(solved.surfaces, surfaces, strict=True)]
    return Together(tuple(made), solved.angle, len(meetings), moved)


def _moved(before: Surface, made: Surface) -> float:
    """mm along the normals, at most: how far rows slid in the form does not count."""
    at = np.linspace(0, 1, 17)
    d = before.on_grid(at, at, 1)
    way = made.on_grid(at, at)[0, 0] - d[0, 0]
    return float(np.abs(np.einsum("uvc,uvc->uv", way, unit(np.cross(d[1, 0], d[0, 1])))).max())


def _side(surface: Surface, edge: int) -> Floats:
    """(ALONG, 3) places along an edge, in the direction going round."""
    return np.asarray(surface.at(surface.rims()[edge].places(np.linspace(0, 1, ALONG))))


def _meetings(surfaces: Sequence[Surface], reach: float) -> list[_Meeting]:
    """Every pair of sides that are one; each side is in one pair at most."""
    sides = {(k, e): _side(surface, e) for k, surface in enumerate(surfaces) for e in range(4)}
    found: list[_Meeting] = []
    taken: set[tuple[int, int]] = set()
    for one, two in combinations(sides, 2):
        a, b = sides[one], sides[two]
        if one[0] == two[0] or (np.minimum(a.max(0), b.max(0)) - np.maximum(a.min(0), b.min(0)) < -reach).any():
            continue
        spacing = max(float(np.linalg.norm(np.diff(s, axis=0), axis=1).max()) for s in (a, b))
        away = tree_of(b).query(a)[0]
        beside = away <= reach + spacing / 2
        ends = [float(np.linalg.norm(a[[0, -1]] - run, axis=1).max()) for run in (b[[0, -1]], b[[-1, 0]])]
        if beside.all() and min(ends) <= reach:
            if one in taken or two in taken:
                raise ArabesqueError("Three patches share an edge", "Leave one of them out")
            taken |= {one, two}
            found.append(_Meeting(one, two, ends[1] < ends[0]))
        elif np.count_nonzero(beside) >= PARTLY and min(ends) > reach:
            raise ArabesqueError(
                "An edge meets only part of another one", "Split the longer patch where the shorter one ends"
            )
    return found


def _alike(surfaces: Sequence[Surface], meetings: Sequence[_Meeting], order: int) -> list[Surface]:
    """The same patches on [0, 1] with one degree, and knots along shared edges that are the same from both sides."""
    degree = max(LEAST_DEGREE[order], *(d for surface in surfaces for d in surface.degree))
    if degree > LARGEST_DEGREE:
        raise InvalidShape(f"A patch has degree {LARGEST_DEGREE} at most", "Lower the degree of the highest one first")
    raised = [_over(s, ((0.0, 1.0), (0.0, 1.0))).elevated(*(degree - d for d in s.degree)) for s in surfaces]
    knots = {(k, axis): raised[k].knots[axis] for k in range(len(raised)) for axis in (0, 1)}
    for key, values in knots.items():
        while len(values) - degree - 1 < LEAST_ROWS[order]:
            ends = np.unique(values)
            values = np.sort(np.concatenate([values, (ends[:-1] + ends[1:]) / 2]))
        knots[key] = values
    changed = True
    while changed:  # what is put in along one edge goes on along the next
        changed = False
        for meeting in meetings:
            (i, e), (k, f) = meeting.one, meeting.two
            one, two = (i, _RUNS[e][0]), (k, _RUNS[f][0])
            turned = _RUNS[e][2] ^ _RUNS[f][2] ^ meeting.against
            there = 1.0 - knots[two][::-1] if turned else knots[two]
            both = united(knots[one][degree + 1 : -degree - 1], there[degree + 1 : -degree - 1])
            whole = np.concatenate([np.zeros(degree + 1), both, np.ones(degree + 1)])
            changed |= len(whole) > min(len(knots[one]), len(knots[two]))
            knots[one], knots[two] = whole, 1.0 - whole[::-1] if turned else whole
    made = []
    for k, surface in enumerate(raised):
        finer = surface.with_knots(*(missing_knots(surface.knots[a], knots[k, a], degree) for a in (0, 1)))
        # what rounding left apart is one knot
        made.append(Surface(finer.degree, (knots[k, 0], knots[k, 1]), finer.points))
    return made


def _over(surface: Surface, domain: Sequence[tuple[float, float]]) -> Surface:
    """The same patch over another range of its parameters."""
    knots = []
    for values, (low, high) in zip(surface.knots, domain, strict=True):
        share = (values - values[0]) / (values[-1] - values[0])
        knots.append(low + share * (high - low))
    return Surface(surface.degree, (knots[0], knots[1]), surface.points)


def _row(surface: Surface, edge: int) -> Floats:
    """(n, 3) control points of an edge, in the direction going round."""
    along, at_end, back = _RUNS[edge]
    row = np.take(surface.points, -at_end, axis=1 - along)
    return row[::-1] if back else row


def _space(surfaces: Sequence[Surface], meetings: Sequence[_Meeting]) -> tuple[NetworkSpace, Floats]:
    """The splines of all of them over shared lines, and the unknowns as they are; what met nearly meets."""
    beside = {meeting.two: meeting for meeting in meetings}
    inner = {side for meeting in meetings for side in (meeting.one, meeting.two)}
    node_of = _nodes(len(surfaces), meetings)
    count = max(node_of.values()) + 1
    gathered: list[list[Floats]] = [[] for _ in range(count)]
    for (k, corner), node in node_of.items():
        gathered[node].append(_row(surfaces[k], corner)[0])
    nodes = np.array([np.mean(places, axis=0) for places in gathered])
    lines: list[Line] = []
    rows: list[Floats] = []
    knots: list[Floats] = []
    line_of: dict[tuple[int, int], tuple[int, bool]] = {}
    for k, surface in enumerate(surfaces):
        for edge in range(4):
            if (k, edge) in beside:
                continue
            row, places = _row(surface, edge), _side(surface, edge)
            partner = next((m for m in meetings if m.one == (k, edge)), None)
            if partner is not None:
                other = surfaces[partner.two[0]]
                theirs, there = _row(other, partner.two[1]), _side(other, partner.two[1])
                if partner.against:
                    theirs, there = theirs[::-1], there[::-1]
                row, places = (row + theirs) / 2, (places + there) / 2
            ends = node_of[k, edge], node_of[k, (edge + 1) % 4]
            row = row.copy()
            row[0], row[-1] = nodes[list(ends)]
            along, _, back = _RUNS[edge]
            line_of[k, edge] = len(lines), False
            if partner is not None:
                line_of[partner.two] = len(lines), partner.against
            lines.append(Line(places, np.array([0.0, 1.0]), ends, border=(k, edge) not in inner))
            rows.append(row)
            knots.append(1.0 - surface.knots[along][::-1] if back else surface.knots[along])
    quads: list[Quad] = []
    for k in range(len(surfaces)):
        four = [SideOf(line, *((1, 0) if turned else (0, 1))) for line, turned in (line_of[k, e] for e in range(4))]
        quads.append((four[0], four[1], four[2], four[3]))
    layout = PatchLayout(nodes, tuple(lines), tuple(quads), tuple(range(len(surfaces))))
    spans = [np.array([len(np.unique(values)) - 1]) for values in knots]
    space = NetworkSpace(layout, surfaces[0].degree[0], spans, knots)
    inside = [surface.points[1:-1, 1:-1].reshape(-1, 3) for surface in surfaces]
    return space, np.concatenate([*rows, *inside])


def _nodes(count: int, meetings: Sequence[_Meeting]) -> dict[tuple[int, int], int]:
    """For each corner of each patch, (patch, number of the edge that begins there), the number of its node."""
    parent = {(k, c): (k, c) for k in range(count) for c in range(4)}

    def root(key: tuple[int, int]) -> tuple[int, int]:
        while parent[key] != key:
            key = parent[key]
        return key

    for (i, e), (k, f), against in meetings:
        ends = [(k, f), (k, (f + 1) % 4)]
        for mine, theirs in zip([(i, e), (i, (e + 1) % 4)], ends[::-1] if against else ends, strict=True):
            parent[root(theirs)] = root(mine)
    numbers = {key: n for n, key in enumerate(dict.fromkeys(root(key) for key in parent))}
    return {key: numbers[root(key)] for key in parent}


def _held(
    space: NetworkSpace,
    surfaces: Sequence[Surface],
    meetings: Sequence[_Meeting],
    held: Mapping[tuple[int, int], int],
) -> Ints:
    """Numbers of the unknowns that stay: outer lines, and rows beside some of them."""
    inner = {side for meeting in meetings for side in (meeting.one, meeting.two)}
    stay: list[Ints] = []
    for k, surface in enumerate(surfaces):
        nu, nv = surface.points.shape[:2]
        index = np.zeros((nu, nv), dtype=np.int64)
        index[1:-1, 1:-1] = space.inner_start[k] + np.arange((nu - 2) * (nv - 2)).reshape(nu - 2, nv - 2)
        for edge, side in enumerate(space.layout.quads[k]):
            numbers = np.arange(space.line_start[side.line], space.line_start[side.line + 1])
            along, at_end, back = _RUNS[edge]
            run = numbers[::-1] if (side.end < side.start) ^ back else numbers
            view = np.moveaxis(index, 1 - along, 0)
            view[-1 if at_end else 0] = run
        for edge in Edge:
            if (k, int(edge)) in inner:
                continue
            along, at_end, _ = _RUNS[edge]
            rows = np.moveaxis(index, 1 - along, 0)
            rows = rows[::-1] if at_end else rows
            stay.append(rows[: held.get((k, int(edge)), 1)].ravel())
    return np.unique(np.concatenate(stay)) if stay else np.zeros(0, dtype=np.int64)
