"""./start cage-improve: strips of faces put into a cage, or taken out of it, as its distance to a scan asks."""

from __future__ import annotations

import argparse

from arabesque.errors import ArabesqueError
from arabesque.headless.common import SURFACES, add_common, output, report, tolerance_of
from arabesque.units import scale_to_mm

WORD = "cage-improve"
SYSTEM = "kernel"
HELP = "put strips of faces into a cage where it fails a scan, or take out those it does not need"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("cage", help="an OBJ of quads, in the unit of the scan")
    parser.add_argument("scan")
    parser.add_argument("--aim", choices=("closer", "lighter", "calmer"), default="closer", help="what it is to become")
    parser.add_argument("--most", type=int, default=1, metavar="N", help="so many strips at most")
    parser.add_argument("--symmetric", choices=("x", "y", "z"), help="alike on both sides of that plane through 0")
    parser.add_argument(
        "--out", type=output(*SURFACES), metavar="OUT", help="the surface: .step, .igs, .stl; as a cage: .obj"
    )
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Read, improve, write, report."""
    from arabesque.script import Project

    if not (options.out or options.report):
        raise ArabesqueError("Nothing is to be written", "Give --out or --report")
    scale = scale_to_mm(options.unit)
    with Project() as project:
        project.open_scan(options.scan, options.unit)
        project.tolerance = tolerance_of(options, scale)
        item = project.open_cage(options.cage, options.unit)
        made = project.improve(item, options.aim, options.most, options.symmetric)
        if options.out:
            project.export(options.out, [project.item(item.id)], options.unit, quads=True)
    report(options, made.as_record(), scale)
    print(f"{made.words}: {made.cage.count} faces, {made.fit.verdict}")
