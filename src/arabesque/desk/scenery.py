"""The picture of the document: what is shown, and how, under the present glances."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.patches import patch_edges, patch_triangles
from arabesque.desk.session import Session
from arabesque.desk.tools import Tool
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Paint, Scene, Triangles, net_segments, polyline
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.scan import Scan

RANGE_IN_TOLERANCES = 5.0


class Glance(Enum):
    """A check that is laid over the picture; the value is its key and its word."""

    DISTANCE = ("1", "distance")
    CURVATURE = ("6", "scan curvature")
    NET = ("7", "control net")

    @property
    def key(self) -> str:
        """The number key."""
        return self.value[0]

    @property
    def word(self) -> str:
        """The word on its chip."""
        return self.value[1]


class ScanLook(Enum):
    """How the reference scan is shown."""

    SOLID = "solid"
    SEE_THROUGH = "see-through"
    HIDDEN = "hidden"


@dataclass
class Looks:
    """What the view shows besides the items: the glances, and the look of scans."""

    glances: frozenset[Glance] = frozenset()
    scans: ScanLook = ScanLook.SOLID
    alone: frozenset[str] = frozenset()
    """Ids of the only items that show, or empty."""


def compose(session: Session, looks: Looks, tool: Tool, camera: Camera, moving: bool = False) -> Scene:
    """The scene for the document, the looks and the running tool; coarser while the camera moves."""
    tolerance = session.document.tolerance
    scene = Scene(
        show_distance=Glance.DISTANCE in looks.glances,
        tolerance=tolerance,
        distance_range=RANGE_IN_TOLERANCES * tolerance,
    )
    for item in session.document:
        if not shows(session, looks, item):
            continue
        if isinstance(item.shape, Scan):
            if looks.scans is not ScanLook.HIDDEN:
                scene = _with_scan(scene, session, looks, item, item.shape, moving)
        elif isinstance(item.shape, Surface):
            _add_patch(scene, session, item, item.shape)
            if Glance.NET in looks.glances:
                scene.lines.append(Lines(net_segments(item.shape.points), theme.now().net, 1.0, 0.8, on_top=True))
                points = item.shape.points.reshape(-1, 3)
                scene.discs.append(Discs(points, np.zeros(len(points)), 2.8))
        elif isinstance(item.shape, Curve):
            u = np.linspace(*item.shape.domain, 40 * item.shape.spans + 1)
            scene.lines.append(Lines(polyline(item.shape.at(u)), *_ink(session, item), lift=0.6))
    for part in tool.parts(camera):
        add(scene, part)
    return scene


def shows(session: Session, looks: Looks, item: Item) -> bool:
    """True when an item is to be seen: not hidden, and not put aside by showing others alone."""
    alone = not looks.alone or item.id in looks.alone or item.id == session.document.reference
    return alone and session.document.shows(item)


def _ink(session: Session, item: Item) -> tuple[str, float]:
    """Colour and width of an item's edges: accent when selected, else its layer's colour."""
    selected = session.selection
    if selected is not None and selected.id == item.id:
        return theme.now().accent, 2.4
    layer = session.document.layer_of(item)
    return (theme.now().view_ink, 1.4) if layer is None else (layer.colour, 2.2)


def _with_scan(scene: Scene, session: Session, looks: Looks, item: Item, scan: Scan, moving: bool) -> Scene:
    through = item.look.see_through or looks.scans is ScanLook.SEE_THROUGH
    dimmed = session.document.dims(item)
    curvature = session.scan_views.curvature(scan) if Glance.CURVATURE in looks.glances else None
    stand_in = session.scan_views.stand_in(scan) if moving and curvature is None else None
    points, normals, triangles = stand_in or (scan.points, scan.smoothed_normals, scan.triangles)
    slot = item.id if stand_in is None else f"{item.id} coarse"
    values, paint = (curvature[0], Paint.CURVATURE) if curvature is not None else (None, None)
    mesh = Triangles(
        slot, points, normals, triangles, theme.now().clay, values, paint, see_through=through, dimmed=dimmed
    )
    scene.triangles.append(mesh)
    return scene if curvature is None else replace(scene, curvature_range=curvature[1])


def add(scene: Scene, part: Triangles | Lines | Discs | Label) -> None:
    """Add one part to the list of its kind."""
    kinds: dict[type, list] = {
        Triangles: scene.triangles, Lines: scene.lines, Discs: scene.discs, Label: scene.labels,
    }  # fmt: skip
    kinds[type(part)].append(part)


def _add_patch(scene: Scene, session: Session, item: Item, surface: Surface) -> None:
    grid = session.meters.grid(surface, session.scan)
    if grid is None:
        return
    scene.triangles.append(patch_triangles(item.id, grid, item.look.see_through, session.document.dims(item)))
    colour, width = _ink(session, item)
    scene.lines.append(Lines(polyline(patch_edges(grid), closed=True), colour, width, lift=0.6))


def bounds(session: Session) -> tuple[Floats, Floats] | None:
    """The box round everything that is shown, or round everything when nothing is."""
    items = [item for item in session.document if session.document.shows(item)] or list(session.document)
    if not items:
        return None
    points = [item.shape.points.reshape(-1, 3) for item in items]
    return np.min([p.min(axis=0) for p in points], axis=0), np.max([p.max(axis=0) for p in points], axis=0)
