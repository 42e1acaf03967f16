"""A rounded edge between two surfaces, and the trims that it asks for."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Edge, Face, Surface, apply, foot_points
from arabesque.joining import Rolling, Round, Section, Shown, onto_edge, radius_shown, rolling, round_edge
from arabesque.progress import Progress, silent
from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.trimmed_by import CutBy, TrimmedBy
from arabesque.scan import Scan

PAST, AMPLE = 0.5, 1.5
"""mm by which a round cuts on past its ends, and times what is missing there: a surface may go on beyond it."""


@dataclass(frozen=True, eq=False)
class RoundBetween(Recipe):
    """Between surfaces ``one`` and ``two`` (ids), along the edge that passes nearest to a place (3,).

    sides: see ``joining.Rolling``. radii: mm, at the start, in the middle and at the end of the edge; with ``chord``
    the lengths between both contacts. pull: how far a section that is not circular follows the surfaces.
    """

    word = "round"

    one: str
    two: str
    near: Floats
    sides: tuple[int, int]
    radii: tuple[float, float, float]
    section: Section = Section.CIRCLE
    chord: bool = False
    pull: float = 1.0

    def __post_init__(self) -> None:
        object.__setattr__(self, "near", frozen_array(self.near, (3,), np.float64, what="Place"))

    @property
    def inputs(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((self.one, self.two)))

    def moved(self, matrix: Floats) -> RoundBetween:
        return replace(self, near=apply(matrix, self.near[None])[0])

    def ball(self, given: Given) -> Rolling:
        """The ball that rolls along the edge; raises ArabesqueError where there is none."""
        shapes = [given.shapes[key] for key in (self.one, self.two)]
        if not all(isinstance(shape, Surface) for shape in shapes):
            raise ArabesqueError("What is rounded is no surface any more", "Undo that, or make the round free")
        return rolling(shapes[0], shapes[1], self.near, self.sides)

    def shown(self, given: Given, scan: Scan) -> Shown:
        """Which radius a scan shows along the edge."""
        return radius_shown(self.ball(given), scan)

    def made(self, given: Given) -> Round:
        """With what is to be told of it."""
        return round_edge(self.ball(given), self.radii, self.section, self.chord, self.pull)

    def build(self, given: Given, progress: Progress = silent) -> Surface:
        return self.made(given).surface

    def cuts(self, key: str, made: Round, given: Given) -> list[tuple[TrimmedBy, Face]]:
        """How the round, which has the id ``key``, cuts both surfaces, and what is left of them: what lies beyond its
        contacts. Where one surface ends before the other, its line goes on straight to the border. Raises
        ArabesqueError where it does not reach that."""
        there = replace(given, shapes={**given.shapes, key: made.surface})
        found = []
        for trim in self._trims(key, made, given):
            short = [one.missing for one in trim.pieces(there).loose if np.isfinite(one.missing)]
            far = PAST + AMPLE * max(short, default=0.0)
            trim = replace(trim, cutters=tuple(replace(one, further=far) for one in trim.cutters))
            found.append((trim, trim.build(there)))
        return found

    def _trims(self, key: str, made: Round, given: Given) -> list[TrimmedBy]:
        touching = made.touching
        found = []
        for of, rim, uv in ((self.one, Edge.U_LOW, touching.one), (self.two, Edge.U_HIGH, touching.two)):
            surface = given.shapes[of].whole
            middle = len(uv) // 2
            edge = foot_points(surface, touching.edge[middle][None]).uv[0]
            low, high = np.array(surface.domain).T
            inside = np.clip(uv[middle], low, high)
            # half way to the border: it stays on that side when what is rounded moves
            beyond = (inside + onto_edge(inside, uv[middle] - edge, low, high)) / 2
            keep = ((beyond - low) / (high - low))[None]
            found.append(TrimmedBy(of, (CutBy(key, int(rim), None, PAST),), keep))
        return found
