"""What recipes ask of their inputs."""

from __future__ import annotations

from collections.abc import Sequence

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Sketch
from arabesque.recipes.base import Given
from arabesque.scan import Scan


def curve_of(given: Given, key: str) -> Curve:
    """The curve of an input; raises ArabesqueError where it is none any more."""
    shape = given.shapes[key]
    if not isinstance(shape, Curve):
        raise ArabesqueError("What it is made from is no curve any more", "Undo that, or make it free")
    return shape


def curves_of(given: Given, keys: Sequence[str]) -> list[Curve]:
    """The curves of some inputs."""
    return [curve_of(given, key) for key in keys]


def profile_of(given: Given, keys: Sequence[str]) -> list[Curve]:
    """The curves of some inputs, among which are sketches."""
    found: list[Curve] = []
    for key in keys:
        shape = given.shapes[key]
        found += shape.curves if isinstance(shape, Sketch) else [curve_of(given, key)]
    return found


def scan_of(given: Given) -> Scan:
    """The reference scan; raises ArabesqueError where there is none."""
    if given.scan is None:
        raise ArabesqueError("There is no scan", "Open a scan, or make it free")
    return given.scan
