"""./start check-body: whether the bodies of a STEP file are closed and valid, how thick their walls are, and more."""

from __future__ import annotations

import argparse
from typing import Any

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.headless.common import output, write_json
from arabesque.units import MILLIMETRES, scale_to_mm

WORD = "check-body"
SYSTEM = "kernel"
HELP = "say whether the bodies of a STEP file are closed and valid, with volume, gaps, walls and self-intersections"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("model", help=".step, in whatever unit it says")
    parser.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="of the report")
    parser.add_argument("--report", type=output(), help="write it as JSON")


def run(options: argparse.Namespace) -> None:
    """Read, check, report."""
    from arabesque.solid import KernelWorker, bodies_in

    scale = scale_to_mm(options.unit)
    worker = KernelWorker()
    try:
        found = [record_of_body(body, scale) for body in bodies_in(options.model, worker)]
    finally:
        worker.close()
    if not found:
        raise ArabesqueError(f"There is no body in {options.model}", "Give a STEP file with surfaces or solids")
    if options.report:
        write_json(options.report, {"unit": options.unit, "bodies": found})
    for number, one in enumerate(found, start=1):
        print(words_of_body(number, one, options.unit))


def record_of_body(body: Any, scale: float) -> dict[str, Any]:
    """What a body is, lengths in a unit of ``scale`` mm; walls and crossings of a closed one as sampled."""
    from arabesque.checking import Asked, look_at

    told = body.told
    walls = look_at(body, Asked.WALL) if told.closed else None
    wall, at_edges = (None, None) if walls is None else (walls.least, walls.at_edges)
    bend, crossing = look_at(body, Asked.RADIUS).least, look_at(body, Asked.CROSSING).crossings
    return {
        "faces": len(body.surfaces),
        "closed": told.closed,
        "valid": told.valid and not len(crossing),
        "volume": told.volume / scale**3,
        "area": told.area / scale**2,
        "centre": [float(c) / scale for c in told.centre],
        "gap": told.gap / scale,
        "shortest_edge": told.shortest / scale,
        "free_borders": len(told.free),
        "widest_free": max((width for width in told.widths if width < float("inf")), default=0.0) / scale,
        "thinnest_wall": None if wall is None else wall[0] / scale,
        "thinnest_at": None if wall is None else [float(c) / scale for c in wall[1]],
        "thinnest_at_edges": None if at_edges is None else at_edges[0] / scale,
        "smallest_radius": None if bend is None else bend[0] / scale,
        "self_intersections": len(crossing),
        "self_intersects_at": [] if not len(crossing) else [float(c) / scale for c in np.median(crossing, axis=0)],
    }


def words_of_body(number: int, one: dict[str, Any], unit: str) -> str:
    """The same in a line."""
    words = "closed" if one["closed"] else f"open, {one['free_borders']} free borders"
    walls = "" if one["thinnest_wall"] is None else f", thinnest wall {one['thinnest_wall']:.3g}"
    crossing = "" if not one["self_intersections"] else ", IT CROSSES ITSELF"
    return (
        f"Body {number}: {one['faces']} faces, {words}, {'valid' if one['valid'] else 'NOT VALID'}, "
        f"volume {one['volume']:.6g}, area {one['area']:.6g}{walls}, widest gap {one['gap']:.2g} {unit}{crossing}"
    )
