"""The saddle: its skin laid out and given 2.5 mm, two rail bosses added and drilled, a row of slots."""

from __future__ import annotations

from typing import Any

import numpy as np

from arabesque.model import Item
from arabesque.script import Project

SHELL = 2.5
"""mm, a usual shell (common practice)."""
BOSS, BORE, TALL, DEEP = 16.0, 7.0, 8.0, 6.0
RAILS, SLOTS, APART = 18.0, 4, 12.0
ALONG, NEAR = 30, 2.5
"""Samples along a face, and mm round a place, by which the skin is found."""


def build(project: Project) -> Item[Any]:
    """The saddle's shell from its scan."""
    cage = project.layout(140, tolerance=0.5, close=True, detail="calm")
    body = project.thicken([cage], SHELL)
    up, down = [0.0, 0.0, 1.0], [0.0, 0.0, -1.0]
    for y in (RAILS, -RAILS):
        foot = _below(body, 110.0, y)
        body = project.boss(body, foot, down, BOSS, TALL)
        body = project.hole(body, [foot[0], foot[1], foot[2] - TALL + 3.0], down, BORE, DEEP)
    before = body
    top = _above(body, 70.0, 0.0)
    body = project.slot(body, top, up, [0.0, 1.0, 0.0], 3.0, 12.0)
    return project.repeat(body, SLOTS, [1.0, 0.0, 0.0], step=APART, since=before)


def _below(body: Item[Any], x: float, y: float) -> list[float]:
    """The lowest place of a body under (x, y), and three mm into it, so that a boss has its root there."""
    return [x, y, _heights(body, x, y)[0] + SHELL / 2]


def _above(body: Item[Any], x: float, y: float) -> list[float]:
    return [x, y, _heights(body, x, y)[1]]


def _heights(body: Item[Any], x: float, y: float) -> tuple[float, float]:
    """Lowest and highest place of a body near (x, y)."""
    places = body.shape.sampler(ALONG).read(body.shape).points
    near = np.hypot(places[:, 0] - x, places[:, 1] - y) < NEAR
    return float(places[near, 2].min()), float(places[near, 2].max())
