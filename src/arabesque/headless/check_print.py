"""./start check-print: what printing in layers asks of a body or mesh."""

from __future__ import annotations

import argparse
from typing import Any

from arabesque.headless.checked_model import add_model, things_in
from arabesque.headless.common import write_json

WORD = "check-print"
SYSTEM = "kernel"
HELP = "check a body or mesh for printing in layers: walls, gaps, overhangs, mass, and how to lay it down"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    add_model(parser, "--up", "the way that is up while it is printed")
    parser.add_argument("--wall", type=float, default=1.2, help="mm, at least")
    parser.add_argument("--overhang", type=float, default=45.0, help="degrees off upright, at most")
    parser.add_argument("--nozzle", type=float, default=0.4, help="mm")
    parser.add_argument("--density", type=float, default=1.24, help="g/cm³")


def run(options: argparse.Namespace) -> None:
    """Read, check, report."""
    from arabesque.delivery import PrintLimits
    from arabesque.script import Project

    limits = PrintLimits(options.wall, options.overhang, options.nozzle, options.density)
    with Project() as project:
        found = [(item.name, project.check_print(item, options.up, limits)) for item in things_in(project, options)]
    records = [{"name": name, **_record(check)} for name, check in found]
    if options.report:
        write_json(options.report, {"unit": "mm", "up": list(options.up), "things": records})
    for one in records:
        words = "closed" if one["closed"] else "OPEN"
        print(
            f"{one['name']}: {words}, {one['mass']:.1f} g, too thin over {one['thin_area']:.1f} mm², under the nozzle "
            f"{one['lost_area']:.1f} mm², hangs over {one['hanging_area']:.1f} mm²; "
            f"{'can be printed so' if one['good'] else 'NOT as it is'}"
        )


def _record(check: Any) -> dict[str, Any]:
    thinnest = float(check.walls.min())
    return {
        "good": check.good,
        "closed": check.closed,
        "volume": check.volume,
        "mass": check.mass,
        "thinnest_wall": thinnest if check.closed else None,
        "thin_area": check.area(check.thin),
        "lost_area": check.area(check.lost),
        "hanging_area": check.hanging_area,
        "ways": [{"up": list(laid.way), "height": laid.height, "hanging_area": laid.hanging} for laid in check.ways],
    }
