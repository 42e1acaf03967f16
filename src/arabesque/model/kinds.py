"""The kinds of shapes that a document holds: the only list of them in the core."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from arabesque.cages import Cage
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Elementary, Face, Patchwork, Sketch, Surface
from arabesque.reading import LineSet, Regions
from arabesque.scan import Scan
from arabesque.solid import Body


class Kind(NamedTuple):
    """A kind of shape. word: what it is called, in files too. counted: what its weight counts, and how."""

    word: str
    made: type
    counted: str
    weight: Callable[[Any], int]


KINDS = (
    Kind("scan", Scan, "Triangles", lambda scan: len(scan.triangles)),
    Kind("curve", Curve, "Control points", lambda curve: curve.count),
    Kind("surface", Surface, "Control points", lambda surface: surface.count),
    Kind("face", Face, "Control points", lambda face: face.count),
    Kind("true shape", Elementary, "Control points", lambda shape: shape.count),
    Kind("patchwork", Patchwork, "Control points", lambda work: work.count),
    Kind("body", Body, "Faces", lambda body: len(body.surfaces)),
    Kind("cage", Cage, "Faces", lambda cage: cage.count),
    Kind("sketch", Sketch, "Elements", lambda sketch: sketch.count),
    Kind("regions", Regions, "Areas", lambda regions: len(regions.areas)),
    Kind("lines", LineSet, "Lines", lambda lines: lines.count),
)

_BY_TYPE = {kind.made: kind for kind in KINDS}


def kind_of(shape: object) -> Kind:
    """The kind of a shape; raises ArabesqueError for one that is in no list, which no document may hold."""
    kind = _BY_TYPE.get(type(shape))
    if kind is None:
        raise ArabesqueError(
            f"A {type(shape).__name__} is no kind of shape that a project holds", "Your work is unharmed: leave it out"
        )
    return kind
