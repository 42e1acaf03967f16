"""./start joins: every pair of edges of a model that meet, with its continuity and worst places."""

from __future__ import annotations

import argparse
from collections import Counter
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.headless.common import output, write_json
from arabesque.units import MILLIMETRES, scale_to_mm

WORD = "joins"
SYSTEM = "kernel"
HELP = "list the shared edges of a STEP or IGES file, with their continuity and worst places"
GRADES = ("open", "G0", "G1", "G2", "G3")


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("model", help=".step or .igs, in whatever unit it says")
    parser.add_argument("--gap", type=float, default=0.001, help="in the unit of the report")
    parser.add_argument("--angle", type=float, default=0.1, help="degrees")
    parser.add_argument("--curvature", type=float, default=5.0, help="per cent")
    parser.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="of the gap and the report")
    parser.add_argument("--report", type=output(), help="write every join as JSON")


def run(options: argparse.Namespace) -> None:
    """Read, measure, list, report."""
    from arabesque.checking import Join, Limits
    from arabesque.script import Project
    from arabesque.shapes import Rimmed, can

    if not all(0 < limit < float("inf") for limit in (options.gap, options.angle, options.curvature)):
        raise ArabesqueError("A limit has to be above 0", "Give --gap, --angle and --curvature above 0")
    scale = scale_to_mm(options.unit)
    limits = Limits(options.gap * scale, options.angle, options.curvature / 100, options.curvature / 100)
    with Project() as project:
        items = [item for item in project.open(options.model) if can(item.shape, Rimmed)]
        if not items:
            raise ArabesqueError(f"There is no surface in {options.model}", "Give a file with surfaces or solids")
        names = [f"{item.name}, part {k + 1}" if len(item.shape.patches()) > 1 else item.name
                 for item in items for k in range(len(item.shape.patches()))]  # fmt: skip
        joins = sorted(project.joins(items), key=lambda join: join.rank(limits))

    def record(join: Join) -> dict[str, Any]:
        worst = join.worst(limits)
        return {
            "first": names[join.first[0]],
            "second": names[join.second[0]],
            "edges": [join.first[1], join.second[1]],
            "class": GRADES[join.grade(limits) + 1],
            "gap": float(join.gap.max()) / scale,
            "angle": float(join.angle.max()),
            "curvature": 100 * float(join.curvature.max()),
            "change": 100 * float(join.change.max()),
            "worst_at": [float(c) / scale for c in join.points[worst]],
        }

    found = [record(join) for join in joins]
    counts = Counter(one["class"] for one in found)
    told = {grade: counts[grade] for grade in GRADES if counts[grade]}
    if options.report:
        given = {"gap": options.gap, "angle": options.angle, "curvature": options.curvature}
        write_json(
            options.report,
            {"unit": options.unit, "limits": given, "faces": len(names), "classes": told, "joins": found},
        )
    for one, join in zip(found, joins, strict=True):
        at = ", ".join(f"{c:.4g}" for c in one["worst_at"])
        print(f"{one['first']} / {one['second']}: {join.word(limits)} at {at}")
    print(
        f"{len(names)} faces, {len(found)} joins: " + (", ".join(f"{n} {grade}" for grade, n in told.items()) or "none")
    )
