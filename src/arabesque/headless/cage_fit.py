"""./start cage-fit: a cage fitted to a scan."""

from __future__ import annotations

import argparse

from arabesque.errors import ArabesqueError
from arabesque.headless.common import SURFACES, add_common, output, report, tolerance_of
from arabesque.units import scale_to_mm

WORD = "cage-fit"
SYSTEM = "kernel"
HELP = "fit a cage of quads to a scan, and write its smooth surface"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("cage", help="an OBJ of quads, in the unit of the scan")
    parser.add_argument("scan")
    parser.add_argument("--balance", type=float, help="from 0, fair, to 1, close; by itself as the tolerance asks")
    parser.add_argument("--symmetric", choices=("x", "y", "z"), help="alike on both sides of that plane through 0")
    parser.add_argument("--finer", type=int, default=0, metavar="N", help="make faces that are outside finer, N times")
    parser.add_argument(
        "--out", type=output(*SURFACES), metavar="OUT", help="the surface: .step, .igs, .stl; as a cage: .obj"
    )
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Read, fit, write, report."""
    from arabesque.checking import shape_to_scan
    from arabesque.fitting import faces_beyond
    from arabesque.script import Project

    if not (options.out or options.report):
        raise ArabesqueError("Nothing is to be written", "Give --out or --report")
    if options.balance is not None and not 0 <= options.balance <= 1:
        raise ArabesqueError(f"A balance of {options.balance:g} is not possible", "Give a number from 0 to 1")
    scale = scale_to_mm(options.unit)
    with Project() as project:
        project.open_scan(options.scan, options.unit)
        project.tolerance = tolerance_of(options, scale)
        item = project.open_cage(options.cage, options.unit)
        item = project.fit(item, options.balance, options.symmetric)
        for _ in range(options.finer):
            fit = project.cage_fit_of(item)
            beyond = faces_beyond(fit.cage, shape_to_scan(fit.cage, project.scan), project.tolerance)
            if fit.within or not len(beyond):
                break
            item = project.fit(project.refine(item, beyond), options.balance, options.symmetric)
        fit = project.cage_fit_of(item)
        record = fit.as_record()
        if options.out and not options.out.lower().endswith(".obj"):
            record["surfaces"] = project.surfaces_report(item).as_record()
        if options.out:
            project.export(options.out, [item], options.unit, quads=True)
    report(options, record, scale)
    print(f"{fit.cage.count} faces: {fit.verdict}")
