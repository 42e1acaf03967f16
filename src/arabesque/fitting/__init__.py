"""Surfaces that follow a scan: one patch, and the lightest one that keeps the tolerance."""

from arabesque.fitting.corners import bilinear, corners_on_scan
from arabesque.fitting.fairness import fairness_matrix
from arabesque.fitting.ladder import PatchFit, Stop, check_tolerance, four_corner_patch, raised, refit
from arabesque.fitting.patch import FitSettings, corners_only, fit_patch

__all__ = [
    "FitSettings",
    "PatchFit",
    "Stop",
    "bilinear",
    "check_tolerance",
    "corners_on_scan",
    "corners_only",
    "fairness_matrix",
    "fit_patch",
    "four_corner_patch",
    "raised",
    "refit",
]
