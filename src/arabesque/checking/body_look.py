"""One look at a body: what is asked of it, for the window, scripts and reports alike."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import Enum
from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.checking.distance import shape_to_scan
from arabesque.checking.solid_form import (
    FilledSection,
    OfFace,
    by_face,
    filled_sections,
    least_place,
    planes_through,
    self_crossings,
    smallest_radii,
)
from arabesque.checking.walls import mould_drafts, wall_ends
from arabesque.errors import ArabesqueError
from arabesque.progress import Progress, silent
from arabesque.scan import Scan
from arabesque.shapes import Samples

ALONG, WALLS_ALONG = 60, 240
"""Samples along a body; and for its walls, which are thinnest beside single edges and corners inside."""
SECTIONS = 5


class Asked(Enum):
    """What is looked at; the value is its words."""

    WALL = "wall thickness"
    DRAFT = "draft angle"
    RADIUS = "smallest radius"
    CROSSING = "where it crosses itself"
    SECTIONS = "filled sections"
    DISTANCE = "distance, face by face"


@dataclass(frozen=True, eq=False)
class Looked:
    """What a look found. values: (n,) at the samples, or None; infinite where there is nothing to measure. least: of
    them, and where. at_edges: of walls, the least that an edge makes, and where; these are no part of the values.
    faces: the range on each. crossings: (k, 3). sections: filled. unit: of the values."""

    samples: Samples
    values: Floats | None = None
    least: tuple[float, Floats] | None = None
    faces: list[OfFace] = field(default_factory=list)
    crossings: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    sections: list[FilledSection] = field(default_factory=list)
    unit: str = "mm"
    at_edges: tuple[float, Floats] | None = None


def look_at(
    body: Any,
    asked: Asked,
    way: Floats | None = None,
    count: int = SECTIONS,
    scan: Scan | None = None,
    progress: Progress = silent,
) -> Looked:
    """Look at a ``solid.Body``. way: (3,) along which a mould is drawn, or that sections stand square to, upwards by
    itself. count: of sections. Raises ArabesqueError for walls of an open body, and distances without a scan."""
    progress(0.1, f"Looking at its {asked.value}")
    way = np.eye(3)[2] if way is None else way
    if asked is Asked.DISTANCE:
        if scan is None:
            raise ArabesqueError("There is no scan", "Open one first")
        measured = shape_to_scan(body, scan, ALONG)
        return _measured(measured.samples, np.where(measured.valid, measured.distance, np.inf))
    if asked is Asked.WALL and not body.told.closed:
        raise ArabesqueError("An open body has no walls", "Close it first: its free borders are drawn")
    samples = body.sampler(WALLS_ALONG if asked is Asked.WALL else ALONG).read(body)
    if asked is Asked.CROSSING:
        return Looked(samples, crossings=self_crossings(samples))
    if asked is Asked.SECTIONS:
        return Looked(samples, sections=filled_sections(samples, planes_through(samples, way, count), body))
    if asked is Asked.DRAFT:
        return _measured(samples, mould_drafts(samples, way), "°")
    if asked is Asked.RADIUS:
        return _measured(samples, smallest_radii(body, samples))
    walls = wall_ends(samples, body)
    told = _measured(samples, np.where(walls.edge, np.inf, walls.thickness))
    return replace(told, at_edges=least_place(np.where(walls.edge, walls.thickness, np.inf), samples))


def _measured(samples: Samples, values: Floats, unit: str = "mm") -> Looked:
    return Looked(samples, values, least_place(values, samples), by_face(values, samples), unit=unit)
