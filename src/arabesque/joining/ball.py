"""A ball that rolls along the edge in which two surfaces cross, touching both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Bools, Floats, runs_of, unit, way_along
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Surface, foot_points, steps_along
from arabesque.joining.crossing import Crossing

STEPS, ARRIVED, TOUCHES = 40, 1e-11, 1e-8
"""Of Newton's method; mm, how short its last step is, and how near the ball is to both surfaces then."""
LEAP = 0.25
"""Of a domain, or of the radius: a longer step is shortened."""
FLATTEST = np.radians(0.5)
"""Surfaces that cross at less have no edge."""
CHORDS, SAME_CHORD, HALVINGS = 30, 1e-9, 34
EVEN = 33
INSIDE = 1e-9
Domain = tuple[tuple[float, float], tuple[float, float]]
Domains = tuple[Domain, Domain]


@dataclass(frozen=True, eq=False)
class Touching:
    """Balls at (n,) shares of an edge's way. centres: (n, 3). radius: (n,). one, two: (n, 2) where they touch each
    surface; at_one, at_two: (n, 3). edge: (n, 3) of the edge in the section square to it."""

    t: Floats
    centres: Floats
    radius: Floats
    one: Floats
    two: Floats
    at_one: Floats
    at_two: Floats
    edge: Floats

    @property
    def opening(self) -> Floats:
        """(n,) radians that the ball's surface turns from one contact to the other."""
        ways = unit(self.at_one - self.centres), unit(self.at_two - self.centres)
        return np.asarray(np.arccos(np.clip(np.einsum("nc,nc->n", *ways), -1, 1)))


class Rolling:
    """A ball on a side of each of two surfaces, along the line in which they cross.

    sides: 1 where the ball lies on the side that the normal of the first or second surface looks to, else -1. domains:
    of both, within which it is to touch; by themselves the whole ones.
    """

    def __init__(
        self, one: Surface, two: Surface, edge: Crossing, sides: tuple[int, int], domains: Domains | None = None
    ) -> None:
        from scipy.interpolate import CubicSpline  # see ``tree_of``

        self.surfaces, self.sides = (one, two), sides
        self._domains = (one.domain, two.domain) if domains is None else domains
        along = way_along(edge.points)
        self.length = float(along[-1])
        places = np.hstack([edge.points, edge.one, edge.two])
        # a closed line across the seam of a surface is not closed in its parameters
        periodic = edge.closed and np.allclose(places[0], places[-1], rtol=0, atol=1e-9)
        if periodic:
            places[-1] = places[0]
        self._edge = CubicSpline(along / along[-1], places, bc_type="periodic" if periodic else "not-a-knot")

    def at(self, t: Floats, radius: Callable[[Floats], Floats], chord: bool = False) -> Touching:
        """The balls in sections square to the edge at (n,) shares of its way. radius: mm as a function of the share;
        with ``chord`` the length between both contacts.

        Newton's method on S1 + r n1 = S2 + r n2 in the section's plane (rolling-ball blends: Rossignac and Requicha,
        "Constant-radius blending in solid modelling", Computers in Mechanical Engineering 3, 1984). Raises
        ArabesqueError, saying where, for a ball that finds no place.
        """
        if not chord:
            return self._solved(t, np.broadcast_to(radius(t), t.shape).astype(float))
        wanted = np.asarray(np.broadcast_to(radius(t), t.shape), dtype=float)
        size = wanted / (2 * np.sin(np.maximum(self._turn(t), FLATTEST) / 2))
        for _ in range(CHORDS):
            made = self._solved(t, size)
            length = np.linalg.norm(made.at_one - made.at_two, axis=1)
            if np.abs(length / wanted - 1).max(initial=0.0) < SAME_CHORD:
                break
            size = size * wanted / length
        return made

    def _turn(self, t: Floats) -> Floats:
        """(n,) radians between both outward normals at the edge."""
        normals = self._normals(t)
        return np.asarray(np.arccos(np.clip(np.einsum("nc,nc->n", *normals), -1, 1)))

    def _normals(self, t: Floats) -> tuple[Floats, Floats]:
        at = self._edge(t)
        one, two = self.surfaces
        return self.sides[0] * one.normals(at[:, 3:5]), self.sides[1] * two.normals(at[:, 5:7])

    def _solved(self, t: Floats, r: Floats) -> Touching:
        if not (r > 0).all() or not np.isfinite(r).all():
            raise InvalidShape("A radius must be above 0", "Give a length above 0")
        at, way = self._edge(t), unit(self._edge(t, 1)[:, :3])
        edge = at[:, :3]
        one, two = self._normals(t)
        turn = np.arccos(np.clip(np.einsum("nc,nc->n", one, two), -1, 1))
        if turn.min(initial=np.pi) < FLATTEST or turn.max(initial=0.0) > np.pi - FLATTEST:
            raise ArabesqueError("The surfaces touch without an edge between them", "Blend them, or move one")
        middle = unit(one + two)
        centre = edge + middle * (r / np.einsum("nc,nc->n", middle, one))[:, None]
        # where it would touch if the surfaces were planes
        x = np.hstack(
            [
                uv + steps_along(surface, uv, centre - r[:, None] * normal - edge)
                for surface, uv, normal in zip(self.surfaces, (at[:, 3:5], at[:, 5:7]), (one, two), strict=True)
            ]
        )
        spans = np.array([high - low for surface in self.surfaces for low, high in surface.domain])
        for _ in range(STEPS):
            move = self._step(x, r, edge, way)
            share = np.abs(move / spans).max(axis=1)
            x = x + move * np.minimum(1.0, LEAP / np.maximum(share, 1e-300))[:, None]
            if share.max(initial=0.0) < ARRIVED:
                break
        places, centres = [], []
        for k, surface in enumerate(self.surfaces):
            uv = x[:, 2 * k : 2 * k + 2]
            places.append(surface.at(uv))
            centres.append(places[k] + self.sides[k] * r[:, None] * surface.normals(uv))
        off = np.linalg.norm(centres[0] - centres[1], axis=1)
        # the ball that lies on the same side of the edge as the first guess
        astray = (off > TOUCHES) | (np.einsum("nc,nc->n", centres[0] - edge, middle) <= 0)
        if astray.any():
            where = float(t[astray.argmax()]) * self.length
            raise ArabesqueError(
                f"A ball of {r[astray.argmax()]:.3g} mm finds no place {where:.1f} mm along the edge",
                "Give a smaller radius",
            )
        return Touching(t, (centres[0] + centres[1]) / 2, r, x[:, :2], x[:, 2:], places[0], places[1], edge)

    def _step(self, x: Floats, r: Floats, edge: Floats, way: Floats) -> Floats:
        """(n, 4) Newton's step."""
        a, gap = np.zeros((len(x), 4, 4)), np.zeros((len(x), 4))
        for k, (surface, side) in enumerate(zip(self.surfaces, self.sides, strict=True)):
            place, du, dv = _set_off(surface, x[:, 2 * k : 2 * k + 2], side * r)
            sign = 1.0 if k == 0 else -1.0
            a[:, :3, 2 * k], a[:, :3, 2 * k + 1] = sign * du, sign * dv
            gap[:, :3] -= sign * place
            if k == 0:
                a[:, 3, 0], a[:, 3, 1] = np.einsum("nc,nc->n", way, du), np.einsum("nc,nc->n", way, dv)
                gap[:, 3] = -np.einsum("nc,nc->n", way, place - edge)
        return np.asarray(np.linalg.solve(a + 1e-300 * np.eye(4), gap[..., None])[..., 0])

    def reach(self, radius: Callable[[Floats], Floats], chord: bool = False) -> tuple[float, float]:
        """From which share of the edge to which both contacts lie on the surfaces; raises ArabesqueError for none."""
        t = np.linspace(0, 1, EVEN)
        inside = self.within(self.at(t, radius, chord))
        if not inside.any():
            raise ArabesqueError("The ball touches beyond the surfaces' edges", "Give a smaller radius, or extend them")
        first, last = max(runs_of(inside), key=lambda run: run[1] - run[0])
        good, bad = t[[first, last - 1]], t[[max(first - 1, 0), min(last, EVEN - 1)]]
        for _ in range(HALVINGS if (good != bad).any() else 0):
            middle = (good + bad) / 2
            fits = self.within(self.at(middle, radius, chord))
            good, bad = np.where(fits, middle, good), np.where(fits, bad, middle)
        return float(good[0]), float(good[1])

    def within(self, made: Touching) -> Bools:
        """(n,) which balls touch both surfaces within their edges."""
        good = np.ones(len(made.t), dtype=bool)
        for domain, uv in zip(self._domains, (made.one, made.two), strict=True):
            low, high = np.array(domain).T
            slack = INSIDE * (high - low)
            good &= ((uv >= low - slack) & (uv <= high + slack)).all(axis=1)
        return good


def _set_off(surface: Surface, uv: Floats, by: Floats) -> tuple[Floats, Floats, Floats]:
    """Places set off along the normal by (n,) mm, and how they change with u and v (Weingarten's equations)."""
    d = surface.derivatives(uv, 2)
    up = np.cross(d[1, 0], d[0, 1])
    size = np.linalg.norm(up, axis=1, keepdims=True)
    n = up / size
    found = [d[0, 0] + by[:, None] * n]
    for k, m in ((1, 0), (0, 1)):
        change = np.cross(d[1 + k, m], d[0, 1]) + np.cross(d[1, 0], d[k, 1 + m])
        change = (change - n * np.einsum("nc,nc->n", n, change)[:, None]) / size
        found.append(d[k, m] + by[:, None] * change)
    return found[0], found[1], found[2]


def side_of(surface: Surface, place: Floats) -> int:
    """On which side of a surface a place (3,) lies: 1 where its normal looks, else -1."""
    foot = foot_points(surface, place[None])
    return 1 if float((place - foot.points[0]) @ surface.normals(foot.uv)[0]) >= 0 else -1
