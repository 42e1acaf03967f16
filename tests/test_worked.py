"""A worked model by its command: from scan to a solid that an independent reader calls closed.

All four are built by ``python -m benchmarks --only worked``.
"""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from arabesque.cli import main
from arabesque.errors import ArabesqueError
from arabesque.model import Project as StoredProject
from arabesque.model import load_project, save_project
from arabesque.script import Project
from arabesque.solid import Body
from arabesque.worked import MODELS, finished_project, worked
from tests.reference import edge_uses


class WorkedTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_the_grip(self) -> None:
        step, report, whole = (self.folder / name for name in ("grip.step", "grip.json", "grip.arabesque"))
        with contextlib.redirect_stdout(io.StringIO()) as said:
            code = main(["build", "pebble", "--out", str(step), "--report", str(report), "--project", str(whole)])
        self.assertEqual(code, 0)
        self.assertIn("closed, valid", said.getvalue())
        shells, faces, uses = edge_uses(step)
        self.assertEqual((shells, set(uses)), (1, {2}))
        told = json.loads(report.read_text())
        self.assertEqual(told["body"]["faces"], faces)
        self.assertTrue(told["body"]["closed"] and told["body"]["valid"])
        self.assertEqual(told["body"]["self_intersections"], 0)
        self.assertLess(told["surface_to_scan"]["p95"], 0.3)
        # the project is the finished demo: kept, it is not built again
        document = load_project(whole).document
        self.assertEqual([item.kind for item in document][:3], ["scan", "regions", "cylinder"])
        from arabesque import __version__

        save_project(self.folder / f"pebble-{__version__}.arabesque", StoredProject(document))
        again = finished_project("pebble", self.folder)
        body = again.of(Body)[-1]
        self.assertAlmostEqual(body.shape.told.volume, told["body"]["volume"], places=3)
        np.testing.assert_array_equal([item.name for item in again], [item.name for item in document])

    def test_what_is_no_model_is_said(self) -> None:
        self.assertEqual(set(MODELS), {"heron", "pebble", "juniper", "dipper"})
        with Project() as project, self.assertRaisesRegex(ArabesqueError, "no worked model called 'swan'"):
            worked("swan", project)
