"""The tools of the fourth step: begin a cage, shape it, join it, fit it, hand it on."""

from arabesque.desk.tools.cage.cage_surfaces import CageSurfaces
from arabesque.desk.tools.cage.close_opening import CloseOpening
from arabesque.desk.tools.cage.first_cage import FirstCage
from arabesque.desk.tools.cage.fit_cage import FitCageTool
from arabesque.desk.tools.cage.improve_cage import ImproveCage
from arabesque.desk.tools.cage.lay_faces import LayFaces
from arabesque.desk.tools.cage.lay_out import LayOut
from arabesque.desk.tools.cage.match_cage import MatchCage
from arabesque.desk.tools.cage.overshoot import Overshoot
from arabesque.desk.tools.cage.pull_out import PullOut
from arabesque.desk.tools.cage.rows import Rows
from arabesque.desk.tools.cage.shape_cage import ShapeCage
from arabesque.desk.tools.cage.span_borders import SpanBorders
from arabesque.desk.tools.cage.thicken import Thicken
from arabesque.desk.tools.cage.weld_borders import WeldBorders

GROUPS = (
    (LayFaces, LayOut, FirstCage),
    (ShapeCage, PullOut, Rows),
    (SpanBorders, CloseOpening, WeldBorders, MatchCage),
    (FitCageTool, ImproveCage, "cage-look"),
    (Overshoot, Thicken, CageSurfaces),
)
