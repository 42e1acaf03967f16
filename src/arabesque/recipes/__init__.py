"""How derived items are made: one class and one file each, listed in ``RECIPES``."""

from arabesque.recipes.base import Given, Recipe
from arabesque.recipes.mirror import Mirror
from arabesque.recipes.patch_between import PatchBetween, RingPiece
from arabesque.recipes.patch_on_scan import PatchOnScan
from arabesque.recipes.region_shape import RegionShape
from arabesque.recipes.sides import Side, onto

RECIPES: tuple[type[Recipe], ...] = (PatchOnScan, PatchBetween, RegionShape, Mirror)

__all__ = [
    "RECIPES",
    "Given",
    "Mirror",
    "PatchBetween",
    "PatchOnScan",
    "Recipe",
    "RegionShape",
    "RingPiece",
    "Side",
    "onto",
]
