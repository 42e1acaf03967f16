"""Read the form: feature lines, and true shapes fitted to what is marked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk.facts import Fact, three
from arabesque.desk.tools.options import labelled, share
from arabesque.desk.tools.shape_work import Found, ShapeWork
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.geometry import ElementaryKind
from arabesque.progress import Progress
from arabesque.reading import TrueShape, feature_lines, fit_true_shape, recognise
from arabesque.scan import Scan


class FeatureLines(ShapeWork):
    """Lines of high curvature and sharp edges, as an item on the scan."""

    id = "feature-lines"
    label = "Feature lines"
    short = "Lines"
    hint = "Set the sensitivity, then Enter finds edges, ridges and grooves"
    icon = "ph.line-segments"

    @dataclass
    class Options:
        """sensitivity: more finds weaker lines."""

        sensitivity: float = share(0.4)

    def work(self, scan: Scan) -> Callable[[Progress], Found]:
        sensitivity = self.options.sensitivity

        def run(progress: Progress) -> Found:
            lines = feature_lines(scan, sensitivity, progress)
            facts = [Fact("Lines", str(lines.count)), Fact("Length", f"{lines.length:.1f} mm")]
            return Found(lines, "Feature lines", f"feature lines at {sensitivity:.0%}", facts)

        return run


class ShapeKind(Enum):
    """Which true shape is fitted."""

    ANY = "whichever it is"
    PLANE = "plane"
    CYLINDER = "cylinder"
    CONE = "cone"
    SPHERE = "sphere"
    TORUS = "torus"


class Axis(Enum):
    """The direction that the axis, or the normal of a plane, is held to."""

    FREE = ("free", None)
    X = ("along x", (1.0, 0.0, 0.0))
    Y = ("along y", (0.0, 1.0, 0.0))
    Z = ("along z", (0.0, 0.0, 1.0))


class FitTrueShape(ShapeWork):
    """A plane, cylinder, cone, sphere or torus fitted to what is marked; it is exported exactly."""

    id = "true-shape"
    label = "True shape"
    hint = "Mark a part of the scan (key K), then Enter fits a true shape to it"
    icon = "ph.database"

    @dataclass
    class Options:
        """axis: what its direction is held to. radius: what it is held to, mm. longer, wider: extended by, mm."""

        kind: ShapeKind = ShapeKind.ANY
        axis: Axis = Axis.FREE
        hold_radius: bool = False
        radius: float = 8.0
        longer: float = labelled(0.0, "Longer by")
        wider: float = labelled(0.0, "Wider by")

        @property
        def idle(self) -> tuple[str, ...]:
            """A radius that is not held means nothing, nor does holding one without a kind."""
            if self.kind in (ShapeKind.ANY, ShapeKind.PLANE):
                return ("hold_radius", "radius", *(("axis",) if self.kind is ShapeKind.ANY else ()))
            return () if self.hold_radius else ("radius",)

    @property
    def facts(self) -> list[Fact]:
        if self.made is not None:
            return self.made.facts
        marked = self.session.marks.count(self.scan)
        return [Fact("Marked", f"{marked} triangles", "" if marked else "bad")]

    def work(self, scan: Scan) -> Callable[[Progress], Found]:
        mask = self.session.marks.of(scan)
        if mask is None:
            raise ArabesqueError("Nothing is marked to fit to", "Mark a part of the scan first: key K")
        o = self.options
        kind, held, longer, wider = o.kind, o.hold_radius and o.kind is not ShapeKind.PLANE, o.longer, o.wider
        axis = None if o.axis.value[1] is None else np.array(o.axis.value[1])
        radius = o.radius if held else None

        def run(progress: Progress) -> Found:
            progress(0.1, "Fitting")
            inside = np.unique(scan.triangles[mask])
            points, normals = scan.points[inside], scan.smoothed_normals[inside]
            noise = max(scan.noise, scan.noise_at(inside))
            shape = _fitted(kind, points, normals, noise, axis, radius)
            surface = shape.surface(points).extended((wider / 2, wider / 2), (longer / 2, longer / 2))
            words = f"{shape.kind.value} fitted to a part"
            return Found(surface, shape.kind.value.capitalize(), words, shape_facts(shape))

        return run


def _fitted(
    kind: ShapeKind, points: Floats, normals: Floats, noise: float, axis: Floats | None, radius: float | None
) -> TrueShape:
    if kind is not ShapeKind.ANY:
        return fit_true_shape(ElementaryKind(kind.value), points, normals, axis, radius)
    shape, _ = recognise(points, normals, noise)
    if shape is None:
        raise FitProblem("This part is a free form", "Mark less of it, or choose the shape it is meant to be")
    return fit_true_shape(shape.kind, points, normals)


def shape_facts(shape: TrueShape) -> list[Fact]:
    """A true shape in numbers."""
    facts = [Fact("Kind", shape.kind.value)]
    if shape.kind is ElementaryKind.CONE:
        facts += [Fact("Half angle", f"{np.degrees(shape.sizes[1]):.3f}°")]
    elif shape.kind is ElementaryKind.TORUS:
        facts += [Fact("Ring radius", f"{shape.sizes[0]:.3f} mm"), Fact("Tube radius", f"{shape.sizes[1]:.3f} mm")]
    elif shape.sizes:
        facts += [Fact("Radius", f"{shape.sizes[0]:.3f} mm")]
    if shape.kind is not ElementaryKind.SPHERE:
        facts.append(Fact("Direction", three(shape.axis)))
    return [
        *facts,
        Fact("rms", f"{shape.rms:.4f} mm"),
        Fact("99 % within", f"{shape.p99:.4f} mm"),
        Fact("Largest", f"{shape.largest:.3f} mm"),
        Fact("Inliers", f"{shape.inlier_share:.1%}"),
        *_doubts(shape),
    ]


def _doubts(shape: TrueShape) -> list[Fact]:
    """What the part is too small a piece to tell."""
    if shape.determined:
        return []
    words = f"axis by {shape.axis_error:.1f}°" if shape.axis_error > 1.0 else "size"
    return [Fact("Not determined", f"{words}: mark a larger part, or give what is known", "bad")]
