"""Random chains of joining, one a line as it ends: what was made, what was refused, and whether anything is unsound.

Run as ``python -m benchmarks.joining_stress`` for all 300, or with ``--from A --to B`` for some.
"""

from __future__ import annotations

import argparse
import re
import sys
import time
from collections import Counter

from tests.joining.chains import chain


def main() -> int:
    """0 when every chain is sound, 1 otherwise."""
    parser = argparse.ArgumentParser(prog="python -m benchmarks.joining_stress")
    parser.add_argument("--from", dest="first", type=int, default=0)
    parser.add_argument("--to", dest="last", type=int, default=300)
    options = parser.parse_args()
    made: Counter[str] = Counter()
    reasons: Counter[str] = Counter()
    unsound = 0
    for seed in range(options.first, options.last):
        began = time.monotonic()
        try:
            done, refused = chain(seed)
        except Exception as fault:  # noqa: BLE001 - whatever it is, it is counted and shown
            unsound += 1
            print(f"UNSOUND  {seed:4d}  {type(fault).__name__}: {fault}", flush=True)
            continue
        made.update(done)
        reasons.update(re.sub(r"[-+]?[0-9.]+(e-?\d+)?", "#", reason) for reason in refused)
        print(f"sound    {seed:4d}  {time.monotonic() - began:5.1f} s  {', '.join(done)}", flush=True)
    print(f"{unsound} unsound; made {dict(made)}")
    for reason, count in reasons.most_common():
        print(f"{count:4d}  {reason}")
    return 1 if unsound else 0


if __name__ == "__main__":
    sys.exit(main())
