"""What lies between patches: blends, matched edges, and surfaces that are set off."""

from arabesque.joining.best_pull import best_pulls
from arabesque.joining.blend import Blend, blend
from arabesque.joining.border import BlendSide, Ways
from arabesque.joining.match import MatchedPatch, match_edge
from arabesque.joining.offset import SetOff, set_off

__all__ = ["Blend", "BlendSide", "MatchedPatch", "SetOff", "Ways", "best_pulls", "blend", "match_edge", "set_off"]
