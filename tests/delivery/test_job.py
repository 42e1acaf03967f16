"""Jobs: recorded, run again with the same figures, run over a folder with a broken scan in it."""

import contextlib
import csv
import io
import json
import subprocess
import sys
import tempfile
import unittest
from datetime import date
from importlib.resources import files
from pathlib import Path

import numpy as np

from arabesque.cli import main
from arabesque.delivery import batch, job_of, run_one, write_job
from arabesque.demo import master, simulate
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.mending import (
    ByHand,
    Calming,
    Closing,
    Cutting,
    Fill,
    LayingSymmetric,
    Lightening,
    MakingAlike,
    Tidying,
    openings,
)
from arabesque.model import edits, load_project
from arabesque.scan import Scan, write_scan
from arabesque.script import Project
from tests.examples import heron, random_surface

CORNERS = [(40, -61, 3.1), (150, -61, -12.0), (150, -16, 2.5), (40, -16, 13.4)]


class JobTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.scan = self.folder / "heron.ply"
        write_scan(self.scan, heron(20_000).scan)

    def session(self, project: Project) -> None:
        """A patch, a section set and a loft, something drawn by hand, something hidden."""
        project.open_scan(self.scan)
        project.tolerance = 0.4
        project.plane = Plane([0.0, 1.0, 0.0], 0.5)
        project.patch(CORNERS)
        sections = project.sections("x", count=4, poles=6, side=(0, 1, 0))
        project.loft(sections, ordered=True)
        by_hand = project.add("By hand", random_surface((2, 2), (1, 1)))
        project.hide(by_hand)
        change = edits.items.renamed(project.document, project.items[1], 'def: my "flank"')
        assert change is not None
        project._do(change)

    def test_preparing_is_repeated(self) -> None:
        """Every step on the way, on the scan it was recorded from the same to the last bit, on another one its own."""
        with Project() as project:
            project.open_scan(self.scan)
            project.tolerance = 0.5
            prepared = project.prepare(
                Tidying(),
                LayingSymmetric(1),
                MakingAlike(1),
                Closing(Fill.CURVED, 20.0),
                Cutting(np.array([1.0, 0.0, 0.0]), 12.0),
                Calming(0.1, 3, limit=0.1),
                Lightening(15_000),
            )
            self.assertEqual(len(prepared.origin.steps), 7)
            self.assertEqual(len(project.document.of(Scan)), 2)
            self.assertGreater(project.scan.bounds[0][0], 11.9)
            project.patch(project.scan.closest(np.add(CORNERS, [20, 0, 0])).points)
            before = project.report(self.folder / "before.json", "Flank")
            job = write_job(self.folder / "flank_job.py", project.document, "Flank")
            path = self.folder / "flank.arabesque"
            project.save(path)
        self.assertEqual(job.notes, ())
        self.assertIn("SCAN = 'heron.ply'", job.text)
        kept = next(item for item in load_project(path).document if item.origin.steps)
        self.assertEqual(repr(kept.origin.steps), repr(prepared.origin.steps))
        done = run_one(str(self.folder / "flank_job.py"), str(self.scan), str(self.folder))
        self.assertEqual(done.trouble, "")
        after = json.loads((self.folder / "fit.json").read_text())
        self.assertEqual(after["surface_to_scan"], json.loads(json.dumps(before.as_record()["surface_to_scan"])))
        other = self.folder / "other.ply"
        write_scan(other, simulate(master("heron"), 20_000, 0.03, 11).scan)
        self.assertEqual(run_one(str(self.folder / "flank_job.py"), str(other), str(self.folder)).trouble, "")

    def test_what_a_hand_did_is_left_out_and_said(self) -> None:
        with Project() as project:
            project.open_scan(self.scan)
            project.prepare(Tidying())
            reference = project.document.reference or ""
            document, _ = project.document.prepared(reference, project.scan, "a part healed")
        job = job_of(document, "Flank")
        self.assertEqual(job.notes, ("Left out, for it was done by hand: a part healed",))
        self.assertIn("project.prepare(Tidying(", job.text)
        with self.assertRaisesRegex(ArabesqueError, "by hand"):
            ByHand("a part healed").done(heron(5_000).scan)

    def test_openings_by_a_rule_or_by_hand(self) -> None:
        """A choice that a width tells from the others can be made again; any other one cannot."""
        every = openings(heron(20_000).scan)
        small = {n for n, one in enumerate(every) if not one.outer}
        self.assertGreaterEqual(len(small), 2)
        widths = [every[n].width for n in small]
        self.assertEqual(Closing.of(every, small, Fill.FLAT), Closing(Fill.FLAT, max(widths)))
        largest = max(small, key=lambda n: every[n].width)
        self.assertIsNone(Closing.of(every, {largest}, Fill.FLAT))
        outer = next(n for n, one in enumerate(every) if one.outer)
        self.assertTrue(Closing.of(every, {*small, outer}, Fill.FLAT).rim)  # type: ignore[union-attr]

    def test_run_again_it_gives_the_same_figures(self) -> None:
        with Project() as project:
            self.session(project)
            before = project.report(self.folder / "before.json", "Flank")
            job = write_job(self.folder / "flank_job.py", project.document, "Flank", date(2026, 3, 4))
        self.assertIsNone(job.kept)
        told = ['SCAN = "heron.ply"', "TOLERANCE = 0.4", "project.plane = Plane(", "project.make(", "project.hide("]
        for words in [*told, "PatchOnScan(corners=", "def job(scan, out)"]:
            self.assertIn(words.replace('"', "'"), job.text.replace('"', "'"))
        self.assertNotIn("borders=", job.text, "what is as usual is not said")
        done = run_one(str(self.folder / "flank_job.py"), str(self.scan), str(self.folder))
        self.assertEqual(done.trouble, "")
        after = json.loads((self.folder / "fit.json").read_text())
        wanted = before.as_record()
        for key in ("surface_to_scan", "scan_to_surface", "items", "joins", "histogram", "weight"):
            self.assertEqual(after[key], json.loads(json.dumps(wanted[key])), key)
        # and as a script of its own
        command = [
            sys.executable,
            "-m",
            "arabesque",
            "run",
            str(self.folder / "flank_job.py"),
            str(self.scan),
            str(self.folder),
        ]
        said = subprocess.run(command, capture_output=True, text=True, check=True)
        self.assertIn(before.verdict, said.stdout)

    def test_what_cannot_stand_in_a_script_is_kept_beside_it(self) -> None:
        with Project() as project:
            project.open_scan(self.scan)
            x = np.linspace(0, 1, 60)
            points = np.column_stack([*(axis.ravel() for axis in np.meshgrid(x, x)), np.zeros(3600)])
            index = np.arange(3600).reshape(60, 60)
            a, b, c = index[:-1, :-1].ravel(), index[:-1, 1:].ravel(), index[1:, 1:].ravel()
            project.add("Relief", Scan(points, np.column_stack([a, b, c])))
            job = write_job(self.folder / "relief.py", project.document, "Relief")
        self.assertIn("project.take(KEPT, 'Relief')", job.text)
        self.assertTrue((self.folder / "relief.kept-items").exists())
        self.assertFalse((self.folder / "relief.arabesque").exists())
        self.assertEqual(run_one(str(self.folder / "relief.py"), str(self.scan), str(self.folder)).trouble, "")
        with Project() as empty, self.assertRaisesRegex(ArabesqueError, "no scan"):
            job_of(empty.document, "x")

    def test_nothing_of_the_users_is_replaced(self) -> None:
        """A project of the job's own name stays, byte by byte; so does what lies where the kept items would go."""
        project_file, script = self.folder / "relief.arabesque", self.folder / "relief.py"
        with Project() as project:
            project.open_scan(self.scan)
            project.add("Relief", heron(2_000).scan)
            project.save(project_file)
        before = project_file.read_bytes()
        with contextlib.redirect_stdout(io.StringIO()) as said:
            self.assertEqual(main(["record", str(project_file), "--out", str(script)]), 0)
        self.assertIn("relief.kept-items", said.getvalue())
        self.assertEqual(project_file.read_bytes(), before)
        # once more is an own job again: both are replaced together
        with contextlib.redirect_stdout(io.StringIO()):
            self.assertEqual(main(["record", str(project_file), "--out", str(script)]), 0)
        script.unlink()
        (self.folder / "relief.kept-items").write_bytes(b"something else")
        for out in (script, self.folder, Path(), project_file, self.folder / "no" / "job.py"):
            with self.subTest(out), contextlib.redirect_stderr(io.StringIO()) as wrong:
                self.assertEqual(main(["record", str(project_file), "--out", str(out)]), 1)
            self.assertEqual(wrong.getvalue().count("\n"), 1, wrong.getvalue())
        self.assertEqual((self.folder / "relief.kept-items").read_bytes(), b"something else")
        self.assertEqual(project_file.read_bytes(), before)

    def test_a_batch_replaces_only_what_batches_wrote(self) -> None:
        script = self.folder / "idle.py"
        script.write_text("def job(scan, out):\n    pass\n")
        out = self.folder / "out"
        (out / "heron").mkdir(parents=True)
        (out / "heron" / "model.step").write_text("mine")
        arguments = ["batch", str(script), str(self.folder), str(out), "--processes", "1"]
        with contextlib.redirect_stderr(io.StringIO()) as wrong, contextlib.redirect_stdout(io.StringIO()):
            self.assertEqual(main(arguments), 1)
            self.assertIn("no batch wrote it", wrong.getvalue())
            (out / "heron" / "model.step").unlink()
            (out / "table.csv").write_text("my,own,table\n")
            self.assertEqual(main(arguments), 1)
            self.assertEqual((out / "table.csv").read_text(), "my,own,table\n")
            (out / "table.csv").unlink()
            self.assertEqual([main(arguments), main(arguments)], [0, 0])

    def test_scans_of_one_name_get_a_folder_each(self) -> None:
        script = self.folder / "idle.py"
        script.write_text("from pathlib import Path\n\ndef job(scan, out):\n    Path(out, 'x').write_text(scan)\n")
        write_scan(self.folder / "heron.stl", heron(2_000).scan)
        list(batch(script, [self.folder / "heron.ply", self.folder / "heron.stl"], self.folder / "out", 1))
        self.assertEqual(len({path.read_text() for path in (self.folder / "out").rglob("x")}), 2)

    def test_the_examples_run(self) -> None:
        """As they are shipped, on scans of the demo; the report of a STEP file on what was laid here."""
        with Project() as project:
            project.add("jug", simulate(master("juniper"), 30_000, 0.03, 7).scan)
            write_scan(self.folder / "jug.ply", project.scan)
        for name, made in (("slices_to_loft", "loft.step"), ("scan_to_layout", "fit.html")):
            text = files("arabesque.examples").joinpath(f"{name}.py").read_text()
            (self.folder / f"{name}.py").write_text(text.replace("DETAIL = 300", "DETAIL = 120"))
            done = run_one(str(self.folder / f"{name}.py"), str(self.folder / "jug.ply"), str(self.folder))
            self.assertEqual((name, done.trouble), (name, ""))
            self.assertTrue((self.folder / made).exists())
        text = files("arabesque.examples").joinpath("report_of_step.py").read_text()
        (self.folder / "again.py").write_text(text.replace("model.step", str(self.folder / "loft.step")))
        done = run_one(str(self.folder / "again.py"), str(self.folder / "jug.ply"), str(self.folder))
        self.assertEqual(done.trouble, "")
        self.assertTrue((self.folder / "fit.pdf").exists())

    def test_a_scan_that_takes_its_process_down_does_not_stop_the_others(self) -> None:
        script = self.folder / "dies.py"
        script.write_text("import os\n\ndef job(scan, out):\n    if 'b.ply' in scan:\n        os._exit(3)\n")
        scans = [self.folder / name for name in ("a.ply", "b.ply", "c.ply")]
        done = {one.scan: one.trouble for one in batch(script, scans, self.folder / "out", 1)}
        self.assertEqual((done["a.ply"], done["c.ply"]), ("", ""))
        self.assertIn("process ended", done["b.ply"])

    def test_words_of_a_title_stay_words(self) -> None:
        with Project() as project:
            project.open_scan(self.scan)
            project.tolerance = 0.123456789
            text = job_of(project.document, 'x""" \\N{nothing}\nimport os\0\udce4').text
        compile(text, "job", "exec")
        self.assertIn("TOLERANCE = 0.123456789", text)

    def test_a_folder_of_scans_with_a_broken_one(self) -> None:
        with Project() as project:
            self.session(project)
            write_job(self.folder / "flank_job.py", project.document, "Flank")
        scans, out = self.folder / "scans", self.folder / "out"
        scans.mkdir()
        for name in ("a.ply", "c.ply"):
            (scans / name).write_bytes(self.scan.read_bytes())
        (scans / "b.stl").write_bytes(b"not a scan")
        (scans / "notes.txt").write_text("no scan either")
        with contextlib.redirect_stdout(io.StringIO()) as said:
            code = main(["batch", str(self.folder / "flank_job.py"), str(scans), str(out), "--processes", "2"])
        self.assertEqual(code, 1)
        self.assertIn("3 scans, 1 failed", said.getvalue())
        with (out / "table.csv").open() as file:
            rows = list(csv.DictReader(file))
        self.assertEqual([row["scan"] for row in rows], ["a.ply", "b.stl", "c.ply"])
        self.assertTrue(rows[1]["trouble"] and not rows[1]["rms"])
        self.assertEqual(rows[0]["rms"], rows[2]["rms"])
        self.assertTrue((out / "a" / "model.step").exists())
        with contextlib.redirect_stderr(io.StringIO()) as wrong:
            self.assertEqual(main(["batch", str(self.folder / "flank_job.py"), str(self.folder / "none"), str(out)]), 1)
        self.assertIn("no scan", wrong.getvalue())
