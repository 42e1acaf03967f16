"""The forms of the checks that are colours and nets: distance, curvature of patches, control nets."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum
from functools import partial
from typing import Any

import numpy as np

from arabesque.checking import (
    BothWays,
    Distances,
    FormKind,
    Island,
    NetReport,
    evenness,
    hollow_islands,
    measure_both_ways,
    read_net,
)
from arabesque.desk.checks.distance import Distance
from arabesque.desk.checks.form import PatchForm
from arabesque.desk.checks.net import Nets
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.jobs import Job
from arabesque.desk.patches import form_of
from arabesque.desk.seen import Seen
from arabesque.desk.tools.check.judge import Judge
from arabesque.desk.tools.options import labelled
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.progress import Progress
from arabesque.shapes import Samples

MOST_WORST = 10
APART = 0.08
"""Worst places are listed apart from each other by this share of their patch's size."""


class Against(Enum):
    """What distances are measured to; the value is its words."""

    REFERENCE = "the reference scan"
    ALL = "all scans that show"


class DistanceCheck(Judge):
    """Both directions, and the worst places one by one."""

    id = "check-distance"
    label = "Distance"
    hint = "Signed distance of patches to the scan; both directions in figures, the worst places as a list"
    icon = "ph.ruler"
    check = Distance()

    @dataclass
    class Options:
        """against: which scans count."""

        against: Against = Against.REFERENCE

    def start(self) -> None:
        self._back: tuple[tuple[object, ...], BothWays] | None = None
        self._job: Job | None = None
        self._wanted: tuple[object, ...] = ()
        super().start()
        for signal in self._signals():
            signal.connect(self._measure)
        self._measure()

    def stop(self) -> None:
        for signal in self._signals():
            signal.disconnect(self._measure)
        if self._job is not None:
            self._job.drop()

    def _signals(self) -> tuple[Any, ...]:
        session = self.session
        return session.document_changed, session.looks_changed, session.measured

    def read(self) -> None:
        self.options.against = Against.ALL if self.session.looks.against_all else Against.REFERENCE

    def write(self) -> None:
        against_all = self.options.against is Against.ALL
        self.session.look(replace(self.session.looks, against_all=against_all))

    def _measure(self) -> None:
        """Measure both directions beside the window, for the work as it is committed."""
        scan, tolerance = self.session.checked_scan, self.session.document.tolerance
        patches = Seen(self.session.history.document, self.session.looks.alone).patches
        shapes = [item.shape for item in patches]
        wanted = (scan, tolerance, *shapes)
        if scan is None or not shapes or _same(wanted, self._wanted):
            return
        self._wanted = wanted
        if self._job is not None:
            self._job.drop()

        def work(progress: Progress) -> BothWays:
            return measure_both_ways(shapes, scan, tolerance, progress=progress)

        job = self._job = self.session.jobs.quick("Measuring both ways", work)
        job.done.connect(lambda found: self._measured(wanted, found))

    def _measured(self, wanted: tuple[object, ...], found: BothWays) -> None:
        self._back = wanted, found
        self.changed.emit()

    @property
    def facts(self) -> list[Fact]:
        if self._back is None or not _same(self._back[0], self._wanted):
            return [Fact("Both ways", "being measured" if self._wanted else "needs a scan and a patch")]
        both, tolerance = self._back[1], self.session.document.tolerance
        there, back = both.surface_to_scan, both.scan_to_surface
        return [
            Fact(
                "Within", "both ways" if both.within(tolerance) else "no", "good" if both.within(tolerance) else "bad"
            ),
            Fact("Patch to scan", f"{there.inlier_p99:.3f} mm"),
            Fact("Scan to patch", f"{back.inlier_p99:.3f} mm"),
            Fact("Largest, there", f"{there.max:.3f} mm"),
            Fact("Largest, back", f"{back.max:.3f} mm"),
            Fact("rms", f"{there.rms:.3f} mm"),
            Fact("Outliers", f"{100 * both.outlier_share:.1f} %"),
            Fact("No scan below", f"{100 * both.missing:.1f} %"),
        ]

    @property
    def choices(self) -> list[Choice]:
        found = [
            (worst, item, measured)
            for item in self.session.patches
            if (measured := self.session.distances(item)) is not None
            for worst in worst_places(measured)
        ]
        found.sort(key=lambda entry: -abs(float(entry[2].distance[entry[0]])))
        return [
            Choice(f"{measured.distance[place]:+.3f} mm  {item.name}", partial(self._fly, measured.samples, place))
            for place, item, measured in found[:MOST_WORST]
        ]

    def _fly(self, samples: Samples, place: int) -> None:
        self.session.asks.fly.emit(samples.points[place], samples.normals[place], 0.12 * samples.size)


def _same(one: tuple[object, ...], two: tuple[object, ...]) -> bool:
    return len(one) == len(two) and all(a is b or a == b for a, b in zip(one, two, strict=True))


def worst_places(measured: Distances, most: int = 4) -> list[int]:
    """Samples of the largest distances, apart from one another; the worst first."""
    size, points = np.where(measured.valid, np.abs(measured.distance), -1.0), measured.samples.points
    apart = APART * measured.samples.size
    found: list[int] = []
    while len(found) < most and size.max(initial=0.0) > 0:
        worst = int(size.argmax())
        found.append(worst)
        size = np.where(np.linalg.norm(points - points[worst], axis=1) < apart, -1.0, size)
    return found


class FormCheck(Judge):
    """Curvature of the patches in colours; hollow islands as a list."""

    id = "check-form"
    label = "Patch form"
    hint = "Curvature of patches in colours: mean, Gaussian, largest, hollow islands where it should bulge"
    icon = "ph.circle-half-tilt"
    check = PatchForm()

    @dataclass
    class Options:
        """shows: which curvature. full_at: the radius at which colours are full, mm; 0 for the patches' own."""

        shows: FormKind = FormKind.MEAN
        full_at: float = labelled(0.0, "Full at R")

    def read(self) -> None:
        self.options.shows, self.options.full_at = self.look.kind, self.look.radius

    def write(self) -> None:
        self.choose(kind=self.options.shows, radius=max(self.options.full_at, 0.0))

    def _measured(self) -> list[tuple[Item, Distances]]:
        return [
            (item, measured) for item in self.session.patches if (measured := self.session.distances(item)) is not None
        ]

    def _islands(self) -> list[tuple[Item, Island, float]]:
        found = []
        for item, measured in self._measured():
            values, samples = self.session.kept(form_of, item.shape, measured, FormKind.ISLANDS), measured.samples
            found += [(item, island, samples.size) for island in hollow_islands(samples, values)]
        return sorted(found, key=lambda entry: -entry[1].curvature)

    @property
    def facts(self) -> list[Fact]:
        values = [self.session.kept(form_of, item.shape, found, self.options.shows) for item, found in self._measured()]
        if not values:
            return []
        low, high = min(v.min() for v in values), max(v.max() for v in values)
        islands = len(self._islands())
        return [
            Fact("Smallest", _radius(float(low))),
            Fact("Largest", _radius(float(high))),
            Fact("Hollow islands", str(islands), "" if islands else "good"),
        ]

    @property
    def choices(self) -> list[Choice]:
        return [
            Choice(
                f"hollow, R {1 / island.curvature:.3g} mm, {island.area:.3g} mm²  {item.name}",
                partial(self.session.asks.fly.emit, island.place, island.normal, 0.12 * size),
            )
            for item, island, size in self._islands()[:MOST_WORST]
        ]


def _radius(curvature: float) -> str:
    return "flat" if abs(curvature) < 1e-6 else f"R {1 / curvature:+.4g} mm"


class NetCheck(Judge):
    """Weight and quality of the control nets."""

    id = "check-net"
    label = "Nets, weight"
    hint = (
        "Control points of each patch and in all; rows that cross, uneven spacing, points that dip, how evenly rows run"
    )
    icon = "ph.grid-four"
    check = Nets()

    @property
    def says(self) -> str:
        return "A looks along the form at an acute angle; click a patch in the list to select it"

    @property
    def facts(self) -> list[Fact]:
        items = self.session.seen.of(Surface)
        shapes = [item.shape for item in items]
        if not shapes:
            return [Fact("Patches", "none")]
        reports = [self.session.kept(read_net, shape) for shape in shapes]
        nets = [self.session.kept(evenness, shape) for shape in shapes]
        fair = all(net.fair for net in nets)
        calm = sum(report.calm for report in reports)
        crossing, uneven, dips = (
            int(sum(getattr(report, name).sum() for report in reports)) for name in ("crossing", "uneven", "dips")
        )
        return [
            Fact("Control points", str(sum(shape.count for shape in shapes))),
            Fact("Patches", str(len(shapes))),
            Fact("A patch, on average", f"{sum(s.count for s in shapes) / len(shapes):.3g}"),
            Fact("Calm nets", f"{calm} of {len(shapes)}", "good" if calm == len(shapes) else ""),
            Fact("Crossing cells", str(crossing), "bad" if crossing else ""),
            Fact("Uneven points", str(uneven)),
            Fact("Points that dip", str(dips)),
            Fact("Legs, worst", f"{max(net.leg for net in nets):.2f} : 1", "" if fair else "bad"),
            Fact("Bend, worst", f"{max(net.bend for net in nets):.0f}°", "" if fair else "bad"),
            Fact("Speed, worst", f"{max(net.speed for net in nets):.2f} : 1"),
        ]

    @property
    def choices(self) -> list[Choice]:
        items = self.session.seen.of(Surface)
        items.sort(key=lambda item: -item.shape.count)
        return [
            Choice(
                _weight_words(item, item.shape, self.session.kept(read_net, item.shape)),
                partial(self.session.select, item.id),
            )
            for item in items
        ]


def _weight_words(item: Item, surface: Surface, report: NetReport) -> str:
    flaws = [
        f"{int(found.sum())} {word}"
        for word, found in (("crossing", report.crossing), ("uneven", report.uneven), ("dips", report.dips))
        if found.any()
    ]
    return f"{surface.count}  {item.name}{': ' + ', '.join(flaws) if flaws else ''}"
