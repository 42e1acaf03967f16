"""The demo's hand wheel as a body, from its scan: for the picture of it."""

from __future__ import annotations

import numpy as np

from arabesque.demo import Dipper, demo_project
from arabesque.geometry import Element, ElementKind, Sketch, frame_of, motion
from arabesque.scan import Scan
from arabesque.script import Project

LINE, ARC = ElementKind.LINE, ElementKind.ARC
HALF = Sketch(
    frame_of([0, 0, 0], [0, -1, 0], [1, 0, 0]),
    [[0.0, 0], [32, 0], [32, 8], [40, 8], [40, 12], [32, 12], [32, 20], [0, 20]],
    (Element(LINE, (0, 1)), Element(ARC, (2, 1, 3)), Element(LINE, (3, 4)), Element(ARC, (5, 4, 6)),
     Element(LINE, (6, 7))),
)  # fmt: skip
SQUARE = Sketch(
    motion(shift=[0, 0, 34.0]),
    [[-5.0, -5], [5, -5], [5, 5], [-5, 5]],
    tuple(Element(LINE, (k, (k + 1) % 4)) for k in range(4)),
)
UP = [0.0, 0, 1]


def hand_wheel(project: Project) -> None:
    """Scan and body: turned, with a stem, five hollows that are free surfaces, and a square socket."""
    shape = Dipper()
    scan = demo_project(shape).reference_scan
    assert isinstance(scan, Scan)
    project.add("dipper clay", scan)
    wheel = project.profile_body(project.add("Half section", HALF), axis=UP)
    stem = project.round_body(project.boss(wheel, [0, 0, 20], UP, 18, 14), [9, 0, 20], 1.6)
    middles = scan.points[scan.triangles].mean(axis=1)
    inside = (np.abs(shape.hollow(*middles.T)) < 0.15) & (np.hypot(middles[:, 0], middles[:, 1]) > 33)
    surface = project.surface_of_region(marked=inside, within=0.1, past=5.0)
    one = project.part_body(stem, surface)
    rim = [[33.1, 0, 0.1], [36.2, -7.6, 1.9], [36.2, 7.6, 1.9], [33.9, 0, 19.8], [36.9, 7.4, 17.7], [36.8, -7.4, 17.7]]
    five = project.repeat(project.round_body(one, rim, 0.9), 5, UP, since=stem)
    socket = project.add("Socket", SQUARE)
    project.profile_body(socket, five, "cut away", ahead=1, back=16, way=UP)
