"""Results depend on their input alone: not on the clock, the load, or how many threads there are."""

import ast
import json
import os
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parent.parent
DECIDE = ("layout", "fitting", "tracing", "joining", "cages", "mending", "reading", "recipes", "checking", "solid")
WORK = """
import hashlib, json, sys
import numpy as np
from arabesque.geometry import Curve
from arabesque.script import Project
from tests.examples import heron
from tests.layout.forms import blob

def told(*arrays):
    return hashlib.sha256(b"".join(np.ascontiguousarray(array).tobytes() for array in arrays)).hexdigest()

found = {}
with Project() as project:
    project.add("Blob", blob(4))
    cage = project.layout(90)
    found["layout"] = told(cage.shape.points, cage.shape.faces)
with Project() as project:
    project.add("Heron", heron(8_000).scan)
    project.tolerance = 0.5
    corners = [(40, -61, 3.1), (150, -61, -12.0), (150, -16, 2.5), (40, -16, 13.4)]
    patch = project.patch(corners)
    found["fit"] = told(patch.shape.points)
    found["suggest"] = told(*(one.shape.points for one in project.suggest(most=2)))
    at = project.scan.closest(np.array(corners, dtype=float)).points
    sides = [project.add(f"Side {k}", Curve.bezier(np.array([at[k], at[(k + 1) % 4]]))) for k in range(4)]
    net = project.network(sides, "G1")
    found["network"] = told(net.shape.points)
print(json.dumps(found))
"""
BUSY = "while True: pass"


def results(**environment: str) -> dict[str, str]:
    """What the work gives in a process of its own."""
    command = [sys.executable, "-c", WORK]
    done = subprocess.run(
        command, cwd=ROOT, env={**os.environ, **environment}, capture_output=True, text=True, timeout=600, check=True
    )
    found: dict[str, str] = json.loads(done.stdout.splitlines()[-1])
    return found


class DeterminismTest(unittest.TestCase):
    def test_beside_busy_processes_and_alone(self) -> None:
        """A layout, a fit, suggested patches, a network; every core taken twice, and one thread: the same bytes."""
        alone = results()
        busy = [subprocess.Popen([sys.executable, "-c", BUSY]) for _ in range(2 * (os.cpu_count() or 1))]
        try:
            loaded = results(NUMBA_NUM_THREADS="1")
        finally:
            for process in busy:
                process.kill()
                process.wait()
        self.assertEqual(alone, loaded)
        self.assertEqual(len(alone), 4)

    def test_no_decision_asks_the_clock(self) -> None:
        """In what computes a reading of the clock may be told: it is never compared, and no solver gets a time."""
        for package in DECIDE:
            for path in sorted((ROOT / "src" / "arabesque" / package).rglob("*.py")):
                if path.name == "worker.py":
                    continue  # a hung process is ended: that is no result
                tree = ast.parse(path.read_text(encoding="utf-8"))
                for node in ast.walk(tree):
                    if isinstance(node, ast.Compare | ast.While | ast.If):
                        asked = ast.unparse(node if isinstance(node, ast.Compare) else node.test)
                        for clock in ("monotonic", "perf_counter", "time.time", "process_time"):
                            self.assertNotIn(clock, asked, f"{path}:{node.lineno}")
                self.assertNotIn('"time_limit"', path.read_text(encoding="utf-8"), path)


if __name__ == "__main__":
    unittest.main()
