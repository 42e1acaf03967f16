"""What tools share whose picks are curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.checking import measure_both_ways
from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.kinds.lines import curve_points
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, Recipe

T = TypeVar("T")


def toggled(taken: Sequence[T], one: T) -> list[T]:
    """What is taken with one more, or without it where it was among them."""
    return [*taken, one] if one not in taken else [other for other in taken if other != one]


class OnCurves(Making):
    """A click takes a curve, or lets it go; Backspace lets the last one go.

    most: so many curves are taken; a click on another begins anew.
    """

    most: ClassVar[int | None] = None

    def clear(self) -> None:
        self.picked: list[str] = []
        self._hover: str | None = None

    @property
    def begun(self) -> bool:
        return bool(self.picked)

    @property
    def there(self) -> list[str]:
        """Ids of the picked curves that are still there."""
        return [key for key in self.picked if key in self.session.document]

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
        elif len(self.picked) == self.most:
            self.begin_anew()
            self.picked = [item.id]
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

    def picked_parts(self, order: Sequence[str], numbered: bool = False) -> list[Triangles | Lines | Discs | Label]:
        """The picked curves in an order, and the one under the pointer."""
        parts: list[Triangles | Lines | Discs | Label] = []
        document, accent = self.session.document, theme.now().accent
        for number, key in enumerate(order, 1):
            curve = document[key].shape
            parts.append(Lines(polyline(curve_points(curve)), accent, 3.0, on_top=True))
            if numbered:
                parts.append(Label(curve.points[0], str(number)))
        if self._hover is not None and self._hover in document and self._hover not in order:
            points = curve_points(document[self._hover].shape)
            parts.append(Lines(polyline(points), accent, 2.0, alpha=0.6, on_top=True))
        return parts


class WithGuides(OnCurves):
    """An Alt-click makes a curve a guide rather than one of the picked ones, or lets it go."""

    def clear(self) -> None:
        super().clear()
        self.guides: list[str] = []

    @property
    def guides_there(self) -> tuple[str, ...]:
        """Ids of the guides that are still there."""
        return tuple(key for key in self.guides if key in self.session.document)

    def press(self, pointer: Pointer) -> None:
        item = self._under(pointer)
        if item is None or not pointer.alt:
            super().press(pointer)
            return
        self.guides = toggled(self.guides, item.id)
        self.picked = [key for key in self.picked if key != item.id]
        self.try_it()

    def guide_parts(self) -> list[Triangles | Lines | Discs | Label]:
        """The guides, in another colour than what is picked."""
        curves = [self.session.document[key].shape for key in self.guides_there]
        return [Lines(polyline(curve_points(curve)), theme.now().scan_line, 2.4, on_top=True) for curve in curves]


class ManyCurves(WithGuides):
    """What is chosen when the tool is taken up is picked, and all that show can be with a click."""

    def start(self) -> None:
        super().start()
        if not self.picked and self.target is None:
            chosen = [item.id for item in self.session.selected_items if isinstance(item.shape, Curve)]
            if len(chosen) > 1:
                self.picked = chosen
                self.try_it()

    @property
    def choices(self) -> list[Choice]:
        showing = self.session.seen.of(Curve)
        if len(showing) < 2 or len(self.picked) == len(showing):
            return []
        return [Choice(f"All {len(showing)} that show", self._take_all)]

    def _take_all(self) -> None:
        self.picked = [item.id for item in self.session.seen.of(Curve) if item.id not in self.guides]
        self.try_it()


def surface_facts(made: Surface, source: Given) -> list[Fact]:
    """Weight, degree, and how a surface on curves stands to the scan and back."""
    facts = [Fact("Degree", f"{made.degree[0]} x {made.degree[1]}"), Fact("Control points", str(made.count))]
    if source.scan is not None:
        figures = measure_both_ways([made], source.scan, source.tolerance)
        good = "good" if figures.within(source.tolerance) else "bad"
        facts += [
            Fact("99 % of inliers", f"{figures.surface_to_scan.inlier_p99:.3f} mm", good),
            Fact("And back", f"{figures.scan_to_surface.inlier_p99:.3f} mm"),
        ]
    return facts


class MakesSurface(OnCurves):
    """Tools on curves that make one surface: what was built is it, with what is told of it."""

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> tuple[Surface, list[Fact]]:
        # the scan is looked at whatever the recipe goes by
        made: Surface = recipe.build(source, progress)
        return made, surface_facts(made, source)

    def shape_of(self, made: tuple[Surface, list[Fact]]) -> Surface:
        return made[0]
