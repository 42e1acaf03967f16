"""./start fit-report: a report on how a model fits a scan, as PDF, HTML or JSON."""

from __future__ import annotations

import argparse

from arabesque.errors import ArabesqueError
from arabesque.headless.common import add_common, output, tolerance_of
from arabesque.units import scale_to_mm

WORD = "fit-report"
SYSTEM = "kernel"
HELP = "write a report on how a model (STEP, or a project) fits a scan"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("model", help=".step, .igs, or an Arabesque project, which has its own scan and tolerance")
    parser.add_argument("scan", nargs="?", help="a mesh; not for a project")
    parser.add_argument(
        "--out", type=output(".pdf", ".html", ".json"), required=True, help="the .pdf, .html or .json file to write"
    )
    parser.add_argument("--title", default="", help="above the first page; the name of the file if not given")
    parser.add_argument("--view", action="append", default=[], help="of the pictures, such as top; may be repeated")
    parser.add_argument("--note", action="append", default=[], help="a line among the settings; may be repeated")
    parser.add_argument("--before", default="", help="a milestone of the project to compare with")
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Read, measure, write."""
    from arabesque.headless.common import write_json
    from arabesque.model import SUFFIX
    from arabesque.script import Project

    with Project() as project:
        project_file = options.model.lower().endswith(SUFFIX)
        if project_file == bool(options.scan):
            raise ArabesqueError(
                "A project has its own scan, a STEP file has none", "Give a project alone, or a STEP file and a mesh"
            )
        if not project_file:
            project.open_scan(options.scan, options.unit)
            project.tolerance = tolerance_of(options, scale_to_mm(options.unit))
        project.open(options.model)
        if project_file and options.tolerance is not None:
            project.tolerance = tolerance_of(options, scale_to_mm(options.unit))
        made = project.report(options.out, options.title, views=options.view, notes=options.note, before=options.before)
    if options.report:
        write_json(options.report, made.as_record())
    print(f"{options.out}: {len(made.items)} items, {made.verdict}")
