"""A set of sections of the scan as curves, and the loft through them, tried as the form changes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.on_scan import TryOnScan
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Plane
from arabesque.model import Document, edits
from arabesque.progress import Progress
from arabesque.recipes import Recipe, SectionCurve
from arabesque.scan import Scan
from arabesque.tracing import (
    MOST_POLES,
    USUAL_POLES,
    Cut,
    LoftWay,
    OutwardLoft,
    TracedSection,
    is_closed,
    outward_loft,
    planes_across,
    planes_along,
    planes_round,
    set_figures,
    trace_sections,
    turned_over,
)

MOST_IN_A_SET = 200
ARROW = 0.03
"""Of the scan's size: how long the small arrows are that show where sections begin and how they run."""


class Across(Enum):
    """How the planes lie: the axis they are square to or turn about, and whether they turn; the first is its words."""

    X = ("square to x", 0, False)
    Y = ("square to y", 1, False)
    Z = ("square to z", 2, False)
    ROUND_X = ("round x", 0, True)
    ROUND_Y = ("round y", 1, True)
    ROUND_Z = ("round z", 2, True)
    GUIDE = ("along a curve", None, False)
    PICKED = ("any direction", None, False)


class Kept(Enum):
    """What of each section counts: its words, and the direction of a side of the middle."""

    WHOLE = ("whole", None)
    MORE_X = ("side of +x", (1.0, 0.0, 0.0))
    LESS_X = ("side of -x", (-1.0, 0.0, 0.0))
    MORE_Y = ("side of +y", (0.0, 1.0, 0.0))
    LESS_Y = ("side of -y", (0.0, -1.0, 0.0))
    MORE_Z = ("side of +z", (0.0, 0.0, 1.0))
    LESS_Z = ("side of -z", (0.0, 0.0, -1.0))


class Spaced(Enum):
    """What decides how many parallel planes there are."""

    SPACING = "at a spacing"
    COUNT = "so many"


class Starts(Enum):
    """Where closed sections begin: its words, and the axis of a plane through the middle."""

    LEAST_TWIST = ("least twist", None)
    GUIDE = ("a clicked curve", None)
    PLANE_X = ("plane of x", 0)
    PLANE_Y = ("plane of y", 1)
    PLANE_Z = ("plane of z", 2)


class FitBy(Enum):
    """What decides how many poles a section gets."""

    POLES = "so many"
    TOLERANCE = "tolerance"


@dataclass(eq=False)
class TracedSet:
    """Sections as they were traced, with the recipes that make them again.

    lofted: the surface through them; no_loft: why there is none.
    """

    sections: list[TracedSection]
    recipes: list[SectionCurve]
    tolerance: float
    lofted: OutwardLoft | None = None
    no_loft: str = ""

    @property
    def facts(self) -> list[Fact]:
        """Closeness and weight."""
        facts = _facts(self.sections, self.tolerance)
        return [Fact("No loft", self.no_loft, "bad"), *facts] if self.no_loft else facts

    @property
    def curves(self) -> list[tuple[Recipe, Curve]]:
        """Each recipe with its curve."""
        return [(recipe, one.fitted.curve) for recipe, one in zip(self.recipes, self.sections, strict=True)]


class TraceSections(TryOnScan):
    """What the form says is traced at once; Enter keeps the curves, each of which can be pulled and followed."""

    id = "sections-set"
    step = Step.TRACE
    label = "Sections as curves"
    hint = "Say how the planes lie and how many poles each curve has; Enter keeps curves and loft"
    shortcut = "S"
    icon = "ph.stack"
    short = "Sections"

    @dataclass
    class Options:
        """spacing, first, last: mm along the axis. count: of planes round it. direction: x, y, z of any other. poles:
        of each curve. loft: through them; reach: mm beyond the first and the last."""

        across: Across = labelled(Across.X, "Planes")
        spaced: Spaced = labelled(Spaced.SPACING, "Planes stand")
        spacing: float = 10.0
        first: float = labelled(0.0, "From")
        last: float = labelled(0.0, "To")
        count: int = whole(12, 2, MOST_IN_A_SET, "Count")
        direction_x: float = labelled(1.0, "Direction x")
        direction_y: float = labelled(0.0, "Direction y")
        direction_z: float = labelled(0.0, "Direction z")
        keep: Kept = labelled(Kept.WHOLE, "Keep")
        starts: Starts = labelled(Starts.LEAST_TWIST, "They begin")
        by: FitBy = labelled(FitBy.POLES, "Fit by")
        poles: int = whole(USUAL_POLES, 4, MOST_POLES, "Poles")
        loft: bool = labelled(True, "Loft them")
        reach: float = labelled(0.0, "Reach beyond")

        @property
        def idle(self) -> tuple[str, ...]:
            """Planes that turn have no spacing; what is fitted to the tolerance takes the poles it needs."""
            turned = self.across.value[2]
            counted = turned or self.spaced is Spaced.COUNT
            idle: tuple[str, ...] = ("spacing",) if counted else ("count",)
            idle += ("spaced", "first", "last") if turned else ()
            if self.across is Across.GUIDE:
                idle += ("first", "last")
            if self.across is not Across.PICKED:
                idle += ("direction_x", "direction_y", "direction_z")
            if self.by is FitBy.TOLERANCE:
                idle += ("poles",)
            return idle if self.loft and not turned else (*idle, "reach")

    def start(self) -> None:
        super().start()
        scan = self.scan
        self._axis = self.options.across
        self._turned: set[int] = set()
        chosen = self.session.chosen(Curve)
        self._guide: str | None = None if chosen is None else chosen.id
        if scan is not None:
            low, high = scan.bounds
            longest = int((high - low).argmax())
            self.options.across = self._axis = list(Across)[longest]
            self.options.spacing = float(f"{(high - low)[longest] / 12:.1g}")
            self._take_ends(scan)
            self.try_it()

    @property
    def guide(self) -> Curve | None:
        """The curve that was chosen when the tool was taken up, or was clicked: planes may stand square to it, and
        closed sections begin near it."""
        item = self.session.history.document.items.get(self._guide or "")
        return item.shape if item is not None and isinstance(item.shape, Curve) else None

    def _take_ends(self, scan: Scan) -> None:
        heights = scan.points @ self._way()
        self.options.first, self.options.last = round(float(heights.min()), 1), round(float(heights.max()), 1)

    def _way(self) -> Floats:
        """(3,) unit direction across the planes."""
        o = self.options
        axis = o.across.value[1]
        if axis is not None:
            return np.eye(3)[axis]
        way = np.array([o.direction_x, o.direction_y, o.direction_z], dtype=float)
        size = float(np.linalg.norm(way))
        return way / size if size > 1e-9 else np.eye(3)[0]

    def press(self, pointer: Pointer) -> None:
        """On the arrow of a section: it is turned over; on another curve: that is the guide."""
        made = self.made
        if made is not None:
            for number, one in enumerate(made.sections):
                if pointer.near(one.fitted.curve.points[0], 12.0):
                    self._turned ^= {number}
                    self._drop()
                    self.try_it()
                    return
        found = patch_under(self.session, pointer, Curve)
        if found is not None and found[0].id in self.session.history.document:
            self._guide = found[0].id
            self._drop()
            self.try_it()

    def options_changed(self) -> None:
        super().options_changed()
        scan = self.scan
        if scan is not None and self.options.across is not self._axis:
            self._axis = self.options.across
            self._turned = set()
            self._take_ends(scan)
            self.form_changed.emit()
        if self.can_apply:
            self.try_it()

    @property
    def says(self) -> str:
        if self.item is not None and self.made is not None:
            if self.made.no_loft:
                return "Enter keeps the curves: no loft goes through them, the Inspector says why"
            kept = "the curves and their loft" if self.options.loft else "the curves"
            return f"Enter keeps {kept}; click an arrow to turn it"
        return super().says

    def work(self, scan: Scan) -> Callable[[Progress], TracedSet]:
        o = self.options
        cuts = self._cuts(scan)
        poles = o.poles if o.by is FitBy.POLES else None
        tolerance, guide, turned = self.session.document.tolerance, self.guide, frozenset(self._turned)
        begun_at: Curve | Plane | None = guide if o.starts is Starts.GUIDE else None
        if o.starts.value[1] is not None:
            begun_at = Plane.through(np.mean(scan.bounds, axis=0), np.eye(3)[o.starts.value[1]])

        def run(progress: Progress) -> TracedSet:
            sections = trace_sections(
                scan, cuts, poles, None if poles else tolerance, guide=begun_at, alike=o.loft, progress=progress
            )
            sections = [turned_over(one) if k in turned else one for k, one in enumerate(sections)]
            made = TracedSet(sections, [SectionCurve.of(one, one.poles, 3) for one in sections], tolerance)
            way = self._way_of_loft(len(sections))
            if way is not None:
                try:
                    made.lofted = outward_loft([one.fitted.curve for one in sections], way, scan)
                except ArabesqueError as problem:
                    made.no_loft = str(problem)
            return made

        return run

    def _way_of_loft(self, count: int) -> LoftWay | None:
        o = self.options
        if not o.loft or count < 2:
            return None
        round_ = o.across.value[2] and o.keep is not Kept.WHOLE
        reach = 0.0 if o.across.value[2] else o.reach
        return LoftWay(closed=round_ and count > 2, before=reach, after=reach, corresponding=not self._turned)

    def _cuts(self, scan: Scan) -> list[Cut]:
        o = self.options
        _, axis, turned = o.across.value
        spaced = (None, o.count) if o.spaced is Spaced.COUNT else (o.spacing, None)
        if o.across is Across.GUIDE:
            if self.guide is None:
                raise ArabesqueError("No curve is chosen", "Click the curve that the planes are to stand square to")
            return planes_across(self.guide, spaced[0], spaced[1])
        way, middle = self._way(), np.mean(scan.bounds, axis=0)
        if turned:
            centre = np.where(np.arange(3) == axis, middle, 0.0)
            return planes_round(centre, way, o.count, o.keep is not Kept.WHOLE)
        side = None if o.keep.value[1] is None else np.array([np.zeros(3), o.keep.value[1]])
        if o.spaced is Spaced.SPACING and o.spacing > 0 and abs(o.last - o.first) / o.spacing > MOST_IN_A_SET:
            raise ArabesqueError(f"That makes more than {MOST_IN_A_SET} sections", "Choose a wider spacing")
        return planes_along(scan, way, spaced[0], spaced[1], side, (o.first, o.last))

    def shown_with(self, made: TracedSet) -> Document:
        return edits.curves.traced(self.session.history.document, made.curves, through=made.lofted).document

    def keep(self, made: TracedSet) -> None:
        if self.session.edit(_kept, made):
            self.left.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        scan = self.scan
        if self.made is None or scan is None:
            return []
        parts: list[Triangles | Lines | Discs | Label] = []
        length = ARROW * scan.diagonal
        arrows = [_arrow(one.fitted.curve, length) for one in self.made.sections]
        parts.append(Lines(np.concatenate(arrows), theme.now().accent, 2.0, on_top=True))
        several = [one for one in self.made.sections if one.others]
        parts += [Label(one.line.points[0], f"+{one.others}") for one in several]
        return parts


def _kept(document: Document, made: TracedSet) -> edits.Change:
    return edits.curves.traced(document, made.curves, through=made.lofted)


def _facts(sections: list[TracedSection], tolerance: float) -> list[Fact]:
    rms, worst = set_figures([one.fitted for one in sections])
    closed = sum(is_closed(one.fitted.curve) for one in sections)
    facts = [
        Fact("Worst", f"{worst:.3f} mm", "good" if worst <= tolerance else "bad"),
        Fact("rms", f"{rms:.3f} mm"),
        Fact("Sections", f"{len(sections)}, {closed} closed" if closed else f"{len(sections)}, open"),
        Fact("Poles", str(sum(one.fitted.curve.count for one in sections))),
    ]
    several = sum(one.others > 0 for one in sections)
    if several:
        facts.append(Fact("More than one line", f"in {several} of them: the one that goes on is taken"))
    return facts


def _arrow(curve: Curve, length: float) -> Floats:
    """(3, 2, 3) segments of a small arrow at the start of a curve, along it."""
    start, way, _ = curve.derivatives(np.array([curve.domain[0]]), 2)[:, 0]
    ahead = way / max(float(np.linalg.norm(way)), 1e-12)
    side = np.cross(ahead, np.eye(3)[np.abs(ahead).argmin()])
    tip = start + length * ahead
    barbs = [tip - 0.35 * length * ahead + sign * 0.2 * length * side for sign in (1, -1)]
    return np.array([[start, tip], [tip, barbs[0]], [tip, barbs[1]]])
