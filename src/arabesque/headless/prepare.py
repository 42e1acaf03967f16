"""./start prepare: mirror, fill, calm, remesh and lighten a scan."""

from __future__ import annotations

import argparse

from arabesque.headless.common import MESHES, output, write_json
from arabesque.units import MILLIMETRES

WORD = "prepare"
SYSTEM = "nothing"
HELP = "mirror, fill, calm, remesh and lighten a scan"

_FILLS = ("curved", "flat", "bridged")


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("scan")
    parser.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="unit of the scan, in and out")
    parser.add_argument(
        "--symmetric", choices=["auto", "x", "y", "z"], help="make it symmetric at the plane found, or at x, y or z = 0"
    )
    parser.add_argument("--tidy", action="store_true", help="drop loose pieces, calm spikes, turn triangles one way")
    parser.add_argument(
        "--fill-holes", type=float, metavar="MM", help="close openings up to this width; the outer rim stays"
    )
    parser.add_argument("--close-rim", action="store_true", help="close the outer rim too, where the scan ends")
    parser.add_argument("--fill", choices=list(_FILLS), default="curved", help="how openings are closed")
    parser.add_argument(
        "--smooth",
        type=_smoothing,
        metavar="PERCENTxTIMES",
        help="calm the noise, for example 10x5: weakly, five times",
    )
    parser.add_argument("--smooth-limit", type=float, metavar="MM", help="how far calming may move a point")
    parser.add_argument("--remesh", type=float, metavar="MM", help="even triangles with edges of this length")
    parser.add_argument("--reduce", type=int, metavar="N", help="lower the count to N triangles")
    parser.add_argument("--out", type=output(*MESHES), required=True, help=".ply, .stl or .obj")
    parser.add_argument("--report", type=output(), help="write the figures as JSON")


def run(options: argparse.Namespace) -> None:
    """Prepare the scan, write it, report."""
    from arabesque.mending import Fill, Recipe, prepare
    from arabesque.scan import read_scan, write_scan

    scan = read_scan(options.scan, options.unit)
    recipe = Recipe(
        tidy=options.tidy,
        close_rim=options.close_rim,
        symmetric=options.symmetric,
        fill_holes=options.fill_holes,
        fill=Fill[options.fill.upper()],
        smooth=options.smooth,
        smooth_limit=options.smooth_limit,
        remesh=options.remesh,
        reduce=options.reduce,
    )
    done = prepare(scan, recipe)
    write_scan(options.out, done.scan, options.unit)
    if options.report:
        write_json(options.report, {"unit": "mm", **done.report})
    before, after = done.report["before"], done.report["after"]
    rims = [hole for hole in done.report.get("holes", {}).get("left", []) if hole["outer"]]
    left = f"; the outer rim, {rims[0]['width']:.4g} mm wide, stays open: --close-rim closes it" if rims else ""
    worse = f"; worse than before: {', '.join(done.report['worse'])}" if done.report["worse"] else ""
    print(
        f"{options.out}: {before['triangles']} -> {after['triangles']} triangles, {after['openings']} opening(s), "
        f"{'watertight' if after['watertight'] else 'open'}, 99 % within "
        f"{done.report['distance']['p99']:.3g} mm of the scan as it came in{left}{worse}"
    )


def _smoothing(text: str) -> tuple[float, int]:
    percent, _, times = text.strip().partition("x")
    try:
        return float(percent) / 100, int(times or 1)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is no smoothing: write for example 10x5") from None
