"""What recipes ask of their inputs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from arabesque.arrays import Floats, frozen_array
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane, Sketch
from arabesque.recipes.base import Given, Recipe
from arabesque.scan import Scan


class FromOne(Recipe):
    """What recipes share that go by one item besides the scan and the tolerance. of: its id."""

    of: str

    @property
    def uses(self) -> tuple[str, ...]:
        return ("scan", "tolerance")

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.of,)


class Directed(FromOne):
    """Those among them that go along a direction, (3,), or along none."""

    direction: Floats | None

    def __post_init__(self) -> None:
        if self.direction is not None:
            way = frozen_array(self.direction, (3,), np.float64, what="Direction")
            object.__setattr__(self, "direction", way)

    def moved(self, matrix: Floats) -> Any:
        """After a (4, 4) rigid motion of all that it is made from."""
        made: Any = self
        return self if self.direction is None else replace(made, direction=matrix[:3, :3] @ self.direction)


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


def plane_of(given: Given) -> Plane:
    """The twin plane; raises ArabesqueError where there is none."""
    if given.plane is None:
        raise ArabesqueError("There is no twin plane", "Set one, or choose something else in its place")
    return given.plane


def scan_of(given: Given) -> Scan:
    """The reference scan; raises ArabesqueError where there is none."""
    if given.scan is None:
        raise ArabesqueError("There is no scan", "Open a scan, or make it free")
    return given.scan
