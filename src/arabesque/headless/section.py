"""./start section: sections of a scan as curves, and the loft through them."""

from __future__ import annotations

import argparse
import time

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.headless.common import SURFACES, add_common, output, point, report, tolerance_of
from arabesque.tracing import set_figures
from arabesque.units import scale_to_mm

WORD = "section"
SYSTEM = "kernel"
HELP = "cut a scan into sections, fit each by a curve, loft them"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("scan")
    parser.add_argument("--axis", choices=("x", "y", "z"), required=True, help="the planes are square to it")
    parser.add_argument("--spacing", type=float, help="from plane to plane, in the unit of the scan")
    parser.add_argument("--count", type=int, help="of planes, instead of a spacing")
    parser.add_argument("--between", nargs=2, type=float, metavar=("LOW", "HIGH"), help="the first and the last plane")
    parser.add_argument("--poles", type=int, help="of each curve; without it as few as the tolerance needs")
    parser.add_argument("--round", action="store_true", help="planes turned about the axis, --count of them")
    parser.add_argument("--at", type=point, default=(0.0, 0.0, 0.0), metavar="x,y,z", help="where that axis passes")
    parser.add_argument("--half", action="store_true", help="with --round: one side of the axis only")
    parser.add_argument("--side", type=point, metavar="x,y,z", help="a direction: only what lies that way of --at")
    parser.add_argument("--loft", type=output(*SURFACES), metavar="OUT", help="the surface through them: .step, .igs")
    parser.add_argument(
        "--curves",
        type=output(*SURFACES),
        metavar="OUT",
        help="the curves themselves: .step, .igs; flat ones .dxf, .svg",
    )
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Cut, fit, loft, report."""
    from arabesque.script import Project

    if not (options.loft or options.curves or options.report):
        raise ArabesqueError("Nothing is to be written", "Give --loft, --curves or --report")
    if options.half and not options.round:
        raise ArabesqueError("Only sections round an axis have a half", "Add --round, or leave --half out")
    began = time.perf_counter()
    scale = scale_to_mm(options.unit)
    spacing = None if options.spacing is None else options.spacing * scale
    with Project() as project:
        project.open_scan(options.scan, options.unit)
        project.tolerance = tolerance_of(options, scale)
        between = None if options.between is None else (options.between[0] * scale, options.between[1] * scale)
        curves = project.sections(
            options.axis,
            spacing,
            options.count,
            options.poles,
            round_axis=options.round,
            place=np.array(options.at) * scale,
            half=options.half,
            side=options.side,
            between=between,
            alike=bool(options.loft) and options.poles is None,
        )
        rms, worst = set_figures([project.traced_of(item) for item in curves])
        record = {
            "tolerance": project.tolerance,
            "sections": len(curves),
            "curves": {"rms": rms, "max": worst},
            "poles": [item.shape.count for item in curves],
            "closed": [bool(np.allclose(item.shape.points[0], item.shape.points[-1])) for item in curves],
        }
        words = f"{len(curves)} sections, the worst {worst / scale:.3g} {options.unit} off its cut"
        if options.loft:
            surface = project.loft(curves, closed=options.round and not options.half)
            figures = project.compare([surface])
            record |= {
                "control_points": surface.shape.count,
                **figures.as_record(),
                "within": figures.within(project.tolerance),
                "verdict": figures.verdict(project.tolerance),
            }
            project.export(options.loft, [surface])
            words += f", a loft of {surface.shape.count} control points; {record['verdict']}"
        if options.curves:
            project.export(options.curves, curves)
    report(options, {**record, "seconds": time.perf_counter() - began}, scale)
    print(words)
