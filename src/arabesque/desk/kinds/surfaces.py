"""Patches, faces and true shapes: porcelain with ink edges, coloured and judged by the checks."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from arabesque.checking import Distances
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.base import Pen, Shown
from arabesque.desk.patches import LIFT, borders, form_triangles, shape_triangles
from arabesque.desk.session import Session
from arabesque.desk.view.picking import triangles_under
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Lines, Material
from arabesque.geometry import Elementary, Face, Patchwork, Surface
from arabesque.model import Item


class ShownSampled(Shown):
    """Whatever has a surface: shaded, with its borders."""

    def draw(self, pen: Pen, item: Item) -> None:
        session, gloss = pen.session, pen.scene.gloss
        measured = session.distances(item)
        if measured is None:
            return
        dimmed = pen.dims(item)
        if pen.form is not None and gloss is None:
            mesh = session.kept(form_triangles, item.id, measured, item.shape, pen.form, dimmed)
        else:
            exact = item.shape if gloss is not None and pen.exact else None
            mesh = session.kept(shape_triangles, item.id, measured, item.look.see_through, dimmed, exact)
        pen.add(mesh)
        if gloss is not None and gloss.material is not Material.MIRROR:
            return  # a look at the form, as it will be: no borders on it
        colour, width = pen.ink(item)
        pen.add(Lines(borders(measured.samples), colour, width, lift=0.6))

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        measured = session.distances(item)
        if measured is None:
            return None
        samples = measured.samples
        depth = triangles_under(pointer.camera, samples.points, samples.triangles, pointer.x, pointer.y)
        return None if depth is None else depth - LIFT

    def facts(self, session: Session, item: Item) -> list[Fact]:
        return [*super().facts(session, item), *self.distance_facts(session, item)]

    def distance_facts(self, session: Session, item: Item) -> list[Fact]:
        """How it stands to the scan."""
        measured, tolerance = session.distances(item), session.document.tolerance
        if measured is None or not measured.valid.any():
            return []
        f = session.kept(Distances.figures, measured, tolerance)
        return [
            Fact("99 % of inliers", f"{f.inlier_p99:.3f} mm", "good" if f.within(tolerance) else "bad"),
            Fact("rms", f"{f.rms:.3f} mm"),
            Fact("Highest", f"{f.highest:+.3f} mm"),
            Fact("Lowest", f"{f.lowest:+.3f} mm"),
            Fact("Inside", f"{100 * f.inside:.1f} %"),
            Fact("Outliers", f"{100 * f.outlier_share:.1f} %"),
            Fact("No scan below", f"{100 * measured.missing:.1f} %"),
        ]

    def state(self, session: Session, item: Item) -> tuple[str, str, str]:
        measured, tolerance = session.distances(item), session.document.tolerance
        if measured is None or session.scan is None or not measured.valid.any():
            return "○", "Not checked", theme.now().faint
        if session.kept(Distances.figures, measured, tolerance).within(tolerance):
            return "●", "Within the tolerance", theme.now().inside
        return "▲", "Outside the tolerance", theme.now().outside


class ShownSurface(ShownSampled):
    """A patch."""

    made: ClassVar[type] = Surface
    icon: ClassVar[str] = "ph.polygon"
    actions = (
        "edit-points", "edges", "refit", "raise-u", "raise-v", "lower-u", "lower-v", "weight-map", "twins",
    )  # fmt: skip

    def facts(self, session: Session, item: Item) -> list[Fact]:
        surface = item.shape
        return [
            Fact("Degree", f"{surface.degree[0]} x {surface.degree[1]}"),
            Fact("Spans", f"{surface.spans[0]} x {surface.spans[1]}"),
            *super().facts(session, item),
        ]


class ShownFace(ShownSurface):
    """The part of a patch that its trim leaves."""

    made = Face
    icon = "ph.scissors"


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


class ShownPatchwork(ShownSampled):
    """Patches over a network of curves."""

    made: ClassVar[type] = Patchwork
    icon: ClassVar[str] = "ph.grid-four"
    actions = ("duplicate", "patches-apart")

    def facts(self, session: Session, item: Item) -> list[Fact]:
        return [Fact("Patches", str(len(item.shape.surfaces))), *super().facts(session, item)]
