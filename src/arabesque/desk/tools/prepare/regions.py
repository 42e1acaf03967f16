"""The regions of a scan: found with one sensitivity value, corrected by hand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from arabesque.desk import theme
from arabesque.desk.facts import Choice, Fact, number
from arabesque.desk.kinds.areas import AreaKind, region_facts
from arabesque.desk.tools.base import Needs
from arabesque.desk.tools.options import labelled, share
from arabesque.desk.tools.prepare.read_form import shape_facts
from arabesque.desk.tools.shape_work import Found, ShapeWork
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import ElementaryKind
from arabesque.mending import in_ball
from arabesque.model import Item, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.progress import Progress
from arabesque.reading import Regions, find_regions
from arabesque.recipes import RegionShape
from arabesque.scan import Scan


class FindRegions(ShapeWork):
    """Calm areas and radii, each recognised as a true shape or a free form."""

    id = "regions"
    label = "Regions"
    hint = "Set the sensitivity, then Enter divides the scan into calm areas and radii"
    icon = "ph.squares-four"

    @dataclass
    class Options:
        """sensitivity: more gives more and smaller areas."""

        sensitivity: float = share(0.5)

    def work(self, scan: Scan) -> Callable[[Progress], Found]:
        sensitivity = self.options.sensitivity

        def run(progress: Progress) -> Found:
            regions = find_regions(scan, sensitivity, progress)
            return Found(regions, "Regions", f"regions at {sensitivity:.0%}", region_facts(regions))

        return run


class CorrectRegions(ShapeWork):
    """Click areas to choose them; set their kind, merge them, split them, repaint their borders."""

    needs: ClassVar[Needs] = (Regions,)
    id = "correct-regions"
    label = "Correct regions"
    short = "Correct"
    hint = "Click areas, Ctrl for more; then choose what to do. Shift brushes triangles to the chosen area"
    icon = "ph.swatches"
    takes_places = True
    applies = False

    @dataclass
    class Options:
        """kind: that chosen areas are set to. brush: radius, mm. sensitivity: of a split."""

        kind: AreaKind = labelled(AreaKind.PLANE, "Set to")
        brush: float = labelled(4.0, "Brush radius")
        sensitivity: float = share(0.8, "Split at")

    def start(self) -> None:
        super().start()
        self.areas: list[int] = []
        self._painting: np.ndarray | None = None
        scan = self.scan
        if scan is not None:
            # the pairs of neighbours take a moment on a large scan
            self.session.jobs.quick("neighbours", lambda progress: scan.neighbours).done.connect(
                lambda _: self.changed.emit()
            )

    @property
    def regions_item(self) -> Item | None:
        """The selected regions, or the first there are."""
        document = self.session.document
        selected = self.session.selection
        items = [selected] if selected is not None else []
        return next((i for i in [*items, *document] if isinstance(i.shape, Regions) and document.scan_of(i)), None)

    @property
    def regions(self) -> Regions | None:
        """The areas at hand."""
        item = self.regions_item
        return item.shape if item is not None and isinstance(item.shape, Regions) else None

    @property
    def scan(self) -> Scan | None:
        item = self.regions_item
        return None if item is None else self.session.document.scan_of(item)

    @property
    def says(self) -> str:
        return self.hint if self.regions is not None else "Find regions first"

    @property
    def facts(self) -> list[Fact]:
        regions = self.regions
        if regions is None:
            return []
        if len(self.areas) != 1 or self.areas[0] >= len(regions.areas):
            return [Fact("Chosen", f"{len(self.areas)} of {len(regions.areas)} areas"), *region_facts(regions)]
        area = regions.areas[self.areas[0]]
        facts = [Fact("Triangles", number(int(regions.counts[self.areas[0]])))]
        return facts + (shape_facts(area.shape) if area.shape is not None else [Fact("Kind", "free form")])

    @property
    def choices(self) -> list[Choice]:
        choices = []
        if self.areas:
            choices.append(Choice(f"Set to {self.options.kind.value}", self.set_kind))
            choices.append(Choice("Make a true shape of it", self.make_shape))
            choices.append(Choice("Mark it on the scan", self.mark))
            choices.append(Choice("Split it", self.split))
        if len(self.areas) > 1:
            choices.append(Choice(f"Merge {len(self.areas)} areas", self.merge))
        return choices

    def _area_under(self, pointer: Pointer) -> tuple[int, np.ndarray] | None:
        scan, regions = self.scan, self.regions
        hit = None if scan is None else scan.pick(*pointer.camera.ray(pointer.x, pointer.y))
        return None if hit is None or regions is None else (int(regions.labels[hit[1]]), hit[0])

    def press(self, pointer: Pointer) -> None:
        under = self._area_under(pointer)
        scan = self.scan
        if under is None or scan is None:
            self.areas = []
        elif pointer.shift and len(self.areas) == 1:
            self._painting = in_ball(scan, under[1], self.options.brush)
        elif pointer.ctrl:
            self.areas = sorted(set(self.areas) ^ {under[0]})
        else:
            self.areas = [under[0]]
        self.changed.emit()

    def move(self, pointer: Pointer, dragging: bool) -> None:
        scan = self.scan
        if dragging and self._painting is not None and scan is not None:
            under = self._area_under(pointer)
            if under is not None:
                self._painting = self._painting | in_ball(scan, under[1], self.options.brush)
                self.changed.emit()

    def release(self, pointer: Pointer) -> None:
        mask, self._painting = self._painting, None
        if mask is not None and len(self.areas) == 1:
            target = self.areas[0]
            self._change("repainted", lambda scan, regions: regions.repainted(scan, mask, target))

    def key(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Backspace:
            self.areas = []
            self.changed.emit()
            return True
        return False

    def escape(self) -> None:
        if self.areas:
            self.areas = []
            self.changed.emit()
        else:
            self.left.emit()

    def options_changed(self) -> None:
        self.changed.emit()

    def set_kind(self) -> None:
        """Set the chosen areas to the kind of the form."""
        wanted = self.options.kind
        kind = None if wanted is AreaKind.FREE else ElementaryKind(wanted.value)
        areas = list(self.areas)

        def change(scan: Scan, regions: Regions) -> Regions:
            for which in areas:
                regions = regions.with_kind(scan, which, kind)
            return regions

        self._change(f"set to {wanted.value}", change)

    def merge(self) -> None:
        """The chosen areas as one."""
        areas = list(self.areas)
        self._change("merged", lambda scan, regions: regions.merged(scan, areas))

    def split(self) -> None:
        """The chosen area divided again."""
        which, sensitivity = self.areas[0], self.options.sensitivity
        self._change("split", lambda scan, regions: regions.split(scan, which, sensitivity))

    def mark(self) -> None:
        """Mark the chosen areas on the scan, for other tools."""
        scan, regions = self.scan, self.regions
        if scan is not None and regions is not None:
            self.session.marks.put(scan, np.isin(regions.labels, self.areas))

    def make_shape(self) -> None:
        """An exact surface, as an item of its own, of each chosen area that is a true shape."""
        scan, regions, item = self.scan, self.regions, self.regions_item
        if scan is None or regions is None or item is None:
            return
        document = self.session.history.document
        on = next(key for key in item.origin.made_from if document[key].shape is scan)
        made = 0
        for which in self.areas:
            shape = regions.areas[which].shape
            if shape is not None:
                triangles = scan.triangles[regions.mask(which)]
                middle = scan.points[triangles].mean(axis=1)
                place = middle[np.linalg.norm(middle - middle.mean(axis=0), axis=1).argmin()]
                recipe = RegionShape(item.id, on, place)
                surface = recipe.build(given(document, recipe))
                name = shape.kind.value.capitalize()
                made_of = ingredients(document, recipe)
                document = edits.items.derived(document, "", name, surface, recipe, made_of).document
                made += 1
        if made:
            self.session.commit(f"{made} true shapes made", document)
        else:
            problem = ArabesqueError("What is chosen is a free form", "Set its kind first, or choose another area")
            self.session.tell_problem(problem)

    def work(self, scan: Scan) -> Callable[[Progress], Found]:
        raise ArabesqueError("There is nothing to apply", "Every change takes effect at once")

    def _change(self, words: str, change: Callable[[Scan, Regions], Regions]) -> None:
        scan, regions, item = self.scan, self.regions, self.regions_item
        if scan is None or regions is None or item is None:
            return
        job = self.session.run(f"{item.name}: {words}", lambda progress: change(scan, regions))

        def finish(changed: Regions) -> None:
            document = self.session.history.document
            if item.id in document and document[item.id].shape is regions:
                self.areas = []
                self.session.commit(f"{item.name} {words}", document.with_shape(item.id, changed))
                self.changed.emit()

        job.done.connect(finish)

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        scan, regions = self.scan, self.regions
        if scan is None or regions is None:
            return []
        parts: list[Triangles | Lines | Discs | Label] = []
        chosen = [which for which in self.areas if which < len(regions.areas)]
        if chosen and "neighbours" in vars(scan):
            mask = np.isin(regions.labels, chosen)
            border = scan.neighbours[mask[scan.neighbours[:, 0]] != mask[scan.neighbours[:, 1]]]
            parts.append(Lines(shared_edges(scan, border), theme.now().accent, 2.6, lift=1.0))
            for which in chosen:
                place = scan.points[scan.triangles[regions.mask(which)]].mean(axis=(0, 1))
                parts.append(Label(scan.closest(place[None]).points[0], regions.areas[which].word))
        if self._painting is not None:
            painted = scan.triangles[self._painting]
            parts.append(
                Triangles("painting", scan.points, scan.smoothed_normals, painted, theme.now().accent, lift=0.6)
            )
        return parts


def shared_edges(scan: Scan, pairs: np.ndarray) -> np.ndarray:
    """(k, 2, 3) the edges that pairs of neighbouring triangles share."""
    a, b = scan.triangles[pairs[:, 0]], scan.triangles[pairs[:, 1]]
    shared = (a[:, :, None] == b[:, None, :]).any(axis=2)
    two = shared.sum(axis=1) == 2
    return scan.points[a[two][shared[two]].reshape(-1, 2)]
