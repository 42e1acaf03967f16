"""Editing sketches: elements taken away, and trimmed at their crossings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from arabesque.arrays import Floats
from arabesque.errors import FitProblem
from arabesque.geometry import Curve, Element, ElementKind, Sketch, curve_feet
from arabesque.tracing.crossings import every_crossing

MEETS = 1e-6
"""mm: elements that come so near to each other cross."""


def without_elements(sketch: Sketch, numbers: Sequence[int]) -> Sketch:
    """A sketch without some elements, and without the relations of these."""
    left = [k for k in range(len(sketch.elements)) if k not in numbers]
    place = {old: new for new, old in enumerate(left)}
    relations = []
    for relation in sketch.relations:
        letters = relation.kind.of
        of = tuple(place.get(k, -1) if letter == "e" else k for k, letter in zip(relation.of, letters, strict=True))
        if min(of) >= 0:
            relations.append(replace(relation, of=of))
    less = replace(sketch, elements=tuple(sketch.elements[k] for k in left), relations=tuple(relations))
    return without_loose_points(less)


def without_loose_points(sketch: Sketch) -> Sketch:
    """A sketch without the points that no element has, which would count as free to move; and their relations."""
    used = sorted({point for element in sketch.elements for point in element.points})
    place = {old: new for new, old in enumerate(used)}
    elements = tuple(replace(one, points=tuple(place[k] for k in one.points)) for one in sketch.elements)
    relations = []
    for relation in sketch.relations:
        letters = relation.kind.of
        of = tuple(k if letter == "e" else place.get(k, -1) for k, letter in zip(relation.of, letters, strict=True))
        if min(of) >= 0:
            relations.append(replace(relation, of=of))
    return replace(sketch, flat=sketch.flat[used], elements=elements, relations=tuple(relations))


def trimmed_at(sketch: Sketch, number: int, place: Floats) -> Sketch:
    """The sketch without the part of an element round a (2,) place, as far as its next crossings with others.

    With no crossing the whole element goes. What is left of a circle is an arc. Raises FitProblem for a spline, which
    cannot be trimmed and stay through its places.
    """
    element = sketch.elements[number]
    if element.kind is ElementKind.SPLINE:
        raise FitProblem("A spline is not trimmed here", "Draw its end anew, or take it away")
    curve = sketch.curve(number)
    at = float(curve_feet(curve, sketch.in_space(place)).parameters[0])
    cuts = _crossed(sketch, number, curve)
    low, high = curve.domain
    margin = 1e-6 * (high - low)
    round_ = element.kind is ElementKind.CIRCLE
    before, after = [t for t in cuts if t < at], [t for t in cuts if t > at]
    if round_ and len(cuts) > 1:
        # what goes may run over where the circle begins
        start, end = max(before or cuts), min(after or cuts)
    else:
        start, end = max(before, default=low), min(after, default=high)
    kept: list[tuple[float, float]] = []
    if round_:
        kept = [(end, start)] if len(cuts) > 1 else []
    else:
        kept = [(a, b) for a, b in ((low, start), (end, high)) if b - a > margin]
    flat, elements = list(sketch.flat), []
    for a, b in kept:
        ends = []
        for t in (a, b):
            if not round_ and t in (low, high):
                ends.append(_end_point(sketch, element, t == high))
            else:
                flat.append(sketch.in_plane(curve.at([t]))[0])
                ends.append(len(flat) - 1)
        if element.kind is ElementKind.LINE:
            elements.append(Element(ElementKind.LINE, (ends[0], ends[1]), element.aid))
        else:
            elements.append(Element(ElementKind.ARC, (element.points[0], ends[0], ends[1]), element.aid))
    whole = replace(sketch, flat=np.array(flat), elements=(*sketch.elements, *elements))
    return without_elements(whole, [number])


def _end_point(sketch: Sketch, element: Element, at_end: bool) -> int:
    """Number of the point at an end of a line or an arc."""
    ends = element.points if element.kind is ElementKind.LINE else element.points[1:]
    return ends[1 if at_end else 0]


def _crossed(sketch: Sketch, number: int, curve: Curve) -> list[float]:
    """Parameters at which an element is crossed by others, its ends left out; a circle has none."""
    others = [sketch.curve(k) for k in range(len(sketch.elements)) if k != number]
    found = every_crossing([curve, *others], MEETS, MEETS).found
    low, high = curve.domain
    margin = 1e-6 * (high - low)
    t = [one.t if one.first == 0 else one.s for one in found if 0 in (one.first, one.second)]
    if sketch.elements[number].kind is ElementKind.CIRCLE:
        return sorted({low if value > high - margin else value for value in t})
    return sorted(value for value in t if low + margin < value < high - margin)
