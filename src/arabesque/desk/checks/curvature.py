"""Curvature of scans in colours."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen
from arabesque.desk.scan_views import CurvatureKind


@dataclass(frozen=True)
class CurvatureLook:
    """Which curvature; full_at: 1/mm at which the colours are full, None for the scan's own range."""

    kind: CurvatureKind = CurvatureKind.MEAN
    full_at: float | None = None


class ScanCurvature(Check):
    """Where calm areas end and radii begin."""

    id = "curvature"
    key = "6"
    word = "scan curvature"
    Look = CurvatureLook

    def prepare(self, pen: Pen) -> None:
        look: CurvatureLook = pen.looks.of(self)
        pen.curvature, pen.curvature_full = look.kind, look.full_at
