"""Subdivision cages: coarse nets of quads whose smooth limit surface is the model; their edits, and NURBS from them."""

from arabesque.cages.blocks import Block, find_blocks
from arabesque.cages.cage import Cage
from arabesque.cages.conversion import Converted, to_surfaces
from arabesque.cages.quads import CageProblem, Quads
from arabesque.cages.report import Delivery, Report, deliver_cage
from arabesque.cages.rows import border_chain, loop_of, strip_of
from arabesque.cages.rules import refined
from arabesque.cages.skin import Skin, side_places, skin_of
from arabesque.cages.stencils import Stencils, make_stencils

__all__ = [
    "Block",
    "Cage",
    "CageProblem",
    "Converted",
    "Delivery",
    "Quads",
    "Report",
    "Skin",
    "Stencils",
    "border_chain",
    "deliver_cage",
    "find_blocks",
    "loop_of",
    "make_stencils",
    "refined",
    "side_places",
    "skin_of",
    "strip_of",
    "to_surfaces",
]
