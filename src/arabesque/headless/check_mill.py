"""./start check-mill: what milling with a ball cutter asks of a body or mesh, and the path that cuts it."""

from __future__ import annotations

import argparse
from typing import Any

from arabesque.headless.checked_model import add_model, things_in
from arabesque.headless.common import output, write_json

WORD = "check-mill"
SYSTEM = "kernel"
HELP = "check a body or mesh for milling along a direction, write the path of a ball cutter, and cut a block by it"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    add_model(parser, "--spindle", "from the work to the spindle")
    parser.add_argument("--radius", type=float, default=3.0, help="of the ball, mm")
    parser.add_argument("--stays", type=float, default=0.2, help="mm of stock that may stay")
    parser.add_argument("--step", type=float, default=0.6, help="mm between neighbouring ways")
    parser.add_argument("--path", type=output(), help="write the parallel path as G-code, in mm, of the first thing")


def run(options: argparse.Namespace) -> None:
    """Read, check, cut, report."""
    from arabesque.delivery import Milling, compared, cut_block, read_gcode
    from arabesque.script import Project

    milling = Milling(options.spindle, options.radius, options.stays, options.step)
    records: list[dict[str, Any]] = []
    with Project() as project:
        for item in things_in(project, options):
            check = project.check_mill(item, milling)
            record = {
                "name": item.name,
                "good": check.good,
                "not_reached_area": check.missed,
                "over_limit_area": check.left,
                "most_stock": check.most,
                "largest_radius": None if check.largest_words == "any" else check.largest,
                "largest_ball": check.largest_words,
                "scallop": milling.scallop,
                "true_to": check.milling.cell,
            }
            if options.path and not records:
                project.write_path(check, options.path)
                way = read_gcode(options.path)
                over, counts = compared(check, cut_block(check.tips, way, options.radius))
                record |= {"cut_length": way.length, "block_over_form": float(over[counts].max(initial=0.0))}
            records.append(record)
    if options.report:
        write_json(options.report, {"unit": "mm", "spindle": list(options.spindle), "things": records})
    for one in records:
        print(
            f"{one['name']}: not reached {one['not_reached_area']:.1f} mm², at most {one['most_stock']:.3g} mm stay, "
            f"over the limit on {one['over_limit_area']:.1f} mm², largest ball that does: {one['largest_ball']}"
        )
