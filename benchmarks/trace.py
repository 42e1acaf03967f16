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
from arabesque.tracing import LoftWay, planes_along, trace_sections
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
    document = traced(Document().with_item(Item("scan", "heron", scan)), made, way=LoftWay()).document
    key = next(item.id for item in document if isinstance(item.recipe, SectionCurve))
    curve = document[key].shape

    def pulled() -> Document:
        points = curve.points.copy()
        points[5] += np.random.default_rng().normal(size=3)
        return rebuilt(document.with_shape(key, curve.with_points(points)), live=True)

    (step,) = alternately(pulled)
    yield Row("a loft through 30 of them follows one pole", step, None, 20.0, "ms", "as in a drag, drawing left out")
