"""What lies between patches: blends, matched edges, surfaces that are set off, crossings and trims."""

from arabesque.joining.best_pull import best_pulls
from arabesque.joining.blend import Blend, blend
from arabesque.joining.border import BlendSide, Ways
from arabesque.joining.crossing import Crossing, crossings
from arabesque.joining.cutting import Cutter, cut_apart, cut_lines
from arabesque.joining.match import MatchedPatch, match_edge
from arabesque.joining.offset import SetOff, set_off
from arabesque.joining.pieces import Loose, Piece, Pieces, pieces_of
from arabesque.joining.shown import covered, shown_by

__all__ = [
    "Blend",
    "BlendSide",
    "Crossing",
    "Cutter",
    "Loose",
    "MatchedPatch",
    "Piece",
    "Pieces",
    "SetOff",
    "Ways",
    "best_pulls",
    "blend",
    "covered",
    "crossings",
    "cut_apart",
    "cut_lines",
    "match_edge",
    "pieces_of",
    "set_off",
    "shown_by",
]
