"""Runs the test modules whose names come in, one a line; after each it tells what came of it."""

import sys
import unittest

DONE = "=== "
"""Begins the line after a module: how many tests ran, failed (with errors) and were skipped."""


def main() -> None:
    """Until the input ends."""
    for line in sys.stdin:
        suite = unittest.defaultTestLoader.loadTestsFromNames(line.split())
        result = unittest.TextTestRunner(verbosity=2).run(suite)
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        print(f"{DONE}{result.testsRun} {failed} {len(result.skipped)}", file=sys.stderr, flush=True)


if __name__ == "__main__":
    main()
