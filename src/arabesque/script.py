"""Arabesque from Python: the same work as in the window, for scripts and notebooks.

Lengths are in mm. Everything that changes the project is a step that can be undone.

>>> from arabesque.script import Project
>>> project = Project()
>>> scan = project.open_scan(example_scan(), unit="mm")
>>> project.tolerance = 0.1
>>> patch = project.patch([(20, 20, 0), (80, 20, 0), (80, 80, 0), (20, 80, 0)])
>>> patch.shape.degree, patch.shape.count
((1, 1), 4)
>>> figures = project.compare()
>>> figures.within(project.tolerance)
True
>>> project.undo()
'patch of 4 points'
>>> [item.name for item in project.items]
['sheet']
>>> project.close()
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from types import TracebackType
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from arabesque.arrays import Bools
from arabesque.cages import Cage
from arabesque.checking import BothWays, measure_both_ways
from arabesque.curve_files import read_curves
from arabesque.delivery import deliver_checked, tag_of
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.files import Source, check_place, source_of
from arabesque.fitting import Borders, CageFit, Grower, PatchFit, blocked_triangles, check_tolerance, met, suggest
from arabesque.geometry import Plane, Surface
from arabesque.layout import Layout
from arabesque.mending import Preparing, heal
from arabesque.model import (
    SUFFIX,
    Change,
    Document,
    Item,
    Work,
    any_stale,
    edits,
    load_project,
    rebuilt,
    save_project,
)
from arabesque.model.rebuild import given, ingredients
from arabesque.progress import Progress, silent
from arabesque.reading import Regions, find_regions
from arabesque.recipes import (
    PatchBetween,
    PatchOnScan,
    Recipe,
    RegionShape,
    RingPiece,
    Side,
)
from arabesque.recipes.patch_on_scan import CALM_SIDES
from arabesque.scan import Scan, read_scan, ready_to_fit
from arabesque.script_base import AnyItem
from arabesque.script_cages import Cages
from arabesque.script_curves import ShapesCurves
from arabesque.script_delivery import Delivers
from arabesque.script_features import Features
from arabesque.script_joining import Joins
from arabesque.script_layout import Layouts
from arabesque.script_trace import Traces
from arabesque.shapes import Sampled, can
from arabesque.solid import MODEL_SUFFIXES, Body, FileKind, KernelWorker, bodies_in, deliverable, read_model
from arabesque.tracing import (
    FittedCurve,
    NetworkFit,
)

_KINDS = {
    ".step": FileKind.STEP_AP214,
    ".stp": FileKind.STEP_AP214,
    ".igs": FileKind.IGES,
    ".iges": FileKind.IGES,
    ".stl": FileKind.STL,
    ".obj": FileKind.OBJ,
    ".ply": FileKind.PLY,
    ".3mf": FileKind.THREE_MF,
    ".dxf": FileKind.DXF,
    ".svg": FileKind.SVG,
}


class Project(Traces, ShapesCurves, Cages, Layouts, Joins, Features, Delivers):
    """A project without a window.

    Items are values: what a method returns tells of the state at that
    moment; ``item(name)`` fetches the present one. Whatever cannot be done
    raises ArabesqueError, with cause and cure, and changes nothing. Closes
    its helper process with ``close``, or at the end of a ``with`` block.
    """

    def __init__(self, progress: Progress = silent) -> None:
        """progress: hears of long work; raising Cancelled in it stops the work."""
        self._work = Work()
        self._progress = progress
        self._kernel: KernelWorker | None = None
        self._fits: dict[str, PatchFit] = {}
        self._traced: dict[str, FittedCurve] = {}
        self._networks: dict[str, NetworkFit] = {}
        self._cage_fits: dict[str, CageFit] = {}
        self._layouts: dict[str, Layout] = {}

    def __enter__(self) -> Project:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """End the helper process."""
        if self._kernel is not None:
            self._kernel.close()
            self._kernel = None

    # what there is

    @property
    def document(self) -> Document:
        """The document as it stands."""
        return self._work.document

    @property
    def items(self) -> tuple[AnyItem, ...]:
        """All items, in the order of the Outline."""
        return tuple(self.document)

    @property
    def model(self) -> tuple[AnyItem, ...]:
        """What shows and can be delivered: curves, sketches, and what consists of surfaces."""
        return tuple(item for item in self.items if self.document.shows(item) and deliverable(item.shape))

    def item(self, name: str) -> AnyItem:
        """The item of a name or id; raises ArabesqueError when there is none."""
        found = self.document.items.get(name) or next((item for item in self.document if item.name == name), None)
        if found is None:
            raise ArabesqueError(f"There is no '{name}' in this project", "Its items are in .items")
        return found

    @property
    def scan(self) -> Scan:
        """The reference scan; raises ArabesqueError when there is none."""
        scan = self.document.reference_scan
        if scan is None:
            raise ArabesqueError("There is no scan", "Open one first: .open_scan(path, unit)")
        return scan

    @property
    def tolerance(self) -> float:
        """mm. Setting it is a step."""
        return self.document.tolerance

    @tolerance.setter
    def tolerance(self, tolerance: float) -> None:
        self._do(edits.items.with_tolerance(self.document, tolerance))

    @property
    def plane(self) -> Plane:
        """The twin plane. Setting it is a step."""
        return self.document.plane

    @plane.setter
    def plane(self, plane: Plane) -> None:
        self._do(Change("twin plane set", self.document.with_plane(plane)))

    # files

    def open_scan(self, path: str | Path, unit: str = "mm") -> AnyItem:
        """Bring a mesh file in; its numbers are in ``unit``. The first scan is the reference."""
        path = Path(path)
        scan = read_scan(path, unit, self._progress)
        words = f"{path.name}, {unit}"
        return self._added(f"scan {path.stem} opened", path.stem, scan, (), words, source_of(path))

    def open(self, path: str | Path) -> tuple[AnyItem, ...]:
        """Open a project file in place of what there is, or bring in what a STEP or IGES file holds.

        Returns the items that came.
        """
        path = Path(path)
        if path.suffix.lower() in MODEL_SUFFIXES:
            return self._opened_model(path)
        if path.suffix.lower() != SUFFIX:
            raise FileProblem(f"{path.name} is neither a project nor STEP or IGES", "Open a mesh with .open_scan")
        project = load_project(path, self._progress)
        for item in project.document.of(Scan):
            ready_to_fit(item.shape, self._progress)
        self._work.begin(project.document, path, f"{path.name} opened", project.milestones)
        if any_stale(self.document):
            self._work.amend(rebuilt(self.document, self._progress, kernel=self._worker))
        self._forget()
        return self.items

    def _forget(self) -> None:
        """What was told of the items of another document holds no longer."""
        for told in (self._fits, self._traced, self._networks, self._cage_fits, self._layouts):
            told.clear()

    def open_bodies(self, path: str | Path) -> tuple[AnyItem, ...]:
        """Bring in the solids and shells of a STEP file, as bodies; in one step."""
        before = set(self.document.items)
        found = bodies_in(Path(path), self._worker, self._progress)
        self._do(edits.exchange.bodies_in(self.document, found, source_of(path)))
        return tuple(item for item in self.items if item.id not in before)

    def open_curves(self, path: str | Path, unit: str = "mm") -> tuple[AnyItem, ...]:
        """Bring in the curves of an OBJ with polylines (in ``unit``), STEP or IGES; in one step."""
        path = Path(path)
        before = set(self.document.items)
        found = read_curves(path, unit, self.tolerance, self._worker, self._progress)
        self._do(edits.exchange.curves_in(self.document, found, source_of(path)))
        return tuple(item for item in self.items if item.id not in before)

    def save(self, path: str | Path) -> None:
        """Write the project file."""
        project = self._work.project()
        save_project(path, project, self._progress)
        self._work.saved(Path(path), project)

    def export(
        self,
        path: str | Path,
        items: Iterable[AnyItem] | None = None,
        unit: str = "mm",
        chord: float = 0.05,
        quads: bool = False,
        triangles: bool = False,
    ) -> list[str]:
        """Write patches, cages and curves (all of them, unless some are given), with live mirror images.

        Returns what had to be written otherwise than it is, in words. The file is read back, and compared, before.
        triangles: the file is STEP AP242, with triangles beside the exact shapes.

        The suffix says what kind of file: .step, .igs, drawings of flat curves
        as .dxf, .svg, or triangles within ``chord`` mm as .stl, .obj, .ply, .3mf; with ``quads`` the nets of cages as
        .obj.
        The numbers in it are in ``unit``.
        """
        kind = _KINDS.get(Path(path).suffix.lower())
        if kind is None:
            raise FileProblem(f"{Path(path).name}: not a kind of file known here", f"Use {', '.join(_KINDS)}")
        check_place(path)
        if quads and kind is FileKind.OBJ:
            kind = FileKind.CAGE
        if items is None:
            items = [item for item in self.items if deliverable(item.shape)]
        wanted = self.document.with_images(list(items))
        shapes, tags = [(item.name, item.shape) for item in wanted], [tag_of(self.document, item) for item in wanted]
        if triangles and kind is FileKind.STEP_AP214:
            kind = FileKind.STEP_AP242
        made = deliver_checked(path, shapes, kind, self._worker, unit, chord, self._progress, tags, triangles)
        return list(made.notes)

    # the work

    def patch(
        self,
        corners: ArrayLike,
        degree: tuple[int, int] | None = None,
        borders: str | Borders = Borders.CALM,
        sides: Iterable[Side] = CALM_SIDES,
    ) -> AnyItem:
        """Lay the lightest even patch through four corners (4, 3) on the reference scan, or one of a degree.

        borders: "calm", held to lines on the scan, or "natural", held at the corners only. sides: what each runs
        along, from the first corner to the second, and so on. What the fit told is in ``fit_of(item)``. The patch
        follows: with another tolerance or scan it is laid again.
        """
        one, two, three, four = sides
        recipe = PatchOnScan(np.array(corners, dtype=float), degree, Borders(borders), (one, two, three, four))
        fit = recipe.fit(given(self.document, recipe), self._progress)
        item = self._derived(f"patch of {fit.surface.count} points", "Patch", recipe, fit.surface)
        self._fits[item.id] = fit
        return item

    def grow(self, place: ArrayLike, points: tuple[int, int] = (4, 4)) -> AnyItem:
        """Lay the largest patch of so many control points that holds round a (3,) place of the reference scan.

        It stops at patches that are there, and meets exactly the edges that it comes to lie beside; the patch follows
        as one laid by its corners.
        """
        growth = Grower(self.scan, self.tolerance, points, self._covered()).grow(
            np.array(place, dtype=float), None, self._progress
        )
        edges = [guide for item in self.items if isinstance(item.shape, Surface) for guide in item.shape.guides()]
        growth = met(growth, edges, Grower(self.scan, self.tolerance, points))
        change = edits.patches.grown(self.document, growth)
        self._do(change)
        assert change.select is not None
        return self.document[change.select]

    def suggest(self, points: tuple[int, int] = (4, 4), most: int = 12) -> list[AnyItem]:
        """Lay patches over the calm areas of the reference scan that are free; the largest first."""
        found = suggest(self.scan, self.tolerance, points, self._covered(), most, None, self._progress)
        if not found:
            return []
        before = set(self.document.items)
        self._do(edits.patches.all_grown(self.document, found))
        return [item for item in self.items if item.id not in before]

    def end_at_turn(self, patch: AnyItem) -> AnyItem:
        """Lay a patch from four corners anew, ended at the line at which its net turns with the form.

        Raises ArabesqueError where it does not turn, or was not laid here.
        """
        item, fit = self.item(patch.id), self.fit_of(patch)
        if not isinstance(item.recipe, PatchOnScan):
            raise ArabesqueError(f"{item.name} was not laid by its corners", "Give a patch that .patch returned")
        recipe = item.recipe.ended(fit)
        again = recipe.fit(given(self.document, recipe), self._progress)
        made_of = ingredients(self.document, recipe)
        self._do(edits.items.derived_again(self.document, item, "ended where it turns", again.surface, recipe, made_of))
        self._fits[item.id] = again
        return self.item(item.id)

    def add(self, name: str | AnyItem, shape: Any) -> AnyItem:
        """A shape of your own, of any kind that a project holds, as a free item; or to a body others: see
        ``add_bodies``."""
        if isinstance(name, Item):
            return self.add_bodies(name, shape)
        return self._added("added", name, shape)

    def patch_between(
        self, ring: Iterable[tuple[AnyItem, int] | ArrayLike], degree: tuple[int, int] = (3, 3), tangent: bool = False
    ) -> AnyItem:
        """Lay a patch into the gap that edges of patches and places on the reference scan go round.

        ring: in order, (item, edge) with an edge as in ``geometry.Edge``, or (3,) places. degree: at least. tangent:
        the edges' tangent planes are taken on. The patch follows its neighbours.
        """
        pieces = [
            RingPiece(self.item(one[0].id).id, int(one[1]))
            if isinstance(one, tuple) and isinstance(one[0], Item)
            else RingPiece(place=np.array(one, dtype=float))
            for one in ring
        ]
        return self._derived("patch between edges", "Patch", PatchBetween(tuple(pieces), degree, tangent))

    def regions(self, sensitivity: float = 0.5) -> AnyItem:
        """Divide the reference scan into areas of like curvature, and recognise what they are."""
        found, on = find_regions(self.scan, sensitivity, self._progress), self.document.reference
        assert on is not None
        return self._added("regions found", "Regions", found, (on,), f"sensitivity {sensitivity:g}")

    def true_shape(self, regions: AnyItem, place: ArrayLike) -> AnyItem:
        """The plane, cylinder, cone, sphere or torus that the area about a (3,) place is; it follows the regions."""
        item = self.item(regions.id)
        on = next((key for key in item.origin.made_from if key in self.document), None)
        if on is None or not isinstance(item.shape, Regions):
            raise ArabesqueError(f"{item.name} has no scan", "Give the item that .regions returned")
        recipe = RegionShape(item.id, on, np.array(place, dtype=float))
        shape = recipe.build(given(self.document, recipe), self._progress)
        return self._derived("true shape made", shape.kind.value.capitalize(), recipe, shape)

    def make(self, name: str, recipe: Recipe) -> AnyItem:
        """An item by its recipe (``arabesque.recipes``), as the window makes it; it follows what it is made from.

        What it stands for is hidden. Raises ArabesqueError where it cannot be made.
        """
        document = self.document
        source = replace(given(document, recipe), kernel=self._worker)
        shape = recipe.build(source, self._progress)
        adds = edits.items.standing_for if recipe.stands_for else edits.items.derived
        change = adds(document, f"{recipe.word} made", name, shape, recipe, ingredients(document, recipe))
        self._do(change)
        assert change.select is not None
        return self.document[change.select]

    def take(self, path: str | Path, name: str) -> AnyItem:
        """The shape of that name from another project file, as a free item. Raises FileProblem."""
        found = [item for item in load_project(path, self._progress).document if item.name == name]
        if not found:
            raise FileProblem(f"There is no '{name}' in {Path(path).name}", "Look at its Outline")
        return self.add(name, found[0].shape)

    def hide(self, *items: AnyItem) -> None:
        """Show some items no longer: they take no part in reports, sheets and files of all that shows."""
        document = self.document
        for item in items:
            document = document.changed(item.id, look=replace(document[item.id].look, visible=False))
        self._do(Change(f"{len(items)} items hidden", document))

    def prepare(self, *steps: Preparing) -> AnyItem:
        """The reference scan prepared, step by step (see ``arabesque.mending``): the reference from then on.

        What else there is moves along where the scan is moved. Raises ArabesqueError, naming the step that fails.
        """
        for step in steps:
            scan, motion = step.done(self.scan, self._progress)
            item = self.document[self.document.reference or ""]
            change = edits.scans.prepared(
                self.document, item, ready_to_fit(scan, self._progress), step.word, motion, step
            )
            document = change.document if motion is None else edits.scans.others_moved(change.document, motion)
            self._do(replace(change, document=document))
        return self.document[self.document.reference or ""]

    def heal(self, marked: ArrayLike) -> AnyItem:
        """The reference scan with marked triangles, (m,) true for each, taken out and the gaps healed: the reference
        from then on."""
        document = self.document
        healed = heal(self.scan, np.asarray(marked, dtype=bool)).scan
        made = self._added(
            "healed", "Healed", ready_to_fit(healed, self._progress), (document.reference or "",), "healed"
        )
        self._do(edits.items.referred_to(self.document, made))
        return self.document[made.id]

    def make_like(self, source: AnyItem, others: Iterable[AnyItem]) -> None:
        """Put items on the layer of another one, with its look, and named after it."""
        some = [self.item(item.id) for item in others]
        self._do(edits.items.like(self.document, self.item(source.id), some))

    def free(self, item: AnyItem) -> AnyItem:
        """Let a derived item keep its shape and no longer follow what it was made from; returns it."""
        change = edits.items.made_free(self.document, self.item(item.id))
        if change is not None:
            self._do(change)
        return self.item(item.id)

    def fit_of(self, item: AnyItem) -> PatchFit:
        """What the fit of a patch told; raises ArabesqueError for a patch that was not laid here."""
        fit = self._fits.get(item.id)
        if fit is None:
            raise ArabesqueError(f"{item.name} was not fitted here", "Ask for a patch that .patch returned")
        return fit

    def mirror(self, item: AnyItem) -> AnyItem:
        """Let anything have a live mirror image at the twin plane; returns the image, which follows."""
        self._do(edits.twins.mirrored_live(self.document, self.item(item.id)))
        return self.document.images_of(self.item(item.id))[0]

    def match(self, item: AnyItem, where: Any, to: Any, order: int = 1, **how: Any) -> Any:
        """Bring an end of a curve (where: ``at_end``), border edges of a cage (where: (k, 2) of them) or the edge of a
        patch (where: an ``Edge``) to something else: see ``match_end``, ``match_border`` and ``match_edge``."""
        if isinstance(self.item(item.id).shape, Cage):
            return self.match_border(item, where, to, order)
        if isinstance(self.item(item.id).shape, Surface):
            return self.match_edge(item, where, to, order, **how)
        return self.match_end(item, where, to, order)

    def blend(self, one: tuple[AnyItem, Any], two: Any = None, order: Any = 2, **how: Any) -> AnyItem:
        """Between two borders, each (item, number) or (surface, curve over it), or two ends of curves or places of
        edges, each (item, place): see ``blend_borders`` and ``blend_ends``."""
        borders = isinstance(one[1], (int, np.integer, Item))
        return (self.blend_borders if borders else self.blend_ends)(one, two, order, **how)

    def round(self, one: AnyItem, two: Any, radius: Any, *more: Any, **how: Any) -> AnyItem:
        """The edge of two surfaces, or of a body those nearest to places: see ``round_surfaces`` and ``round_body``."""
        if isinstance(self.item(one.id).shape, Body):
            return self.round_body(one, two, radius, *more, **how)
        return self.round_surfaces(one, two, radius, *more, **how)

    def network(self, items: Iterable[AnyItem], meeting: str = "G1", **how: Any) -> Any:
        """Patches that meet with "G0", "G1" or "G2", fitted together to the reference scan: of curves those that fill
        their meshes, of neighbouring patches these once more; see ``network_of_curves`` and ``fit_together``."""
        some = list(items)
        if some and all(isinstance(self.item(item.id).shape, Surface) for item in some):
            return self.fit_together(some, int(meeting.removeprefix("G")), **how)
        return self.network_of_curves(some, meeting, **how)

    def compare(self, items: Iterable[AnyItem] | None = None) -> BothWays:
        """Distances of patches (all, unless some are given) and the reference scan, in both directions.

        Live mirror images of what is given take part.
        """
        check_tolerance(self.tolerance)
        scan = self.scan
        wanted = list(self.items if items is None else items)
        shapes = [item.shape for item in self.document.with_images(wanted) if can(item.shape, Sampled)]
        if not shapes:
            raise ArabesqueError("There is no patch to compare", "Lay one first, or open a STEP file")
        return measure_both_ways(shapes, scan, self.tolerance, progress=self._progress)

    def undo(self) -> str | None:
        """Take the last step back; returns its words, or None at the start."""
        return self._work.undo()

    def redo(self) -> str | None:
        """Do again what was taken back; returns its words, or None at the end."""
        return self._work.redo()

    # inside

    @property
    def _path(self) -> Path | None:
        return self._work.path

    def _milestone(self, name: str) -> tuple[str, Document] | None:
        """A milestone by its name; None for no name. Raises ArabesqueError where there is none of that name."""
        milestones = {one.name: one.document for one in self._work.history.milestones}
        if name and name not in milestones:
            raise ArabesqueError(f"There is no milestone '{name}'", f"There are: {', '.join(milestones) or 'none'}")
        return (name, milestones[name]) if name else None

    @property
    def _worker(self) -> KernelWorker:
        if self._kernel is None:
            self._kernel = KernelWorker()
        return self._kernel

    def _do(self, change: Change) -> None:
        self._work.commit(change.label, change.document)
        if any_stale(self.document):
            self._work.amend(rebuilt(self.document, self._progress, kernel=self._worker))

    def _covered(self) -> Bools:
        """Triangles of the scan that lie below patches."""
        patches = [patch for item in self.items if can(item.shape, Sampled) for patch in item.shape.patches()]
        return blocked_triangles(self.scan, self.tolerance, patches)

    def _derived(self, label: str, name: str, recipe: Recipe, shape: Any = None) -> AnyItem:
        """An item made by a recipe; shape: what it makes now, where that is known."""
        document = self.document
        made = recipe.build(given(document, recipe), self._progress) if shape is None else shape
        change = edits.items.derived(document, label, name, made, recipe, ingredients(document, recipe))
        self._do(change)
        assert change.select is not None
        return self.document[change.select]

    def _added(
        self,
        label: str,
        name: str,
        shape: Any,
        made_from: tuple[str, ...] = (),
        words: str = "",
        file: Source | None = None,
    ) -> AnyItem:
        change = edits.items.added(self.document, label, name, shape, made_from, words, file)
        self._do(change)
        assert change.select is not None
        return self.document[change.select]

    def _opened_model(self, path: Path) -> tuple[AnyItem, ...]:
        before = set(self.document.items)
        model = read_model(path, self._worker, self._progress)
        self._do(edits.exchange.brought_in(self.document, model, source_of(path)))
        return tuple(item for item in self.items if item.id not in before)
