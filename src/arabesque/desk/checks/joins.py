"""How patches meet along their edges."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from arabesque.checking import Join, Limits, find_joins
from arabesque.desk import theme
from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen
from arabesque.desk.session import Session
from arabesque.desk.view.scene import Discs, Label, Lines, Part, polyline
from arabesque.model import Item
from arabesque.shapes import Rimmed, can

CROWDED = 16
"""With more joins than that the good ones have no words."""


@dataclass(frozen=True)
class JoinLook:
    """From which gap, angle and bend on a join fails. reach: mm up to which edges count as meeting; 0 by itself. asked:
    the continuity that all are to have."""

    limits: Limits = field(default_factory=Limits)
    reach: float = 0.0
    asked: int = 1


class Joins(Check):
    """Edges that meet, with the continuity that they reach."""

    id = "joins"
    key = "8"
    word = "joins"
    Look = JoinLook

    def lay(self, pen: Pen, items: list[Item]) -> None:
        for part in join_parts(pen.looks.of(self).limits, joins(pen.session, rimmed(pen.session))):
            pen.add(part)


JOINS = Joins()


def limits_of(session: Session) -> Limits:
    """The limits as they are chosen."""
    found: Limits = session.looks.of(JOINS).limits
    return found


def rimmed(session: Session) -> list[Item]:
    """What shows and has rims."""
    return [item for item in session.patches if can(item.shape, Rimmed)]


def owners(items: list[Item]) -> list[Item]:
    """To which item each of the patches belongs whose numbers stand in joins."""
    return [item for item in items for _ in item.shape.patches()]


def joins(session: Session, items: list[Item]) -> list[Join]:
    """How the patches of some items meet, in numbers of all their patches one after the other: see ``owners``."""
    reach: float = session.looks.of(JOINS).reach
    # the patches of a network meet each other too
    shapes = tuple(patch for item in items for patch in item.shape.patches())
    return session.kept(find_joins, shapes, reach or None, session.join_memory)


def join_parts(limits: Limits, found: list[Join]) -> list[Part]:
    """Edges that meet, with the grade in words at their middle, and signs along them.

    Filled: position or tangent fails there. Hollow: curvature fails. Large: what fails next is worst there. Among many
    only joins below G2 have words: those ask for work.
    """
    parts: list[Part] = []
    t = theme.now()
    for join in found:
        grade = join.grade(limits)
        colour = t.outside if grade < 1 else t.accent
        parts.append(Lines(polyline(join.points), colour, 3.0, on_top=True))
        quiet = grade >= 2 and len(found) > CROWDED
        if not quiet:
            parts.append(Label(join.points[len(join.points) // 2], join.word(limits)))
        broken = (join.gap > limits.gap) | (join.angle > limits.angle)
        bent = ~broken & (join.curvature > limits.curvature)
        for mask, state, colour in ((broken, 0.0, t.outside), (bent, 3.0, t.accent)):
            if mask.any():
                parts.append(Discs(join.points[mask], np.full(int(mask.sum()), state), 3.0, colour))
        if grade < 3 and not quiet:
            parts.append(Discs(join.points[[join.worst(limits)]], np.zeros(1), 5.0, t.outside))
    return parts
