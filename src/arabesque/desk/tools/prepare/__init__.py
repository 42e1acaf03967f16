"""The tools of the first step, in the order in which a scan is prepared."""

from arabesque.desk.tools.prepare.calm_scan import CalmScan
from arabesque.desk.tools.prepare.close_openings import CloseOpenings
from arabesque.desk.tools.prepare.cut_scan import CutScan
from arabesque.desk.tools.prepare.find_symmetry import FindSymmetry
from arabesque.desk.tools.prepare.lay_square import LaySquare, TurnAndMove
from arabesque.desk.tools.prepare.mark import Mark
from arabesque.desk.tools.prepare.new_triangles import NewTriangles
from arabesque.desk.tools.prepare.open_scan import OpenScan
from arabesque.desk.tools.prepare.read_form import FeatureLines, FitTrueShape
from arabesque.desk.tools.prepare.regions import CorrectRegions, FindRegions
from arabesque.desk.tools.prepare.same_sides import SameSides
from arabesque.desk.tools.prepare.scan_look import ScanLookTool
from arabesque.desk.tools.prepare.simulate_scan import SimulateScan
from arabesque.desk.tools.prepare.tidy_scan import TidyScan

GROUPS = (
    (OpenScan, SimulateScan, ScanLookTool),
    (TidyScan, Mark, CloseOpenings, CutScan),
    (FindSymmetry, LaySquare, TurnAndMove, SameSides),
    (CalmScan, NewTriangles),
    (FindRegions, CorrectRegions, FitTrueShape, FeatureLines),
)
