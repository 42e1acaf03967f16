"""First cage: a box, a sphere, a cylinder, a disc, a strip along a curve, or patches, to begin from."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.cages.edits import relaxed
from arabesque.cages.through import box_cage, cage_of_patches, cylinder_cage, disc_cage, sphere_cage, strip_cage
from arabesque.desk.facts import Fact
from arabesque.desk.kinds.cages import cage_parts
from arabesque.desk.looks import Along
from arabesque.desk.patches import shape_triangles
from arabesque.desk.steps import Step
from arabesque.desk.theme import now
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface
from arabesque.model import edits
from arabesque.shapes import Sampled, can

PUSHES = 10


class Form(Enum):
    """What the cage begins as; the value is its words."""

    BOX = "box"
    SPHERE = "sphere"
    CYLINDER = "cylinder"
    DISC = "disc"
    STRIP = "strip along a curve"
    PATCHES = "the selected patches"


class FirstCage(Tool):
    """Round the scan, or where one clicks; drawn at once, and pushed onto the scan if wanted."""

    id = "first-cage"
    step = Step.CAGE
    label = "First cage"
    hint = "Begin with a simple form round the scan, or where you click, and push it onto the scan"
    shortcut = "B"
    icon = "ph.bounding-box"
    short = "Begin"
    takes_places = True

    @dataclass
    class Options:
        """form: what it begins as. size: mm, 0 for the scan's. faces: along each side. along: its axis. push: its
        points are brought onto the scan."""

        form: Form = Form.BOX
        size: float = labelled(0.0, "Size, 0 by the scan")
        faces: int = whole(3, 1, 24, "Faces a side")
        across: int = whole(2, 1, 24, "Faces across")
        along: Along = labelled(Along.Z, "Axis")
        push: bool = labelled(True, "Push onto the scan")

        @property
        def idle(self) -> tuple[str, ...]:
            """Each form has its own numbers."""
            if self.form in (Form.BOX, Form.SPHERE):
                return ("across", "along")
            if self.form is Form.PATCHES:
                return ("size", "along", "push")
            return () if self.form is Form.CYLINDER else ("across",) if self.form is Form.DISC else ("along",)

    def start(self) -> None:
        self._centre: Floats | None = None
        self.made: Cage | None = None
        self.trouble = ""
        chosen = self.session.selection
        if chosen is not None and isinstance(chosen.shape, Curve):
            self.options.form = Form.STRIP
        elif chosen is not None and isinstance(chosen.shape, Surface):
            self.options.form = Form.PATCHES
        self.refresh()

    @property
    def says(self) -> str:
        return self.trouble or "Enter keeps it; a click on the scan puts its middle there"

    @property
    def can_apply(self) -> bool:
        return self.made is not None

    @property
    def facts(self) -> list[Fact]:
        if self.made is None:
            return [Fact("Cannot", self.trouble, "bad")] if self.trouble else []
        return [Fact("Faces", str(self.made.count)), Fact("Points", str(self.made.quads.count))]

    def options_changed(self) -> None:
        self.refresh()

    def press(self, pointer: Pointer) -> None:
        place = pointer.on_scan(self.session.scan)
        if place is not None:
            self._centre = place
            self.refresh()

    def refresh(self) -> None:
        """Make it anew."""
        self.made, self.trouble = None, ""
        try:
            self.made = self._pushed(self._form())
        except ArabesqueError as problem:
            self.trouble = str(problem)
        self.changed.emit()

    def _form(self) -> Cage:
        o, scan = self.options, self.session.scan
        low, high = scan.bounds if scan is not None else (np.full(3, -50.0), np.full(3, 50.0))
        middle = (low + high) / 2 if self._centre is None else self._centre
        half = (high - low) / 2 if not o.size else np.full(3, o.size / 2)
        axis = np.array(o.along.value[1])
        if o.form is Form.BOX:
            return box_cage(middle - half, middle + half, (o.faces,) * 3)
        if o.form is Form.SPHERE:
            return sphere_cage(middle, float(half.min()), o.faces)
        if o.form is Form.CYLINDER:
            height = 2 * float(np.abs(half @ axis))
            wide = float(np.delete(half, int(np.abs(axis).argmax())).mean())
            return cylinder_cage(middle - height / 2 * axis, axis, wide, height, max(o.faces, 3), o.across)
        if o.form is Form.DISC:
            return disc_cage(middle, axis, float(np.sort(half)[1]), o.faces)
        if o.form is Form.STRIP:
            return self._strip()
        patches = [item for item in self.session.selected_items if can(item.shape, Sampled)]
        surfaces = [one for item in patches if not isinstance(item.shape, Cage) for one in item.shape.patches()]
        if not surfaces:
            raise ArabesqueError("No patch is selected", "Click the patches in the view or in the Outline first")
        return cage_of_patches(surfaces, o.faces, o.across, self.session.document.tolerance)

    def _strip(self) -> Cage:
        curves = [item.shape for item in self.session.selected_items if isinstance(item.shape, Curve)]
        if not curves:
            raise ArabesqueError("No curve is selected", "Click the curve in the view or in the Outline first")
        line = curves[0].at(np.linspace(*curves[0].domain, 200))
        scan = self.session.scan
        up = np.tile([0.0, 0, 1], (len(line), 1)) if scan is None else scan.closest(line).normals
        size = self.options.size or 0.1 * float(np.linalg.norm(np.ptp(line, axis=0)))
        return strip_cage(line, up, size, max(self.options.faces, 1), self.options.across)

    def _pushed(self, cage: Cage) -> Cage:
        scan = self.session.scan
        if not self.options.push or scan is None or self.options.form is Form.PATCHES:
            return cage

        def on(places: Floats) -> tuple[Floats, Floats]:
            closest = scan.closest(places)
            return closest.points, closest.normals

        return relaxed(cage, PUSHES, on=on)

    def apply(self) -> None:
        if self.made is None:
            return
        form = self.options.form
        words = "cage of patches" if form is Form.PATCHES else f"cage begun as a {form.value}"
        made_from: tuple[str, ...] = ()
        if form in (Form.PATCHES, Form.STRIP):
            made_from = tuple(item.id for item in self.session.selected_items)
        if self.session.edit(edits.items.added, words, "Cage", self.made, made_from, words):
            self.made = None
            self.left.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        if self.made is None:
            return []
        measured = self.session.meters.measure_now("first cage", self.made, self.session.scan)
        mesh = self.session.kept(shape_triangles, "first cage", measured, True)
        return [mesh, *cage_parts(self.made, now().accent, 1.6)]
