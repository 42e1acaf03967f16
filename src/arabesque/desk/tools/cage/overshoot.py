"""Overshoot: faces near true shapes or the twin plane pushed past them, so that a later trim cuts clean."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from arabesque.cages import Cage
from arabesque.cages.past import Ground, near_ground, on_plane, on_surface, pushed_past
from arabesque.desk.facts import Fact
from arabesque.desk.kinds import shown_of
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import Reworks
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles
from arabesque.geometry import Surface
from arabesque.model import Item


class Overshoot(Reworks):
    """Clicks take the forms; what would move is marked, and how far past is in the Inspector."""

    id = "overshoot"
    label = "Overshoot"
    hint = "Click true shapes or patches: faces of the cage near them are pushed past them"
    shortcut = ""
    icon = "ph.arrow-line-right"
    words: ClassVar[str] = "pushed past a form"

    @dataclass
    class Options:
        """within: mm from the form up to which faces are pushed. by: mm that they lie past it then. twin: past the
        twin plane too."""

        within: float = 2.0
        by: float = labelled(1.0, "Past by")
        twin: bool = labelled(False, "Past the twin plane")

    def clear(self) -> None:
        self._forms: list[str] = []

    @property
    def begun(self) -> bool:
        return bool(self._forms)

    @property
    def says(self) -> str:
        return self.trouble or ("Enter keeps it; click a form again to leave it out" if self.made else self.hint)

    def press(self, pointer: Pointer) -> None:
        forms = [item for item in self.session.seen.items if isinstance(item.shape, Surface)]
        hits = [(depth, item.id) for item in forms
                if (depth := shown_of(item).hit(self.session, item, pointer)) is not None]  # fmt: skip
        if hits:
            form = min(hits)[1]
            self._forms = [one for one in self._forms if one != form] if form in self._forms else [*self._forms, form]
        else:
            self.select_under(pointer)
        self.refresh()

    def _grounds(self) -> list[Ground]:
        document = self.session.history.document
        shapes = [document[form].shape for form in self._forms if form in document]
        grounds = [on_surface(shape) for shape in shapes]
        return [*grounds, on_plane(self.plane)] if self.options.twin else grounds

    def rework(self, item: Item) -> Cage | None:
        grounds = self._grounds()
        return pushed_past(item.shape, grounds, self.options.within, self.options.by) if grounds else None

    def more_facts(self, before: Cage, made: Cage) -> list[Fact]:
        moved = np.linalg.norm(made.limit - before.limit, axis=1)
        return [Fact("Points moved", str(int((moved > 1e-9).sum()))), Fact("Furthest", f"{moved.max():.3f} mm")]

    def picked_parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        cage = self.cage
        if cage is None:
            return []
        near = np.zeros(cage.quads.count, dtype=bool)
        for ground in self._grounds():
            near |= near_ground(cage, ground, self.options.within)
        places = (cage if self.made is None else self.made).limit[near]
        return [Discs(places, np.ones(len(places)), 4.0, now().accent)] if len(places) else []
