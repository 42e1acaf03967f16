"""./start compare: measure a STEP file against a scan."""

from __future__ import annotations

import argparse
import time

from arabesque.headless.common import add_common, report, tolerance_of
from arabesque.units import scale_to_mm

WORD = "compare"
SYSTEM = "kernel"
HELP = "measure a STEP file against a scan"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("model", help=".step, in whatever unit it says")
    parser.add_argument("scan")
    add_common(parser)


def run(options: argparse.Namespace) -> None:
    """Measure both ways and report."""
    from arabesque.geometry import Surface
    from arabesque.script import Project

    began = time.perf_counter()
    scale = scale_to_mm(options.unit)
    with Project() as project:
        project.tolerance = tolerance_of(options, scale)
        project.open_scan(options.scan, options.unit)
        faces = [item.shape for item in project.open(options.model) if isinstance(item.shape, Surface)]
        figures, tolerance = project.compare(), project.tolerance
    within = figures.within(tolerance)
    points = sum(face.count for face in faces)
    record = {
        "tolerance": tolerance,
        "control_points": points,
        "degree": [max(face.degree[axis] for face in faces) for axis in (0, 1)],
        "spans": [max(face.spans[axis] for face in faces) for axis in (0, 1)],
        "faces": len(faces),
        **figures.as_record(),
        "within": within,
        "verdict": figures.verdict(tolerance),
        "stopped": "measured",
        "seconds": time.perf_counter() - began,
    }
    report(options, record, scale)
    print(
        f"{options.model}: {len(faces)} face(s), {points} control points, "
        f"99 % of the inliers within {figures.inlier_p99 / scale:.4g} {options.unit}, "
        f"{figures.verdict(tolerance)}"
    )
