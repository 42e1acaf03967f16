"""Patches, faces and true shapes: porcelain with ink edges, coloured and judged by the checks."""

from __future__ import annotations

import numpy as np

from arabesque.checking import Grid
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.base import Pen, Shown
from arabesque.desk.patches import LIFT, form_triangles, patch_edges, patch_triangles
from arabesque.desk.session import Session
from arabesque.desk.view.picking import surface_under
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Lines, polyline
from arabesque.geometry import Elementary, Face, Surface
from arabesque.model import Item


class ShownSurface(Shown):
    """A patch; its live mirror image is drawn with it."""

    made = Surface
    icon = "ph.polygon"
    actions = (
        "edit-points", "edges", "refit", "raise-u", "raise-v", "lower-u", "lower-v", "weight-map", "twins",
    )  # fmt: skip

    def draw(self, pen: Pen, item: Item) -> None:
        for patch in pen.session.document.with_images([item]):
            self._draw_one(pen, patch)

    def _draw_one(self, pen: Pen, item: Item) -> None:
        session, gloss = pen.session, pen.scene.gloss
        grid = session.grid(item)
        if grid is None:
            return
        dimmed = session.document.dims(item)
        if pen.form is not None and gloss is None:
            mesh = session.kept(form_triangles, item.id, grid, item.shape, pen.form, dimmed)
        else:
            exact = item.shape if gloss is not None and pen.exact else None
            mesh = session.kept(patch_triangles, item.id, grid, item.look.see_through, dimmed, exact)
        pen.add(mesh)
        colour, width = pen.ink(item)
        pen.add(Lines(polyline(patch_edges(grid), closed=True), colour, width, lift=0.6))
        for border in self.borders(item):
            pen.add(Lines(polyline(border, closed=True), colour, width, lift=0.6))

    def borders(self, item: Item) -> list[np.ndarray]:
        """Closed lines that are drawn besides its four edges."""
        return []

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        depths = []
        for patch in session.document.with_images([item]):
            grid = session.grid(patch)
            depth = None if grid is None else surface_under(pointer.camera, grid.points, pointer.x, pointer.y)
            depths += [] if depth is None else [depth - LIFT]
        return min(depths, default=None)

    def facts(self, session: Session, item: Item) -> list[Fact]:
        surface = item.shape
        facts = [
            Fact("Degree", f"{surface.degree[0]} x {surface.degree[1]}"),
            Fact("Spans", f"{surface.spans[0]} x {surface.spans[1]}"),
            Fact("Control points", str(surface.count)),
        ]
        grid = session.grid(item)
        if grid is not None and grid.valid.any():
            tolerance = session.document.tolerance
            f = session.kept(Grid.figures, grid, tolerance)
            facts += [
                Fact("99 % of inliers", f"{f.inlier_p99:.3f} mm", "good" if f.within(tolerance) else "bad"),
                Fact("rms", f"{f.rms:.3f} mm"),
                Fact("Highest", f"{f.highest:+.3f} mm"),
                Fact("Lowest", f"{f.lowest:+.3f} mm"),
                Fact("Inside", f"{100 * f.inside:.1f} %"),
                Fact("Outliers", f"{100 * f.outlier_share:.1f} %"),
                Fact("No scan below", f"{100 * grid.missing:.1f} %"),
            ]
        return facts

    def state(self, session: Session, item: Item) -> tuple[str, str, str]:
        grid, tolerance = session.grid(item), session.document.tolerance
        if grid is None or session.scan is None or not grid.valid.any():
            return "○", "Not checked", theme.now().faint
        if session.kept(Grid.figures, grid, tolerance).within(tolerance):
            return "●", "Within the tolerance", theme.now().inside
        return "▲", "Outside the tolerance", theme.now().outside


class ShownFace(ShownSurface):
    """A patch of which a trim shows a part: the trim is a line on it."""

    made = Face
    icon = "ph.scissors"

    def borders(self, item: Item) -> list[np.ndarray]:
        return item.shape.borders()


class ShownTrueShape(ShownSurface):
    """A plane, cylinder, cone, sphere or torus."""

    made = Elementary
    icon = "ph.database"

    def facts(self, session: Session, item: Item) -> list[Fact]:
        shape = item.shape
        words = {1: ("Radius",), 2: ("Radius", "Second size")}.get(len(shape.sizes), ())
        if shape.kind.value == "cone":
            words = ("Radius", "Half angle")
        sizes = [
            Fact(word, f"{np.degrees(size):.3f}°" if word == "Half angle" else f"{size:.4f} mm")
            for word, size in zip(words, shape.sizes, strict=True)
        ]
        axis = "  ".join(f"{value:.4f}" for value in shape.axis)
        return [Fact("True shape", shape.kind.value), *sizes, Fact("Axis", axis), *super().facts(session, item)]
