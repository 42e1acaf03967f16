"""./start simulate: scan a demo master shape with the simulated scanner."""

from __future__ import annotations

import argparse

from arabesque.headless.common import MESHES, output, write_json

WORD = "simulate"
SYSTEM = "nothing"
HELP = "scan a demo master shape with the simulated scanner"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("name", help="the demo, for example heron")
    parser.add_argument("--triangles", type=int, default=120_000)
    parser.add_argument("--noise", type=float, default=0.03, help="standard deviation, mm")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--out", type=output(*MESHES), required=True, help=".ply, .stl or .obj")
    parser.add_argument("--truth", type=output(), help="write what is known about the true surface, as JSON")


def run(options: argparse.Namespace) -> None:
    """Scan the shape and write the scan."""
    from arabesque.demo import master, simulate
    from arabesque.scan import write_scan

    result = simulate(master(options.name), options.triangles, options.noise, options.seed)
    write_scan(options.out, result.scan)
    if options.truth:
        write_json(options.truth, result.truth())
    print(f"{options.out}: {len(result.scan.triangles)} triangles, noise {options.noise} mm, seed {options.seed}")
