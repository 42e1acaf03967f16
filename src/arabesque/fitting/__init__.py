"""Surfaces that follow a scan: one patch, and the lightest one that keeps the tolerance."""

from arabesque.fitting.corners import bilinear, corners_on_scan
from arabesque.fitting.fairness import fairness_matrix, roughness
from arabesque.fitting.ladder import PatchFit, Stop, check_tolerance, four_corner_patch, raised, refit
from arabesque.fitting.lay_between import EdgeOf, Piece, lay_between, ring_of
from arabesque.fitting.patch import FitSettings, corners_only, fit_patch
from arabesque.fitting.weight_map import Candidate, lightest, weight_map

__all__ = [
    "Candidate",
    "EdgeOf",
    "FitSettings",
    "PatchFit",
    "Piece",
    "Stop",
    "bilinear",
    "check_tolerance",
    "corners_on_scan",
    "corners_only",
    "fairness_matrix",
    "fit_patch",
    "four_corner_patch",
    "lay_between",
    "lightest",
    "raised",
    "refit",
    "ring_of",
    "roughness",
    "weight_map",
]
