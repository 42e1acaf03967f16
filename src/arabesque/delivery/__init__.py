"""What leaves the house: checks for printing and milling, reports, sheets, files that were read back."""

from arabesque.delivery.fit_report import FitReport, fit_report
from arabesque.delivery.height_field import HeightField, height_field, left_by, tip_heights
from arabesque.delivery.mill_check import MillCheck, Milling, check_mill
from arabesque.delivery.mill_path import (
    CutterPath,
    block_mesh,
    compared,
    cut_block,
    parallel_path,
    read_gcode,
    write_gcode,
)
from arabesque.delivery.print_check import Laid, PrintCheck, PrintLimits, check_print
from arabesque.delivery.read_back import ReadBack, deliver_checked, read_back, tag_of
from arabesque.delivery.report_files import as_html, as_json, as_pdf, write_report
from arabesque.delivery.sheet import PAPERS, Plan, Projection, make_sheet, planes_of, scale_words
from arabesque.delivery.sheet_files import as_svg, write_sheet
from arabesque.delivery.strokes import Drawn, Pen
from arabesque.delivery.whole import Whole, direction, whole_of

__all__ = [
    "PAPERS",
    "CutterPath",
    "Drawn",
    "FitReport",
    "HeightField",
    "Laid",
    "MillCheck",
    "Milling",
    "Pen",
    "Plan",
    "PrintCheck",
    "PrintLimits",
    "Projection",
    "ReadBack",
    "Whole",
    "as_html",
    "as_json",
    "as_pdf",
    "as_svg",
    "block_mesh",
    "check_mill",
    "check_print",
    "compared",
    "cut_block",
    "deliver_checked",
    "direction",
    "fit_report",
    "height_field",
    "left_by",
    "make_sheet",
    "parallel_path",
    "planes_of",
    "read_back",
    "read_gcode",
    "scale_words",
    "tag_of",
    "tip_heights",
    "whole_of",
    "write_gcode",
    "write_report",
    "write_sheet",
]
