"""The picture of the document: what is shown, and how, under the present glances."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.judging import (
    comb_parts,
    form_range,
    gloss,
    join_parts,
    joins,
    judged,
    net_parts,
    section_parts,
    shows,
)
from arabesque.desk.looks import Glance, Looks, ScanLook
from arabesque.desk.patches import form_triangles, patch_edges, patch_triangles
from arabesque.desk.scene_box import model_box
from arabesque.desk.session import Session
from arabesque.desk.tools import Tool
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Paint, Scene, Triangles, net_segments, polyline
from arabesque.geometry import Curve, Face, Surface
from arabesque.model import Item
from arabesque.reading import LineSet, Regions
from arabesque.scan import Scan

RANGE_IN_TOLERANCES = 5.0
MARK_LIFT = 0.0015
"""How far what lies on a scan is pulled towards the eye, as a share of the scan's size."""


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
    for item in session.document:
        if not shows(session, looks, item) or item.id in tool.covers:
            continue
        if isinstance(item.shape, Scan):
            if looks.scans is not ScanLook.HIDDEN:
                scene = _with_scan(scene, session, looks, item, item.shape, moving)
        elif isinstance(item.shape, Surface):
            for patch in session.document.with_images([item]):
                _add_patch(scene, session, looks, patch, exact)
            if Glance.NET in looks.glances:
                scene.lines.append(Lines(net_segments(item.shape.points), theme.now().net, 1.0, 0.8, on_top=True))
                points = item.shape.points.reshape(-1, 3)
                scene.discs.append(Discs(points, np.zeros(len(points)), 2.8))
                for flaw in net_parts(item.shape):
                    add(scene, flaw)
        elif isinstance(item.shape, Curve):
            u = np.linspace(*item.shape.domain, 40 * item.shape.spans + 1)
            scene.lines.append(Lines(polyline(item.shape.at(u)), *_ink(session, item), lift=0.6))
        elif isinstance(item.shape, Regions):
            _add_regions(scene, session, item, item.shape)
        elif isinstance(item.shape, LineSet):
            colour, width = _ink(session, item)
            for line, closed in zip(item.shape.lines, item.shape.closed, strict=True):
                scene.lines.append(Lines(polyline(line, closed), colour, width + 0.6, lift=0.8))
    loupe = tool.loupe
    if loupe is not None:
        scene = replace(scene, loupe=loupe)
    scene.graphs.extend(tool.graphs)
    _add_checks(scene, session, looks)
    for part in tool.parts(camera):
        add(scene, part)
    return scene


def _add_checks(scene: Scene, session: Session, looks: Looks) -> None:
    """The glances that are lines, discs and words."""
    items = judged(session)
    if Glance.SECTIONS in looks.glances:
        for part in section_parts(session, looks, items):
            add(scene, part)
    if Glance.COMBS in looks.glances and items:
        for part in comb_parts(session, looks, items, size_of(items)):
            add(scene, part)
    if Glance.JOINS in looks.glances:
        for part in join_parts(looks, joins(items)):
            add(scene, part)


def size_of(items: list[Item]) -> float:
    """Diagonal of the box round the control points of some surfaces, mm."""
    points = [item.shape.points.reshape(-1, 3) for item in items if isinstance(item.shape, Surface)]
    return float(np.linalg.norm(np.ptp(np.concatenate(points), axis=0))) if points else 100.0


def _ink(session: Session, item: Item) -> tuple[str, float]:
    """Colour and width of an item's edges: accent when selected, else its layer's colour."""
    if any(selected.id == item.id for selected in session.selected_items):
        return theme.now().accent, 2.4
    layer = session.document.layer_of(item)
    return (theme.now().view_ink, 1.4) if layer is None else (layer.colour, 2.2)


def _with_scan(scene: Scene, session: Session, looks: Looks, item: Item, scan: Scan, moving: bool) -> Scene:
    through = item.look.see_through or looks.scans is ScanLook.SEE_THROUGH
    dimmed = session.document.dims(item)
    shown = Glance.CURVATURE in looks.glances
    curvature = session.scan_views.curvature(scan, looks.curvature) if shown else None
    stand_in = session.scan_views.stand_in(scan) if moving and curvature is None else None
    points, normals, triangles = stand_in or (scan.points, scan.smoothed_normals, scan.triangles)
    slot = item.id if stand_in is None else f"{item.id} coarse"
    values, paint = (curvature[0], Paint.CURVATURE) if curvature is not None else (None, None)
    edges = looks.edges and stand_in is None
    mesh = Triangles(slot, points, normals, triangles, theme.now().clay, values, paint, through, dimmed, edges=edges)
    scene.triangles.append(mesh)
    marked = session.marks.triangles(scan)
    if marked is not None:
        colour = theme.now().marked
        scene.triangles.append(
            Triangles("marks", scan.points, scan.smoothed_normals, marked, colour, lift=MARK_LIFT * scan.diagonal)
        )
    if curvature is None or Glance.FORM in looks.glances:
        return scene
    return replace(scene, curvature_range=looks.curvature_range or curvature[1])


def _add_regions(scene: Scene, session: Session, item: Item, regions: Regions) -> None:
    """The areas in their colours, a little before the scan that they lie on."""
    scan = session.document.scan_of(item)
    meshes = None if scan is None else session.scan_views.areas(scan, regions)
    if scan is None or meshes is None:
        return
    palette = theme.now().areas
    for number, (points, normals, triangles, colour) in enumerate(meshes):
        slot = f"{item.id} area {number}"
        lift = 0.5 * MARK_LIFT * scan.diagonal
        dimmed = session.document.dims(item)
        scene.triangles.append(Triangles(slot, points, normals, triangles, palette[colour], dimmed=dimmed, lift=lift))


def add(scene: Scene, part: Triangles | Lines | Discs | Label) -> None:
    """Add one part to the list of its kind."""
    kinds: dict[type, list] = {
        Triangles: scene.triangles, Lines: scene.lines, Discs: scene.discs, Label: scene.labels,
    }  # fmt: skip
    kinds[type(part)].append(part)


def _add_patch(scene: Scene, session: Session, looks: Looks, item: Item, exact: bool) -> None:
    grid = session.grid(item)
    if grid is None:
        return
    surface = item.shape if scene.gloss is not None and exact and isinstance(item.shape, Surface) else None
    dimmed = session.document.dims(item)
    if Glance.FORM in looks.glances and scene.gloss is None and isinstance(item.shape, Surface):
        mesh = form_triangles(item.id, grid, item.shape, looks.form, dimmed)
    else:
        mesh = patch_triangles(item.id, grid, item.look.see_through, dimmed, surface)
    scene.triangles.append(mesh)
    colour, width = _ink(session, item)
    scene.lines.append(Lines(polyline(patch_edges(grid), closed=True), colour, width, lift=0.6))
    if isinstance(item.shape, Face):
        for border in item.shape.borders():
            scene.lines.append(Lines(polyline(border, closed=True), colour, width, lift=0.6))


def bounds(session: Session) -> tuple[Floats, Floats] | None:
    """The box round everything that is shown; None where there is nothing."""
    low, high = model_box(session.document)
    return (low, high) if (high > low).any() else None
