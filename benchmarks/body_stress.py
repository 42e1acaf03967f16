"""Random trees of features: ``python -m benchmarks.body_stress`` for all 200, or with ``--from A --to B`` for some."""

import sys

from tests.solid.trees import tree

from benchmarks.stress import run

if __name__ == "__main__":
    sys.exit(run("body_stress", tree, 200))
