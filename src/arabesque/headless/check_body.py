"""./start check-body: whether the bodies of a STEP file are closed and valid, their volumes and their gaps."""

from __future__ import annotations

import argparse
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.headless.common import write_json
from arabesque.units import MILLIMETRES, scale_to_mm

WORD = "check-body"
HELP = "say whether the bodies of a STEP file are closed and valid, with volume, area, centre and gaps"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("model", help=".step, in whatever unit it says")
    parser.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="of the report")
    parser.add_argument("--report", help="write it as JSON")


def run(options: argparse.Namespace) -> None:
    """Read, check, report."""
    from arabesque.solid import Body, KernelWorker, bodies_in

    scale = scale_to_mm(options.unit)

    def record(body: Body) -> dict[str, Any]:
        told = body.told
        return {
            "faces": len(body.surfaces),
            "closed": told.closed,
            "valid": told.valid,
            "volume": told.volume / scale**3,
            "area": told.area / scale**2,
            "centre": [float(c) / scale for c in told.centre],
            "gap": told.gap / scale,
            "shortest_edge": told.shortest / scale,
            "free_borders": len(told.free),
            "widest_free": max((width for width in told.widths if width < float("inf")), default=0.0) / scale,
        }

    worker = KernelWorker()
    try:
        found = [record(body) for body in bodies_in(options.model, worker)]
    finally:
        worker.close()
    if not found:
        raise ArabesqueError(f"There is no body in {options.model}", "Give a STEP file with surfaces or solids")
    if options.report:
        write_json(options.report, {"unit": options.unit, "bodies": found})
    for number, one in enumerate(found, start=1):
        words = "closed" if one["closed"] else f"open, {one['free_borders']} free borders"
        print(
            f"Body {number}: {one['faces']} faces, {words}, {'valid' if one['valid'] else 'NOT VALID'}, "
            f"volume {one['volume']:.6g}, area {one['area']:.6g}, widest gap {one['gap']:.2g} {options.unit}"
        )
