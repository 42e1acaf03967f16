"""Improve the cage: whole strips of faces put in where it fails, or taken out where they are not needed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

from arabesque.desk.facts import Fact
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.try_on_cage import TryOnCage
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.layout import Aim, Improved, improved
from arabesque.model import edits
from arabesque.progress import Progress


class Towards(Enum):
    """What the cage is to become; the value is its words and the aim."""

    CLOSER = ("nearer", Aim.CLOSER)
    LIGHTER = ("lighter", Aim.LIGHTER)
    CALMER = ("calmer", Aim.CALMER)


class ImproveCage(TryOnCage):
    """Tried first, beside the window: the strips are shown with what they bring, then kept or dropped."""

    id = "improve-cage"
    label = "Improve the cage"
    hint = "Enter shows the strip of faces that brings most for its quads, put in or taken out; Enter again keeps it"
    shortcut = ""
    icon = "ph.trend-up"
    short = "Improve"

    @dataclass
    class Options:
        """aim: what the cage is to become. most: so many strips at most, one after the other."""

        aim: Towards = labelled(Towards.CLOSER, "To be")
        most: int = whole(1, 1, 40, "Strips at most")

    def prepared(self) -> Callable[[Progress], Improved] | None:
        item, scan, o = self.item, self.session.scan, self.options
        if item is None or scan is None:
            return None
        document = self.session.history.document
        plane = document.plane_of(item) if edits.cages.is_tied(item) else None
        cage, tolerance, aim, most = item.shape, document.tolerance, o.aim.value[1], o.most
        return lambda progress: improved(cage, scan, aim, tolerance, plane, most, progress)

    def keep(self, made: Improved) -> None:
        item = self.item
        if item is not None:
            self.session.edit(edits.items.reshaped, item, made.words, made.cage)

    @property
    def size_facts(self) -> list[Fact]:
        item = self.item
        return [] if item is None else [Fact("Faces", str(item.shape.count))]

    @property
    def facts(self) -> list[Fact]:
        made: Improved | None = self.made
        if made is None:
            return self.size_facts
        before, after = made.before.inlier_p99, made.fit.figures.inlier_p99
        return [
            Fact("Done", made.words),
            Fact("Faces", f"{made.cage.count} ({made.faces:+d})"),
            Fact("Before", f"{before:.3f} mm"),
            Fact("Now", f"{after:.3f} mm", "good" if made.fit.within else "bad"),
            Fact("For each face", f"{1000 * made.gain:+.2f} µm"),
            Fact("Irregular points", made.fit.net.irregular_words),
            Fact("Verdict", made.fit.verdict),
        ]

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.made is None:
            return []
        return [Lines(self.made.where, now().accent, 3.0, on_top=True)]
