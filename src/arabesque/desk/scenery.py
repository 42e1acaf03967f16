"""The picture of the document: what is shown, and how, under the present glances."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from arabesque.desk.judging import Part, comb_parts, form_range, gloss, join_parts, joins, section_parts
from arabesque.desk.kinds import Pen, shown_of
from arabesque.desk.looks import Glance, Looks
from arabesque.desk.session import Session
from arabesque.desk.tools.base import Tool
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Scene
from arabesque.geometry import Surface
from arabesque.model import Item

RANGE_IN_TOLERANCES = 5.0


def compose(
    session: Session, looks: Looks, tool: Tool, camera: Camera, moving: bool = False, exact: bool = True
) -> Scene:
    """The scene for the document, the looks and the running tool.

    moving: the camera moves, scans may be coarser. exact: stripes by the exact
    normals; not where pictures take long and one moves.
    """
    tolerance = session.document.tolerance if tool.map_tolerance is None else tool.map_tolerance
    scene = Scene(
        show_distance=Glance.DISTANCE in looks.glances or tool.map_tolerance is not None,
        tolerance=tolerance,
        distance_range=RANGE_IN_TOLERANCES * tolerance,
    )
    if looks.glances & {Glance.STRIPES, Glance.REFLECTION}:
        size = size_of(session.patches)
        scene = replace(scene, gloss=gloss(looks, Glance.REFLECTION in looks.glances, size))
    if Glance.FORM in looks.glances:
        scene = replace(scene, curvature_range=form_range(session, looks), curvature_words=looks.form.value[1])
    pen = Pen(session, looks, scene, moving, exact)
    for item in session.seen.items:
        if item.id not in tool.covers:
            shown_of(item).draw(pen, item)
    if tool.loupe is not None:
        pen.set(loupe=tool.loupe)
    pen.scene.graphs.extend(tool.graphs)
    for part in [*_checks(session, looks), *tool.parts(camera)]:
        pen.add(part)
    return pen.scene


def _checks(session: Session, looks: Looks) -> Iterator[Part]:
    """The glances that are lines, discs and words."""
    items = session.patches
    if Glance.SECTIONS in looks.glances:
        yield from section_parts(session, looks, items)
    if Glance.COMBS in looks.glances and items:
        yield from comb_parts(session, looks, items, size_of(items))
    if Glance.JOINS in looks.glances:
        yield from join_parts(looks, joins(session, items))


def size_of(items: list[Item]) -> float:
    """Diagonal of the box round the control points of some surfaces, mm."""
    points = [item.shape.points.reshape(-1, 3) for item in items if isinstance(item.shape, Surface)]
    return float(np.linalg.norm(np.ptp(np.concatenate(points), axis=0))) if points else 100.0
