"""Fit the cage: its points move until the smooth surface lies on the scan, the net staying even."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import Any

import numpy as np

from arabesque.arrays import Bools, Floats
from arabesque.cages import Cage
from arabesque.cages.both_sides import Part
from arabesque.cages.edits import subdivide_faces
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.theme import now
from arabesque.desk.tools.cage.try_on_cage import TryOnCage
from arabesque.desk.tools.options import labelled, share
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Label, Lines, Triangles, polyline
from arabesque.fitting import CageFit, CageSettings, faces_beyond, fit_cage
from arabesque.geometry import Curve
from arabesque.model import Item, edits
from arabesque.progress import Progress
from arabesque.reading import LineSet
from arabesque.scan import Scan, rims


class Which(Enum):
    """What moves; the value is its words."""

    ALL = "all points"
    CHOSEN = "chosen ones"


class DrawnTo(Enum):
    """What borders and sharp edges are drawn to; the value is its words."""

    STAY = "nothing"
    RIMS = "scan rims"
    LINES = "shown lines"


class FitCageTool(TryOnCage):
    """Tried first, beside the window; both figures and the net are told, and what to make finer is shown."""

    id = "fit-cage"
    label = "Fit the cage"
    hint = "Enter fits the cage to the scan and shows the result; Enter again keeps it"
    shortcut = "T"
    icon = "ph.arrows-in-line-vertical"
    short = "Fit"

    @dataclass
    class Options:
        """by_hand: balance decides, from fair to close; else as close as the tolerance asks. which: points that move.
        drawn: what borders and sharp edges are drawn to, within ``reach`` mm."""

        by_hand: bool = labelled(False, "Balance by hand")
        balance: float = share(0.4, "Fair to close")
        which: Which = labelled(Which.ALL, "Move")
        drawn: DrawnTo = labelled(DrawnTo.STAY, "Borders to")
        reach: float = 5.0

        @property
        def idle(self) -> tuple[str, ...]:
            """The balance counts where it is set by hand, the reach where there is a line."""
            hand = () if self.by_hand else ("balance",)
            return hand if self.drawn is not DrawnTo.STAY else (*hand, "reach")

    def start(self) -> None:
        super().start()
        self._finer: Bools | None = None

    def options_changed(self) -> None:
        self.changed.emit()

    def _lines(self, scan: Scan) -> list[Floats]:
        drawn = self.options.drawn
        if drawn is DrawnTo.RIMS:
            return [scan.points[np.append(ring, ring[0])] for ring in rims(scan)]
        if drawn is DrawnTo.LINES:
            seen = self.session.seen
            lines = [line for item in seen.of(LineSet) for line in item.shape.lines]
            return lines + [item.shape.at(np.linspace(*item.shape.domain, 200)) for item in seen.of(Curve)]
        return []

    def prepared(self) -> Callable[[Progress], Any] | None:
        item, scan, o = self.item, self.session.scan, self.options
        if item is None or scan is None:
            return None
        document = self.session.history.document
        pinned = np.zeros(item.shape.quads.count, dtype=bool)
        pinned[[at for at, _ in item.ties.pins]] = True
        if o.which is Which.CHOSEN:
            pinned |= ~self.session.points.mask(item)
        settings = CageSettings(
            document.tolerance,
            o.balance if o.by_hand else None,
            document.plane_of(item) if edits.cages.is_tied(item) else None,
            self._lines(scan),
            o.reach,
            pinned if pinned.any() else None,
        )
        cage = item.shape
        return lambda progress: fit_cage(cage, scan, settings, progress)

    def keep(self, made: Any) -> None:
        item = self.item
        if item is not None:
            self.session.edit(edits.items.reshaped, item, "fitted to the scan", made.cage)

    def told(self, fit: CageFit) -> list[Fact]:
        """How a fit came out: both figures of the balance, and the net."""
        tolerance, net = fit.tolerance, fit.net
        there, back = fit.figures.surface_to_scan, fit.figures.scan_to_surface
        folded = int(net.folded.sum())
        return [
            Fact("Balance", f"{100 * fit.balance:.0f} % close"),
            Fact("Surface to scan", f"{there.inlier_p99:.3f} mm", "good" if there.within(tolerance) else "bad"),
            Fact("Scan to surface", f"{back.inlier_p99:.3f} mm", "good" if back.within(tolerance) else "bad"),
            Fact("Outliers", f"{100 * fit.figures.outlier_share:.1f} %"),
            Fact("Legs", f"{net.leg:.2f} : 1", "good" if net.leg <= 2 else "bad"),
            Fact("Turns by", f"{net.bend:.0f}°"),
            Fact("Folded faces", str(folded), "bad" if folded else "good"),
            Fact("Verdict", fit.verdict),
        ]

    @property
    def facts(self) -> list[Fact]:
        item = self.item
        if item is None:
            return []
        facts = [Fact("Faces", str(item.shape.count))]
        if self.made is not None:
            facts += self.told(self.made)
        beyond = self._beyond(item)
        if len(beyond):
            facts.append(Fact("Faces outside", str(len(beyond))))
        return facts

    def _beyond(self, item: Item) -> np.ndarray:
        shape = self.made.cage if self.made is not None else item.shape
        measured = self.session.meters.distances(shape, self.session.scan)
        if measured is None:
            return np.empty(0, dtype=np.int64)
        return self.session.kept(faces_beyond, shape, measured, self.session.document.tolerance)

    @property
    def choices(self) -> list[Choice]:
        item = self.item
        count = 0 if item is None else len(self._beyond(item))
        words = "Make the face outside finer" if count == 1 else f"Make the {count} faces outside finer"
        return [Choice(words, self._make_finer)] if count else []

    def _make_finer(self) -> None:
        """Keep what was tried, and divide the faces that are outlined."""
        item = self.item
        if item is None:
            return
        beyond = self._beyond(item)
        if self.made is not None:
            self.apply()
            item = self.item
        if item is None:
            return

        def work(cage: Cage, part: Part) -> Cage:
            own = part.some_faces(beyond)
            return subdivide_faces(cage, own) if len(own) else cage

        words = f"{len(beyond)} faces made finer"
        self.session.edit(edits.cages.edited, item, words, beyond, work)
        self.changed.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        item = self.item
        if item is None:
            return []
        cage = self.made.cage if self.made is not None else item.shape
        beyond = self._beyond(item)
        if not len(beyond):
            return []
        rings = [polyline(cage.points[cage.faces[face]], closed=True) for face in beyond]
        return [Lines(np.concatenate(rings), now().outside, 1.8, 0.8, on_top=True)]
