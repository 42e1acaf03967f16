"""Shape mathematics: spline bases, curves and surfaces, without any scan."""

from arabesque.arrays import unit
from arabesque.geometry.curvature import (
    Curvatures,
    along_direction,
    curve_curvature,
    form_curvature,
    section_bends,
    surface_curvature,
)
from arabesque.geometry.curve import Curve
from arabesque.geometry.elementary import Elementary, ElementaryKind, frame_of
from arabesque.geometry.extending import (
    Manner,
    continuation,
    extended,
    over_quadrangle,
    parameter_step,
    reach_along,
)
from arabesque.geometry.extraction import bezier_nets, span_places
from arabesque.geometry.face import Face
from arabesque.geometry.foot_points import Feet, feet_along, foot_points, strictly_inside
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import LARGEST_DEGREE, bezier_knots, blossom, breakpoints, greville, uniform_knots
from arabesque.geometry.matching import (
    between,
    compatible_curves,
    coons_net,
    curve_in,
    joined,
    meeting_edges,
    missing_knots,
    nearest_surface,
    rebuilt,
    same_as,
)
from arabesque.geometry.measure import CurveFeet, arc_length, curve_box, curve_feet, nearer_feet, surface_box
from arabesque.geometry.motion import Plane, angle_and_shift, apply, inverse, motion, rotation_about
from arabesque.geometry.net_edits import (
    FallOff,
    averaged,
    evened,
    flattened,
    grown_choice,
    kept_on,
    parallel,
    reach_weights,
    straightened,
)
from arabesque.geometry.nets import border_of
from arabesque.geometry.patchwork import Patchwork
from arabesque.geometry.reduction import Lowered, lower_degree
from arabesque.geometry.removal import lower_degree_within, simplify_curve, simplify_surface
from arabesque.geometry.reshaping import (
    curve_between,
    curve_pieces,
    join_curves,
    join_surfaces,
    parts_of_curve,
    reversed_curve,
    split_curve,
    split_surface,
    surface_pieces,
    swapped_surface,
)
from arabesque.geometry.rims import Edge, Rim, loop_rims
from arabesque.geometry.sampling import even_parameters
from arabesque.geometry.sketch import Element, ElementKind, Relation, RelationKind, Sketch
from arabesque.geometry.surface import Surface, edge_curve, parameter_line
from arabesque.geometry.tessellation import tessellate
from arabesque.geometry.trimming import Trim
from arabesque.geometry.twin import (
    Seam,
    Twin,
    TwinKind,
    crossing_axis,
    joined_with_image,
    nearest_twin,
    symmetric_curve,
    symmetric_from,
    tie_matrix,
)

__all__ = [
    "LARGEST_DEGREE",
    "Curvatures",
    "Curve",
    "CurveFeet",
    "Edge",
    "Element",
    "ElementKind",
    "Elementary",
    "ElementaryKind",
    "Face",
    "FallOff",
    "Feet",
    "Lowered",
    "Manner",
    "Patchwork",
    "Plane",
    "Relation",
    "RelationKind",
    "Rim",
    "Seam",
    "Sketch",
    "Surface",
    "Trim",
    "Twin",
    "TwinKind",
    "along_direction",
    "angle_and_shift",
    "apply",
    "arc_length",
    "averaged",
    "basis_matrix",
    "between",
    "bezier_knots",
    "bezier_nets",
    "blossom",
    "border_of",
    "breakpoints",
    "compatible_curves",
    "continuation",
    "coons_net",
    "crossing_axis",
    "curve_between",
    "curve_box",
    "curve_curvature",
    "curve_feet",
    "curve_in",
    "curve_pieces",
    "edge_curve",
    "even_parameters",
    "evened",
    "extended",
    "feet_along",
    "flattened",
    "foot_points",
    "form_curvature",
    "frame_of",
    "greville",
    "grown_choice",
    "inverse",
    "join_curves",
    "join_surfaces",
    "joined",
    "joined_with_image",
    "kept_on",
    "loop_rims",
    "lower_degree",
    "lower_degree_within",
    "meeting_edges",
    "missing_knots",
    "motion",
    "nearer_feet",
    "nearest_surface",
    "nearest_twin",
    "over_quadrangle",
    "parallel",
    "parameter_line",
    "parameter_step",
    "parts_of_curve",
    "reach_along",
    "reach_weights",
    "rebuilt",
    "reversed_curve",
    "rotation_about",
    "same_as",
    "section_bends",
    "simplify_curve",
    "simplify_surface",
    "span_places",
    "split_curve",
    "split_surface",
    "straightened",
    "strictly_inside",
    "surface_box",
    "surface_curvature",
    "surface_pieces",
    "swapped_surface",
    "symmetric_curve",
    "symmetric_from",
    "tessellate",
    "tie_matrix",
    "uniform_knots",
    "unit",
]
