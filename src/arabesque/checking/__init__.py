"""Numbers that tell how a surface stands to its scan."""

from arabesque.checking.both_ways import BothWays, measure_both_ways
from arabesque.checking.distance import Grid, distances_to_scan, even_parameters, scan_to_surface, surface_to_scan
from arabesque.checking.figures import Figures, inlier_bound

__all__ = [
    "BothWays",
    "Figures",
    "Grid",
    "distances_to_scan",
    "even_parameters",
    "inlier_bound",
    "measure_both_ways",
    "scan_to_surface",
    "surface_to_scan",
]
