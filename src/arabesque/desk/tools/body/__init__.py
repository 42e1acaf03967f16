"""The tools of the fifth step: faces become bodies, bodies are put together."""

from arabesque.desk.tools.body.edges import BodyEdges
from arabesque.desk.tools.body.put_together import PutTogether
from arabesque.desk.tools.body.repeat import RepeatBody
from arabesque.desk.tools.body.sew import SewFaces
from arabesque.desk.tools.body.thicken import ThickenSkin

GROUPS = ((SewFaces, ThickenSkin), (PutTogether, BodyEdges, RepeatBody))
