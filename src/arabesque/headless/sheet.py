"""./start sheet: three views of a model and a free one on paper, as PDF, SVG or DXF."""

from __future__ import annotations

import argparse

from arabesque.headless.common import output

WORD = "sheet"
SYSTEM = "kernel"
HELP = "draw a model (STEP, or a project) on a sheet: three views, a free one, sections, dimensions"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("model", help=".step, .igs, or an Arabesque project, with its notes and distances")
    parser.add_argument(
        "--out", type=output(".pdf", ".svg", ".dxf"), required=True, help="the .pdf, .svg or .dxf file to write"
    )
    parser.add_argument("--paper", default="A3", help="A4 to A0")
    parser.add_argument(
        "--scale", type=float, default=0.0, help="2 for 2:1, 0.5 for 1:2; the largest that fits if not given"
    )
    parser.add_argument("--third-angle", action="store_true", help="third angle projection; first angle if not given")
    parser.add_argument(
        "--section", action="append", default=[], metavar="AXIS,MM", help="such as y,0; may be repeated"
    )
    for word in ("title", "part", "author", "material"):
        parser.add_argument(f"--{word}", default="", help="in the title block")


def run(options: argparse.Namespace) -> None:
    """Read, draw, write."""
    from dataclasses import replace
    from pathlib import Path

    from arabesque.delivery import Plan, Projection, planes_of, scale_words
    from arabesque.script import Project

    projection = Projection.THIRD if options.third_angle else Projection.FIRST
    sections = planes_of(";".join(words.replace(",", " ") for words in options.section))
    title = options.title or Path(options.model).stem
    plan = Plan(options.paper, options.scale, projection, sections=sections, title=title)
    plan = replace(plan, part=options.part, author=options.author, material=options.material)
    with Project() as project:
        project.open(options.model)
        drawn = project.sheet(options.out, plan)
    print(f"{options.out}: {options.paper}, {scale_words(drawn.scale)}")
