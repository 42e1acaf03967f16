"""The tools of the fifth step: faces become bodies, bodies are put together."""

from arabesque.desk.tools.body.put_together import PutTogether
from arabesque.desk.tools.body.sew import SewFaces

GROUPS = ((SewFaces,), (PutTogether,))
