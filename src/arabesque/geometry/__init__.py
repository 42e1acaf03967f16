"""Shape mathematics: spline bases, curves and surfaces, without any scan."""

from arabesque.geometry.curve import Curve
from arabesque.geometry.foot_points import Feet, foot_points
from arabesque.geometry.kernels import basis_matrix
from arabesque.geometry.knots import LARGEST_DEGREE, bezier_knots, breakpoints, greville, uniform_knots
from arabesque.geometry.reduction import Lowered, lower_degree
from arabesque.geometry.surface import Surface, unit
from arabesque.geometry.trimming import Trim

__all__ = [
    "LARGEST_DEGREE",
    "Curve",
    "Feet",
    "Lowered",
    "Surface",
    "Trim",
    "basis_matrix",
    "bezier_knots",
    "breakpoints",
    "foot_points",
    "greville",
    "lower_degree",
    "uniform_knots",
    "unit",
]
