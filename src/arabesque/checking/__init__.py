"""Numbers that tell how a surface stands to its scan."""

from arabesque.checking.back import Back, scan_to_shapes
from arabesque.checking.body_look import Asked, Looked, look_at
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
    sample_sections,
    scan_sections,
    section_places,
    shape_sections,
)
from arabesque.checking.solid_form import (
    FilledSection,
    OfFace,
    by_face,
    filled_sections,
    least_place,
    planes_through,
    seam_angle,
    self_crossings,
    smallest_radii,
)
from arabesque.checking.walls import draft_angles, mould_drafts, wall_ends, wall_thickness
from arabesque.checking.way_back import WayBack, way_figures

__all__ = [
    "CALM_BEND",
    "CALM_LEG",
    "Asked",
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
    "FilledSection",
    "Flaw",
    "FormKind",
    "Island",
    "Join",
    "JoinMemory",
    "Limits",
    "Looked",
    "NetReport",
    "OfFace",
    "Places",
    "PlaneSet",
    "Sections",
    "WayBack",
    "Wobble",
    "by_face",
    "close_ups",
    "cover",
    "cut_triangles",
    "distances_to_scan",
    "draft_angles",
    "evenness",
    "figures_of",
    "filled_sections",
    "find_joins",
    "flaws_of",
    "folded_faces",
    "form_values",
    "grid_pairs",
    "hollow_islands",
    "inlier_bound",
    "least_place",
    "look_at",
    "measure_both_ways",
    "mould_drafts",
    "outliers",
    "planes_through",
    "polyline_comb",
    "reach_back",
    "read_cage_net",
    "read_net",
    "rim_comb",
    "row_triples",
    "sample_sections",
    "scan_sections",
    "scan_to_shapes",
    "seam_angle",
    "section_comb",
    "section_places",
    "self_crossings",
    "shape_combs",
    "shape_sections",
    "shape_to_scan",
    "smallest_radii",
    "wall_ends",
    "wall_thickness",
    "way_figures",
    "wobble",
]
