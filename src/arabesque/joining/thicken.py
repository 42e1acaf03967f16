"""A smooth skin of patches and faces given a thickness: both sides, and the walls round it."""

from __future__ import annotations

from collections.abc import Sequence
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError, InvalidShape, TooTight
from arabesque.geometry import (
    Curve,
    Elementary,
    Face,
    Surface,
    basis_matrix,
    compatible_curves,
    edge_curve,
    greville,
    uniform_knots,
)
from arabesque.joining.border import outward_ways
from arabesque.joining.collocation import through
from arabesque.joining.mitre import mitred
from arabesque.joining.offset import set_off
from arabesque.joining.skin import Skin, read_skin
from arabesque.progress import Progress, silent

DEGREE, SPANS = 3, 64
"""Of a wall along a trimmed border, and of one that is not square."""
KNOTS = uniform_knots(DEGREE, SPANS)
T = greville(KNOTS, DEGREE)
ROOT = float(np.sqrt(0.5))
FADES = 0.25
"""Of the way along a border: so far its rim is drawn towards the mitre of its corner."""
SAME_CORNER, LEAST = 1e-3, -0.7
"""mm: ends of borders that are one corner; and the least cosine between rims that meet there."""


class Rims(Enum):
    """How the free borders of a thickened skin are closed; the value is its words."""

    SQUARE = "square"
    ROUND = "rounded"
    SHARP = "drawn to an edge"


def thickened(
    parts: Sequence[Surface],
    low: float,
    high: float,
    near: float = 0.002,
    progress: Progress = silent,
    rims: Rims = Rims.SQUARE,
) -> list[Surface]:
    """The faces of a skin with a thickness: each part set off by ``low`` and by ``high`` mm along the normal of the
    first one, and a wall over each border that no other part runs along.

    near: mm, how near the sides come to true offsets. Parts are turned to look to one side first; where they meet at an
    edge, their sides are carried on, or end, where they cross. Raises ArabesqueError where the form bends more tightly
    than it is set off, or sides do not meet; InvalidShape where both are one.
    """
    if not low < high:
        raise InvalidShape("A thickness has to be above 0", "Give more than 0 mm")
    skin = read_skin(parts)
    sharp = {meeting.one[0] for meeting in skin.meetings if meeting.sharp}
    sides: list[list[Surface]] = [[], []]
    for number, part in enumerate(skin.parts):
        progress(number / len(skin.parts), "Setting both sides off")
        for side, by in zip(sides, (low, high), strict=True):
            side.append(mitred(skin, number, by, near) if by and number in sharp else _set_off(part, by, near))
    walls: list[Surface] = []
    for number, k in skin.free:
        out = None if rims is Rims.SQUARE else _ways_out(skin, number, k)
        walls.append(_wall(sides[0][number], sides[1][number], k, rims, out))
    return [*sides[0], *sides[1], *walls]


def _set_off(part: Surface, by: float, near: float) -> Surface:
    if by == 0:
        return part
    made = set_off(part if isinstance(part, Elementary) else part.whole, by, near)
    if len(made.folded):
        place = ", ".join(f"{value:.1f}" for value in made.folded[0])
        raise TooTight(
            f"The form bends more tightly than {abs(by):.3g} mm, first near {place}",
            f"Give less than {made.longest:.3g} mm, or calm the form there",
            made.folded,
        )
    surface = made.surface
    if not isinstance(part, Face):
        return surface
    return Face(surface.degree, surface.knots, surface.points, surface.weights, part.trim)


def _ways_out(skin: Skin, number: int, k: int) -> Floats:
    """(n, 3) out of the skin along a free border, at the places of a wall: at its corners with other free borders in
    the mitre between both."""
    part = skin.parts[number]
    rim = part.rims()[k]
    out = outward_ways(rim.surface, rim, T)
    places = rim.surface.at(rim.places(np.array([0.0, 1.0])))
    for end, row in ((0, 0), (1, -1)):
        for other, m in skin.free:
            if (other, m) == (number, k):
                continue
            beside = skin.parts[other].rims()[m]
            ends = beside.surface.at(beside.places(np.array([0.0, 1.0])))
            for there in (0, 1):
                if np.linalg.norm(ends[there] - places[end]) > SAME_CORNER:
                    continue
                way = outward_ways(beside.surface, beside, np.array([float(there)]))[0]
                cosine = float(out[row] @ way)
                if cosine < LEAST:
                    raise ArabesqueError("The rim turns back on itself at a corner", "Leave the rim square")
                # the mitre fades out along the border
                mitre = (out[row] + way) / (1 + cosine) - out[row]
                fade = np.clip(1 - (T if end == 0 else 1 - T) / FADES, 0, 1) ** 2
                out = out + fade[:, None] * mitre
    return out


def _wall(low: Surface, high: Surface, number: int, rims: Rims, out: Floats | None) -> Surface:
    """The wall between a border of both sides, which have the same parameters.

    Square: ruled. Rounded: half a turn across, as two quarters of a circle (exact; "The NURBS Book", 2nd edition, 7.3).
    Drawn to an edge: two planes at half a right angle.
    """
    ends = np.array([0.0, 0.0, 1.0, 1.0])
    if out is None:
        if not isinstance(low, Face) and low.weights is None and high.weights is None:
            one, two = compatible_curves([edge_curve(side, number) for side in (low, high)])
        else:
            one, two = (_along(side, number) for side in (low, high))
        return Surface((1, one.degree), (ends, one.knots), np.stack([one.points, two.points]))
    one, two = (_along(side, number) for side in (low, high))
    bases = basis_matrix(one.knots, DEGREE, T, 0)
    a, b = (bases @ curve.points for curve in (one, two))
    reach = np.linalg.norm(b - a, axis=1, keepdims=True) / 2 * out
    rows = [a, (a + b) / 2 + reach, b] if rims is Rims.SHARP else [a, a + reach, (a + b) / 2 + reach, b + reach, b]
    points = np.stack([through(row, DEGREE, one.knots) for row in rows])
    if rims is Rims.SHARP:
        return Surface((1, DEGREE), (np.array([0.0, 0, 0.5, 1, 1]), one.knots), points)
    weights = np.tile(np.array([1.0, ROOT, 1.0, ROOT, 1.0])[:, None], points.shape[1])
    return Surface((2, DEGREE), (np.array([0.0, 0, 0, 0.5, 0.5, 1, 1, 1]), one.knots), points, weights)


def _along(side: Surface, number: int) -> Curve:
    """The curve along a border of a side at the places of a wall."""
    places = side.rims()[number].places(T)
    return Curve(DEGREE, KNOTS, through(side.whole.at(places), DEGREE, KNOTS))
