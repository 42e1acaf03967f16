"""Curves and what stands on them: sections of a large scan, lofts in a drag."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from arabesque.demo import Heron, simulate
from arabesque.model import Document, Item
from arabesque.model.edits.curves import traced
from arabesque.model.rebuild import rebuilt
from arabesque.recipes import SectionCurve
from arabesque.scan import ready_to_fit
from arabesque.tracing import (
    LoftWay,
    curve_on_scan,
    every_crossing,
    outward_loft,
    parts_at,
    patches_over,
    planes_along,
    through,
    trace_sections,
)
from benchmarks.row import Row, alternately


def rows() -> Iterator[Row]:
    """Every row of the Trace step, in turn."""
    scan = ready_to_fit(simulate(Heron(), 400_000, 0.03, 1).scan)
    side = np.array([np.zeros(3), [0.0, 1.0, 0.0]])
    cuts = planes_along(scan, np.array([1.0, 0, 0]), count=30, side=side)
    (taken,) = alternately(lambda: trace_sections(scan, cuts, 12), rounds=3)
    note = "400k triangles, 12 poles each, one side of the twin plane"
    yield Row("30 sections to curves", taken, None, 500.0, "ms", note)
    sections = trace_sections(scan, cuts, 12)
    made = [(SectionCurve.of(one, 12, 3), one.fitted.curve) for one in sections]
    lofted = outward_loft([curve for _, curve in made], LoftWay(), scan)
    document = traced(Document().with_item(Item("scan", "heron", scan)), made, through=lofted).document
    key = next(item.id for item in document if isinstance(item.recipe, SectionCurve))
    curve = document[key].shape

    def pulled() -> Document:
        points = curve.points.copy()
        points[5] += np.random.default_rng().normal(size=3)
        return rebuilt(document.with_shape(key, curve.with_points(points)), live=True)

    yield from _networks()
    (step,) = alternately(pulled)
    yield Row("a loft through 30 of them follows one pole", step, None, 20.0, "ms", "as in a drag, drawing left out")


def _networks() -> Iterator[Row]:
    """Many curves split at all crossings, and forty patches fitted together."""
    flat = np.linspace(0.0, 500.0, 100)
    wave = 4 * np.sin(np.linspace(0, 9, 24))
    along = [through(np.column_stack([np.linspace(0, 500, 24), y + wave, 0 * wave])) for y in flat]
    across = [through(np.column_stack([x + wave, np.linspace(0, 500, 24), 0 * wave])) for x in flat]
    curves = [*along, *across]

    def split() -> int:
        found = every_crossing(curves, 0.01).found
        return sum(len(parts) for parts in parts_at(curves, found))

    (taken,) = alternately(split, rounds=3)
    yield Row("200 curves split at all crossings", taken, None, 1000.0, "ms", f"{split()} parts, 24 poles each")

    heron = Heron()
    scan = ready_to_fit(simulate(heron, 120_000, 0.03, 1).scan)
    lines = []
    for side in (1, -1):
        for y in np.linspace(18, 60, 5):
            lines.append([heron.at_plan(x, side * y) for x in np.linspace(40, 190, 6)])
        for x in np.linspace(40, 190, 6):
            lines.append([heron.at_plan(x, side * y) for y in np.linspace(18, 60, 4)])
    drawn = [curve_on_scan(scan.closest(np.array(line)).points, scan, 0.2) for line in lines]
    fits = []
    (taken,) = alternately(lambda: fits.append(patches_over(drawn, scan, 0.2)), rounds=2)
    fit = fits[-1]
    words = f"{len(fit.made.surfaces)} patches of {fit.made.count} points, {fit.verdict}"
    yield Row("a network of 40 patches", taken / 1000, None, 10.0, "s", words)
    yield Row("its largest angle inside", fit.angle, None, 0.05, "°", "120k triangles, G1")
