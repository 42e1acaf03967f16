"""The cage as NURBS: the patches that are its surface, as a derived item that follows it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from arabesque.cages import Cage, Delivery, deliver_cage
from arabesque.desk.facts import Fact
from arabesque.desk.patches import borders
from arabesque.desk.steps import Step
from arabesque.desk.theme import now
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import Patchwork
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.recipes import Given, Recipe, SurfacesOfCage
from arabesque.shapes import Shape


class CageSurfaces(Making):
    """Made at once of the selected cage, with what it differs by; Enter keeps the patches."""

    needs: ClassVar[Needs] = (Cage,)
    makes = SurfacesOfCage
    name = "Surfaces"
    id = "cage-surfaces"
    step = Step.CAGE
    label = "Surfaces of the cage"
    hint = "The NURBS patches that are the cage's surface: exact, but for a hair at irregular points"
    shortcut = ""
    icon = "ph.squares-four"
    short = "Surfaces"

    @dataclass
    class Options:
        """merged: as few patches as irregular points allow; else one a face."""

        merged: bool = labelled(True, "As few as can be")

    def start(self) -> None:
        super().start()
        if self.target is None:
            chosen = self.session.chosen(Cage)
            cages = self.session.seen.of(Cage)
            item = chosen or (cages[0] if cages else None)
            self.of = "" if item is None else item.id
            self.try_it()

    def clear(self) -> None:
        self.of = ""

    @property
    def begun(self) -> bool:
        return bool(self.of)

    def take(self, item: Item) -> None:
        assert isinstance(item.recipe, SurfacesOfCage)
        self.of, self.options.merged = item.recipe.of, item.recipe.merged

    def draft(self) -> Recipe | None:
        known = self.session.history.document.items.get(self.of)
        return SurfacesOfCage(self.of, self.options.merged) if known is not None else None

    def build(self, recipe: Recipe, source: Given, progress: Progress) -> Any:
        assert isinstance(recipe, SurfacesOfCage)
        progress(0.1, "Turning the cage into surfaces")
        return deliver_cage(source.shapes[recipe.of], recipe.merged)

    def shape_of(self, made: Delivery) -> Shape:
        return Patchwork(made.converted.surfaces)

    def words(self, made: Delivery) -> str:
        return f"{made.report.surfaces} surfaces of the cage"

    def press(self, pointer: Pointer) -> None:
        from arabesque.desk.kinds import shown_of

        for item in self.session.seen.of(Cage):
            if shown_of(item).hit(self.session, item, pointer) is not None:
                self.of = item.id
                self.try_it()
                return

    @property
    def says(self) -> str:
        return "Enter keeps the patches; they follow the cage" if self.made is not None else self.hint

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return []
        report = self.made.report
        worst = [f"{angle:.2g}° at {n}" for n, angle in report.by_valence.items() if n != 4 and angle > 1e-6]
        return [
            Fact("Patches", str(report.surfaces)),
            Fact("Control points", str(report.points)),
            Fact("Off the cage", f"{report.deviation:.2g} mm", "good"),
            Fact("Widest gap", f"{report.gap:.1g} mm", "good" if report.gap < 1e-6 else "bad"),
            Fact("Worst angle", f"{report.angle:.2g}°", "good" if report.angle <= 0.1 else "bad"),
            *([Fact("By faces round", ", ".join(worst))] if worst else []),
            Fact("Closed", "yes" if report.closed else "no: a sheet"),
        ]

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.made is None:
            return []
        work = self.session.kept(Patchwork, self.made.converted.surfaces)
        samples = self.session.kept(_read, work)
        return [Lines(borders(samples), now().accent, 2.2, lift=0.9)]


def _read(work: Patchwork) -> Any:
    return work.sampler(60).read(work)
