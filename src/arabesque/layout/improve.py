"""A laid cage made better by whole strips of faces: one more where it fails, those out that are not needed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import Enum
from typing import Any

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.cages import Cage, CageProblem
from arabesque.cages.edits import collapse_row, halved, insert_loop, mirror_and_weld
from arabesque.cages.rows import Strip, strip_of
from arabesque.checking import BothWays, measure_both_ways, read_cage_net, shape_to_scan
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.fitting import CageFit, CageSettings, fit_cage
from arabesque.geometry import Plane
from arabesque.layout.ground import FEWEST, MOST
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan

TRIED = {"closer": 3, "lighter": 4, "calmer": 6}
"""How many strips are fitted before the best of them is taken, or none."""
NO_WORSE = 1.02
ALONG = 60


class Aim(Enum):
    """What a cage is to become; the value is its word in files and commands."""

    CLOSER = "closer"
    LIGHTER = "lighter"
    CALMER = "calmer"


@dataclass(frozen=True, eq=False)
class Improved:
    """A cage after strips were put in or taken out, and fitted. before: its figures. strips: how many. faces: the
    number of faces that came or went. where: (k, 2, 3) rungs of the strips, where they lay or lie."""

    cage: Cage
    fit: CageFit
    before: BothWays
    strips: int
    faces: int
    where: Floats

    @property
    def gain(self) -> float:
        """By how much the worse p99 fell, mm, for each face that was added or taken; negative where it rose."""
        return (self.before.inlier_p99 - self.fit.figures.inlier_p99) / max(abs(self.faces), 1)

    def as_record(self) -> dict[str, Any]:
        """Plain values for a report; lengths in mm."""
        return {
            **self.fit.as_record(),
            "before": self.before.as_record(),
            "strips": self.strips,
            "faces_changed": self.faces,
            "gain": self.gain,
        }

    @property
    def words(self) -> str:
        """What was done, for the history."""
        strips = "a strip" if self.strips == 1 else f"{self.strips} strips"
        return f"{strips} put in" if self.faces > 0 else f"{strips} taken out"


def improved(
    cage: Cage, scan: Scan, aim: Aim, tolerance: float, plane: Plane | None = None, most: int = 1,
    progress: Progress = silent,
) -> Improved:  # fmt: skip
    """The cage with up to ``most`` strips put in or taken out, one after the other, each the best of some.

    closer: through the faces that fail the tolerance, by what is gained a face. lighter: those out without which the
    tolerance is kept still, or kept as well. calmer: those out that leave fewer irregular points. plane: the cage is
    alike on both sides of it and stays so. Raises FitProblem when nothing helps. Strips: Daniels, Silva, Shepherd and
    Cohen, "Quadrilateral mesh simplification", ACM TOG 27, 2008.
    """
    if most < 1:
        raise ArabesqueError(f"{most} strips are not possible", "Give a number from 1 on")
    before = measure_both_ways([cage], scan, tolerance)
    now = _Now(cage, scan, tolerance, plane, before)
    rungs: list[Floats] = []
    fit: CageFit | None = None
    for number in range(most):
        steps = part(progress, number / most, (number + 1) / most)
        found = _next(now, aim, steps)
        if found is None:
            break
        strip, fit = found
        rungs.append(strip)
        now = _Now(fit.cage, scan, tolerance, plane, fit.figures)
        if aim is Aim.CLOSER and fit.within:
            break
    progress(1.0, "Improved")
    if fit is None:
        raise FitProblem(*_NOTHING[aim])
    return Improved(now.cage, fit, before, len(rungs), now.cage.count - cage.count, np.concatenate(rungs))


_NOTHING = {
    Aim.CLOSER: ("No strip brings the cage nearer to the scan", "Fit it first, or ask for a smaller tolerance"),
    Aim.LIGHTER: ("Every strip is needed for the tolerance", "Ask for a larger tolerance"),
    Aim.CALMER: ("No strip can go that would leave fewer irregular points", "Lay it out with less detail"),
}


@dataclass(frozen=True, eq=False)
class _Now:
    """A cage on its way, and how it stands."""

    cage: Cage
    scan: Scan
    tolerance: float
    plane: Plane | None
    figures: BothWays

    @property
    def own(self) -> Cage:
        """What is edited: of a cage that is alike, one half."""
        return self.cage if self.plane is None else halved(self.cage, self.plane, True)

    def whole(self, own: Cage) -> Cage:
        """The cage of an edited half."""
        return own if self.plane is None else mirror_and_weld(own, self.plane)

    def fitted(self, own: Cage, progress: Progress) -> CageFit:
        """The fit of an edited half."""
        settings = CageSettings(self.tolerance, plane=self.plane, placed=True)
        return fit_cage(self.whole(own), self.scan, settings, progress)


def _next(now: _Now, aim: Aim, progress: Progress) -> tuple[Floats, CageFit] | None:
    """The best strip to put in or take out next: its rungs, and the fit without or with it."""
    own = now.own
    best: tuple[float, Floats, CageFit] | None = None
    begun = now.figures.inlier_p99
    tried = 0
    for strip, made in _candidates(now, own, aim):
        if tried == TRIED[aim.value]:
            break
        steps = part(progress, tried / TRIED[aim.value], (tried + 1) / TRIED[aim.value])
        tried += 1
        try:
            fit = now.fitted(made, steps)
        except (CageProblem, FitProblem):
            continue
        if fit.net.folded.any():
            continue
        if aim is Aim.CLOSER:
            gain = (begun - fit.figures.inlier_p99) / len(strip.faces)
            if gain > 0 and (best is None or gain > best[0]):
                best = gain, own.points[strip.rungs], fit
        elif fit.figures.within(now.tolerance) or fit.figures.inlier_p99 <= NO_WORSE * begun:
            # they come with the least needed first
            return own.points[strip.rungs], fit
    return None if best is None else best[1:]


def _candidates(now: _Now, own: Cage, aim: Aim) -> Iterator[tuple[Strip, Cage]]:
    strips = strips_of(own)
    if aim is Aim.CLOSER:
        lack = _lack(own, now)
        gains = [float(lack[strip.faces].sum()) / len(strip.faces) for strip in strips]
        for k in np.argsort(gains)[::-1]:
            if gains[k] <= 0:
                return
            yield strips[k], insert_loop(own, _half(own, strips[k]), 0.5, keep_form=False)
        return
    odd = _oddness(own)
    needs = np.array([_need(own, strip) for strip in strips])
    without: list[tuple[float, float, int, Cage]] = []
    for k in np.argsort(needs):
        try:
            made = collapse_row(own, _half(own, strips[k]))
        except CageProblem:
            continue
        if not workable(made) or read_cage_net(made).folded.any():
            continue
        fewer = odd - _oddness(made)
        if aim is Aim.LIGHTER and fewer >= 0:
            yield strips[k], made
        elif aim is Aim.CALMER and fewer > 0:
            without.append((-float(fewer), float(needs[k]), int(k), made))
    for _, _, k, made in sorted(without, key=lambda one: one[:3]):
        yield strips[k], made


def strips_of(cage: Cage) -> list[Strip]:
    """Every strip of faces once."""
    quads = cage.quads
    seen = np.zeros(len(quads.edges), dtype=bool)
    found = []
    for half in range(len(quads.starts)):
        if not seen[quads.edge_of[half]]:
            strip = strip_of(quads, half)
            seen[quads.numbers(strip.rungs)] = True
            found.append(strip)
    return found


def _half(cage: Cage, strip: Strip) -> int:
    """A half-edge along the first rung of a strip."""
    quads = cage.quads
    start, end = strip.rungs[0]
    either = (quads.starts == start) & (quads.ends == end) | (quads.starts == end) & (quads.ends == start)
    return int(np.flatnonzero(either)[0])


def _lack(cage: Cage, now: _Now) -> Floats:
    """(f,) how much of each face's area, times how far, is beyond the tolerance; nothing where all of it is within."""
    measured = shape_to_scan(cage, now.scan, ALONG)
    areas = measured.samples.areas * measured.valid * ~measured.apart(now.tolerance)
    beyond = np.maximum(np.abs(measured.distance) - now.tolerance, 0.0)
    found = np.bincount(measured.samples.part, areas * beyond, cage.count)
    if not found.any():
        # where only the scan is missed, the surface is the furthest from it nearby
        found = np.bincount(measured.samples.part, areas * measured.distance**2, cage.count)
    return np.asarray(found)


def _need(cage: Cage, strip: Strip) -> float:
    """mm by which the surface rises between the sides of a strip, about: what is lost without it."""
    normals, limit = cage.frames().normals, cage.limit
    a, b = strip.rungs.T
    turn = np.arccos(np.clip(np.einsum("nc,nc->n", normals[a], normals[b]), -1, 1))
    return float((np.linalg.norm(limit[b] - limit[a], axis=1) * turn).max() / 8)


def _oddness(cage: Cage) -> int:
    """How far the valences of a cage's points inside are from four, together."""
    quads = cage.quads
    return int(np.abs(quads.valence[~quads.on_border] - 4).sum())


def workable(cage: Cage) -> bool:
    """True where no point inside is of too few or too many faces to be worked with."""
    inside: Ints = cage.quads.valence[~cage.quads.on_border]
    return bool(((inside >= FEWEST) & (inside <= MOST)).all())
