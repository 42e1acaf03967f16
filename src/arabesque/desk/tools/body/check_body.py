"""A body checked for making: walls, draft, radii, where it crosses itself, filled sections, distance by face."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from functools import partial
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking import Asked, FilledSection, Looked, OfFace, look_at
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact, area
from arabesque.desk.kinds.bodies import told_facts
from arabesque.desk.steps import Step
from arabesque.desk.tools.looking import Looking, mapped
from arabesque.desk.tools.options import angle, labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import MISSING, Discs, Label, Lines, Paint, Triangles, polyline
from arabesque.progress import Progress
from arabesque.scan import Scan
from arabesque.shapes import Samples
from arabesque.solid import Body

LISTED = 8
"""Faces in the list of the worst."""


class Along(Enum):
    """A direction of the world."""

    X = "x"
    Y = "y"
    Z = "z"
    DOWN = "z downwards"

    @property
    def way(self) -> Floats:
        """(3,)"""
        return -np.eye(3)[2] if self is Along.DOWN else np.eye(3)["XYZ".index(self.name)]


class CheckBody(Looking):
    """A click takes another body; what is beyond the limit is coloured, and its faces are listed, the worst first."""

    needs = (Body,)
    id = "check-body"
    step = Step.BODY
    label = "Check a body"
    short = "Check"
    hint = "Choose what is looked at; click a line of the list to go there, or another body"
    shortcut = "J"
    icon = "ph.clipboard-text"
    kinds = (Body,)
    word = "body"

    @dataclass
    class Options:
        """limit: mm of walls and radii. least: degrees of draft. along: from where a mould is drawn, and what sections
        stand square to. count: of sections."""

        asked: Asked = labelled(Asked.WALL, "Look at")
        limit: float = labelled(1.5, "At least")
        least: float = angle("Draft at least", 2.0)
        along: Along = labelled(Along.Z, "Along")
        count: int = whole(5, 1, 60, "Sections")

        @property
        def idle(self) -> tuple[str, ...]:
            """What is looked at has no use for them."""
            return {
                Asked.WALL: ("least", "along", "count"),
                Asked.RADIUS: ("least", "along", "count"),
                Asked.DRAFT: ("limit", "count"),
                Asked.SECTIONS: ("limit", "least"),
            }.get(self.asked, ("limit", "least", "along", "count"))

    def asks(self, shape: Any) -> tuple[object, ...]:
        o = self.options
        return o.asked, o.along, o.count, self.session.scan

    def see(self, shape: Any) -> Callable[[Progress], Looked]:
        o = self.options
        return partial(look_at, shape, o.asked, o.along.way, o.count, self.session.scan)

    @property
    def samples(self) -> Samples | None:
        return None if self.found is None else self.found.samples

    @property
    def least(self) -> float:
        """What values are not to be below."""
        return float(self.options.least if self.options.asked is Asked.DRAFT else self.options.limit)

    @property
    def facts(self) -> list[Fact]:
        item, found, asked = self.item, self.found, self.options.asked
        if item is None:
            return [Fact("Body", "none")]
        told = [Fact("Body", item.name), *told_facts(item.shape.told)[:2]]
        if found is None:
            return told
        if asked is Asked.CROSSING:
            count = len(found.crossings)
            return [*told, Fact("Crosses itself", f"at {count} places" if count else "no", "bad" if count else "good")]
        if asked is Asked.SECTIONS:
            areas = [section.area for section in found.sections]
            return [*told, Fact("Largest area", area(max(areas)))]
        if found.least is None:
            return [*told, Fact("Least", "nothing was met")]
        if asked is Asked.DISTANCE:
            within = self.session.document.tolerance
            worst = max((max(-face.least, face.largest) for face in found.faces), default=0.0)
            return [*told, Fact("Largest distance", f"{worst:.3f} mm", "good" if worst <= within else "bad")]
        good = found.least[0] >= self.least
        words = {Asked.WALL: "Thinnest wall", Asked.DRAFT: "Least draft", Asked.RADIUS: "Smallest radius"}[asked]
        below = float(found.samples.areas[found.values < self.least].sum()) if found.values is not None else 0.0
        if found.at_edges is not None:
            told.append(Fact("Less at edges", f"{found.at_edges[0]:.3g} {found.unit}"))
        return [
            *told,
            Fact(words, f"{found.least[0]:.3g} {found.unit}", "good" if good else "bad"),
            Fact("Area below it", area(below), "bad" if below > 0 else "good"),
        ]

    @property
    def choices(self) -> list[Choice]:
        found = self.found
        if found is None:
            return []
        if self.options.asked is Asked.SECTIONS:
            shown = [(k, one) for k, one in enumerate(found.sections, start=1) if one.outlines]
            return [Choice(f"Section {k}: {area(one.area)}", partial(self.fly, one.outlines[0][0])) for k, one in shown]
        if found.values is None:
            places = found.crossings[:1]
            return [Choice("Go to where it crosses itself", partial(self.fly, place)) for place in places]
        lines = []
        for face in self._worst(found):
            on = found.samples.part == face.face
            values = np.where(on, self._badness(found.values), -np.inf)
            place = found.samples.points[int(values.argmax())]
            low, high = f"{face.least:.3g}", f"{face.largest:.3g} {found.unit}"
            lines.append(Choice(f"Face {face.face + 1}: {low} to {high}", partial(self.fly, place)))
        return lines

    def _worst(self, found: Looked) -> list[OfFace]:
        if self.options.asked is Asked.DISTANCE:
            return sorted(found.faces, key=lambda face: -max(-face.least, face.largest))[:LISTED]
        return found.faces[:LISTED]

    def _badness(self, values: Floats) -> Floats:
        """(n,) larger for what is worse."""
        return np.abs(values) if self.options.asked is Asked.DISTANCE else -values

    # the picture

    @property
    def covers(self) -> frozenset[str]:
        item, found = self.item, self.found
        if item is None or found is None:
            return frozenset()
        # a scan would hide what lies inside
        scans = [one.id for one in self.session.seen.of(Scan)] if found.sections else []
        return frozenset({item.id, *scans})

    @property
    def map_tolerance(self) -> float | None:
        measured = self.found is not None and self.options.asked is Asked.DISTANCE
        return self.session.document.tolerance if measured else None

    @property
    def short_of(self) -> tuple[float, str] | None:
        found = self.found
        if found is None or found.values is None or self.options.asked is Asked.DISTANCE:
            return None
        return max(self.least, 1e-3), found.unit

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        found = self.found
        if found is None:
            return []
        values = None if found.values is None else self._shown(found.values)
        through = self.options.asked is Asked.SECTIONS
        paint = Paint.DISTANCE if self.options.asked is Asked.DISTANCE else Paint.SHORT
        colours, parts = theme.now(), mapped(found.samples, values, paint, through)
        if len(found.crossings):
            parts.append(Discs(found.crossings, np.ones(len(found.crossings)), 3.0, colours.outside))
        for number, section in enumerate(found.sections):
            parts += _section_parts(section, number)
        if found.least is not None and self.options.asked is not Asked.DISTANCE:
            place, words = found.least[1], f"{found.least[0]:.3g} {found.unit}"
            parts += [Discs(place[None], np.ones(1), 4.5, colours.accent), Label(place, words)]
        return parts

    def _shown(self, values: Floats) -> Floats:
        """Values for the map: distances as they are, else what each place lacks of the limit."""
        if self.options.asked is Asked.DISTANCE:
            return np.where(np.isfinite(values), values, MISSING)
        return np.maximum(self.least - np.where(np.isfinite(values), values, self.least), 0.0)


def _section_parts(section: FilledSection, number: int) -> list[Triangles | Lines | Discs | Label]:
    """A section as a filled area with its outline."""
    if not len(section.triangles):
        return []
    points = section.triangles.reshape(-1, 3)
    a, b, c = section.triangles[0]
    normal = np.cross(b - a, c - a)
    normals = np.tile(normal / np.linalg.norm(normal), (len(points), 1))
    ink = theme.now().ink
    fill = Triangles(f"section {number}", points, normals, np.arange(len(points)).reshape(-1, 3), theme.now().accent)
    return [fill, *(Lines(polyline(line), ink, 1.4, on_top=True) for line in section.outlines)]
