"""Headless commands, as other programs call them."""

import argparse
import contextlib
import io
import json
import os
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import trimesh

from arabesque import script
from arabesque.cli import main
from arabesque.delivery import report_files, sheet_files
from arabesque.geometry import Surface
from arabesque.headless import COMMANDS, common, fit_report
from arabesque.headless import sheet as sheet_command
from arabesque.scan import MESH_SUFFIXES, Scan, read_scan, write_scan
from arabesque.solid import KernelWorker, write_step
from tests.examples import grid_faces, plane, sheet
from tests.reference import horned_head, rabbit, teapot_patches

FIGURES = {"rms", "p95", "p99", "max", "inside"}
KEYS = {
    "tolerance", "unit", "control_points", "degree", "spans", "surface_to_scan", "scan_to_surface", "outlier_share",
    "stopped", "seconds",
}  # fmt: skip


def run(*arguments: object) -> tuple[int, str, str]:
    """Exit code and what was printed and complained of."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = main([str(a) for a in arguments])
        except SystemExit as leaving:
            code = int(leaving.code or 0)
    return code, out.getvalue(), err.getvalue()


class CommandsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_sections_and_their_loft(self) -> None:
        """The jug's body by sections of seven poles every 10 mm, lofted within 0.3 mm; and refusals in one line."""
        jug, out, curves, report = (self.folder / name for name in ("j.ply", "o.step", "c.igs", "r.json"))
        self.assertEqual(run("simulate", "juniper", "--triangles", 60_000, "--out", jug)[0], 0)
        sections = ("section", jug, "--axis", "z", "--spacing", 10, "--side", "1,0,0", "--poles", 7, "--tolerance", 0.3)
        code, printed, _ = run(*sections, "--between", 5, 135, "--loft", out, "--curves", curves, "--report", report)
        self.assertEqual(code, 0)
        self.assertIn("within the tolerance", printed)
        record = json.loads(report.read_text())
        self.assertEqual((record["sections"], record["poles"]), (15, [7] * 15))
        self.assertLess(record["curves"]["rms"], 0.1)
        self.assertLess(record["surface_to_scan"]["inlier_p99"], 0.3)
        self.assertLess(record["scan_to_surface"]["inlier_p99"], 0.3)
        self.assertTrue(out.exists() and curves.exists())
        for arguments, words in (
            ((*sections,), "Nothing is to be written"),
            ((*sections, "--half", "--loft", out), "--round"),
            ((*sections, "--between", 500, 600, "--loft", out), "no scan between"),
            (("section", jug, "--axis", "z", "--loft", out), "spacing or a count"),
        ):
            code, _, complaint = run(*arguments)
            self.assertEqual(code, 1)
            self.assertIn(words, complaint)
            self.assertEqual(complaint.count("\n"), 1)

    def test_simulate_patch_compare(self) -> None:
        scan, truth, step = (self.folder / name for name in ("h.ply", "t.json", "h.step"))
        code, _, _ = run(
            "simulate", "heron", "--triangles", 40000, "--noise", 0.03, "--seed", 2, "--out", scan, "--truth", truth
        )
        self.assertEqual(code, 0)
        known = json.loads(truth.read_text())
        corners = [",".join(f"{x:.6f}" for x in corner) for corner in known["corners"]["flank"]]
        self.assertTrue(any("-" in corner for corner in corners))
        code, printed, _ = run(
            "patch", scan, "--unit", "mm", "--corners", *corners, "--tolerance", 0.2, "--out", step,
            "--report", self.folder / "r.json",
        )  # fmt: skip
        self.assertEqual(code, 0)
        report = json.loads((self.folder / "r.json").read_text())
        self.assertLessEqual(KEYS | {"turn"}, report.keys())
        for way in ("surface_to_scan", "scan_to_surface"):
            self.assertLessEqual(FIGURES, report[way].keys())
            self.assertLessEqual(report[way]["inlier_p99"], 0.2)
        self.assertLessEqual(report["control_points"], 36)
        self.assertIn(str(report["control_points"]), printed)
        code, _, _ = run("compare", step, scan, "--tolerance", 0.2, "--report", self.folder / "c.json")
        self.assertEqual(code, 0)
        compared = json.loads((self.folder / "c.json").read_text())
        self.assertLessEqual(KEYS, compared.keys())
        self.assertTrue(compared["within"])
        for way in ("surface_to_scan", "scan_to_surface"):
            for name in ("rms", "p95", "p99", "max", "inside", "inlier_p99", "outlier_share"):
                self.assertAlmostEqual(compared[way][name], report[way][name], places=6)
        self.assertGreaterEqual(report["coverage"], 0.97)
        self.assertLessEqual(report["outside"], 0.05)
        self.assertEqual(report["folded"], 0.0)
        self.assertLessEqual(report["net"]["leg"], 1.3)
        self.assertIn("within the tolerance", printed)
        code, printed, _ = run(
            "patch", scan, "--corners", *corners, "--tolerance", 0.2, "--borders", "natural", "--out", step,
            "--report", self.folder / "n.json",
        )  # fmt: skip
        self.assertEqual(code, 0)
        natural = json.loads((self.folder / "n.json").read_text())
        self.assertGreater(natural["net"]["bend"], report["net"]["bend"])

    def test_suggest_over_a_roof_and_round_a_place(self) -> None:
        """Two slopes: a patch each, in metres; and the one that grows from a place. Nonsense is one line."""
        roof = sheet(lambda x, y: -np.abs(x) * np.tan(np.radians(25)) + 0 * y, (100, 80), noise=0.01)
        write_scan(self.folder / "roof.ply", Scan(roof.points / 1000, roof.triangles))
        scan, out, told = self.folder / "roof.ply", self.folder / "roof.step", self.folder / "s.json"
        common = ("--unit", "m", "--points", 2, 2, "--tolerance", 0.0001, "--out", out, "--report", told)
        code, printed, _ = run("suggest", scan, "--most", 2, *common)
        self.assertEqual(code, 0)
        report = json.loads(told.read_text())
        self.assertEqual((report["faces"], report["control_points"], report["within"]), (2, 8, True))
        self.assertLess(report["scan_to_surface"]["p99"], 0.0001)
        self.assertIn("2 patches", printed)
        code, _, _ = run("suggest", scan, "--at=-0.03,0,-0.014", *common)
        self.assertEqual((code, json.loads(told.read_text())["faces"]), (0, 1))
        code, _, complaint = run("suggest", scan, "--at", "0,0,0", *common[:-4], "--points", 9, 1, "--out", out)
        self.assertEqual((code, complaint.count("\n")), (1, 1))

    def test_other_units_are_kept(self) -> None:
        """A plane of 100 inches: the report speaks inches, the STEP file millimetres."""
        write_scan(self.folder / "p.stl", plane(noise=0.001))
        corners = ["20,20,0", "80,20,0", "80,80,0", "20,80,0"]
        step = self.folder / "p.step"
        code, _, _ = run(
            "patch", self.folder / "p.stl", "--unit", "inch", "--corners", *corners, "--tolerance", 0.1,
            "--degree", 2, 1, "--out", step, "--report", self.folder / "r.json",
        )  # fmt: skip
        self.assertEqual(code, 0)
        report = json.loads((self.folder / "r.json").read_text())
        self.assertEqual((report["unit"], report["tolerance"], report["degree"]), ("inch", 0.1, [2, 1]))
        self.assertLess(report["surface_to_scan"]["rms"], 0.002)
        written = step.read_text()
        self.assertIn("2.032E+03", written)
        self.assertIn("Arabesque", written.split("ENDSEC")[0])
        code, _, _ = run("compare", step, self.folder / "p.stl", "--unit", "mm", "--tolerance", 1)
        self.assertEqual(code, 0)

    def test_prepare_closes_the_rabbit(self) -> None:
        """The published scan's five holes close; the report says so, and trimesh agrees that it is watertight."""
        out, report = self.folder / "rabbit.ply", self.folder / "r.json"
        code, printed, _ = run("prepare", rabbit(), "--unit", "m", "--fill-holes", 60, "--out", out, "--report", report)
        self.assertEqual(code, 0)
        self.assertIn("watertight", printed)
        told = json.loads(report.read_text())
        self.assertEqual((told["before"]["openings"], told["after"]["openings"], told["holes"]["filled"]), (5, 0, 5))
        self.assertEqual(told["worse"], [])
        self.assertTrue(trimesh.load(out).is_watertight)
        # written in the unit it came in
        self.assertLess(np.ptp(trimesh.load(out).vertices[:, 0]), 0.2)

    def test_prepare_makes_the_saddle_symmetric(self) -> None:
        scan, out, report = self.folder / "h.ply", self.folder / "s.ply", self.folder / "r.json"
        run("simulate", "heron", "--triangles", 30_000, "--out", scan)
        code, _, _ = run(
            "prepare", scan, "--unit", "mm", "--symmetric", "auto", "--fill-holes", 20, "--smooth", "10x5", "--remesh",
            2.0, "--reduce", 9000, "--out", out, "--report", report,
        )  # fmt: skip
        self.assertEqual(code, 0)
        told = json.loads(report.read_text())
        self.assertEqual(told["symmetry"]["plane"], "y = 0")
        self.assertAlmostEqual(told["after"]["triangles"] / 9000, 1.0, delta=0.1)
        points = np.asarray(trimesh.load(out, process=False).vertices) + 0.0
        self.assertEqual({p.tobytes() for p in points}, {p.tobytes() for p in points * [1, -1, 1] + 0.0})

    def test_prepare_moves_nothing_by_itself_and_tells_of_the_rim(self) -> None:
        """A clean published head with horns comes out point by point; an open sheet keeps its rim, and is told so."""
        mesh = trimesh.load(horned_head(), process=False)
        head = self.folder / "head.ply"
        write_scan(head, Scan(np.asarray(mesh.vertices), np.asarray(mesh.faces)))
        out, report = self.folder / "o.ply", self.folder / "r.json"
        self.assertEqual(run("prepare", head, "--out", out, "--report", report)[0], 0)
        # reading a file orders the points anew
        before, after = ({p.tobytes() for p in trimesh.load(f, process=False).vertices} for f in (head, out))
        self.assertEqual(after, before)
        self.assertLess(json.loads(report.read_text())["distance"]["max"], 1e-6)
        write_scan(self.folder / "p.ply", plane())
        code, printed, _ = run("prepare", self.folder / "p.ply", "--fill-holes", 500, "--out", out)
        self.assertEqual(code, 0)
        self.assertIn("--close-rim", printed)
        code, printed, _ = run("prepare", self.folder / "p.ply", "--close-rim", "--fill", "flat", "--out", out)
        self.assertIn("watertight", printed)

    def test_only_files_are_read_and_written(self) -> None:
        """A pipe that nobody writes to, a device without an end, a name without an end: one clear line, at once."""
        pipe = self.folder / "pipe.stl"
        os.mkfifo(pipe)
        for number, device in enumerate(("/dev/zero", "/dev/urandom", "/dev/full")):
            (self.folder / f"{number}.step").symlink_to(device)
            (self.folder / f"{number}.stl").symlink_to(device)
        good, long = self.folder / "good.stl", self.folder / ("x" * 265 + ".stl")
        write_scan(good, plane())
        calls = [("prepare", odd, "--out", self.folder / "o.ply") for odd in (pipe, self.folder / "1.stl", long)]
        calls += [("compare", self.folder / f"{number}.step", good) for number in range(3)]
        calls += [("compare", self.folder, good), ("run", pipe), ("run", long)]
        calls += [("prepare", good, "--out", self.folder / "2.stl"), ("prepare", good, "--out", long)]
        calls += [("simulate", "heron", "--triangles", 2000, "--seed", -1, "--out", self.folder / "h.ply")]
        for call in calls:
            with self.subTest(call=" ".join(map(str, call))[-60:]):
                code, _, complaint = run(*call)
                self.assertEqual(code, 1, complaint)
                self.assertEqual(complaint.count("\n"), 1, complaint)
                self.assertLess(len(complaint), 400)
        self.assertTrue(Path("/dev/full").is_char_device())

    def test_prepare_says_what_is_wrong(self) -> None:
        scan = self.folder / "p.stl"
        write_scan(scan, plane())
        for arguments in (("--smooth", "often"), ("--remesh", -1), ("--symmetric", "x"), ("--fill-holes", 0)):
            code, _, complaint = run("prepare", scan, *arguments, "--out", self.folder / "o.ply")
            self.assertNotEqual(code, 0)
            self.assertEqual(len(complaint.strip().splitlines()), 1)
            self.assertFalse((self.folder / "o.ply").exists())

    def test_rabbit(self) -> None:
        step = self.folder / "r.step"
        scan = read_scan(rabbit())
        low, high = scan.bounds
        corners = []
        for x, y in ((0.45, 0.15), (0.75, 0.15), (0.75, 0.45), (0.45, 0.45)):
            hit = scan.pick([*(low + [x, y, 0] * (high - low))[:2], high[2] + 1], [0, 0, -1])
            assert hit is not None
            corners.append(",".join(f"{c:.8f}" for c in hit[0]))
        code, _, complaint = run(
            "patch", rabbit(), "--unit", "m", "--corners", *corners, "--tolerance", 0.001, "--out", step,
            "--report", self.folder / "r.json",
        )  # fmt: skip
        self.assertEqual((code, complaint), (0, ""))
        code, _, _ = run(
            "compare", step, rabbit(), "--unit", "m", "--tolerance", 0.001, "--report", self.folder / "c.json"
        )
        self.assertEqual(code, 0)
        self.assertTrue(json.loads((self.folder / "c.json").read_text())["within"])

    def test_teapot(self) -> None:
        """The published patches, as surfaces and sampled to a scan: compared, and patched anew on its body."""
        patches = [Surface.bezier(points) for points in teapot_patches()[:28]]
        t = np.linspace(0, 1, 41)
        one = grid_faces(41)
        points = np.concatenate([p.on_grid(t, t)[0, 0].reshape(-1, 3) for p in patches])
        faces = np.concatenate([one + 41 * 41 * n for n in range(28)])
        write_scan(self.folder / "t.ply", Scan(points, faces))
        worker = KernelWorker()
        self.addCleanup(worker.close)
        write_step(self.folder / "t.step", [(f"patch {n}", patch) for n, patch in enumerate(patches)], worker)
        code, _, complaint = run(
            "compare",
            self.folder / "t.step",
            self.folder / "t.ply",
            "--tolerance",
            0.1,
            "--report",
            self.folder / "r.json",
        )
        self.assertEqual((code, complaint), (0, ""))
        report = json.loads((self.folder / "r.json").read_text())
        self.assertEqual((report["faces"], report["control_points"], report["degree"]), (28, 448, [3, 3]))
        self.assertLess(report["surface_to_scan"]["p99"], 0.05)
        self.assertTrue(report["within"])
        body = max(patches, key=lambda p: float(np.ptp(p.points[..., 2]) + np.ptp(p.points[..., 0])))
        corners = [",".join(map(str, c)) for c in body.at([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]])]
        code, _, complaint = run(
            "patch", self.folder / "t.ply", "--corners", *corners, "--tolerance", 0.1, "--out", self.folder / "b.step",
            "--report", self.folder / "b.json",
        )  # fmt: skip
        self.assertEqual((code, complaint), (0, ""))
        self.assertTrue(json.loads((self.folder / "b.json").read_text())["within"])

    def test_bad_usage_is_2(self) -> None:
        for arguments in (
            ("patch",),
            ("patch", "a.stl", "--corners", "1,2", "1,2,3", "1,2,3", "1,2,3", "--out", "x.step"),
            ("patch", "a.stl", "--unit", "yard", "--corners", *["1,2,3"] * 4, "--out", "x.step"),
            ("paint", "a.stl"),
        ):
            code, _, complaint = run(*arguments)
            self.assertEqual(code, 2)
            self.assertEqual(len(complaint.strip().splitlines()), 1)

    def test_anything_else_is_1_with_one_line(self) -> None:
        write_scan(self.folder / "p.stl", plane())
        (self.folder / "empty.stl").write_bytes(b"")
        (self.folder / "random.ply").write_bytes(np.random.default_rng(0).bytes(3000))
        (self.folder / "not.step").write_text("hello")
        good = ["20,20,0", "80,20,0", "80,80,0", "20,80,0"]
        far = ["20,20,500", *good[1:]]
        out = self.folder / "o.step"
        cases = [
            ("patch", self.folder / "none.stl", "--corners", *good, "--out", out),
            ("patch", self.folder, "--corners", *good, "--out", out),
            ("patch", self.folder / "empty.stl", "--corners", *good, "--out", out),
            ("patch", self.folder / "random.ply", "--corners", *good, "--out", out),
            ("patch", self.folder / "p.stl", "--corners", *far, "--out", out),
            ("patch", self.folder / "p.stl", "--corners", "nan,0,0", *good[1:], "--out", out),
            ("patch", self.folder / "p.stl", "--corners", *good, "--tolerance", "-1", "--out", out),
            ("patch", self.folder / "p.stl", "--corners", *good, "--degree", "0", "9", "--out", out),
            ("patch", self.folder / "p.stl", "--corners", *good, "--out", self.folder / "no" / "o.step"),
            ("compare", self.folder / "not.step", self.folder / "p.stl"),
            ("compare", self.folder / "none.step", self.folder / "p.stl"),
            ("simulate", "swan", "--out", self.folder / "s.ply"),
            ("simulate", "heron", "--triangles", "2000", "--out", self.folder / "no" / "s.ply"),
        ]
        for arguments in cases:
            with self.subTest(arguments):
                code, _, complaint = run(*arguments)
                self.assertEqual(code, 1)
                self.assertEqual(len(complaint.strip().splitlines()), 1, complaint)
                self.assertNotIn("Traceback", complaint)
        self.assertFalse(out.exists())

    def test_places_are_checked_before_the_work(self) -> None:
        """Minutes of work must not end in a place that cannot be written, or a file of no kind: one line, at once."""
        gone, plain, folder = self.folder / "no" / "o.step", self.folder / "o.txt", self.folder
        protected = self.folder / "kept.step"
        protected.write_text("mine")
        protected.chmod(0o444)
        cases = [("build", "dipper", "--out", out) for out in (gone, plain, folder, protected)]
        step = self.folder / "o.step"
        cases += [
            ("build", "dipper", "--out", step, "--project", gone.with_suffix(".arabesque")),
            ("build", "dipper", "--out", step, "--report", step),
            ("layout", "scan.ply", "--quads", 300, "--cage", self.folder / "cage.step"),
            ("fit-report", "m.step", "scan.ply", "--out", self.folder / "fit.doc"),
            ("sheet", "m.step", "--out", folder),
            ("simulate", "heron", "--out", self.folder / "h.step"),
        ]
        with mock.patch("arabesque.script.Project", side_effect=AssertionError("began to work")):
            for arguments in cases:
                with self.subTest(arguments):
                    code, _, complaint = run(*arguments)
                    self.assertEqual((code, complaint.count("\n")), (1, 1), complaint)
        self.assertEqual(protected.read_text(), "mine")

    def test_endings_are_those_of_what_writes(self) -> None:
        self.assertEqual(set(common.SURFACES), set(script._KINDS))
        self.assertEqual(common.MESHES, MESH_SUFFIXES)
        for command, kinds in ((fit_report, report_files.KINDS), (sheet_command, sheet_files.KINDS)):
            parser = argparse.ArgumentParser()
            command.arguments(parser)
            (out,) = [action for action in parser._actions if "--out" in action.option_strings]
            self.assertEqual(out.type("x.pdf").endings, kinds)  # type: ignore[misc, operator]

    def test_every_command_says_what_it_needs(self) -> None:
        """``./start`` asks the commands' own modules: joins, prepare, guide and desktop want no window's libraries."""
        root = Path(__file__).parent.parent
        words = [command.WORD for command in COMMANDS]
        script = ". tools/setup.sh; " + "; ".join(f"system_of {word}" for word in [*words, "open", "--help"])
        done = subprocess.run(["bash", "-c", script], cwd=root, capture_output=True, text=True, check=True)
        told = dict(zip([*words, "open", "--help"], done.stdout.split(), strict=True))
        self.assertEqual({word: told[word] for word in words}, {c.WORD: c.SYSTEM for c in COMMANDS})
        self.assertEqual((told["open"], told["--help"]), ("window", "nothing"))
        self.assertNotIn("window", {told[word] for word in ("joins", "prepare", "guide", "desktop")})

    def test_a_scripts_fault_is_shown_from_its_own_first_line(self) -> None:
        script = self.folder / "wrong.py"
        script.write_text("def deep():\n    return 1 / 0\n\ndeep()\n")
        code, _, complaint = run("run", script)
        self.assertEqual(code, 1)
        self.assertIn("ZeroDivisionError", complaint)
        self.assertIn("in deep", complaint)
        self.assertNotIn("run_script", complaint)
        self.assertNotIn("runpy", complaint)

    def test_a_guide_goes_into_an_empty_folder(self) -> None:
        out = self.folder / "site"
        out.mkdir()
        (out / "index.html").write_text("my own page")
        code, _, complaint = run("guide", "--out", out)
        self.assertEqual(code, 1)
        self.assertIn("holds other files", complaint)
        self.assertEqual((out / "index.html").read_text(), "my own page")
        (out / "index.html").unlink()
        self.assertEqual([run("guide", "--out", out)[0] for _ in range(2)], [0, 0])

    def test_version(self) -> None:
        code, printed, _ = run("--version")
        self.assertEqual((code, printed.split()[0]), (0, "Arabesque"))
