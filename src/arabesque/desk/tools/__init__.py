"""The tools, one module per task; a tool is one class."""

from arabesque.desk.tools.base import Choice, Fact, Pointer, Tool
from arabesque.desk.tools.export import Export
from arabesque.desk.tools.four_corners import FourCornerPatch
from arabesque.desk.tools.move_points import MovePoints
from arabesque.desk.tools.open_scan import OpenScan
from arabesque.desk.tools.pick import Pick
from arabesque.desk.tools.preferences import Preferences
from arabesque.desk.tools.timeline import Timeline

TOOLS: list[type[Tool]] = [OpenScan, FourCornerPatch, MovePoints, Export]
"""Every tool that the tool column offers, in its order."""

__all__ = [
    "TOOLS",
    "Choice",
    "Export",
    "Fact",
    "FourCornerPatch",
    "MovePoints",
    "OpenScan",
    "Pick",
    "Pointer",
    "Preferences",
    "Timeline",
    "Tool",
]
