"""./start patch: fit the lightest patch through four corners."""

from __future__ import annotations

import argparse

import numpy as np

from arabesque.headless.common import SURFACES, add_common, output, point, report, tolerance_of
from arabesque.units import scale_to_mm

WORD = "patch"
SYSTEM = "kernel"
HELP = "fit the lightest patch through four corners"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("scan")
    parser.add_argument(
        "--corners", nargs=4, required=True, type=point, metavar="x,y,z", help="in the unit of the scan"
    )
    parser.add_argument("--degree", nargs=2, type=int, metavar=("P", "Q"), help="instead of the lowest that suffices")
    parser.add_argument(
        "--borders", choices=["calm", "natural"], default="calm", help="held to lines on the scan, or at corners only"
    )
    parser.add_argument(
        "--end-at-turn",
        action="store_true",
        help="where the net turns with the form, lay the larger part beside the turn",
    )
    parser.add_argument("--out", type=output(*SURFACES), required=True, help=".step")
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Lay the patch, write it, report."""
    from arabesque.script import Project

    scale = scale_to_mm(options.unit)
    with Project() as project:
        project.open_scan(options.scan, options.unit)
        project.tolerance = tolerance_of(options, scale)
        degree = tuple(options.degree) if options.degree else None
        patch = project.patch(np.array(options.corners) * scale, degree, options.borders)
        if options.end_at_turn and project.fit_of(patch).turn is not None:
            patch = project.end_at_turn(patch)
        project.export(options.out, [patch])
        fit = project.fit_of(patch)
    report(options, fit.as_record(), scale)
    print(
        f"{options.out}: degree {fit.surface.degree[0]} x {fit.surface.degree[1]}, {fit.surface.count} control points, "
        f"99 % of the inliers within {fit.figures.inlier_p99 / scale:.4g} {options.unit}; {fit.verdict}; "
        f"stopped: {fit.stopped.value}"
    )
