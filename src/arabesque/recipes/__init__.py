"""How derived items are made: one class and one file each, listed in ``RECIPES``."""

from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.curve_on_scan import CurveOnScan
from arabesque.recipes.line_taken import LineTaken
from arabesque.recipes.loft_through import LoftThrough
from arabesque.recipes.mirror import Mirror
from arabesque.recipes.patch_between import PatchBetween, RingPiece
from arabesque.recipes.patch_of_curves import PatchOfCurves
from arabesque.recipes.patch_on_scan import PatchOnScan
from arabesque.recipes.region_shape import RegionShape
from arabesque.recipes.section_curve import SectionCurve
from arabesque.recipes.sides import Side, onto, reordered

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
)

__all__ = [
    "RECIPES",
    "CurveOnScan",
    "Given",
    "LineTaken",
    "LoftThrough",
    "Mirror",
    "PatchBetween",
    "PatchOfCurves",
    "PatchOnScan",
    "Recipe",
    "RegionShape",
    "RingPiece",
    "SectionCurve",
    "Side",
    "onto",
    "reordered",
]
