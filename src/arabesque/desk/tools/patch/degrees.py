"""Degrees and spans of the selected patch: given, or the same as a neighbour's; the error is shown first."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from arabesque.desk.facts import Choice, Fact
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.tools.patch_work import NewShape, PatchWork, compared
from arabesque.fitting import refit
from arabesque.geometry import LARGEST_DEGREE, Surface, rebuilt, same_as
from arabesque.progress import Progress
from arabesque.scan import Scan


class Degrees(PatchWork):
    """Shows how far the patch would move, and its figures; Enter keeps that."""

    id = "degrees"
    label = "Degree and spans"
    hint = "Another net for the patch: the error is shown first"
    shortcut = "G"
    icon = "ph.grid-four"
    short = "Degrees"

    @dataclass
    class Options:
        """u, v: degrees. spans_u, spans_v: pieces. fit: to the scan afterwards."""

        u: int = whole(3, 1, LARGEST_DEGREE, "Degree u")
        v: int = whole(3, 1, LARGEST_DEGREE, "Degree v")
        spans_u: int = whole(1, 1, 40, "Spans u")
        spans_v: int = whole(1, 1, 40, "Spans v")
        fit: bool = labelled(False, "Fit to the scan")

    def start(self) -> None:
        self._like: Surface | None = None
        self._read()
        super().start()

    def _read(self) -> None:
        surface, o = self.surface, self.options
        if surface is not None:
            (o.u, o.v), (o.spans_u, o.spans_v) = surface.degree, surface.spans

    def options_changed(self) -> None:
        self._like = None
        super().options_changed()

    @property
    def choices(self) -> list[Choice]:
        item = self.item
        others = [i for i in self.session.seen.of(Surface) if item is not None and i.id != item.id]
        return [
            Choice(f"Same as {other.name}", partial(self._same, other.shape))
            for other in others
            if isinstance(other.shape, Surface)
        ]

    def _same(self, other: Surface) -> None:
        o = self.options
        (o.u, o.v), (o.spans_u, o.spans_v) = other.degree, other.spans
        super().options_changed()
        self._like = other
        self.form_changed.emit()
        if self.can_apply:
            self.try_it()

    def shape_work(self, scan: Scan | None) -> Callable[[Progress], NewShape]:
        surface, like, o = self.surface, self._like, self.options
        assert surface is not None
        degree, spans = (o.u, o.v), (o.spans_u, o.spans_v)
        fits, tolerance = o.fit, self.session.document.tolerance
        tie, tied = self.tie, self.tied

        def run(progress: Progress) -> NewShape:
            made, moved = same_as(surface, like) if like is not None else rebuilt(surface, degree, spans)
            made = tied(made)
            if fits and scan is not None:
                made = tied(refit(made, scan, tolerance, progress, tie=tie(made)).surface)
            facts = [*([] if fits else [Fact("Moved at most", f"{moved:.3g} mm")])]
            words = f"degree {made.degree[0]} x {made.degree[1]}, {made.spans[0]} x {made.spans[1]} spans"
            return NewShape(made, facts + compared(surface, made, scan, tolerance), words)

        return run
