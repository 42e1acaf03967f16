"""Reading the form of a scan: symmetry, placing, true shapes, regions, feature lines."""

from arabesque.reading.feature_lines import LineSet, feature_lines
from arabesque.reading.placing import (
    AXES,
    PLANES,
    Feature,
    FeatureKind,
    Placement,
    Target,
    lay_plane,
    lay_square,
    nearest_axis,
    principal_axes,
    three_points,
    turned_and_shifted,
)
from arabesque.reading.regions import Region, Regions, find_regions
from arabesque.reading.symmetry import Symmetry, asymmetry, find_symmetry_plane
from arabesque.reading.true_shapes import TrueShape, distances_to, fit_true_shape, recognise

__all__ = [
    "AXES",
    "PLANES",
    "Feature",
    "FeatureKind",
    "LineSet",
    "Placement",
    "Region",
    "Regions",
    "Symmetry",
    "Target",
    "TrueShape",
    "asymmetry",
    "distances_to",
    "feature_lines",
    "find_regions",
    "find_symmetry_plane",
    "fit_true_shape",
    "lay_plane",
    "lay_square",
    "nearest_axis",
    "principal_axes",
    "recognise",
    "three_points",
    "turned_and_shifted",
]
