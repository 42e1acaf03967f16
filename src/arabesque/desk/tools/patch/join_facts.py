"""What is told of a surface that was made to meet others: how it does, and how near it is to the scan."""

from __future__ import annotations

from arabesque.checking import Limits, find_joins, shape_to_scan
from arabesque.desk.facts import Fact
from arabesque.geometry import Surface
from arabesque.recipes import BorderOf, Given
from arabesque.scan import Scan
from arabesque.shapes import Rimmed, can


def join_facts(label: str, source: Given, to: BorderOf, made: Surface, own: int) -> list[Fact]:
    """How a surface's own edge meets a border with the order asked for; nothing where they do not run together."""
    if not can(source.shapes[to.of], Rimmed):
        return []
    keys = {(0, to.rim), (1, own)}
    joins = [join for join in find_joins([source.shapes[to.of], made]) if {join.first, join.second} == keys]
    if not joins:
        return []
    worst = min(joins, key=lambda join: join.rank())
    return [Fact(label, worst.word(), "good" if worst.grade(Limits()) >= to.order else "bad")]


def distance_fact(label: str, surface: Surface, scan: Scan, tolerance: float) -> Fact:
    """How near 99 % of a surface are to a scan, but for its dents and spikes."""
    figures = shape_to_scan(surface, scan).figures(tolerance)
    return Fact(label, f"{figures.inlier_p99:.3f} mm", "good" if figures.within(tolerance) else "bad")
