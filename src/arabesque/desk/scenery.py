"""The picture of the document: what is shown, and how, under the present glances."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.patches import patch_edges, patch_triangles
from arabesque.desk.session import Session
from arabesque.desk.tools import Tool
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Scene, Triangles, net_segments, polyline
from arabesque.geometry import Surface
from arabesque.scan import Scan

RANGE_IN_TOLERANCES = 5.0


class Glance(Enum):
    """A check that is laid over the picture; the value is its key and its word."""

    DISTANCE = ("1", "distance")
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


def compose(session: Session, looks: Looks, tool: Tool, camera: Camera) -> Scene:
    """The scene for the document, the looks and the running tool."""
    tolerance = session.document.tolerance
    scene = Scene(
        show_distance=Glance.DISTANCE in looks.glances,
        tolerance=tolerance,
        distance_range=RANGE_IN_TOLERANCES * tolerance,
    )
    selected = session.selection
    for item in session.document:
        if not item.look.visible:
            continue
        if isinstance(item.shape, Scan):
            if looks.scans is not ScanLook.HIDDEN:
                through = item.look.see_through or looks.scans is ScanLook.SEE_THROUGH
                scene.triangles.append(_scan_triangles(item.id, item.shape, through))
        elif isinstance(item.shape, Surface):
            _add_patch(scene, session, item.id, item.shape, selected is not None and selected.id == item.id)
            if Glance.NET in looks.glances:
                scene.lines.append(Lines(net_segments(item.shape.points), theme.LIGHT.net, 1.0, 0.8, on_top=True))
                points = item.shape.points.reshape(-1, 3)
                scene.discs.append(Discs(points, np.zeros(len(points)), 2.8))
    for part in tool.parts(camera):
        add(scene, part)
    return scene


def add(scene: Scene, part: Triangles | Lines | Discs | Label) -> None:
    """Add one part to the list of its kind."""
    kinds: dict[type, list] = {
        Triangles: scene.triangles, Lines: scene.lines, Discs: scene.discs, Label: scene.labels,
    }  # fmt: skip
    kinds[type(part)].append(part)


def _add_patch(scene: Scene, session: Session, item_id: str, surface: Surface, selected: bool) -> None:
    grid = session.meters.grid(surface, session.scan)
    if grid is None:
        return
    item = session.document[item_id]
    scene.triangles.append(patch_triangles(item_id, grid, item.look.see_through))
    edges: Floats = polyline(patch_edges(grid), closed=True)
    if selected:
        scene.lines.append(Lines(edges, theme.LIGHT.accent, 2.4, lift=0.6))
    else:
        scene.lines.append(Lines(edges, theme.LIGHT.view_ink, 1.4, lift=0.6))


def _scan_triangles(slot: str, scan: Scan, see_through: bool) -> Triangles:
    return Triangles(
        slot, scan.points, scan.smoothed_normals, scan.triangles, theme.LIGHT.clay, see_through=see_through
    )


def bounds(session: Session) -> tuple[Floats, Floats] | None:
    """The box round everything that is shown, or round everything when nothing is."""
    items = [item for item in session.document if item.look.visible] or list(session.document)
    if not items:
        return None
    points = [item.shape.points.reshape(-1, 3) for item in items]
    return np.min([p.min(axis=0) for p in points], axis=0), np.max([p.max(axis=0) for p in points], axis=0)
