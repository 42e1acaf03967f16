"""What stress runs share: random cases, one a line as it ends, and in the end what was made and what was refused."""

from __future__ import annotations

import argparse
import re
import time
from collections import Counter
from collections.abc import Callable

Case = Callable[[int], tuple[list[str], list[str]]]
"""Of a seed: what was made, and what was refused, in words; whatever it raises is unsound."""


def run(name: str, case: Case, count: int) -> int:
    """The command ``python -m benchmarks.<name>``: 0 when every case is sound, 1 otherwise."""
    parser = argparse.ArgumentParser(prog=f"python -m benchmarks.{name}")
    parser.add_argument("--from", dest="first", type=int, default=0)
    parser.add_argument("--to", dest="last", type=int, default=count)
    options = parser.parse_args()
    made: Counter[str] = Counter()
    reasons: Counter[str] = Counter()
    unsound = 0
    for seed in range(options.first, options.last):
        began = time.monotonic()
        try:
            done, refused = case(seed)
        except Exception as fault:  # noqa: BLE001 - whatever it is, it is counted and shown
            unsound += 1
            print(f"UNSOUND  {seed:4d}  {type(fault).__name__}: {fault}", flush=True)
            continue
        made.update(done)
        reasons.update(re.sub(r"[-+]?[0-9.]+(e-?\d+)?", "#", reason) for reason in refused)
        print(f"sound    {seed:4d}  {time.monotonic() - began:5.1f} s  {', '.join(done)}", flush=True)
    print(f"{unsound} unsound; made {dict(made)}")
    for reason, times in reasons.most_common():
        print(f"{times:4d}  {reason}")
    return 1 if unsound else 0
