"""The tools, one module per task; a tool is one class."""

from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.between_edges import LayBetween
from arabesque.desk.tools.by_numbers import ByNumbers
from arabesque.desk.tools.calm_scan import CalmScan
from arabesque.desk.tools.close_openings import CloseOpenings
from arabesque.desk.tools.compare import Compare
from arabesque.desk.tools.cut_scan import CutScan
from arabesque.desk.tools.degrees import Degrees
from arabesque.desk.tools.edges import Edges
from arabesque.desk.tools.export import Export
from arabesque.desk.tools.find_symmetry import FindSymmetry
from arabesque.desk.tools.fit_again import FitAgain
from arabesque.desk.tools.four_corners import FourCornerPatch
from arabesque.desk.tools.judge import GlossCheck, JoinsCheck
from arabesque.desk.tools.judge_form import DistanceCheck, FormCheck, NetCheck
from arabesque.desk.tools.judge_lines import CombsCheck, SectionsCheck
from arabesque.desk.tools.lay_square import LaySquare, TurnAndMove
from arabesque.desk.tools.mark import Mark
from arabesque.desk.tools.move_points import MovePoints
from arabesque.desk.tools.new_triangles import NewTriangles
from arabesque.desk.tools.open_scan import OpenScan
from arabesque.desk.tools.pick import Pick
from arabesque.desk.tools.preferences import Preferences
from arabesque.desk.tools.read_form import FeatureLines, FitTrueShape
from arabesque.desk.tools.regions import CorrectRegions, FindRegions
from arabesque.desk.tools.same_sides import SameSides
from arabesque.desk.tools.scan_look import ScanLookTool
from arabesque.desk.tools.simulate_scan import SimulateScan
from arabesque.desk.tools.split_join import Join, Split
from arabesque.desk.tools.tidy_scan import TidyScan
from arabesque.desk.tools.timeline import Timeline
from arabesque.desk.tools.twins import Twins

TOOLS: list[type[Tool]] = [
    OpenScan, SimulateScan, ScanLookTool, TidyScan, Mark, CloseOpenings, CutScan, FindSymmetry, LaySquare, TurnAndMove,
    SameSides, CalmScan, NewTriangles, FindRegions, CorrectRegions, FitTrueShape, FeatureLines,
    FourCornerPatch, LayBetween, MovePoints, ByNumbers, Edges, FitAgain, Degrees, Split, Join, Twins,
    DistanceCheck, SectionsCheck, CombsCheck, GlossCheck, FormCheck, NetCheck, JoinsCheck, Compare, Export,
]  # fmt: skip
"""Every tool that the tool column offers, in its order."""

__all__ = [
    "TOOLS",
    "ByNumbers",
    "CalmScan",
    "CloseOpenings",
    "CombsCheck",
    "Compare",
    "CorrectRegions",
    "CutScan",
    "Degrees",
    "DistanceCheck",
    "Edges",
    "Export",
    "FeatureLines",
    "FindRegions",
    "FindSymmetry",
    "FitAgain",
    "FitTrueShape",
    "FormCheck",
    "FourCornerPatch",
    "GlossCheck",
    "Join",
    "JoinsCheck",
    "LayBetween",
    "LaySquare",
    "Mark",
    "MovePoints",
    "NetCheck",
    "NewTriangles",
    "OpenScan",
    "Pick",
    "Preferences",
    "SameSides",
    "ScanLookTool",
    "SectionsCheck",
    "SimulateScan",
    "Split",
    "TidyScan",
    "Timeline",
    "Tool",
    "TurnAndMove",
    "Twins",
]
