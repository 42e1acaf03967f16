"""What the view shows besides the items: glances, and how scans look."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

from arabesque.checking import Cuts, FormKind, Limits
from arabesque.desk.scan_views import CurvatureKind
from arabesque.desk.view.scene import GlossKind


class Along(Enum):
    """A direction of space; the value is its word and its vector."""

    X = ("x", (1.0, 0.0, 0.0))
    Y = ("y", (0.0, 1.0, 0.0))
    Z = ("z", (0.0, 0.0, 1.0))


class CutKind(Enum):
    """How section planes lie; the value is its words."""

    EVEN = "even planes"
    SIGHT = "across the picture"
    ROUND = "round an axis"
    CURVE = "square to an edge"
    FREE = "one free plane"


@dataclass
class SectionLook:
    """Sections across a direction, spacing mm apart; the gap to the scan drawn ``gap`` times as large.

    planes: those of any other kind than even ones, as they were last set.
    """

    kind: CutKind = CutKind.EVEN
    along: Along = Along.X
    spacing: float = 10.0
    start: float = 0.0
    gap: int = 1
    planes: Cuts | None = None


class CombsOn(Enum):
    """Where combs stand; the value is its words."""

    LINES = "lines of patches"
    SECTIONS = "the sections"


@dataclass
class CombLook:
    """Combs on so many lines each way; teeth: length of the longest, in per cent of the size of what is shown."""

    on: CombsOn = CombsOn.LINES
    lines: int = 5
    teeth: float = 0.06


@dataclass
class GlossLook:
    """Which stripes, how many, along which direction, and how far the studio's bars are turned, degrees.

    dark: the share of each stripe that is dark.
    """

    stripes: GlossKind = GlossKind.STRIPES
    count: int = 24
    along: Along = Along.Z
    turn: float = 35.0
    dark: float = 0.5


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
    FORM = ("9", "patch form")

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
    latest: Glance | None = None
    """The glance that was switched on last: the wheel changes that one."""
    against_all: bool = False
    """Distances are to the nearest of all scans that show, not to the reference scan alone."""
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
    form: FormKind = FormKind.MEAN
    form_radius: float = 0.0
    """mm: the radius at which the colours of patches are full; 0 for their own range."""


def scaled(looks: Looks, notches: float, fine: bool) -> bool:
    """The check switched on last, made larger or denser by the wheel; True when it has a scale.

    Combs: length of the teeth, fine: number of lines. Stripes: their number, fine: their width.
    Sections: their spacing, fine: how much the gap is enlarged.
    """
    up = 1 if notches > 0 else -1
    if looks.latest is Glance.COMBS and fine:
        looks.combs.lines = min(max(looks.combs.lines + up, 2), 40)
    elif looks.latest is Glance.COMBS:
        looks.combs.teeth = min(max(looks.combs.teeth * 1.2**up, 0.005), 1.0)
    elif looks.latest is Glance.STRIPES and fine:
        looks.gloss.dark = min(max(looks.gloss.dark + 0.05 * up, 0.05), 0.95)
    elif looks.latest in (Glance.STRIPES, Glance.REFLECTION):
        looks.gloss.count = min(max(round(looks.gloss.count * 1.15**up) + (up > 0), 2), 200)
    elif looks.latest is Glance.SECTIONS and fine:
        looks.sections.gap = min(max(looks.sections.gap + up, 1), 100)
    elif looks.latest is Glance.SECTIONS:
        looks.sections.spacing = float(f"{looks.sections.spacing * 1.2**up:.3g}")
    else:
        return False
    return True
