"""The jug: laid out alike on both sides, closed to a solid, with a raised ring on its belly."""

from __future__ import annotations

from typing import Any

import numpy as np

from arabesque.demo import Juniper
from arabesque.geometry import Element, ElementKind, Sketch
from arabesque.model import Item
from arabesque.script import Project

QUADS = 500
RAISED, SUNK = 0.8, 0.5
"""mm: how far the ring stands out, and reaches in."""
OUTER, INNER = 12.0, 10.0


def build(project: Project) -> Item[Any]:
    """The jug from its scan."""
    belly = project.patch(Juniper().corners["belly"])
    cage = project.layout(QUADS, close=True)
    body = project.sew([cage])
    circle = ElementKind.CIRCLE
    points = np.array([[0.0, 0.0], [OUTER, 0.0], [INNER, 0.0]])
    ring = project.add("Ring", Sketch(np.eye(4), points, (Element(circle, (0, 1)), Element(circle, (0, 2)))))
    middle = belly.shape.at([[0.5, 0.5]])[0]
    raised = project.wrap(ring, belly, middle, height=RAISED, sunk=SUNK)
    return project.add_bodies(body, raised)
