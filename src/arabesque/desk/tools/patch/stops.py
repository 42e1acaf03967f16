"""What areas that grow do not pass: lines, patches that are there, the twin plane."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.desk.session import Session
from arabesque.fitting import covered_triangles, crossed_triangles, plane_triangles
from arabesque.geometry import Curve, Plane, Surface
from arabesque.reading import LineSet
from arabesque.recipes import lines_of
from arabesque.scan import Scan

BESIDE = 4.0
"""Tolerances from a patch up to which the scan counts as covered by it."""


class Stops:
    """What was there when the growth began: values, read in the window's thread and used beside it."""

    def __init__(self, session: Session, at_lines: bool, at_patches: bool, at_plane: bool) -> None:
        scan = session.scan
        assert scan is not None
        seen = session.seen
        self._scan: Scan = scan
        self._tolerance = session.document.tolerance
        self._lines: list[Floats] = []
        if at_lines:
            shapes = [item.shape for kind in (LineSet, Curve) for item in seen.of(kind)]
            self._lines = [line for shape in shapes for line, _ in lines_of(shape)]
        self._patches: list[Surface] = [item.shape for item in seen.of(Surface)] if at_patches else []
        self._plane: Plane | None = session.document.plane if at_plane else None

    def triangles(self) -> Bools:
        """(m,) triangles of the scan that nothing may grow over."""
        blocked = np.zeros(len(self._scan.triangles), dtype=bool)
        blocked[crossed_triangles(self._scan, self._lines)] = True
        blocked[covered_triangles(self._scan, self._patches, BESIDE * self._tolerance)] = True
        if self._plane is not None:
            blocked[plane_triangles(self._scan, self._plane.normal, self._plane.offset)] = True
        return blocked
