"""The surface through curves that are clicked, in any order."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.trace.on_curves import MakesSurface, ManyCurves
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.recipes import LoftThrough
from arabesque.scan import Scan
from arabesque.tracing import LoftWay, in_order, odd_sections, outward_loft


class LoftCurves(MakesSurface, ManyCurves):
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
        """degree: across the curves; 1 is straight from one to the next. closed: back to the first, of degree 3.
        before, after: mm beyond the ends. square_first, square_last: how strongly it sets out square to the planes of
        its ends, 0 leaves it free. ordered: the order is found by where they lie."""

        degree: int = whole(3, 1, 5, "Degree across")
        closed: bool = labelled(False, "Closed round")
        before: float = labelled(0.0, "Before the first")
        after: float = labelled(0.0, "After the last")
        square_first: float = labelled(0.0, "Square at the first")
        square_last: float = labelled(0.0, "Square at the last")
        ordered: bool = labelled(True, "In their own order")

        @property
        def idle(self) -> tuple[str, ...]:
            """What goes round has no ends; what is straight leaves them as it must."""
            squares = ("square_first", "square_last")
            return ("before", "after", *squares) if self.closed else () if self.degree > 1 else squares

    def take(self, item: Item) -> None:
        recipe = item.recipe
        assert isinstance(recipe, LoftThrough)
        self.picked = [key for key in recipe.of if key in self.session.document]
        o = self.options
        o.degree, o.closed, o.ordered = recipe.degree, recipe.closed, False
        o.before, o.after = recipe.before, recipe.after
        o.square_first, o.square_last = recipe.square_first, recipe.square_last
        self.guides = list(recipe.guides)

    @property
    def says(self) -> str:
        if self.working:
            return "Lofting"
        if self.made is not None:
            return "Enter keeps it; click adds a curve or takes it out, Alt-click makes it a guide"
        return "Click another curve" if self.picked else self.hint

    @property
    def choices(self) -> list[Choice]:
        document, keys = self.session.document, self.there
        odd = self.session.kept(odd_sections, tuple(document[key].shape for key in keys)) if len(keys) > 1 else []
        # what keeps them from being lofted can be left out with a click
        found = [Choice(f"Leave out {document[keys[k]].name}", partial(self._leave_out, keys[k])) for k in odd]
        return found + super().choices

    def _leave_out(self, key: str) -> None:
        self.picked = [one for one in self.picked if one != key]
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
            way = LoftWay(o.degree, o.closed)
            keys = [keys[k] for k in self.session.kept(_order, curves, way, document.reference_scan)]
        way = LoftWay(o.degree, o.closed)
        if not o.closed:
            way = replace(way, before=o.before, after=o.after)
            if o.degree > 1:
                way = replace(way, square_first=o.square_first, square_last=o.square_last)
        return LoftThrough.by(keys, way, self.guides_there)

    def words(self, made: tuple[Surface, list[Fact]]) -> str:
        return f"loft through {len(self.picked)} curves"

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        if self.made is not None:
            parts += self.preview(self.made[0], camera)
        draft = self.draft()
        parts += self.guide_parts()
        return parts + self.picked_parts(self.there if draft is None else draft.of, numbered=True)


def _order(curves: tuple[Curve, ...], way: LoftWay, scan: Scan | None) -> list[int]:
    """Numbers of curves in the order in which they lie, so that the loft looks the way the scan does."""
    order = in_order(curves)
    try:
        outward = outward_loft([curves[k] for k in order], way, scan).order
    except FitProblem:  # they do not correspond: told when the loft is built
        return order
    return [order[k] for k in outward]
