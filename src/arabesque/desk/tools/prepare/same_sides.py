"""Make a scan symmetric: the better half and its mirror image."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.tools.scan_work import Made, ScanWork
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.geometry import Plane
from arabesque.mending import HalfState, MakingAlike, Side, make_symmetric
from arabesque.progress import Progress
from arabesque.scan import Scan, examine


class MirrorPlane(Enum):
    """The plane between both sides; the value is its words and axis."""

    X = ("x = 0", 0)
    Y = ("y = 0", 1)
    Z = ("z = 0", 2)


class SameSides(ScanWork):
    """Cut at the plane, keep one half, mirror it and join both."""

    id = "same-sides"
    label = "Same both sides"
    short = "Same sides"
    hint = "Enter cuts at the plane, keeps the better half and mirrors it. Lay the scan square first"
    icon = "ph.arrows-out-line-horizontal"
    opens = True

    @dataclass
    class Options:
        """plane: between the sides. keep: which half."""

        plane: MirrorPlane = MirrorPlane.Y
        keep: Side = Side.BETTER

    def work(self, scan: Scan) -> Callable[[Progress], Made]:
        o = self.options
        plane, side = o.plane, o.keep

        def run(progress: Progress) -> Made:
            done = make_symmetric(scan, Plane.coordinate(plane.value[1]), side, progress)
            health = examine(done.scan)
            facts = [
                Fact("Kept", done.kept.value, "good"),
                Fact("Because", done.why),
                *_half_facts("+", done.above),
                *_half_facts("−", done.below),
                Fact("Open edges", str(health.open_edges)),
            ]
            step = MakingAlike(plane.value[1], side)
            return Made(done.scan, f"both sides of {plane.value[0]} the same", facts, step=step)

        return run

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        scan = self.scan
        if scan is None:
            return []
        return plane_outline(Plane.coordinate(self.options.plane.value[1]), scan)


def _half_facts(sign: str, half: HalfState) -> list[Fact]:
    return [Fact(f"{sign} side", f"{half.holes} holes, dents {half.dents:.3g} mm³, noise {half.noise:.3f}")]


def plane_outline(plane: Plane, scan: Scan) -> list[Triangles | Lines | Discs | Label]:
    """A rectangle of a plane, a little larger than the scan."""
    low, high = scan.bounds
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    normal = plane.normal
    u = np.cross(normal, np.eye(3)[np.abs(normal).argmin()])
    u /= np.linalg.norm(u)
    v = np.cross(normal, u)
    margin = 0.06 * scan.diagonal
    a, b = corners @ u, corners @ v
    ends = [(a.min() - margin, b.min() - margin), (a.max() + margin, b.min() - margin)]
    ends += [(a.max() + margin, b.max() + margin), (a.min() - margin, b.max() + margin)]
    ring = np.array([plane.origin + s * u + t * v for s, t in ends])
    return [Lines(polyline(ring, closed=True), theme.now().accent, 1.8, 0.9, lift=0.0)]
