"""Thickness: a cage gets a second side and a rim, and stays a cage."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import ClassVar

import numpy as np

from arabesque.cages import Cage
from arabesque.cages.thick import Rim, thickened, too_tight
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.base import Reworks
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.model import Item


class Side(Enum):
    """To which side of the surface; the value is its word."""

    IN = "inwards"
    OUT = "outwards"


class Thicken(Reworks):
    """Shown at once; where the form is bent too tightly the faces are outlined, with the reason."""

    id = "thicken-cage"
    label = "Thickness"
    hint = "Give the cage a second side, with a rim along its borders; it stays a cage"
    shortcut = "K"
    icon = "ph.stack"
    short = "Thick"
    words: ClassVar[str] = "given thickness"

    @dataclass
    class Options:
        """by: mm; 2.5 is usual (common practice). side: where the second one lies. rim: how it runs."""

        by: float = labelled(2.5, "Thickness")
        side: Side = Side.IN
        rim: Rim = Rim.SHARP

    def clear(self) -> None:
        self._kept = False

    @property
    def begun(self) -> bool:
        return self.made is not None

    @property
    def says(self) -> str:
        return self.trouble or ("Enter keeps it, Esc leaves" if self.made is not None else self.hint)

    def apply(self) -> None:
        super().apply()
        # it has its thickness: not at once a second one
        self.session.drop_shown()
        self.made = None
        self.left.emit()

    def escape(self) -> None:
        self.session.drop_shown()
        self.left.emit()

    @property
    def _signed(self) -> float:
        return abs(self.options.by) * (-1.0 if self.options.side is Side.IN else 1.0)

    def rework(self, item: Item) -> Cage | None:
        return thickened(item.shape, self._signed, self.options.rim)

    def picked_parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        cage = self.cage
        if cage is None or not self.trouble or not self.options.by:
            return []
        tight = self.session.kept(too_tight, cage, self._signed)
        rings = [polyline(cage.points[cage.faces[face]], closed=True) for face in tight]
        return [Lines(np.concatenate(rings), now().outside, 2.6, on_top=True)] if rings else []
