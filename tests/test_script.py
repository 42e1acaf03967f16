"""Arabesque from Python: the documented examples, every method, and scripts run by ./start run."""

import contextlib
import doctest
import io
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from arabesque import script
from arabesque.checking import measure_both_ways
from arabesque.cli import main
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.fitting import Stop
from arabesque.geometry import Edge, curve_feet, edge_curve
from arabesque.model import edits
from arabesque.scan import write_scan
from tests.examples import box_sides, every_kind, plane

SCRIPT = """
import sys
from arabesque.script import Project

with Project() as project:
    project.open_scan(sys.argv[1])
    item = project.patch([(20, 20, 0), (80, 20, 0), (80, 80, 0), (20, 80, 0)], degree=(2, 2))
    project.save(sys.argv[2])
    print("points", item.shape.count, sys.argv[3:])
"""
CORNERS = [(20, 20, 0), (80, 20, 0), (80, 80, 0), (20, 80, 0.0)]


class ScriptTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.sheet = self.folder / "sheet.stl"
        write_scan(self.sheet, plane(steps=40))

    def test_a_reopened_project_answers_with_no_old_figures(self) -> None:
        """What was told of a layout and a cage's fit belongs to the document that was there then."""
        with script.Project() as project:
            project.open_scan(self.sheet)
            project.save(self.folder / "a.arabesque")
            for told in ("_fits", "_traced", "_networks", "_cage_fits", "_layouts"):
                getattr(project, told)["old"] = object()
            project.open(self.folder / "a.arabesque")
            for told in ("_fits", "_traced", "_networks", "_cage_fits", "_layouts"):
                self.assertEqual(getattr(project, told), {}, told)

    def test_joins_are_of_what_shows(self) -> None:
        with script.Project() as project:
            sides = [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))]
            self.assertEqual(len(project.joins()), 12)
            project.hide(sides[0])
            self.assertEqual(len(project.joins()), 8)

    def test_the_documented_example_is_true(self) -> None:
        names = {"example_scan": lambda: self.sheet}
        ran = doctest.testmod(script, extraglobs=names)
        self.assertEqual(ran.failed, 0)
        self.assertGreater(ran.attempted, 8)

    def test_from_a_scan_to_step_and_back(self) -> None:
        with script.Project() as project:
            project.open_scan(self.sheet)
            patch = project.patch(CORNERS, degree=(3, 2))
            self.assertEqual(patch.shape.degree, (3, 2))
            self.assertEqual(project.fit_of(patch).surface.degree, (3, 2))
            image = project.mirror(patch)
            np.testing.assert_allclose(image.shape.box[0][1], -patch.shape.box[1][1], atol=1e-9)
            project.export(self.folder / "out.step")
            project.export(self.folder / "out.stl", [patch])
            project.save(self.folder / "a.arabesque")
        with script.Project() as again:
            came = again.open(self.folder / "a.arabesque")
            self.assertEqual([item.name for item in came], ["sheet", "Patch", "Patch, mirrored"])
            faces = again.open(self.folder / "out.step")
            self.assertEqual(len(faces), 2)
            self.assertEqual(again.undo(), "2 shapes from out.step")
            self.assertEqual(again.redo(), "2 shapes from out.step")
            self.assertIsNone(again.redo())

    def test_every_recipe_can_be_used(self) -> None:
        """A gap between two patches is closed and follows them; a plane is found in the scan; joins are told."""
        with script.Project() as project:
            project.open_scan(self.sheet)
            left = project.patch([(20, 20, 0), (40, 20, 0), (40, 80, 0), (20, 80, 0)], degree=(3, 3))
            right = project.patch([(60, 20, 0), (80, 20, 0), (80, 80, 0), (60, 80, 0)], degree=(3, 3))
            between = project.patch_between([(left, Edge.U_HIGH), (right, Edge.U_LOW)])
            self.assertEqual(sorted(join.word() for join in project.joins()), ["G3", "G3"])
            project.tolerance = 0.05
            project.free(left)
            shape = project.item(left.id).shape
            lifted = shape.points + [0, 0, 0.2] * (shape.points[..., :1] > 39)
            project._do(
                edits.items.reshaped(project.document, project.item(left.id), "pulled", shape.with_points(lifted))
            )
            self.assertAlmostEqual(project.item(between.id).shape.points[0, 1, 2], 0.2, delta=0.02)
            regions = project.regions(0.4)
            found = project.true_shape(regions, (50, 50, 0))
            self.assertEqual(found.shape.kind.value, "plane")
            np.testing.assert_allclose(np.abs(found.shape.axis), [0, 0, 1], atol=1e-9)
            for call in (
                lambda: project.true_shape(left, (0, 0, 0)),
                lambda: project.patch_between([(left, 1)]),
                lambda: project.patch_between([(left, 7), (right, 3)]),
                lambda: project.regions(3.0),
            ):
                with self.assertRaises(ArabesqueError):
                    call()

    def test_sections_are_lofted_and_the_loft_follows_them(self) -> None:
        """One section pulled by 2 mm: the loft goes through it, and back again with undo; the scan cut anew follows."""
        with script.Project() as project:
            project.open_scan(self.sheet)
            curves = project.sections("x", count=5, poles=6)
            self.assertEqual([item.shape.count for item in curves], [6] * 5)
            surface = project.loft(curves, reach=(1.0, 0.0))
            self.assertEqual(surface.shape.points.shape[:2], (6, 5))
            before = surface.shape
            middle = project.item(curves[2].id)
            pulled = middle.shape.with_points(np.add(middle.shape.points, [0, 0, 2.0]))
            project._do(edits.items.reshaped(project.document, middle, "pulled", pulled))
            after = project.item(surface.id).shape
            self.assertLess(curve_feet(pulled, after.at([[0.4, 0.5]])).distance[0], 3.0)
            self.assertGreater(np.abs(after.points[..., 2] - before.points[..., 2]).max(), 1.5)
            project.undo()
            self.assertIs(project.item(surface.id).shape, before)
            mixed = project.loft([curves[k] for k in (3, 0, 4, 1, 2)], ordered=True)
            np.testing.assert_allclose(
                np.ptp(mixed.shape.points, axis=(0, 1))[0], np.ptp(before.points, axis=(0, 1))[0], atol=2
            )
            drawn = project.curve([(20, 20, 0), (50, 60, 0), (80, 30, 0)])
            across = project.sections(drawn, count=3)
            self.assertEqual(len(across), 3)
            for call in (
                lambda: project.loft(curves[:1]),
                lambda: project.sections("w", count=3),
                lambda: project.sections("z", count=3, poles=2),
                lambda: project.sections("x"),
                lambda: project.sections(surface, count=3),
            ):
                with self.assertRaises(ArabesqueError):
                    call()

    def test_a_patch_is_ended_where_it_turns(self) -> None:
        """What the fit says turns is laid anew as its larger part; a patch that does not turn is refused."""
        with script.Project() as project:
            project.open_scan(self.sheet)
            patch = project.patch([(20, 20, 0), (80, 20, 0), (80, 80, 0), (20, 80, 0)], degree=(3, 3))
            fit = project.fit_of(patch)
            with self.assertRaises(ArabesqueError):
                project.end_at_turn(patch)
            turning = replace(fit, stopped=Stop.TURNS, net=replace(fit.net, bend=40.0, bend_at=(1, 0), bend_along=0))
            project._fits[patch.id] = turning
            ended = project.end_at_turn(patch)
            self.assertEqual(ended.id, patch.id)
            self.assertAlmostEqual(np.ptp(ended.shape.points[..., 0]), 40.0, delta=0.2)
            self.assertEqual(project.undo(), f"{patch.name}: ended where it turns")

    def test_a_patch_over_four_curves_that_cross(self) -> None:
        """Drawn over each other like a hash sign: the patch between them has them as its sides, and follows one."""
        with script.Project() as project:
            project.open_scan(self.sheet)
            ends = (
                ((10, 20, 0), (90, 22, 0)),
                ((80, 10, 0), (78, 90, 0)),
                ((92, 80, 0), (9, 78, 0)),
                ((20, 88, 0), (22, 8, 0)),
            )
            curves = [project.curve([a, np.mean([a, b, a, b], axis=0), b]) for a, b in ends]
            patch = project.patch_over([curves[k] for k in (2, 0, 3, 1)])
            self.assertTrue(project.fit_of(patch).within, project.fit_of(patch).verdict)
            sides = [edge_curve(patch.shape, edge) for edge in Edge]
            for curve in curves:
                gaps = [
                    curve_feet(project.item(curve.id).shape, side.at(np.linspace(0, 1, 30))).distance.max()
                    for side in sides
                ]
                self.assertLess(min(gaps), 0.05)
            with self.assertRaises(ArabesqueError):
                project.patch_over(curves[:3])

    def test_patches_grow_from_a_place_and_over_what_is_free(self) -> None:
        with script.Project() as project:
            project.open_scan(self.sheet)
            first = project.grow((30, 50, 0), (2, 2))
            self.assertEqual(first.shape.count, 4)
            self.assertTrue(project.compare().within(project.tolerance))
            # nothing calm is left free beside it that is larger than a strip
            for item in project.suggest((2, 2), most=2):
                self.assertLess(np.ptp(item.shape.points.reshape(-1, 3), axis=0)[:2].prod(), 0.5 * 100**2)
            with self.assertRaises(ArabesqueError):
                project.grow((30, 50, 0), (2, 2))

    def test_figures_are_those_of_the_core(self) -> None:
        with script.Project() as project:
            project.open_scan(self.sheet)
            project.tolerance = 0.05
            patch = project.patch(CORNERS)
            ours = project.compare()
            theirs = measure_both_ways([patch.shape], project.scan, 0.05)
        self.assertEqual(ours.as_record(), theirs.as_record())

    def test_a_patch_follows_the_tolerance_until_it_is_free(self) -> None:
        bowl = plane(steps=40)
        away = ((bowl.points[:, :2] - 50) ** 2).sum(axis=1)
        write_scan(self.folder / "bowl.ply", replace(bowl, points=bowl.points + np.outer(away / 2500, [0, 0, 1.0])))
        with script.Project() as project:
            project.open_scan(self.folder / "bowl.ply")
            project.tolerance = 2.0
            patch = project.patch(CORNERS)
            project.tolerance = 0.02
            self.assertGreater(project.item(patch.id).shape.count, patch.shape.count)
            project.save(self.folder / "a.arabesque")
            project.undo()
            self.assertIs(project.item(patch.id).shape, patch.shape)
            free = project.free(patch)
            project.tolerance = 0.05
            self.assertIs(project.item(patch.id).shape, free.shape)
        with script.Project() as again:
            again.open(self.folder / "a.arabesque")
            self.assertEqual(again.item("Patch").recipe.word, "patch on the scan")
            again.tolerance = 2.0
            self.assertEqual(again.item("Patch").shape.count, patch.shape.count)

    def test_what_cannot_be_is_told_and_changes_nothing(self) -> None:
        with script.Project() as project:
            for call in (
                lambda: project.patch(CORNERS),
                lambda: project.compare(),
                lambda: project.item("none"),
                lambda: project.open(self.sheet),
                lambda: project.export(self.folder / "a.txt"),
                lambda: project.export(self.folder / "a.step"),
                lambda: setattr(project, "tolerance", -1.0),
                lambda: project.mirror(every_kind()["curve"]),
                lambda: project.fit_of(every_kind()["surface"]),
            ):
                with self.assertRaises(ArabesqueError):
                    call()
            self.assertEqual((project.items, project.undo()), ((), None))
            with self.assertRaises(FileProblem):
                project.open_scan(self.folder / "none.stl")

    def run_script(self, *arguments: object) -> tuple[int, str, str]:
        out, problems = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(problems):
            code = main(["run", *map(str, arguments)])
        return code, out.getvalue(), problems.getvalue()

    def test_a_script_is_run_with_its_arguments(self) -> None:
        path, saved = self.folder / "job.py", self.folder / "made.arabesque"
        path.write_text(SCRIPT)
        code, printed, _ = self.run_script(path, self.sheet, saved, "--depth", "-3")
        self.assertEqual((code, printed), (0, "points 9 ['--depth', '-3']\n"))
        self.assertTrue(saved.exists())

    def test_what_a_script_does_wrong_is_one_line(self) -> None:
        path = self.folder / "job.py"
        path.write_text("from arabesque.script import Project\nProject().open_scan('none.stl')\n")
        code, _, complaint = self.run_script(path)
        self.assertEqual((code, len(complaint.splitlines())), (1, 1))
        self.assertEqual(self.run_script(self.folder / "none.py")[0], 1)
        path.write_text("raise SystemExit(3)")
        with self.assertRaises(SystemExit) as left:
            self.run_script(path)
        self.assertEqual(left.exception.code, 3)


class PlainScriptTest(unittest.TestCase):
    def test_a_script_without_a_main_guard_writes_step(self) -> None:
        """What people write first: no function, no guard. The kernel's process must not run it once more."""
        with tempfile.TemporaryDirectory() as folder:
            script, step = Path(folder) / "plain.py", Path(folder) / "out.step"
            script.write_text(
                "import sys\nimport numpy as np\nfrom arabesque.geometry import Surface\n"
                "from arabesque.script import Project\nprint('begun')\n"
                "flat = Surface.bezier(np.array([[[0, 0, 0], [0, 9, 0]], [[9, 0, 0], [9, 9, 1.0]]]))\n"
                "project = Project()\nproject.export(sys.argv[1], [project.add('Flat', flat)])\n"
            )
            done = subprocess.run([sys.executable, script, step], capture_output=True, text=True, check=False)
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            self.assertEqual(done.stdout.count("begun"), 1)
            self.assertIn("ISO-10303-21", step.read_text()[:200])


if __name__ == "__main__":
    unittest.main()
