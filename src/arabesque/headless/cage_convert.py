"""./start cage-convert: a cage as the NURBS patches that are its surface."""

from __future__ import annotations

import argparse

from arabesque.headless.common import SURFACES, output, report
from arabesque.units import MILLIMETRES, scale_to_mm

WORD = "cage-convert"
SYSTEM = "kernel"
HELP = "turn a cage of quads into the NURBS patches that are its surface"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("cage", help="an OBJ of quads")
    parser.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="unit of the cage and of the surface")
    parser.add_argument(
        "--out", type=output(*SURFACES), metavar="OUT", required=True, help="the surface: .step, .igs, .stl"
    )
    parser.add_argument("--report", type=output(), help="write the figures as JSON")


def run(options: argparse.Namespace) -> None:
    """Read, turn, write, report."""
    from arabesque.script import Project

    scale = scale_to_mm(options.unit)
    with Project() as project:
        item = project.open_cage(options.cage, options.unit)
        found = project.surfaces_report(item)
        project.export(options.out, [item], unit=options.unit)
    off, gap = found.deviation / scale, found.gap / scale
    report(options, {"faces": item.shape.count, **found.as_record(), "deviation": off, "gap": gap}, scale)
    print(
        f"{item.shape.count} faces: {found.surfaces} patches of {found.points} control points, "
        f"{'closed' if found.closed else 'open'}; off the surface by {off:.2g} {options.unit}, "
        f"gaps {gap:.2g} {options.unit}, normals within {found.angle:.2g}°"
    )
