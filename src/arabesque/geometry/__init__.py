"""Shape mathematics: spline bases, curves and surfaces, without any scan."""

from arabesque.geometry.curvature import Curvatures, curve_curvature, normal_curvature, surface_curvature
from arabesque.geometry.curve import Curve
from arabesque.geometry.elementary import Elementary, ElementaryKind, frame_of
from arabesque.geometry.foot_points import Feet, foot_points
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import LARGEST_DEGREE, bezier_knots, breakpoints, greville, uniform_knots
from arabesque.geometry.measure import CurveFeet, arc_length, curve_box, curve_feet, surface_box
from arabesque.geometry.motion import Plane, angle_and_shift, apply, inverse, motion, rotation_about
from arabesque.geometry.net_edits import FallOff, averaged, evened, flattened, grown_choice, reach_weights, straightened
from arabesque.geometry.reduction import Lowered, lower_degree
from arabesque.geometry.removal import lower_degree_within, simplify_curve, simplify_surface
from arabesque.geometry.reshaping import (
    curve_pieces,
    join_curves,
    join_surfaces,
    reversed_curve,
    reversed_surface,
    split_curve,
    split_surface,
    surface_pieces,
    swapped_surface,
)
from arabesque.geometry.surface import Surface, unit
from arabesque.geometry.tessellation import tessellate
from arabesque.geometry.trimming import Trim

__all__ = [
    "LARGEST_DEGREE",
    "Curvatures",
    "Curve",
    "CurveFeet",
    "Elementary",
    "ElementaryKind",
    "FallOff",
    "Feet",
    "Lowered",
    "Plane",
    "Surface",
    "Trim",
    "angle_and_shift",
    "apply",
    "arc_length",
    "averaged",
    "basis_matrix",
    "bezier_knots",
    "breakpoints",
    "curve_box",
    "curve_curvature",
    "curve_feet",
    "curve_pieces",
    "evened",
    "flattened",
    "foot_points",
    "frame_of",
    "greville",
    "grown_choice",
    "inverse",
    "join_curves",
    "join_surfaces",
    "lower_degree",
    "lower_degree_within",
    "motion",
    "normal_curvature",
    "reach_weights",
    "reversed_curve",
    "reversed_surface",
    "rotation_about",
    "simplify_curve",
    "simplify_surface",
    "split_curve",
    "split_surface",
    "straightened",
    "surface_box",
    "surface_curvature",
    "surface_pieces",
    "swapped_surface",
    "tessellate",
    "uniform_knots",
    "unit",
]
