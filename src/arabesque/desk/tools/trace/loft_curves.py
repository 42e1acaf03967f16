"""The surface through curves that are clicked, in any order."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.checking import measure_both_ways
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, LoftThrough, Recipe
from arabesque.scan import Scan
from arabesque.tracing import LoftWay, in_order, looking_outward


class LoftCurves(Making):
    """Curves are clicked, or all that show are taken at once; the loft is drawn as it would be."""

    needs = (Curve,)
    makes = LoftThrough
    name = "Loft"
    id = "loft"
    step = Step.TRACE
    label = "Loft through curves"
    hint = "Click the curves that the surface goes through, in any order"
    shortcut = "T"
    icon = "ph.waves"
    short = "Loft"

    @dataclass
    class Options:
        """smooth: across the curves; straight from one to the next where it is not. closed: back to the first.
        before, after: mm beyond the ends. ordered: the order is found by where they lie."""

        smooth: bool = True
        closed: bool = labelled(False, "Closed round")
        before: float = labelled(0.0, "Before the first")
        after: float = labelled(0.0, "After the last")
        ordered: bool = labelled(True, "In their own order")

        @property
        def idle(self) -> tuple[str, ...]:
            """What goes round has no ends."""
            return ("before", "after") if self.closed else ()

    def clear(self) -> None:
        self.picked: list[str] = []
        self._hover: str | None = None

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, LoftThrough)
        self.picked = [key for key in recipe.of if key in self.session.document]
        o = self.options
        o.smooth, o.closed, o.ordered = recipe.degree > 1, recipe.closed, False
        o.before, o.after = recipe.before, recipe.after

    def start(self) -> None:
        super().start()
        if not self.picked and self.target is None:
            chosen = [item.id for item in self.session.selected_items if isinstance(item.shape, Curve)]
            if len(chosen) > 1:
                self.picked = chosen
                self.try_it()

    @property
    def says(self) -> str:
        if self.working:
            return "Lofting"
        if self.made is not None:
            return "Enter keeps it; click adds a curve or takes it out"
        return "Click another curve" if self.picked else self.hint

    @property
    def choices(self) -> list[Choice]:
        showing = self._curves()
        if len(showing) < 2 or len(self.picked) == len(showing):
            return []
        return [Choice(f"All {len(showing)} that show", self._take_all)]

    def _curves(self) -> list[Item]:
        return self.session.seen.of(Curve)

    def _take_all(self) -> None:
        self.picked = [item.id for item in self._curves()]
        self.try_it()

    @property
    def facts(self) -> list[Fact]:
        facts = [Fact("Curves", str(len(self.picked)))]
        return facts if self.made is None else [*facts, *self.made[1]]

    def _under(self, pointer: Pointer) -> Item | None:
        found = patch_under(self.session, pointer, Curve)
        return None if found is None else found[0]

    def press(self, pointer: Pointer) -> None:
        item = self._under(pointer)
        if item is None:
            self.session.tell_problem(ArabesqueError("There is no curve here", "Click on a curve"))
            return
        if item.id in self.picked:
            self.picked.remove(item.id)
        else:
            self.picked.append(item.id)
        self.try_it()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        item = self._under(pointer)
        self._hover = None if item is None else item.id
        self.changed.emit()

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace and self.picked:
            self.picked.pop()
            self.try_it()
            return True
        return False

    def draft(self) -> LoftThrough | None:
        document, o = self.session.document, self.options
        keys = [key for key in self.picked if key in document]
        if len(keys) < (3 if o.closed else 2):
            return None
        if o.ordered:
            curves = tuple(document[key].shape for key in keys)
            way = LoftWay(3 if o.smooth else 1, o.closed)
            keys = [keys[k] for k in self.session.kept(_order, curves, way, document.reference_scan)]
        ends = (0.0, 0.0) if o.closed else (o.before, o.after)
        return LoftThrough(tuple(keys), 3 if o.smooth else 1, o.closed, *ends)

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> tuple[Surface, list[Fact]]:
        made: Surface = recipe.build(source, progress)
        facts = [Fact("Control points", str(made.count))]
        if source.scan is not None:
            figures = measure_both_ways([made], source.scan, source.tolerance)
            good = "good" if figures.within(source.tolerance) else "bad"
            facts += [
                Fact("99 % of inliers", f"{figures.surface_to_scan.inlier_p99:.3f} mm", good),
                Fact("And back", f"{figures.scan_to_surface.inlier_p99:.3f} mm"),
            ]
        return made, facts

    def shape_of(self, made: tuple[Surface, list[Fact]]) -> Surface:
        return made[0]

    def words(self, made: tuple[Surface, list[Fact]]) -> str:
        return f"loft through {len(self.picked)} curves"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self.made is not None:
            parts += self.preview(self.made[0], camera)
        draft, document = self.draft(), self.session.document
        order = list(draft.of) if draft is not None else [key for key in self.picked if key in document]
        for number, key in enumerate(order, 1):
            curve = document[key].shape
            parts.append(Lines(polyline(curve_points(curve)), theme.now().accent, 3.0, on_top=True))
            parts.append(Label(curve.points[0], str(number)))
        if self._hover is not None and self._hover in document and self._hover not in order:
            points = curve_points(document[self._hover].shape)
            parts.append(Lines(polyline(points), theme.now().accent, 2.0, alpha=0.6, on_top=True))
        return parts


def _order(curves: tuple[Curve, ...], way: LoftWay, scan: Scan | None) -> list[int]:
    """Numbers of curves in the order in which they lie, so that the loft looks the way the scan does."""
    order = in_order(curves)
    if scan is None:
        return order
    try:
        outward = looking_outward([curves[k] for k in order], way, scan)
    except FitProblem:  # they do not correspond: told when the loft is built
        return order
    return [order[k] for k in outward]
