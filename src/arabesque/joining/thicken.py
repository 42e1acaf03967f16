"""A smooth skin of patches and faces given a thickness: both sides, and the walls round it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import (
    Curve,
    Elementary,
    Face,
    Rim,
    Surface,
    compatible_curves,
    edge_curve,
    greville,
    uniform_knots,
)
from arabesque.joining.collocation import through
from arabesque.joining.offset import set_off
from arabesque.progress import Progress, silent

MEETS = 0.002
"""Of the size of all: borders that run together are nearer to each other."""
SMOOTH = 2.0
"""Degrees: patches that meet at more leave a gap or cross each other on one of the sides."""
PLACES = 9
"""Along each border at which is looked whether it runs beside another one."""
DEGREE, SPANS = 3, 64
"""Of a wall along a trimmed border."""


def thickened(
    parts: Sequence[Surface], low: float, high: float, near: float = 0.002, progress: Progress = silent
) -> list[Surface]:
    """The faces of a skin with a thickness: each part set off by ``low`` and by ``high`` mm along the normal of the
    first one, and a ruled wall over each border that no other part runs along.

    near: mm, how near the sides come to true offsets. Parts are turned to look to one side first. Raises ArabesqueError
    where parts meet at an angle, or the form bends more tightly than it is set off; InvalidShape where both are one.
    """
    if not low < high:
        raise InvalidShape("A thickness has to be above 0", "Give more than 0 mm")
    turned, free = _oriented(parts)
    sides: list[list[Surface]] = [[], []]
    for number, part in enumerate(turned):
        progress(number / len(turned), "Setting both sides off")
        for side, by in zip(sides, (low, high), strict=True):
            side.append(_set_off(part, by, near))
    walls = [_wall(sides[0][number], sides[1][number], k) for number, k in free]
    return [*sides[0], *sides[1], *walls]


def _set_off(part: Surface, by: float, near: float) -> Surface:
    if by == 0:
        return part
    made = set_off(part if isinstance(part, Elementary) else part.whole, by, near)
    if len(made.folded):
        place = ", ".join(f"{value:.1f}" for value in made.folded[0])
        raise ArabesqueError(
            f"The form bends more tightly than {abs(by):.3g} mm, first near {place}",
            f"Give less than {made.longest:.3g} mm, or calm the form there",
        )
    surface = made.surface
    if not isinstance(part, Face):
        return surface
    return Face(surface.degree, surface.knots, surface.points, surface.weights, part.trim)


def _oriented(parts: Sequence[Surface]) -> tuple[list[Surface], list[tuple[int, int]]]:
    """The parts looking to one side, and the borders (number of the part, of its rim) that run along no other's."""
    everything = np.concatenate([part.points.reshape(-1, 3) for part in parts])
    reach = MEETS * float(np.linalg.norm(np.ptp(everything, axis=0)))
    t = np.linspace(0.1, 0.9, PLACES)
    rims = [(number, k, rim) for number, part in enumerate(parts) for k, rim in enumerate(part.rims())]
    lines = [rim.surface.at(rim.places(t)) for _, _, rim in rims]
    fine = [rim.surface.at(rim.places(np.linspace(0, 1, 257))) for _, _, rim in rims]
    meets: dict[int, list[tuple[int, float]]] = {number: [] for number in range(len(parts))}
    free = []
    for (number, k, rim), line in zip(rims, lines, strict=True):
        alone = True
        for (other, _, beside), there in zip(rims, fine, strict=True):
            if other == number:
                continue
            away = np.linalg.norm(line[:, None] - there[None], axis=2)
            if away.min(axis=1).max() > reach:
                continue
            alone = False
            shares = away.argmin(axis=1) / 256
            cosine = np.einsum("nc,nc->n", _normals(rim, t), _normals(beside, shares))
            angle = float(np.degrees(np.arccos(np.clip(np.abs(cosine), 0, 1))).max())
            if angle > SMOOTH:
                raise ArabesqueError(
                    f"Two parts meet at {angle:.1f}°: their sides would not meet", "Round or blend that edge first"
                )
            meets[number].append((other, float(np.sign(cosine.mean()))))
        if alone:
            free.append((number, k))
    signs = _signs(len(parts), meets)
    turned = [part if sign > 0 else _turned_over(part) for part, sign in zip(parts, signs, strict=True)]
    # rims of what was turned over have other numbers
    names = [
        (number, k if signs[number] > 0 else _same_rim(parts[number].rims()[k], turned[number])) for number, k in free
    ]
    return turned, names


def _normals(rim: Rim, t: Floats) -> Floats:
    return np.asarray(rim.surface.normals(rim.places(t)))


def _signs(count: int, meets: dict[int, list[tuple[int, float]]]) -> list[float]:
    """1 for parts that look to the side of the first of those that hang together, else -1."""
    signs = [0.0] * count
    for first in range(count):
        if signs[first]:
            continue
        signs[first], left = 1.0, [first]
        while left:
            number = left.pop()
            for other, sign in meets[number]:
                if not signs[other]:
                    signs[other] = signs[number] * sign
                    left.append(other)
    return signs


def _turned_over(part: Surface) -> Surface:
    return part.turned_over() if isinstance(part, Face) else part.whole.reversed(0)


def _same_rim(rim: Rim, part: Surface) -> int:
    """The number of the border of a part that runs where another one did."""
    t = np.linspace(0, 1, PLACES)
    line = rim.surface.at(rim.places(t))
    lines = [one.surface.at(one.places(t)) for one in part.rims()]
    away = [min(float(np.abs(line - run).max()) for run in (one, one[::-1])) for one in lines]
    return int(np.argmin(away))


def _wall(low: Surface, high: Surface, number: int) -> Surface:
    """The ruled surface between a border of both sides, which have the same parameters."""
    if not isinstance(low, Face) and low.weights is None and high.weights is None:
        one, two = compatible_curves([edge_curve(side, number) for side in (low, high)])
    else:
        knots = uniform_knots(DEGREE, SPANS)
        t = greville(knots, DEGREE)
        places = low.rims()[number].places(t)
        one, two = (Curve(DEGREE, knots, through(side.whole.at(places), DEGREE, knots)) for side in (low, high))
    ends = np.array([0.0, 0.0, 1.0, 1.0])
    return Surface((1, one.degree), (ends, one.knots), np.stack([one.points, two.points]))
