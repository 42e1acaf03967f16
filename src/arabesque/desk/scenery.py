"""The picture of the document: what is shown, and how, under the present looks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from arabesque.desk.checks import CHECKS
from arabesque.desk.kinds import Pen, shown_of
from arabesque.desk.looks import Looks
from arabesque.desk.session import Session
from arabesque.desk.tools import Tool
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Part, Scene

RANGE_IN_TOLERANCES = 5.0
JUST = 1e-3
"""Of a limit: what lacks less keeps it."""


def compose(
    session: Session,
    looks: Looks,
    tool: Tool,
    camera: Camera,
    moving: bool = False,
    exact: bool = True,
    besides: Sequence[Part] = (),
) -> Scene:
    """The scene for the document, the looks and the running tool.

    moving: the camera moves, scans may be coarser. exact: stripes by the exact
    normals; not where pictures take long and one moves. besides: what else is shown.
    """
    tolerance = session.document.tolerance if tool.map_tolerance is None else tool.map_tolerance
    scene = Scene(
        show_distance=tool.map_tolerance is not None,
        hatched=tool.hatched,
        tolerance=tolerance,
        distance_range=RANGE_IN_TOLERANCES * tolerance,
    )
    short_of = tool.short_of
    if short_of is not None:
        scene = replace(scene, short_of=short_of, tolerance=JUST * short_of[0], distance_range=short_of[0])
    pen = Pen(session, looks, scene, moving, exact, tool.covers)
    checks = [check for check in CHECKS if check.id in looks.on]
    for check in checks:
        check.prepare(pen)
    for item in session.seen.items:
        if item.id not in pen.covered:
            shown_of(item).draw(pen, item)
    loupe = tool.loupe
    if loupe is not None:
        pen.set(loupe=loupe)
    pen.scene.graphs.extend(tool.graphs)
    for check in checks:
        check.lay(pen, session.patches)
    for part in (*tool.parts(camera), *besides):
        pen.add(part)
    return pen.scene
