"""What the view shows besides the items: glances, and how scans look."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from arabesque.desk.scan_views import CurvatureKind


class Glance(Enum):
    """A check that is laid over the picture; the value is its key and its word."""

    DISTANCE = ("1", "distance")
    CURVATURE = ("6", "scan curvature")
    NET = ("7", "control net")

    @property
    def key(self) -> str:
        """The number key."""
        return self.value[0]

    @property
    def word(self) -> str:
        """The word on its chip."""
        return self.value[1]


class ScanLook(Enum):
    """How the reference scan is shown."""

    SOLID = "solid"
    SEE_THROUGH = "see-through"
    HIDDEN = "hidden"


@dataclass
class Looks:
    """What the view shows besides the items: the glances, and the look of scans."""

    glances: frozenset[Glance] = frozenset()
    scans: ScanLook = ScanLook.SOLID
    alone: frozenset[str] = frozenset()
    """Ids of the only items that show, or empty."""
    curvature: CurvatureKind = CurvatureKind.MEAN
    curvature_range: float | None = None
    """1/mm at which the curvature colours are full; None for the scan's own range."""
    edges: bool = False
