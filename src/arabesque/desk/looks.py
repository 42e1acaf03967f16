"""What the view shows besides the items: glances, and how scans look."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

from arabesque.checking import Limits
from arabesque.desk.scan_views import CurvatureKind
from arabesque.desk.view.scene import GlossKind


class Along(Enum):
    """A direction of space; the value is its word and its vector."""

    X = ("x", (1.0, 0.0, 0.0))
    Y = ("y", (0.0, 1.0, 0.0))
    Z = ("z", (0.0, 0.0, 1.0))


@dataclass
class SectionLook:
    """Sections across a direction, spacing mm apart; the gap to the scan drawn ``gap`` times as large."""

    along: Along = Along.X
    spacing: float = 10.0
    start: float = 0.0
    gap: int = 1


@dataclass
class CombLook:
    """Combs on so many lines each way; teeth: length of the longest, in per cent of the size of what is shown."""

    lines: int = 5
    teeth: float = 0.06


@dataclass
class GlossLook:
    """Which stripes, how many, along which direction, and how far the studio's bars are turned, degrees."""

    stripes: GlossKind = GlossKind.STRIPES
    count: int = 24
    along: Along = Along.Z
    turn: float = 35.0


class Glance(Enum):
    """A check that is laid over the picture; the value is its key and its word."""

    DISTANCE = ("1", "distance")
    SECTIONS = ("2", "sections")
    COMBS = ("3", "combs")
    STRIPES = ("4", "stripes")
    REFLECTION = ("5", "reflection")
    CURVATURE = ("6", "scan curvature")
    NET = ("7", "control net")
    JOINS = ("8", "joins")

    @property
    def key(self) -> str:
        """The number key."""
        return self.value[0]

    @property
    def short(self) -> str:
        """What its chip says."""
        return f"{self.key} {self.word.split()[-1]}"

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
    sections: SectionLook = field(default_factory=SectionLook)
    combs: CombLook = field(default_factory=CombLook)
    gloss: GlossLook = field(default_factory=GlossLook)
    limits: Limits = field(default_factory=Limits)
