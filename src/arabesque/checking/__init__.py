"""Numbers that tell how a surface stands to its scan."""

from arabesque.checking.both_ways import BothWays, measure_both_ways
from arabesque.checking.combs import (
    Comb,
    Flaw,
    Wobble,
    border_combs,
    flaws_of,
    line_comb,
    polyline_comb,
    section_comb,
    surface_combs,
    wobble,
)
from arabesque.checking.distance import (
    Grid,
    distances_to_scan,
    even_parameters,
    reach_back,
    scan_to_surface,
    shown_on_grid,
    surface_to_scan,
)
from arabesque.checking.figures import Figures, inlier_bound
from arabesque.checking.form import FormKind, Island, form_values, hollow_islands
from arabesque.checking.joins import Join, Limits, find_joins
from arabesque.checking.loupe import CloseUp, close_up
from arabesque.checking.net import NetReport, read_net
from arabesque.checking.sections import (
    Cuts,
    Family,
    PlaneSet,
    Sections,
    cut_triangles,
    grid_cuts,
    grid_sections,
    scan_sections,
)
from arabesque.checking.way_back import WayBack

__all__ = [
    "BothWays",
    "CloseUp",
    "Comb",
    "Cuts",
    "Family",
    "Figures",
    "Flaw",
    "FormKind",
    "Grid",
    "Island",
    "Join",
    "Limits",
    "NetReport",
    "PlaneSet",
    "Sections",
    "WayBack",
    "Wobble",
    "border_combs",
    "close_up",
    "cut_triangles",
    "distances_to_scan",
    "even_parameters",
    "find_joins",
    "flaws_of",
    "form_values",
    "grid_cuts",
    "grid_sections",
    "hollow_islands",
    "inlier_bound",
    "line_comb",
    "measure_both_ways",
    "polyline_comb",
    "reach_back",
    "read_net",
    "scan_sections",
    "scan_to_surface",
    "section_comb",
    "shown_on_grid",
    "surface_combs",
    "surface_to_scan",
    "wobble",
]
