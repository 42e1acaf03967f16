"""The tools of the second step: curves drawn on the scan, its sections, and what stands on them."""

from arabesque.desk.tools.trace.draw_curve import DrawCurve
from arabesque.desk.tools.trace.loft_curves import LoftCurves
from arabesque.desk.tools.trace.patch_of_curves import LayOverCurves
from arabesque.desk.tools.trace.sections import TraceSections
from arabesque.desk.tools.trace.take_line import TakeLine

GROUPS = (
    (DrawCurve, TakeLine, TraceSections),
    (LoftCurves, LayOverCurves),
    ("move-points",),
)
