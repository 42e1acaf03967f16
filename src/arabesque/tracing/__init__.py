"""Curves on the scan and the sections of it, and the surfaces that stand on them."""

from arabesque.tracing.along import curve_along, end_to_end
from arabesque.tracing.cuts import (
    Cut,
    CutLine,
    aligned,
    cut_scan,
    planes_across,
    planes_along,
    planes_round,
)
from arabesque.tracing.fit import CORNER, MOST_POLES, FittedCurve, corners_of, fit_curve, fit_polyline, through
from arabesque.tracing.loft import LoftWay, begun_at, corresponding, in_order, is_closed, loft, outward_loft
from arabesque.tracing.meeting import Approach, Ring, closest_approach, ring_of_curves
from arabesque.tracing.on_scan import curve_on_scan
from arabesque.tracing.section_set import (
    USUAL_POLES,
    TracedSection,
    fitted_section,
    section_like,
    set_figures,
    trace_sections,
)

__all__ = [
    "CORNER",
    "MOST_POLES",
    "USUAL_POLES",
    "Approach",
    "Cut",
    "CutLine",
    "FittedCurve",
    "LoftWay",
    "Ring",
    "TracedSection",
    "aligned",
    "begun_at",
    "closest_approach",
    "corners_of",
    "corresponding",
    "curve_along",
    "curve_on_scan",
    "cut_scan",
    "end_to_end",
    "fit_curve",
    "fit_polyline",
    "fitted_section",
    "in_order",
    "is_closed",
    "loft",
    "outward_loft",
    "planes_across",
    "planes_along",
    "planes_round",
    "ring_of_curves",
    "section_like",
    "set_figures",
    "through",
    "trace_sections",
]
