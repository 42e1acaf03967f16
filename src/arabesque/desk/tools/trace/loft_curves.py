"""The surface through curves that are clicked, in any order."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.checking import measure_both_ways
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.options import labelled
from arabesque.desk.tools.trace.on_curves import OnCurves
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, LoftThrough, Recipe
from arabesque.scan import Scan
from arabesque.tracing import LoftWay, in_order, outward_loft


class LoftCurves(OnCurves):
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

    def draft(self) -> LoftThrough | None:
        document, o = self.session.document, self.options
        keys = self.there
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
        draft = self.draft()
        return parts + self.picked_parts(self.there if draft is None else draft.of, numbered=True)


def _order(curves: tuple[Curve, ...], way: LoftWay, scan: Scan | None) -> list[int]:
    """Numbers of curves in the order in which they lie, so that the loft looks the way the scan does."""
    order = in_order(curves)
    try:
        outward, _ = outward_loft([curves[k] for k in order], way, scan)
    except FitProblem:  # they do not correspond: told when the loft is built
        return order
    return [order[k] for k in outward]
