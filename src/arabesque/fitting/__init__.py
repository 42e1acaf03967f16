"""Surfaces that follow a scan: one patch, and the lightest one that keeps the tolerance."""

from arabesque.fitting.borders import BorderLine, Through, border_line, border_lines, enclosed_part, even_steps
from arabesque.fitting.cage_fit import CageFit, CageSettings, faces_beyond, fit_cage
from arabesque.fitting.corners import bilinear, corners_on_scan, looks_outward
from arabesque.fitting.even_curve import closer_curve, evened_curve, leg_ratio
from arabesque.fitting.evenness import evenness_matrix
from arabesque.fitting.fairness import fairness_matrix, roughness
from arabesque.fitting.four_corners import calm_patch, four_corner_patch, quick_patch, sides_after
from arabesque.fitting.free_region import FreeRegion, free_region
from arabesque.fitting.grow import Grower, Growth, blocked_triangles, covered_triangles
from arabesque.fitting.ladder import raised, refit
from arabesque.fitting.lay_between import EdgeOf, Piece, lay_between, ring_of
from arabesque.fitting.patch import EVEN, FitSettings, corners_only, fit_patch, on_scan_borders
from arabesque.fitting.patch_fit import Borders, PatchFit, Stop, check_tolerance
from arabesque.fitting.suggest import met, suggest
from arabesque.fitting.together import Together, fit_together
from arabesque.fitting.turn import Turn, turn_of
from arabesque.fitting.weight_map import Candidate, lightest, weight_map

__all__ = [
    "EVEN",
    "BorderLine",
    "Borders",
    "CageFit",
    "CageSettings",
    "Candidate",
    "EdgeOf",
    "FitSettings",
    "FreeRegion",
    "Grower",
    "Growth",
    "PatchFit",
    "Piece",
    "Stop",
    "Through",
    "Together",
    "Turn",
    "bilinear",
    "blocked_triangles",
    "border_line",
    "border_lines",
    "calm_patch",
    "check_tolerance",
    "closer_curve",
    "corners_on_scan",
    "corners_only",
    "covered_triangles",
    "enclosed_part",
    "even_steps",
    "evened_curve",
    "evenness_matrix",
    "faces_beyond",
    "fairness_matrix",
    "fit_cage",
    "fit_patch",
    "fit_together",
    "four_corner_patch",
    "free_region",
    "lay_between",
    "leg_ratio",
    "lightest",
    "looks_outward",
    "met",
    "on_scan_borders",
    "quick_patch",
    "raised",
    "refit",
    "ring_of",
    "roughness",
    "sides_after",
    "suggest",
    "turn_of",
    "weight_map",
]
