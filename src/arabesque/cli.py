"""Headless commands over the same core as the window.

Exit codes: 0 success, 2 bad usage, 1 anything else, with one clear line.
"""

import argparse
import json
import logging
import re
import sys
import time
from collections.abc import Sequence
from typing import Any, NoReturn

import numpy as np

from arabesque import __version__
from arabesque.errors import ArabesqueError
from arabesque.files import write_text
from arabesque.units import MILLIMETRES, scale_to_mm

USUAL_TOLERANCE = 0.2
"""mm: a usual first tolerance for a styling surface (common practice)."""

_NEGATIVE = re.compile(r"^-[\d.]")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; without one, open the window. Returns the exit code."""
    logging.basicConfig(level=logging.WARNING, format="%(message)s")
    given = list(sys.argv[1:] if arguments is None else arguments)
    options = _parser().parse_args([_shielded(a) for a in given])
    try:
        return int(options.run(options) or 0)
    except ArabesqueError as problem:
        print(f"arabesque: {problem}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("arabesque: stopped", file=sys.stderr)
        return 1


def _shielded(argument: str) -> str:
    """A leading space keeps argparse from taking "-1,2,3" for an option."""
    return f" {argument}" if _NEGATIVE.match(argument) else argument


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        print(f"arabesque: {message}. See './start --help'.", file=sys.stderr)
        raise SystemExit(2)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="./start", description="Smooth surfaces over 3D scans. Without a command, the window opens.")
    parser.add_argument("--version", action="version", version=f"Arabesque {__version__}")
    parser.add_argument("--demo", nargs="?", const="heron", metavar="NAME", help="open the window with a demo project")
    parser.set_defaults(run=_open_window, open=None)
    commands = parser.add_subparsers(title="commands", metavar="COMMAND", parser_class=_Parser)

    window = commands.add_parser("open", help="open the window with a scan or project")
    window.add_argument("open", metavar="FILE")

    simulate = commands.add_parser("simulate", help="scan a demo master shape with the simulated scanner")
    simulate.add_argument("name", help="the demo, for example heron")
    simulate.add_argument("--triangles", type=int, default=120_000)
    simulate.add_argument("--noise", type=float, default=0.03, help="standard deviation, mm")
    simulate.add_argument("--seed", type=int, default=1)
    simulate.add_argument("--out", required=True, help=".ply, .stl or .obj")
    simulate.add_argument("--truth", help="write what is known about the true surface, as JSON")
    simulate.set_defaults(run=_simulate)

    patch = commands.add_parser("patch", help="fit the lightest patch through four corners")
    patch.add_argument("scan")
    patch.add_argument(
        "--corners", nargs=4, required=True, type=_point, metavar="x,y,z", help="in the unit of the scan"
    )
    patch.add_argument("--degree", nargs=2, type=int, metavar=("P", "Q"), help="instead of the lowest that suffices")
    patch.add_argument("--out", required=True, help=".step")
    _add_common(patch)
    patch.set_defaults(run=_patch)

    prepare = commands.add_parser("prepare", help="mirror, fill, calm, remesh and lighten a scan")
    prepare.add_argument("scan")
    prepare.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="unit of the scan, in and out")
    prepare.add_argument(
        "--symmetric", choices=["auto", "x", "y", "z"], help="make it symmetric at the plane found, or at x, y or z = 0"
    )
    prepare.add_argument("--tidy", action="store_true", help="drop loose pieces, calm spikes, turn triangles one way")
    prepare.add_argument(
        "--fill-holes", type=float, metavar="MM", help="close openings up to this width; the outer rim stays"
    )
    prepare.add_argument("--close-rim", action="store_true", help="close the outer rim too, where the scan ends")
    prepare.add_argument("--fill", choices=list(_FILLS), default="curved", help="how openings are closed")
    prepare.add_argument(
        "--smooth",
        type=_smoothing,
        metavar="PERCENTxTIMES",
        help="calm the noise, for example 10x5: weakly, five times",
    )
    prepare.add_argument("--smooth-limit", type=float, metavar="MM", help="how far calming may move a point")
    prepare.add_argument("--remesh", type=float, metavar="MM", help="even triangles with edges of this length")
    prepare.add_argument("--reduce", type=int, metavar="N", help="lower the count to N triangles")
    prepare.add_argument("--out", required=True, help=".ply, .stl or .obj")
    prepare.add_argument("--report", help="write the figures as JSON")
    prepare.set_defaults(run=_prepare)

    compare = commands.add_parser("compare", help="measure a STEP file against a scan")
    compare.add_argument("model", help=".step, in whatever unit it says")
    compare.add_argument("scan")
    _add_common(compare)
    compare.set_defaults(run=_compare)
    return parser


def _add_common(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--unit", choices=list(MILLIMETRES), default="mm", help="unit of the scan, corners and tolerance"
    )
    parser.add_argument("--tolerance", type=float, help="in the unit of the scan; 0.2 mm if not given")
    parser.add_argument("--report", help="write the figures as JSON")


def _point(text: str) -> tuple[float, float, float]:
    parts = text.strip().split(",")
    try:
        x, y, z = map(float, parts)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text.strip()}' is not a point: write x,y,z") from None
    return x, y, z


_FILLS = ("curved", "flat", "bridged")


def _smoothing(text: str) -> tuple[float, int]:
    percent, _, times = text.strip().partition("x")
    try:
        return float(percent) / 100, int(times or 1)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is no smoothing: write for example 10x5") from None


def _open_window(options: argparse.Namespace) -> int:
    from arabesque.desk.app import run  # headless commands need no Qt

    return run(demo=options.demo, path=options.open)


def _simulate(options: argparse.Namespace) -> None:
    from arabesque.demo import master, simulate
    from arabesque.scan import write_scan

    result = simulate(master(options.name), options.triangles, options.noise, options.seed)
    write_scan(options.out, result.scan)
    if options.truth:
        _write_json(options.truth, result.truth())
    print(f"{options.out}: {len(result.scan.triangles)} triangles, noise {options.noise} mm, seed {options.seed}")


def _patch(options: argparse.Namespace) -> None:
    from arabesque.fitting import four_corner_patch
    from arabesque.scan import read_scan
    from arabesque.solid import KernelWorker, write_step

    scale = scale_to_mm(options.unit)
    scan = read_scan(options.scan, options.unit)
    degree = tuple(options.degree) if options.degree else None
    fit = four_corner_patch(np.array(options.corners) * scale, scan, _tolerance(options, scale), degree)
    worker = KernelWorker()
    try:
        write_step(options.out, [("Patch", fit.surface)], worker)
    finally:
        worker.close()
    _report(options, fit.as_record(), scale)
    print(
        f"{options.out}: degree {fit.surface.degree[0]} x {fit.surface.degree[1]}, {fit.surface.count} control points, "
        f"99 % of the inliers within {fit.figures.inlier_p99 / scale:.4g} {options.unit}; {fit.stopped.value}"
    )


def _prepare(options: argparse.Namespace) -> None:
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
        _write_json(options.report, {"unit": "mm", **done.report})
    before, after = done.report["before"], done.report["after"]
    rims = [hole for hole in done.report.get("holes", {}).get("left", []) if hole["outer"]]
    left = f"; the outer rim, {rims[0]['width']:.4g} mm wide, stays open: --close-rim closes it" if rims else ""
    worse = f"; worse than before: {', '.join(done.report['worse'])}" if done.report["worse"] else ""
    print(
        f"{options.out}: {before['triangles']} -> {after['triangles']} triangles, {after['openings']} opening(s), "
        f"{'watertight' if after['watertight'] else 'open'}, 99 % within "
        f"{done.report['distance']['p99']:.3g} mm of the scan as it came in{left}{worse}"
    )


def _tolerance(options: argparse.Namespace, scale: float) -> float:
    """The tolerance in mm."""
    return USUAL_TOLERANCE if options.tolerance is None else options.tolerance * scale


def _compare(options: argparse.Namespace) -> None:
    from arabesque.checking import measure_both_ways
    from arabesque.fitting import check_tolerance
    from arabesque.scan import read_scan
    from arabesque.solid import KernelWorker, read_step

    began = time.perf_counter()
    scale = scale_to_mm(options.unit)
    tolerance = _tolerance(options, scale)
    check_tolerance(tolerance)
    scan = read_scan(options.scan, options.unit)
    worker = KernelWorker()
    try:
        surfaces = [surface for _, surface in read_step(options.model, worker)]
    finally:
        worker.close()
    figures = measure_both_ways(surfaces, scan, tolerance)
    within = figures.within(tolerance)
    record = {
        "tolerance": tolerance,
        "control_points": sum(s.count for s in surfaces),
        "degree": [max(s.degree[axis] for s in surfaces) for axis in (0, 1)],
        "spans": [max(s.spans[axis] for s in surfaces) for axis in (0, 1)],
        "faces": len(surfaces),
        **figures.as_record(),
        "within": within,
        "stopped": "measured",
        "seconds": time.perf_counter() - began,
    }
    _report(options, record, scale)
    print(
        f"{options.model}: {len(surfaces)} face(s), {record['control_points']} control points, "
        f"99 % of the inliers within {figures.inlier_p99 / scale:.4g} {options.unit}, "
        f"{'within' if within else 'outside'} the tolerance"
    )


_LENGTHS = {"tolerance", "rms", "p95", "p99", "max", "inlier_rms", "inlier_p99", "lowest", "highest", "u", "v"}


def _report(options: argparse.Namespace, record: dict[str, Any], scale: float) -> None:
    """Write a report whose lengths are in the unit of the scan."""
    if options.report:
        _write_json(options.report, {"unit": options.unit, **_in_unit(record, scale)})


def _in_unit(record: dict[str, Any], scale: float) -> dict[str, Any]:
    return {
        key: _in_unit(value, scale)
        if isinstance(value, dict)
        else value / scale
        if key in _LENGTHS and value is not None
        else value
        for key, value in record.items()
    }


def _write_json(path: str, record: dict[str, Any]) -> None:
    write_text(path, json.dumps(record, indent=1) + "\n")
