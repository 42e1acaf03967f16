"""How derived items are made: one class and one file each, listed in ``RECIPES``."""

from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.blend_between import BlendBetween
from arabesque.recipes.bodies import (
    CombinedBody,
    Putting,
    RepeatedBody,
    RoundedBody,
    SewnBody,
    ThickenedBody,
    Thickness,
)
from arabesque.recipes.border_of import INSIDE, BorderOf
from arabesque.recipes.crossing_of import CrossingOf
from arabesque.recipes.curve_on_scan import CurveOnScan
from arabesque.recipes.curves import BlendCurve, CurveThrough, EndOf, ParameterLine
from arabesque.recipes.extended_face import ExtendedFace
from arabesque.recipes.features import FeatureBody, ProfileBody, Runs
from arabesque.recipes.fill_opening import FillOpening, FillWith
from arabesque.recipes.layout_of_scan import LayoutOfScan, Taken, marked_part
from arabesque.recipes.line_taken import LineTaken
from arabesque.recipes.loft_through import LoftThrough
from arabesque.recipes.matched_to import MatchedEdge, MatchedTo
from arabesque.recipes.mirror import Mirror
from arabesque.recipes.morphed_shape import MorphedShape
from arabesque.recipes.network_of_curves import NetworkOfCurves
from arabesque.recipes.on_curves import DrawnOut, Pushed, SweepAlong, Turned
from arabesque.recipes.on_the_scan import AreaBorder, CutBySurface, ProjectedCurve, SetOffCurve
from arabesque.recipes.parted_bodies import FaceSwapped, FeatureMoved, HollowBody, Keeps, MirroredBody, PartedBody
from arabesque.recipes.patch_between import PatchBetween, RingPiece
from arabesque.recipes.patch_of_curves import PatchOfCurves
from arabesque.recipes.patch_on_scan import PatchOnScan
from arabesque.recipes.pushed_past import PushedPast
from arabesque.recipes.recast_face import RecastFace
from arabesque.recipes.region_shape import RegionShape
from arabesque.recipes.round_between import RoundBetween
from arabesque.recipes.section_curve import SectionCurve
from arabesque.recipes.set_off_surface import SetOffSurface
from arabesque.recipes.sides import Side, onto, reordered
from arabesque.recipes.surface_of_region import SurfaceOfRegion
from arabesque.recipes.surfaces_of_cage import SurfacesOfCage
from arabesque.recipes.trimmed_by import CutBy, TrimmedBy, shares_of
from arabesque.recipes.wrapped_on import WrappedOn

RECIPES: tuple[type[Recipe], ...] = (
    PatchOnScan,
    PatchBetween,
    RegionShape,
    Mirror,
    CurveOnScan,
    SectionCurve,
    LoftThrough,
    PatchOfCurves,
    LineTaken,
    NetworkOfCurves,
    CurveThrough,
    BlendCurve,
    ParameterLine,
    CutBySurface,
    ProjectedCurve,
    SetOffCurve,
    AreaBorder,
    SweepAlong,
    DrawnOut,
    Turned,
    Pushed,
    SurfacesOfCage,
    LayoutOfScan,
    BlendBetween,
    MatchedTo,
    SetOffSurface,
    TrimmedBy,
    RoundBetween,
    RecastFace,
    FillOpening,
    CrossingOf,
    ExtendedFace,
    SewnBody,
    CombinedBody,
    RoundedBody,
    RepeatedBody,
    ThickenedBody,
    FeatureBody,
    ProfileBody,
    PartedBody,
    MirroredBody,
    HollowBody,
    FeatureMoved,
    SurfaceOfRegion,
    FaceSwapped,
    MorphedShape,
    WrappedOn,
    PushedPast,
)

__all__ = [
    "INSIDE",
    "RECIPES",
    "AreaBorder",
    "BlendBetween",
    "BlendCurve",
    "BorderOf",
    "CombinedBody",
    "CrossingOf",
    "CurveOnScan",
    "CurveThrough",
    "CutBy",
    "CutBySurface",
    "DrawnOut",
    "EndOf",
    "ExtendedFace",
    "FaceSwapped",
    "FeatureBody",
    "FeatureMoved",
    "FillOpening",
    "FillWith",
    "Given",
    "HollowBody",
    "Keeps",
    "LayoutOfScan",
    "LineTaken",
    "LoftThrough",
    "MatchedEdge",
    "MatchedTo",
    "Mirror",
    "MirroredBody",
    "MorphedShape",
    "NetworkOfCurves",
    "ParameterLine",
    "PartedBody",
    "PatchBetween",
    "PatchOfCurves",
    "PatchOnScan",
    "ProfileBody",
    "ProjectedCurve",
    "Pushed",
    "PushedPast",
    "Putting",
    "RecastFace",
    "Recipe",
    "RegionShape",
    "RepeatedBody",
    "RingPiece",
    "RoundBetween",
    "RoundedBody",
    "Runs",
    "SectionCurve",
    "SetOffCurve",
    "SetOffSurface",
    "SewnBody",
    "Side",
    "SurfaceOfRegion",
    "SurfacesOfCage",
    "SweepAlong",
    "Taken",
    "ThickenedBody",
    "Thickness",
    "TrimmedBy",
    "Turned",
    "WrappedOn",
    "marked_part",
    "onto",
    "reordered",
    "shares_of",
]
