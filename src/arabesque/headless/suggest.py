"""./start suggest: patches over the calm areas of a scan, or the one round a place."""

from __future__ import annotations

import argparse
import time

import numpy as np

from arabesque.headless.common import SURFACES, add_common, output, point, report, tolerance_of
from arabesque.units import scale_to_mm

WORD = "suggest"
SYSTEM = "kernel"
HELP = "lay patches over the calm areas of a scan, or the largest round a place"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("scan")
    parser.add_argument("--at", type=point, metavar="x,y,z", help="only the patch that grows from here")
    parser.add_argument("--points", nargs=2, type=int, default=[4, 4], metavar=("U", "V"), help="of each patch, 2 to 6")
    parser.add_argument("--most", type=int, default=12, help="patches")
    parser.add_argument("--out", type=output(*SURFACES), required=True, help=".step")
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Lay the patches, write them, report."""
    from arabesque.script import Project

    began = time.perf_counter()
    scale = scale_to_mm(options.unit)
    with Project() as project:
        project.open_scan(options.scan, options.unit)
        project.tolerance = tolerance_of(options, scale)
        points = options.points[0], options.points[1]
        if options.at is not None:
            patches = [project.grow(np.array(options.at) * scale, points)]
        else:
            patches = project.suggest(points, options.most)
        figures, tolerance = project.compare(patches), project.tolerance
        project.export(options.out, patches)
    record = {
        "tolerance": tolerance,
        "faces": len(patches),
        "control_points": sum(patch.shape.count for patch in patches),
        **figures.as_record(),
        "within": figures.within(tolerance),
        "verdict": figures.verdict(tolerance),
        "seconds": time.perf_counter() - began,
    }
    report(options, record, scale)
    print(
        f"{options.out}: {len(patches)} patches of {points[0]} x {points[1]} control points, "
        f"99 % of the inliers within {figures.inlier_p99 / scale:.4g} {options.unit}; {figures.verdict(tolerance)}"
    )
