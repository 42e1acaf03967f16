"""./start network: patches over a network of curves on a scan."""

from __future__ import annotations

import argparse

from arabesque.errors import ArabesqueError
from arabesque.headless.common import SURFACES, add_common, output, report, tolerance_of
from arabesque.units import scale_to_mm

WORD = "network"
SYSTEM = "kernel"
HELP = "fill the meshes of a network of curves with patches, all fitted together to a scan"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("curves", help="an OBJ with polylines, in the unit of the scan, STEP or IGES")
    parser.add_argument("scan")
    parser.add_argument("--continuity", choices=("G0", "G1", "G2"), default="G1", help="over inner borders")
    parser.add_argument("--out", type=output(*SURFACES), metavar="OUT", help="the patches: .step, .igs")
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Read, fill, write, report."""
    from arabesque.script import Project

    if not (options.out or options.report):
        raise ArabesqueError("Nothing is to be written", "Give --out or --report")
    scale = scale_to_mm(options.unit)
    with Project() as project:
        project.open_scan(options.scan, options.unit)
        project.tolerance = tolerance_of(options, scale)
        curves = project.open_curves(options.curves, options.unit)
        item = project.network(curves, options.continuity)
        fit = project.network_of(item)
        if options.out:
            project.export(options.out, [item])
    record = fit.as_record()
    record["gaps"] = [{"gap": g["gap"] / scale, "place": [c / scale for c in g["place"]]} for g in record["gaps"]]
    report(options, {"curves": len(curves), "continuity": options.continuity, **record}, scale)
    left = [f"{gap['gap']:.3g} {options.unit}" for gap in record["gaps"]]
    words = f"; curves nearly meet {len(left)} times, {left[0]} apart at least" if left else ""
    print(f"{record['patches']} patches of {record['control_points']} control points: {fit.verdict}{words}")
