"""How the work is looked at: where the camera stands, which checks lie over it, what shows at all."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QObject

from arabesque.arrays import Floats
from arabesque.desk.hand import Hand
from arabesque.desk.kinds import item_under
from arabesque.desk.looks import CageLook, Looks, ScanLook
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.widget import View
from arabesque.shapes import Sampled, can

GRAZING = 0.16
"""Rise of the sight over a form that is looked along."""


class Sight(QObject):
    """Moves the camera, and switches checks and looks."""

    def __init__(self, session: Session, hand: Hand, view: View) -> None:
        super().__init__()
        self._session, self._hand, self._view = session, hand, view

    @property
    def perspective(self) -> bool:
        """True when far things are smaller."""
        return self._view.camera.perspective

    def toggle(self, check_id: str) -> None:
        """Lay a check over the picture, or take it away."""
        self._look(self._session.looks.toggled(check_id))

    def show_plain(self) -> None:
        """Take every check away."""
        self._look(replace(self._session.looks, on=frozenset()))

    def toggle_edges(self) -> None:
        """Show the edges of the scans' triangles, or hide them."""
        self._look(replace(self._session.looks, edges=not self._session.looks.edges))

    def turn_cages(self) -> None:
        """Show cage and surface, the surface alone, or the cage alone, in turn."""
        every = list(CageLook)
        following = every[(every.index(self._session.looks.cages) + 1) % len(every)]
        self._look(replace(self._session.looks, cages=following))
        self._session.tell(f"Cages: {following.value}")

    def show_scans(self, look: ScanLook) -> None:
        """Show scans in another way."""
        self._look(replace(self._session.looks, scans=look))

    def show_alone(self) -> None:
        """Show only the selected item and its mirror image besides the reference scan, or everything again."""
        item, looks = self._session.selection, self._session.looks
        shown = [] if looks.alone or item is None else self._session.document.with_images([item])
        self._look(replace(looks, alone=frozenset(one.id for one in shown)))

    def _look(self, looks: Looks) -> None:
        self._session.look(looks)

    def place_under(self, pointer: Pointer) -> Floats | None:
        """Where the camera turns about: what the pointer's ray hits first."""
        found = item_under(self._session, pointer)
        if found is None:
            return None
        origin, direction = pointer.camera.ray(pointer.x, pointer.y)
        return origin + found[1] * direction

    def look_along(self, direction: str) -> None:
        """Look along an axis, everything in sight."""
        self._view.look(self._view.camera.looking(direction))
        self.fit_view()

    def fit_view(self) -> None:
        """Everything in sight."""
        self._view.fit(self._hand.tool.box or self._session.seen.box)

    def toggle_perspective(self) -> None:
        """Switch between perspective and parallel."""
        self._view.look(replace(self._view.camera, perspective=not self._view.camera.perspective))

    def fly_to_worst(self) -> None:
        """Bring the place with the largest deviation to the middle of the view."""
        item = self._session.selection
        item = item if item is not None and can(item.shape, Sampled) else None
        items = self._session.patches if item is None else self._session.document.with_images([item])
        known = [found for i in items if (found := self._session.distances(i)) is not None and found.valid.any()]
        if not known:
            return
        sizes = [np.where(found.valid, np.abs(found.distance), -1.0) for found in known]
        worst, size = max(zip(known, sizes, strict=True), key=lambda pair: pair[1].max())
        at, samples = int(size.argmax()), worst.samples
        self.fly_to(samples.points[at], samples.normals[at], 0.18 * samples.size)

    def fly_to(self, place: Floats, normal: Floats, size: float) -> None:
        """Bring a place to the middle of the view, seen from a side, with so many mm round it."""
        self._view.look(self._view.camera.looking_at(place, normal, size))

    def look_along_form(self) -> None:
        """Look along the selected patch, or along all: an acute angle shows bumps and dips of the net."""
        items = [i for i in self._session.selected_items if can(i.shape, Sampled)] or self._session.patches
        known = [found for item in items if (found := self._session.distances(item)) is not None]
        if known:
            points = np.concatenate([found.samples.points for found in known])
            middle, size = points.mean(axis=0), float(np.linalg.norm(np.ptp(points, axis=0)))
            sides = np.linalg.svd(points - middle, full_matrices=False)[2]
            up = sides[2] if sides[2][2] >= 0 else -sides[2]
            self._view.look(self._view.camera.seen_from(middle, GRAZING * up - sides[0], up, 0.35 * size))
