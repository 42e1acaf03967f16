"""Measure everything, print the table, and write the report. Called by ./start bench."""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
import time
from collections.abc import Callable, Iterable

from tools.checks import Screen

from arabesque.files import write_text
from benchmarks import bodies, cages, delivering, joining, layouts, numbers, prepare, trace
from benchmarks.row import Row


def window_rows() -> list[Row]:
    """The rows of the window, measured in a fresh process on a virtual screen."""
    _apart("benchmarks.window")  # the first start warms the disk
    return _apart("benchmarks.window")


def sculpt_rows() -> list[Row]:
    """The rows of sculpting and judging, measured in a fresh process on a virtual screen."""
    return _apart("benchmarks.sculpt")


PARTS: dict[str, Callable[[], Iterable[Row]]] = {
    "core": lambda: numbers.rows(),
    "prepare": lambda: prepare.rows(),
    "trace": lambda: trace.rows(),
    "cages": lambda: cages.rows(),
    "layouts": lambda: layouts.rows(),
    "joining": lambda: joining.rows(),
    "bodies": lambda: bodies.rows(),
    "delivering": lambda: delivering.rows(),
    "window": window_rows,
    "sculpt": sculpt_rows,
}


def _apart(module: str) -> list[Row]:
    """What a module measures in a process of its own; it is told when it was called."""
    with Screen() as environment:
        command = [sys.executable, "-m", module, repr(time.time())]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False, timeout=900)
    if done.returncode != 0:
        raise RuntimeError(done.stderr[-2000:])
    return [Row(**json.loads(line)) for line in done.stdout.splitlines()]


def show(row: Row) -> None:
    """Print one row."""
    peer = "" if row.peer is None else f"{row.peer:9.4g}"
    ratio = "" if row.ratio is None else f"{row.ratio:7.3f}"
    word = "holds" if row.holds else "FAILS"
    print(f"{word}  {row.name:<62} {row.ours:9.4g} {peer:>9} {ratio:>7} <= {row.limit:<5g} {row.unit:<3} {row.note}")


def main() -> int:
    """0 when every row holds, 1 otherwise."""
    parser = argparse.ArgumentParser(prog="./start bench")
    parser.add_argument("--report", help="write the rows as JSON")
    parser.add_argument("--only", choices=list(PARTS), help="measure one part alone")
    options = parser.parse_args()
    print(f"       {'':<62} {'ours':>9} {'peer':>9} {'ratio':>7}    limit unit")
    rows: list[Row] = []
    for name, measured in PARTS.items():
        if options.only in (None, name):
            for row in measured():
                show(row)
                rows.append(row)
                if options.report:
                    report(options.report, rows)
    return 0 if all(row.holds for row in rows) else 1


def report(path: str, rows: list[Row]) -> None:
    """Write the rows so far, as JSON: what was measured is not lost when a later row fails."""
    write_text(path, json.dumps([row.as_record() for row in rows], indent=1) + "\n")


if __name__ == "__main__":
    sys.exit(main())
