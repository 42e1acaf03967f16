"""./start layout: a scan becomes a cage of quads, its surface and a report, in one command."""

from __future__ import annotations

import argparse

from arabesque.errors import ArabesqueError
from arabesque.headless.common import SURFACES, output, report
from arabesque.units import MILLIMETRES, scale_to_mm

WORD = "layout"
SYSTEM = "kernel"
HELP = "lay a cage of quads over a scan by itself, and write its smooth surface"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("scan")
    parser.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="unit of the scan and the tolerance")
    parser.add_argument("--quads", type=int, metavar="N", help="how many quads")
    parser.add_argument(
        "--tolerance",
        type=float,
        metavar="T",
        help="as few quads as keep it, in the unit of the scan; with --quads what the fit aims at (0.2 mm by itself)",
    )
    parser.add_argument(
        "--symmetric", choices=("auto", "x", "y", "z"), help="alike on both sides: of that plane, or the scan's own"
    )
    parser.add_argument("--detail", choices=("calm", "balanced", "faithful"), default="balanced")
    parser.add_argument("--close", action="store_true", help="go over openings inside, too")
    parser.add_argument("--curves", metavar="F", help="an OBJ of polylines, STEP or IGES: rows run along these")
    parser.add_argument("--sharp", metavar="F", help="the same: edges lie on these, and are sharp")
    parser.add_argument("--inside", metavar="F", help="the same: closed curves; only what they enclose is laid out")
    parser.add_argument("--meet", metavar="CAGE.obj", help="a cage whose borders are met; what it leaves is laid out")
    parser.add_argument("--threads", type=int, metavar="K", help="so many at most; all there are if not given")
    parser.add_argument("--cage", type=output(".obj"), metavar="OUT.obj", help="the quads")
    parser.add_argument("--step", type=output(*SURFACES), metavar="OUT.step", help="the smooth surface")
    parser.add_argument("--report", type=output(), metavar="R.json", help="write the figures as JSON")


def run(options: argparse.Namespace) -> None:
    """Read, lay out, write, report."""
    from arabesque.cores import at_most
    from arabesque.script import Project

    if not (options.cage or options.step or options.report):
        raise ArabesqueError("Nothing is to be written", "Give --cage, --step or --report")
    if options.quads is None and options.tolerance is None:
        raise ArabesqueError("A layout needs a count or a tolerance", "Give --quads or --tolerance, or both")
    if options.threads is not None and options.threads < 1:
        raise ArabesqueError(f"{options.threads} threads are not possible", "Give a number from 1 on")
    scale = scale_to_mm(options.unit)
    with at_most(options.threads), Project() as project:
        project.open_scan(options.scan, options.unit)
        along, sharp, inside = (
            project.open_curves(name, options.unit) if name else ()
            for name in (options.curves, options.sharp, options.inside)
        )
        beside = [project.open_cage(options.meet, options.unit)] if options.meet else ()
        item = project.layout(
            options.quads,
            None if options.tolerance is None else options.tolerance * scale,
            options.symmetric,
            options.detail,
            options.close,
            along,
            sharp,
            inside,
            beside=beside,
        )
        made = project.layout_of(item)
        record = made.as_record()
        if options.cage:
            project.export(options.cage, [item], options.unit, quads=True)
        if options.step:
            record["surfaces"] = project.surfaces_report(item).as_record()
            project.export(options.step, [item], options.unit)
    report(options, record, scale)
    print(made.words)
