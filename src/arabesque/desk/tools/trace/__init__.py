"""The tools of the second step: curves drawn on the scan, its sections, and what stands on them."""

from arabesque.desk.tools.trace.draw_curve import DrawCurve
from arabesque.desk.tools.trace.draw_out_curve import DrawOutCurve
from arabesque.desk.tools.trace.fill_network import FillNetwork
from arabesque.desk.tools.trace.loft_curves import LoftCurves
from arabesque.desk.tools.trace.onto_scan import BringOnto
from arabesque.desk.tools.trace.patch_of_curves import LayOverCurves
from arabesque.desk.tools.trace.section_drawing import SectionDrawing
from arabesque.desk.tools.trace.sections import TraceSections
from arabesque.desk.tools.trace.shape_ends import ShapeEnds
from arabesque.desk.tools.trace.sketch_tool import DrawSketch
from arabesque.desk.tools.trace.split_curves import SplitCurves
from arabesque.desk.tools.trace.sweep_curves import SweepCurves
from arabesque.desk.tools.trace.take_line import TakeLine
from arabesque.desk.tools.trace.true_form import TrueForm

GROUPS = (
    (DrawCurve, TakeLine, BringOnto, TraceSections, DrawSketch),
    ("move-points", SectionDrawing, ShapeEnds, SplitCurves),
    (LoftCurves, SweepCurves, DrawOutCurve, TrueForm, LayOverCurves, FillNetwork),
)
