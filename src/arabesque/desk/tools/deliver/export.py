"""Deliver: write patches and curves to a file for other systems."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from pathlib import Path

from arabesque.desk.facts import Fact
from arabesque.desk.settings import ShownUnit
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.delivering import Delivering, Written
from arabesque.desk.tools.options import labelled
from arabesque.geometry import Curve
from arabesque.model import Item
from arabesque.shapes import Sampled, can
from arabesque.solid import FileKind, deliverable


class Divided(Enum):
    """How many files are written."""

    TOGETHER = "all in one"
    EACH = "one an item"


class Export(Delivering):
    """Asks for kind, unit and chord tolerance, then for the place."""

    needs = ((Sampled, Curve),)
    id = "export"
    step = Step.DELIVER
    label = "Export"
    hint = "Write the selected patch, or all that show, for other systems"
    shortcut = "Ctrl+E"
    icon = "ph.export"

    @dataclass
    class Options:
        """kind of file, unit of its numbers, and for triangles the chord tolerance in mm. divided: over files.
        triangles: beside the exact shapes."""

        kind: FileKind = FileKind.STEP_AP214
        unit: ShownUnit = ShownUnit.MM
        chord: float = 0.05
        divided: Divided = labelled(Divided.TOGETHER, "Files")
        triangles: bool = labelled(False, "Triangles too")

        @property
        def idle(self) -> tuple[str, ...]:
            """Only triangles need a chord tolerance; AP242 alone holds them beside exact shapes."""
            beside = self.kind is FileKind.STEP_AP242
            chord = () if self.kind.is_mesh or (beside and self.triangles) else ("chord",)
            return chord if beside else (*chord, "triangles")

    def items(self) -> list[Item]:
        """What would be written: the selected patch or curve, or else all that show; with their mirror images."""
        document = self.session.document
        chosen = self.session.selection
        if chosen is not None and deliverable(chosen.shape):
            return document.with_images([chosen])
        shown = [item for item in self.session.seen.items if deliverable(item.shape)]
        return document.with_images(shown)

    def files(self, path: Path) -> list[tuple[Path, list[Item]]]:
        """What is written where: with its name beside the chosen one where every item has a file of its own."""
        items = self.items()
        if self.options.divided is Divided.TOGETHER:
            return [(path, items)]
        return [(path.with_name(f"{path.stem} {_plain(item.name)}{path.suffix}"), [item]) for item in items]

    @property
    def says(self) -> str:
        return "Enter asks for the place and writes"

    @property
    def can_apply(self) -> bool:
        return bool(self.items())

    @property
    def writes(self) -> Written:
        kind = self.options.kind
        return Written("Export", f"patches{kind.suffix}", f"{kind.value[0]} (*{kind.suffix})", kind.suffix)

    def write(self, path: Path) -> None:
        o = self.options
        self.session.export(self.files(path), o.kind, o.unit.value, o.chord, o.triangles)
        self.left.emit()

    @property
    def facts(self) -> list[Fact]:
        items = self.items()
        surfaces = [item for item in items if can(item.shape, Sampled)]
        patches = sum(len(item.shape.patches()) for item in surfaces)
        return [Fact("Patches", str(patches)), Fact("Curves", str(len(items) - len(surfaces)))]

    def options_changed(self) -> None:
        self.changed.emit()


def _plain(name: str) -> str:
    """A name as a part of a file's."""
    return "".join(sign if sign.isalnum() or sign in " -_." else "_" for sign in name).strip() or "item"
