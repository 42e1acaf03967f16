"""Cages from Python and from the shell: made, fitted, matched, spanned, delivered."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from arabesque.cages.edits import insert_loop
from arabesque.cages.files import read_cage, write_cage
from arabesque.cages.through import box_cage
from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Patchwork, Surface
from arabesque.scan import write_scan
from arabesque.script import Project
from arabesque.solid import KernelWorker
from tests.cages.nets import bumpy, open_grid
from tests.fitting.test_cage_fit import pebble_like
from tests.test_cli import run


class CageScriptTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.project = Project()
        self.addCleanup(self.project.close)

    def test_made_fitted_refined_and_turned_into_surfaces(self) -> None:
        project = self.project
        write_scan(self.folder / "form.ply", pebble_like())
        scan = project.open_scan(self.folder / "form.ply")
        low, high = scan.shape.bounds
        box = box_cage(low, high, (1, 1, 1))
        cage = project.refine(project.refine(project.cage(box.points, box.faces)))
        self.assertEqual(cage.shape.count, 96)
        cage = project.fit(cage)
        self.assertTrue(project.cage_fit_of(cage).within)
        surfaces = project.to_surfaces(cage)
        self.assertIsInstance(surfaces.shape, Patchwork)
        self.assertEqual(len(surfaces.shape.surfaces), 6)
        self.assertLess(project.surfaces_report(cage).gap, 1e-6)
        finer = project.refine(cage, [0, 1])
        self.assertGreater(finer.shape.count, cage.shape.count + 6)
        with self.assertRaisesRegex(ArabesqueError, "has not been fitted"):
            project.cage_fit_of(finer)
        # the surfaces follow the cage
        self.assertGreater(len(project.item(surfaces.name).shape.surfaces), 6)
        project.undo()
        self.assertEqual(len(project.item(surfaces.name).shape.surfaces), 6)

    def test_matched_to_a_curve_a_patch_and_another_cage(self) -> None:
        project, grid = self.project, open_grid(6, 8)
        cage = project.cage(grid.points, grid.faces)
        edges = [(9 * 6 + k, 9 * 6 + k + 1) for k in range(8)]
        x, y = np.meshgrid([58.0, 75, 95], [0.0, 40, 80], indexing="ij")
        patch = Surface.bezier(np.stack([x, y, 0.04 * y + 0.05 * (x - 58)], -1))
        beside = project._added("patch", "Patch", patch)
        found = project.match(cage, edges, beside)
        self.assertLess(found.gap, 1e-3)
        self.assertLess(found.angle, 0.1)
        found = project.match(cage, edges, beside, 2)
        self.assertLess(found.curvature, 0.01)
        line = project._added("curve", "Curve", Curve.bezier([[61, 0, 1], [62, 40, 3], [61, 80, 1.0]]))
        self.assertLess(project.match(cage, edges, line, 0).gap, 0.05)
        with self.assertRaisesRegex(ArabesqueError, "no tangent plane"):
            project.match(cage, edges, line, 1)
        other = grid.with_points(grid.points + np.tile([62.0, 1.0, 0.5], (len(grid.points), 1)))
        cage_too = project.cage(other.points, other.faces)
        found = project.match(cage, edges, cage_too)
        self.assertLess(found.gap, 0.5)
        self.assertLess(found.angle, 3.0)
        with self.assertRaisesRegex(ArabesqueError, "not on the border"):
            project.match(cage, [(10, 11)], line, 0)

    def test_curvature_carries_on_over_a_matched_border(self) -> None:
        """A cage drawn to a patch that is bent across: by the check of joins the pair is G2, in curvature as well."""
        project, grid = self.project, open_grid(6, 8)
        cage = project.cage(grid.points * [1, 1, 0], grid.faces)
        x, y = np.meshgrid([61.0, 75, 95], [0.0, 40, 80], indexing="ij")
        patch = project._added("patch", "Patch", Surface.bezier(np.stack([x, y, 0.01 * (x - 30) ** 2], -1)))
        edges = [(9 * 6 + k, 9 * 6 + k + 1) for k in range(8)]
        found = project.match(cage, edges, patch, 1)
        shapes = (patch.shape, *project.item(cage.name).shape.patches())
        (join,) = find_joins(shapes, 0.5)
        self.assertEqual(join.grade(), 1)
        found = project.match(cage, edges, patch, 2)
        self.assertLess(found.curvature, 1e-3)
        self.assertLess(found.gap, 1e-4)
        self.assertLess(found.angle, 0.01)
        shapes = (patch.shape, *project.item(cage.name).shape.patches())
        (join,) = find_joins(shapes, 0.5)
        self.assertGreaterEqual(join.grade(), 2, join.word())

    def test_borders_bend_and_any_edit_is_at_hand(self) -> None:
        project, grid = self.project, open_grid()
        cage = project.bend(project.cage(grid.points, grid.faces), [(0, 1)])
        self.assertEqual(len(cage.shape.quads.bent), 4)
        half = int(np.flatnonzero(~grid.quads.border)[0])
        cage = project.rework(cage, lambda now: insert_loop(now, half), "loop put in")
        self.assertGreater(cage.shape.count, grid.count)
        project.undo()
        self.assertEqual(len(project.bend(project.item(cage.name), [(0, 1)], False).shape.quads.bent), 0)

    def test_spanned_and_of_patches(self) -> None:
        project, grid = self.project, open_grid()
        far = grid.points + np.tile([70.0, 0, 0], (len(grid.points), 1))
        both = project.cage(np.concatenate([grid.points, far]), np.concatenate([grid.faces, grid.faces + 30]))
        left, right = [(25 + k, 26 + k) for k in range(4)], [(30 + k, 31 + k) for k in range(4)]
        self.assertEqual(project.span(both, left, right, 3).shape.count, 20 + 20 + 12)
        x, y = np.meshgrid([0.0, 30, 60], [0.0, 40, 80], indexing="ij")
        one = project._added("patch", "Patch", Surface.bezier(np.stack([x, y, 0.002 * x * y], -1)))
        two = project._added("patch", "Patch", Surface.bezier(np.stack([x + 60, y, 0.002 * (x + 60) * y], -1)))
        made = project.cage_of([one, two], 3, 4, reach=0.5)
        self.assertEqual((made.shape.count, len(made.shape.quads.borders())), (24, 1))
        feet, _, _ = made.shape.feet(one.shape.at([[0.4, 0.6], [0.9, 0.5]]))
        self.assertLess(np.linalg.norm(feet - one.shape.at([[0.4, 0.6], [0.9, 0.5]]), axis=1).max(), 0.2)

    def test_written_and_opened_again(self) -> None:
        project = self.project
        cage = project.cage(bumpy().points, bumpy().faces, [[0, int(bumpy().quads.edges[0, 1])]])
        project.export(self.folder / "q.obj", [cage], quads=True)
        np.testing.assert_array_equal(read_cage(self.folder / "q.obj").points, cage.shape.points)
        project.export(self.folder / "t.stl", [cage], chord=0.1)
        self.assertTrue(trimesh.load(self.folder / "t.stl").is_watertight)
        back = project.open_cage(self.folder / "q.obj")
        self.assertEqual(back.shape.quads.sharp.tolist(), cage.shape.quads.sharp.tolist())
        project.save(self.folder / "p.arabesque")
        (again, _) = Project().open(self.folder / "p.arabesque")
        np.testing.assert_array_equal(again.shape.points, cage.shape.points)
        np.testing.assert_array_equal(again.shape.quads.sharp, cage.shape.quads.sharp)


class CageCommandsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_fitted_and_converted(self) -> None:
        """A box of 24 faces, made finer where it is outside; a valid closed solid in inches; refusals in one line."""
        cage, form, out, report = (self.folder / name for name in ("c.obj", "f.ply", "o.step", "r.json"))
        scan = pebble_like()
        write_scan(form, scan)
        low, high = scan.bounds
        write_cage(cage, box_cage(low, high, (2, 2, 2)))
        fit = ("cage-fit", cage, form, "--tolerance", 0.5)
        code, printed, _ = run(*fit, "--finer", 1, "--out", out, "--report", report)
        self.assertEqual(code, 0)
        self.assertIn("the tolerance", printed)
        record = json.loads(report.read_text())
        self.assertGreaterEqual(record["faces"], 24)
        self.assertLess(record["surfaces"]["angle"], 0.1)
        self.assertTrue(record["surfaces"]["closed"])
        self.assertEqual(record["net"]["folded"], 0)
        with_quads = self.folder / "fitted.obj"
        self.assertEqual(run(*fit, "--balance", 0.3, "--out", with_quads)[0], 0)
        code, printed, _ = run("cage-convert", with_quads, "--out", self.folder / "s.step", "--report", report)
        self.assertEqual(code, 0)
        self.assertIn("6 patches", printed)
        self.assertLess(json.loads(report.read_text())["deviation"], 0.001)
        worker = KernelWorker()
        self.addCleanup(worker.close)
        (facts,) = worker.call("body_facts", str(self.folder / "s.step"))
        self.assertTrue(facts["valid"] and facts["solid"])
        askew = self.folder / "askew.obj"
        write_cage(askew, box_cage(low, high + 2.0, (2, 2, 2)))
        for arguments, words in (
            ((*fit,), "Nothing is to be written"),
            ((*fit, "--balance", 3, "--out", out), "balance"),
            (("cage-fit", askew, form, "--symmetric", "z", "--out", out), "not alike"),
            (("cage-convert", form, "--out", out), "OBJ"),
        ):
            code, _, complaint = run(*arguments)
            self.assertEqual(code, 1)
            self.assertIn(words, complaint)
            self.assertEqual(complaint.count("\n"), 1)
