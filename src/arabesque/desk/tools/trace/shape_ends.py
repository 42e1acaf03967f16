"""The ends of curves: joined, matched, blended, run on or trimmed back, and pulled by their handles."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.on_guides import guide_under
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import on_plane
from arabesque.desk.view.pointer import Pointer, facing
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Manner, Surface, arc_length, curve_feet, unit
from arabesque.model import Item, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import BlendCurve, EndOf
from arabesque.tracing import end_of, joined_curves, lengthened, matched, nearest_ends, pulled, reaching, with_end

REACH = 0.25
"""Of a curve's length: how long its tangent handle is drawn."""


class Do(Enum):
    """What is done with an end; the value is its words."""

    HANDLES = "pull handles"
    EXTEND = "run on or trim"
    REACH = "run on to a curve"
    JOIN = "join two"
    MATCH = "match"
    BLEND = "blend two"


TWO = (Do.REACH, Do.JOIN, Do.MATCH, Do.BLEND)


@dataclass(frozen=True, eq=False)
class PickedEnd:
    """An end, or a place of an edge, that was clicked. at_end: of a curve."""

    key: str
    at: Floats
    at_end: bool


class ShapeEnds(Tool):
    """Clicks take an end, and the curve or edge that it is brought to; what would be is drawn, Enter keeps it."""

    needs = (Curve,)
    makes = BlendCurve
    id = "shape-ends"
    step = Step.TRACE
    label = "Ends of curves"
    hint = "Click near the end of a curve"
    shortcut = "J"
    icon = "ph.link"
    short = "Ends"

    @dataclass
    class Options:
        """order: of continuity, G0 to G3. length: mm to run on, below 0 to trim back. first, second: how far a blend
        reaches, as shares of the gap."""

        do: Do = Do.HANDLES
        order: int = whole(2, 0, 3, "Continuity G")
        length: float = labelled(10.0, "Run on by")
        manner: Manner = labelled(Manner.NATURAL, "Goes on")
        first: float = labelled(1.0, "Reach, first")
        second: float = labelled(1.0, "Reach, second")

        @property
        def idle(self) -> tuple[str, ...]:
            """Each has its own numbers."""
            own = {
                Do.HANDLES: (),
                Do.EXTEND: ("length", "manner"),
                Do.REACH: ("manner",),
                Do.JOIN: ("order",),
                Do.MATCH: ("order",),
                Do.BLEND: ("order", "first", "second"),
            }[self.do]
            return tuple(n for n in ("order", "length", "manner", "first", "second") if n not in own)

    def start(self) -> None:
        self.picked: list[PickedEnd] = []
        self.made: Curve | None = None
        self._drag: tuple[str, float] | None = None
        self._hover: Floats | None = None
        item = self.session.selection
        if item is not None and isinstance(item.recipe, BlendCurve):
            recipe = item.recipe
            self.options.do, self.options.order = Do.BLEND, recipe.order
            self.options.first, self.options.second = recipe.first, recipe.second
            self.picked = [PickedEnd(end.of, end.at, True) for end in (recipe.one, recipe.two)]
            self._made_again = item.id
        else:
            self._made_again = ""
        self._try()

    @property
    def says(self) -> str:
        do = self.options.do
        if self.made is not None and do is not Do.HANDLES:
            return "Enter keeps it, Esc drops it"
        if not self.picked:
            return self.hint
        if do is Do.HANDLES:
            return "Drag the tangent's tip, the bend's tip, or any place of the curve"
        return "Click the other end, or the edge of a patch" if do is not Do.REACH else "Click the other curve"

    @property
    def facts(self) -> list[Fact]:
        curve = self.made or self._curve(0)
        if curve is None:
            return []
        return [
            Fact("Degree", str(curve.degree)),
            Fact("Control points", str(curve.count)),
            Fact("Length", f"{self.session.kept(arc_length, curve):.3f} mm"),
        ]

    @property
    def can_apply(self) -> bool:
        return self.made is not None and self.options.do is not Do.HANDLES

    def options_changed(self) -> None:
        if self.options.do not in TWO:
            del self.picked[1:]
        self._try()

    def _item(self, number: int) -> Item | None:
        document = self.session.history.document
        if number >= len(self.picked) or self.picked[number].key not in document:
            return None
        return document[self.picked[number].key]

    def _curve(self, number: int) -> Curve | None:
        item = self._item(number)
        return item.shape if item is not None and isinstance(item.shape, Curve) else None

    # the hand

    def press(self, pointer: Pointer) -> None:
        if self.options.do is Do.HANDLES and self._grab(pointer):
            return
        found = self._end_under(pointer)
        if found is None:
            self.session.tell_problem(
                ArabesqueError("There is no end of a curve here", "Click near the end of a curve")
            )
            return
        if self.options.do in TWO and len(self.picked) == 1 and found.key != self.picked[0].key:
            self.picked.append(found)
        else:
            self.picked = [found]
        self._try()

    def _end_under(self, pointer: Pointer) -> PickedEnd | None:
        hit = patch_under(self.session, pointer, Curve)
        if hit is not None:
            curve = hit[0].shape
            points = curve_points(curve)
            at_end = pointer.nearest(points) > len(points) / 2
            return PickedEnd(hit[0].id, curve.points[-1 if at_end else 0], at_end)
        line = guide_under(self.session, pointer)
        if line is not None and isinstance(line.item.shape, Surface) and self.picked:
            return PickedEnd(line.item.id, line.place, True)
        return None

    def _grab(self, pointer: Pointer) -> bool:
        curve = self._curve(0)
        if curve is None:
            return False
        tips = self._tips(curve)
        for name, (_, tip) in tips.items():
            if pointer.near(tip):
                self._drag = name, 0.0
                return True
        points = curve_points(curve)
        if pointer.to_line(points) < 8.0 and not any(pointer.near(curve.points[k]) for k in (0, -1)):
            at = points[[pointer.nearest(points)]]
            self._drag = "place", float(curve_feet(curve, at).parameters[0])
            return True
        return False

    def move(self, pointer: Pointer, dragging: bool) -> None:
        if dragging and self._drag is not None:
            self._pull(pointer)
        else:
            found = self._end_under(pointer)
            self._hover = None if found is None else found.at
        self.changed.emit()

    def _pull(self, pointer: Pointer) -> None:
        item, curve = self._item(0), self._curve(0)
        assert item is not None and curve is not None and self._drag is not None
        name, t = self._drag
        at_end = self.picked[0].at_end
        if name == "place":
            start = curve.at([t])[0]
        else:
            start = self._tips(curve)[name][1]
        to = on_plane(pointer.camera, pointer.x, pointer.y, start, facing(pointer.camera))
        if to is None:
            return
        try:
            if name == "place":
                made = pulled(curve, t, to)
            else:
                end = end_of(curve, at_end)
                length = REACH * arc_length(curve)
                if name == "tangent":
                    run = curve.derivatives(np.array([curve.domain[1 if at_end else 0]]), 1)[1, 0]
                    speed = float(np.linalg.norm(run))
                    made = with_end(curve, at_end, tangent=-(to - end.place) / length * speed)
                else:
                    across = to - end.place
                    across = across - (across @ end.tangent) * end.tangent
                    made = with_end(curve, at_end, bend=across / length**2 * 2)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        self.session.show(self.session.moving(self.session.history.document.with_shape(item.id, made)))

    def release(self, pointer: Pointer) -> None:
        item = self._item(0)
        shown = self.session.document
        if self._drag is not None and item is not None and shown is not self.session.history.document:
            what = {"place": "place pulled", "tangent": "tangent pulled", "bend": "bend pulled"}[self._drag[0]]
            at_end = self.picked[0].at_end
            self.session.commit(f"{item.name}: {what}", shown)
            curve = self._curve(0)
            if curve is not None:
                self.picked = [PickedEnd(item.id, curve.points[-1 if at_end else 0], at_end)]
        self._drag = None
        self.changed.emit()

    # what would be

    def _try(self) -> None:
        self.made = None
        try:
            self.made = self._build()
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
        self.changed.emit()

    def _build(self) -> Curve | None:
        o, curve, other = self.options, self._curve(0), self._curve(1)
        if o.do is Do.BLEND and len(self.picked) == 2:
            recipe = self._blend()
            built: Curve = recipe.build(given(self.session.history.document, recipe))
            return built
        if curve is None or o.do is Do.HANDLES:
            return None
        at_end = self.picked[0].at_end
        if o.do is Do.EXTEND:
            return lengthened(curve, at_end, o.length, o.manner)
        if len(self.picked) < 2:
            return None
        if o.do is Do.MATCH:
            end = EndOf(self.picked[1].key, self.picked[1].at)
            to = end.read(self.session.history.document[end.of].shape)
            return matched(curve, at_end, to, min(o.order, 2))
        if other is None:
            raise ArabesqueError("That is no curve", "Click a curve")
        if o.do is Do.REACH:
            return reaching(curve, at_end, other, o.manner)
        ends = nearest_ends(curve, other)
        gap = float(np.linalg.norm(curve.points[-1 * ends[0]] - other.points[-1 * ends[1]]))
        return joined_curves(curve, other, min(o.order, 2), max(gap, 1e-9) * 1.001)

    def _blend(self) -> BlendCurve:
        one, two = (EndOf(end.key, end.at) for end in self.picked[:2])
        o = self.options
        return BlendCurve(one, two, int(np.clip(o.order, 1, 3)), o.first, o.second)

    def apply(self) -> None:
        made, item, do = self.made, self._item(0), self.options.do
        if made is None or item is None or do is Do.HANDLES:
            return
        document = self.session.history.document
        if do is Do.BLEND:
            recipe = self._blend()
            made_of = ingredients(document, recipe)
            again = document.items.get(self._made_again)
            if again is not None:
                done = self.session.edit(edits.items.derived_again, again, "made again", made, recipe, made_of)
            else:
                done = self.session.edit(edits.items.derived, "curves blended", "Blend", made, recipe, made_of)
        elif do is Do.JOIN:
            other = self._item(1)
            assert other is not None
            done = self.session.edit(edits.curves.joined, item, other, made, f"G{min(self.options.order, 2)}")
        else:
            words = {Do.EXTEND: "end moved", Do.REACH: "run on to a curve", Do.MATCH: "end matched"}[do]
            done = self.session.edit(edits.items.reshaped, item, words, made)
        if done:
            self.picked, self.made, self._made_again = [], None, ""
            self.changed.emit()

    def escape(self) -> None:
        begun = bool(self.picked)
        self.picked, self.made, self._made_again = [], None, ""
        self.session.drop_shown()
        if begun:
            self.changed.emit()
        else:
            self.left.emit()

    def stop(self) -> None:
        self.session.drop_shown()

    # the picture

    def _tips(self, curve: Curve) -> dict[str, tuple[Floats, Floats]]:
        """Start and tip of the tangent handle, and of the one of the bend, of the picked end."""
        try:
            end = end_of(curve, self.picked[0].at_end)
        except ArabesqueError:  # it stands still there: there is nothing to pull
            return {}
        length = REACH * float(self.session.kept(arc_length, curve))
        tips = {"tangent": (end.place, end.place - length * end.tangent)}
        if curve.degree > 1 and curve.count > 3:
            bend = length**2 / 2 * end.bend
            least = 0.15 * length
            if np.linalg.norm(bend) < least:
                side = unit(np.cross(end.tangent, np.eye(3)[np.abs(end.tangent).argmin()])[None])[0]
                bend = least * (unit(bend[None])[0] if np.linalg.norm(bend) > 1e-9 else side)
            tips["bend"] = (end.place, end.place + bend)
        return tips

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        parts: list[Triangles | Lines | Discs | Label] = []
        t, shown = theme.now(), self.session.document
        for end in self.picked:
            if end.key in shown and isinstance(shown[end.key].shape, Curve):
                parts.append(Lines(polyline(curve_points(shown[end.key].shape)), t.accent, 2.6, on_top=True))
            parts.append(Discs(end.at[None], np.ones(1), 5.0))
        if self.options.do is Do.HANDLES and self.picked and self.picked[0].key in shown:
            curve = shown[self.picked[0].key].shape
            if isinstance(curve, Curve):
                for name, (start, tip) in self._tips(curve).items():
                    parts.append(Lines(np.array([[start, tip]]), t.accent, 1.6, on_top=True))
                    parts.append(Discs(tip[None], np.zeros(1), 5.0, t.accent))
                    parts.append(Label(tip, name))
        if self.made is not None:
            parts.append(Lines(polyline(curve_points(self.made)), t.accent, 3.0, on_top=True))
        if self._hover is not None:
            parts.append(Discs(self._hover[None], np.full(1, 2.0), 5.0))
        return parts
