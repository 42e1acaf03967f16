"""The hand wheel: turned from a half section whose values the scan gives, a stem, five hollows that are free surfaces,
rounded and repeated, and a square socket."""

from __future__ import annotations

from typing import Any

import numpy as np

from arabesque.demo import Dipper
from arabesque.geometry import Element, ElementKind, Sketch, frame_of, motion
from arabesque.model import Item
from arabesque.script import Project
from arabesque.solid import rounded_value

UP = [0.0, 0.0, 1.0]
READ = 0.12
"""mm: so far a value may lie from a round one to be taken for it, over the scan's noise."""
SOCKET, DEEP = 10.0, 16.0
"""mm: the square that the wheel sits on, by its drawing."""
FILLET, SOFT = 1.6, 0.9
"""mm: of the stem's foot, and of the hollows' rims."""
BETWEEN = [30.47, 22.14, 2.34]
"""A place on the round edge, between two hollows."""
LINE, ARC = ElementKind.LINE, ElementKind.ARC


def build(project: Project) -> Item[Any]:
    """The wheel from its scan; it stands on its back with its axis along z."""
    scan = project.scan
    regions = project.regions(0.5)
    heights = [_height(project, regions, place) for place in ([20.0, 0.0, 0.0], [20.0, 0.0, 20.0], [0.0, 7.5, 34.0])]
    stem = project.true_shape(regions, [9.0, 0.0, 27.0])
    radius = rounded_value(float(stem.shape.sizes[0]), READ)
    back, face, end = heights
    edge = project.true_shape(regions, BETWEEN)
    flat, corner = (rounded_value(float(size), READ) for size in edge.shape.sizes)
    outer = flat + corner
    half = half_section(outer, face - back, corner)
    wheel = project.profile_body(project.add("Half section", half), axis=UP)
    stem_on = project.boss(wheel, [0, 0, face], UP, 2 * radius, end - face)
    footed = project.round_body(stem_on, [radius, 0, face], FILLET)
    # one hollow as the scan has it, past the body
    middles = scan.points[scan.triangles].mean(axis=1)
    inside = (np.abs(Dipper().hollow(*middles.T)) < 0.15) & (np.hypot(*middles[:, :2].T) > outer - 7)
    hollow = project.surface_of_region(marked=inside, within=0.1, past=5.0)
    one = project.part_body(footed, hollow)
    rim = [[33.1, 0, 0.1], [36.2, -7.6, 1.9], [36.2, 7.6, 1.9], [33.9, 0, 19.8], [36.9, 7.4, 17.7], [36.8, -7.4, 17.7]]
    five = project.repeat(project.round_body(one, rim, SOFT), 5, UP, since=footed)
    socket = project.add("Socket", square(SOCKET, end))
    return project.profile_body(socket, five, "cut away", ahead=1, back=DEEP, way=UP)


def _height(project: Project, regions: Item[Any], place: list[float]) -> float:
    """Where a flat of the wheel lies along its axis, rounded."""
    plane = project.true_shape(regions, place)
    height = float(plane.shape.origin[2])
    return 0.0 if abs(height) < READ else rounded_value(height, READ)


def half_section(outer: float, high: float, corner: float) -> Sketch:
    """Of a disc with round edges, in the plane of x and z."""
    flat = outer - corner
    low = [[0.0, 0.0], [flat, 0.0], [flat, corner], [outer, corner]]
    top = [[outer, high - corner], [flat, high - corner], [flat, high], [0.0, high]]
    elements = (
        Element(LINE, (0, 1)), Element(ARC, (2, 1, 3)), Element(LINE, (3, 4)), Element(ARC, (5, 4, 6)),
        Element(LINE, (6, 7)),
    )  # fmt: skip
    return Sketch(frame_of([0, 0, 0], [0, -1, 0], [1, 0, 0]), np.array([*low, *top]), elements)


def square(side: float, height: float) -> Sketch:
    """The socket's square, at a height along the axis."""
    half = side / 2
    points = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    return Sketch(motion(shift=[0, 0, height]), points, tuple(Element(LINE, (k, (k + 1) % 4)) for k in range(4)))
