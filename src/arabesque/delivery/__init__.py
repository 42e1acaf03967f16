"""What leaves the house: checks for printing and milling, reports, sheets, files that were read back."""

from arabesque.delivery.batch import TABLE, Done, batch, run_one, scans_in, write_table
from arabesque.delivery.fit_report import FitReport, fit_report, project_file
from arabesque.delivery.height_field import HeightField, height_field, tip_heights
from arabesque.delivery.job import Job, job_of, kept_beside, write_job
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
    "TABLE",
    "CutterPath",
    "Done",
    "Drawn",
    "FitReport",
    "HeightField",
    "Job",
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
    "batch",
    "block_mesh",
    "check_mill",
    "check_print",
    "compared",
    "cut_block",
    "deliver_checked",
    "direction",
    "fit_report",
    "height_field",
    "job_of",
    "kept_beside",
    "make_sheet",
    "parallel_path",
    "planes_of",
    "project_file",
    "read_back",
    "read_gcode",
    "run_one",
    "scale_words",
    "scans_in",
    "tag_of",
    "tip_heights",
    "whole_of",
    "write_gcode",
    "write_job",
    "write_report",
    "write_sheet",
    "write_table",
]
