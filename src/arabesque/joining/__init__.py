"""What lies between patches: blends and matched edges that go on in others as smoothly as asked."""

from arabesque.joining.best_pull import best_pulls
from arabesque.joining.blend import Blend, blend
from arabesque.joining.border import BlendSide, Ways
from arabesque.joining.match import MatchedPatch, match_edge

__all__ = ["Blend", "BlendSide", "MatchedPatch", "Ways", "best_pulls", "blend", "match_edge"]
