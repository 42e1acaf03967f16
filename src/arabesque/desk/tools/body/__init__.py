"""The tools of the fifth step: faces become bodies, bodies get true features and are put together, checked."""

from arabesque.desk.tools.body.check_body import CheckBody
from arabesque.desk.tools.body.edges import BodyEdges
from arabesque.desk.tools.body.feature import BodyFeature
from arabesque.desk.tools.body.hollow import HollowOut
from arabesque.desk.tools.body.morph import MorphForm
from arabesque.desk.tools.body.move_feature import MoveFeature
from arabesque.desk.tools.body.part import PartBody
from arabesque.desk.tools.body.profile import DrawBody
from arabesque.desk.tools.body.put_together import PutTogether
from arabesque.desk.tools.body.region_surface import RegionSurface
from arabesque.desk.tools.body.repeat import RepeatBody
from arabesque.desk.tools.body.sew import SewFaces
from arabesque.desk.tools.body.swap import SwapFace
from arabesque.desk.tools.body.thicken import ThickenSkin
from arabesque.desk.tools.body.wrap import WrapOn

GROUPS = (
    (SewFaces, ThickenSkin, DrawBody, RegionSurface),
    (PutTogether, PartBody, HollowOut),
    (BodyFeature, BodyEdges, MoveFeature, SwapFace, RepeatBody),
    (MorphForm, WrapOn, CheckBody),
)
