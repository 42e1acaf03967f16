"""./start body: the surfaces of a STEP file sewn, thickened or cut to one body, and written again."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.headless.common import SURFACES, output, point, write_json
from arabesque.units import MILLIMETRES, scale_to_mm

WORD = "body"
SYSTEM = "kernel"
HELP = "sew the surfaces of a STEP file to a body, thicken its skin, cut it, and write it"

SIDES = {"in": "against the normals", "out": "along the normals", "both": "to both sides"}
RIMS = ("square", "rounded", "drawn to an edge")


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("model", help=".step, in whatever unit it says")
    parser.add_argument("--out", type=output(*SURFACES), required=True, help="the .step file to write")
    parser.add_argument(
        "--unit", choices=list(MILLIMETRES), default="mm", help="of all lengths here, and of the report"
    )
    parser.add_argument("--within", type=float, help="how far borders may lie apart; 0.01 mm if not given")
    parser.add_argument("--cap", action="store_true", help="close openings with faces")
    parser.add_argument("--thicken", type=float, metavar="T", help="make the skin this thick")
    parser.add_argument("--side", choices=list(SIDES), default="in", help="to which side of its normals it gets thick")
    parser.add_argument("--rims", choices=RIMS, default=RIMS[0], help="how its free borders are closed")
    parser.add_argument(
        "--cut", action="append", nargs="+", default=[], metavar="WHAT",
        help="cut away the bodies of a STEP file, or a hole: PLACE AXIS DIAMETER [DEPTH], as 0,0,10 0,0,1 8; "
        "through everything where there is no depth; may be repeated",
    )  # fmt: skip
    parser.add_argument("--report", type=output(), help="write what became of it as JSON")


def run(options: argparse.Namespace) -> None:
    """Read, make, write, report."""
    from arabesque.headless.check_body import record_of_body, words_of_body
    from arabesque.script import Project

    scale = scale_to_mm(options.unit)
    within = 0.01 if options.within is None else options.within * scale
    with Project() as project:
        items = project.open_bodies(options.model)
        if options.thicken is None:
            body = project.sew(items, within, options.cap)
        else:
            body = project.thicken(items, options.thicken * scale, SIDES[options.side], rims=options.rims)
        for words in options.cut:
            body = _cut(project, body, words, scale)
        project.export(options.out, [project.item(body.id)])
        told = record_of_body(project.item(body.id).shape, scale)
    if options.report:
        write_json(options.report, {"unit": options.unit, "bodies": [told]})
    print(words_of_body(1, told, options.unit))


def _cut(project: Any, body: Any, words: Sequence[str], scale: float) -> Any:
    """A body with one cut more."""
    if len(words) == 1:
        return project.cut(body, project.open_bodies(words[0]))
    if len(words) not in (3, 4):
        raise ArabesqueError(
            f"'{' '.join(words)}' is no cut", "Write a STEP file, or PLACE AXIS DIAMETER [DEPTH], as 0,0,10 0,0,1 8"
        )
    try:
        at, axis = (np.array(point(word)) for word in words[:2])
        sizes = [float(word) * scale for word in words[2:]]
    except (ValueError, argparse.ArgumentTypeError) as problem:
        raise ArabesqueError(f"'{' '.join(words)}' is no cut ({problem})", "Write numbers, as 0,0,10 0,0,1 8") from None
    return project.hole(body, at * scale, axis, sizes[0], sizes[1] if len(sizes) > 1 else 0.0)
