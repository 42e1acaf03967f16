"""The tools of the third step: lay, sculpt, weigh, divide. Words stand for commands that need no tool."""

from arabesque.desk.tools.patch.between_edges import LayBetween
from arabesque.desk.tools.patch.blend_edges import BlendEdges
from arabesque.desk.tools.patch.by_numbers import ByNumbers
from arabesque.desk.tools.patch.degrees import Degrees
from arabesque.desk.tools.patch.edges import Edges
from arabesque.desk.tools.patch.fill_opening import FillBetween
from arabesque.desk.tools.patch.fit_again import FitAgain
from arabesque.desk.tools.patch.fit_together import FitTogether
from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.patch.grow import GrowPatch
from arabesque.desk.tools.patch.match_edges import MatchEdges
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.tools.patch.overshoot import OvershootPatch
from arabesque.desk.tools.patch.recast_face import RecastPatch
from arabesque.desk.tools.patch.round_edges import RoundEdges
from arabesque.desk.tools.patch.set_off import SetOffPatch
from arabesque.desk.tools.patch.split_join import Join, Split
from arabesque.desk.tools.patch.suggest import SuggestPatches
from arabesque.desk.tools.patch.trim import TrimSurface
from arabesque.desk.tools.patch.twins import Twins

RARE = (OvershootPatch,)
"""In the menus only."""

GROUPS = (
    (FourCornerPatch, LayBetween, BlendEdges, FillBetween, GrowPatch, SuggestPatches),
    (MovePoints, ByNumbers, Edges, MatchEdges, Twins),
    ("refit", FitAgain, FitTogether, Degrees, "weight-map"),
    (Split, Join, TrimSurface, RoundEdges, RecastPatch, SetOffPatch),
)
