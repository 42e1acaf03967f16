"""Lay out: the whole scan becomes a cage of quads by itself, tried first and kept when it pleases."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import Any, ClassVar

from arabesque.desk.facts import Fact
from arabesque.desk.kinds.cages import cage_parts
from arabesque.desk.patches import shape_triangles
from arabesque.desk.steps import Step
from arabesque.desk.theme import now
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import Curve
from arabesque.layout import Detail, Ground, Layout
from arabesque.model import Change, Item, edits
from arabesque.progress import Progress
from arabesque.reading import LineSet
from arabesque.recipes import Given, LayoutOfScan, Recipe
from arabesque.scan import Scan
from arabesque.shapes import Shape


class By(Enum):
    """What decides how many quads there are; the value is its words."""

    COUNT = "the count"
    TOLERANCE = "the tolerance"


class LayOut(Making):
    """Enter tries, Enter keeps; a changed count goes on from the rows that were found."""

    needs: ClassVar[Needs] = (Scan,)
    makes = LayoutOfScan
    name = "Layout"
    id = "lay-out"
    step = Step.CAGE
    label = "Lay out"
    hint = "Enter lays quads over the whole scan by itself and shows them; Enter again keeps them as a cage"
    shortcut = "U"
    icon = "ph.shield-checkered"
    short = "Lay out"

    @dataclass
    class Options:
        """by: what decides how many quads there are. quads: about so many. detail: how much small forms count.
        alike: both sides of the twin plane are the same. close: openings inside are gone over. follow: rows run along
        the curves and feature lines that are shown."""

        by: By = labelled(By.COUNT, "Quads by")
        quads: int = whole(500, 6, 20_000, "Quads")
        detail: Detail = labelled(Detail.BALANCED, "Detail")
        alike: bool = labelled(False, "Both sides alike")
        close: bool = labelled(False, "Close openings")
        follow: bool = labelled(False, "Along shown lines")

        @property
        def idle(self) -> tuple[str, ...]:
            """The count is not asked where the tolerance decides."""
            return ("quads",) if self.by is By.TOLERANCE else ()

    def start(self) -> None:
        self._ground: tuple[tuple[object, ...], Ground] | None = None
        super().start()

    def clear(self) -> None:
        pass

    @property
    def begun(self) -> bool:
        return self.made is not None or self.working

    def take(self, item: Item) -> None:
        recipe, o = item.recipe, self.options
        assert isinstance(recipe, LayoutOfScan)
        o.by = By.COUNT if recipe.quads else By.TOLERANCE
        o.quads = recipe.quads or o.quads
        o.detail, o.alike, o.close, o.follow = recipe.detail, recipe.alike, recipe.close, bool(recipe.curves)

    def draft(self) -> Recipe | None:
        o = self.options
        if self.session.scan is None:
            return None
        seen = self.session.seen
        curves = tuple(item.id for kind in (Curve, LineSet) for item in seen.of(kind)) if o.follow else ()
        return LayoutOfScan(o.quads if o.by is By.COUNT else 0, o.detail, o.alike, o.close, curves)

    def options_changed(self) -> None:
        # what takes seconds is not begun by a turn of a wheel
        self.drop()
        self.changed.emit()

    @property
    def can_apply(self) -> bool:
        return self.session.scan is not None and not self.working

    @property
    def apply_word(self) -> str:
        return "Try" if self.made is None else "Keep"

    def apply(self) -> None:
        if self.made is not None:
            super().apply()
        elif self.can_apply:
            self.try_it()

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Any:
        assert isinstance(recipe, LayoutOfScan)
        plane = source.plane if recipe.alike else None
        key = (source.scan, recipe.detail, plane, recipe.close, *(source.shapes[name] for name in recipe.curves))
        known = self._ground
        same = (
            known is not None and len(known[0]) == len(key) and all(a is b for a, b in zip(known[0], key, strict=True))
        )
        made = recipe.lay(source, known[1] if known is not None and same else None, progress)
        if made.ground is not None:
            self._ground = key, made.ground
        return made

    def shape_of(self, made: Layout) -> Shape:
        return made.cage

    @property
    def adds(self) -> Callable[..., Change]:
        # by hand it goes on being alike
        return edits.cages.laid_out if self.options.alike else super().adds

    def words(self, made: Layout) -> str:
        return f"layout of {made.cage.count} quads"

    def kept(self) -> None:
        super().kept()
        self.left.emit()

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan first"
        if self.working:
            return "At work: Esc stops it"
        return self.hint if self.made is None else "Enter keeps it, Esc drops it; another count is quick"

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return []
        made, tolerance = self.made, self.made.fit.tolerance
        there, back = made.figures.surface_to_scan, made.figures.scan_to_surface
        odd = ", ".join(f"{count} of {n}" for n, count in sorted(made.net.irregular.items()))
        folded = int(made.net.folded.sum())
        return [
            Fact("Quads", str(made.cage.count)),
            Fact("Irregular points", odd or "none"),
            Fact("Surface to scan", f"{there.inlier_p99:.3f} mm", "good" if there.within(tolerance) else "bad"),
            Fact("Worst", f"{there.max:.3f} mm"),
            Fact("Scan to surface", f"{back.inlier_p99:.3f} mm", "good" if back.within(tolerance) else "bad"),
            Fact("Worst back", f"{back.max:.3f} mm"),
            Fact("Within", f"{100 * back.inside:.1f} %"),
            Fact("Folded faces", str(folded), "bad" if folded else "good"),
            *[Fact("Not reached", words, "bad") for words in made.lacking],
        ]

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.made is None:
            return []
        cage = self.made.cage
        measured = self.session.meters.measure_now("layout", cage, self.session.scan)
        mesh = self.session.kept(shape_triangles, "layout", measured, True)
        return [mesh, *cage_parts(cage, now().accent, 1.4)]
