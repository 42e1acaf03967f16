"""Random chains of joining: ``python -m benchmarks.joining_stress`` for all 300, ``--from A --to B`` for some."""

import sys

from tests.joining.chains import chain

from benchmarks.stress import run

if __name__ == "__main__":
    sys.exit(run("joining_stress", chain, 300))
