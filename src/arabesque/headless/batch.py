"""./start batch: a job over all scans of a folder, several at once."""

from __future__ import annotations

import argparse
from pathlib import Path

from arabesque.cores import allowed
from arabesque.errors import ArabesqueError

WORD = "batch"
SYSTEM = "kernel"
HELP = "run a job (see the window's Record) on every scan of a folder; a line each, and a table"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("job", metavar="JOB.py", help="a script with a function job(scan, out)")
    parser.add_argument("scans", help="a folder of .stl, .obj and .ply files")
    parser.add_argument("out", help="the folder to write into: one folder a scan, and table.csv")
    parser.add_argument("--processes", type=int, default=0, help="at once; as many as there are cores if not given")


def run(options: argparse.Namespace) -> int:
    """Run, tell, write the table; 1 where a scan failed."""
    from arabesque.delivery import TABLE, Done, batch, scans_in, write_table

    if options.processes < 0:
        raise ArabesqueError("A number of processes is above 0", "Write for example --processes 2")
    found: list[Done] = []
    table = Path(options.out) / TABLE
    for done in batch(options.job, scans_in(options.scans), options.out, options.processes or allowed()):
        print(done.line, flush=True)
        found.append(done)
        write_table(table, found)
    failed = sum(bool(one.trouble) for one in found)
    print(f"{len(found)} scans, {failed} failed: {table}")
    return 1 if failed else 0
