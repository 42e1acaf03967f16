"""Numbers that tell how a surface stands to its scan."""

from arabesque.checking.back import Back, scan_to_shapes
from arabesque.checking.both_ways import BothWays, measure_both_ways
from arabesque.checking.cage_net import CageNet, folded_faces, read_cage_net, row_triples
from arabesque.checking.combs import (
    Comb,
    Flaw,
    Wobble,
    flaws_of,
    polyline_comb,
    rim_comb,
    section_comb,
    shape_combs,
    wobble,
)
from arabesque.checking.cover import Cover, cover
from arabesque.checking.distance import (
    Distances,
    distances_to_scan,
    figures_of,
    reach_back,
    shape_to_scan,
)
from arabesque.checking.figures import Figures, inlier_bound
from arabesque.checking.form import FormKind, Island, form_values, hollow_islands
from arabesque.checking.joins import Join, JoinMemory, Limits, find_joins
from arabesque.checking.loupe import CloseUp, close_ups
from arabesque.checking.net import CALM_BEND, CALM_LEG, Evenness, NetReport, evenness, read_net
from arabesque.checking.outliers import grid_pairs, outliers
from arabesque.checking.sections import (
    Cuts,
    Family,
    Places,
    PlaneSet,
    Sections,
    cut_triangles,
    scan_sections,
    section_places,
    shape_sections,
)
from arabesque.checking.way_back import WayBack, way_figures

__all__ = [
    "CALM_BEND",
    "CALM_LEG",
    "Back",
    "BothWays",
    "CageNet",
    "CloseUp",
    "Comb",
    "Cover",
    "Cuts",
    "Distances",
    "Evenness",
    "Family",
    "Figures",
    "Flaw",
    "FormKind",
    "Island",
    "Join",
    "JoinMemory",
    "Limits",
    "NetReport",
    "Places",
    "PlaneSet",
    "Sections",
    "WayBack",
    "Wobble",
    "close_ups",
    "cover",
    "cut_triangles",
    "distances_to_scan",
    "evenness",
    "figures_of",
    "find_joins",
    "flaws_of",
    "folded_faces",
    "form_values",
    "grid_pairs",
    "hollow_islands",
    "inlier_bound",
    "measure_both_ways",
    "outliers",
    "polyline_comb",
    "reach_back",
    "read_cage_net",
    "read_net",
    "rim_comb",
    "row_triples",
    "scan_sections",
    "scan_to_shapes",
    "section_comb",
    "section_places",
    "shape_combs",
    "shape_sections",
    "shape_to_scan",
    "way_figures",
    "wobble",
]
