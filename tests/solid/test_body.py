"""Bodies: sewn, open and closed, put together; volumes and areas by their formulas, read back by another library."""

import json
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import trimesh

from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Element,
    Elementary,
    ElementaryKind,
    ElementKind,
    Plane,
    Sketch,
    Surface,
    apply,
    motion,
    split_surface,
)
from arabesque.model import any_stale, edits
from arabesque.script import Project
from arabesque.solid import (
    Body,
    FileKind,
    KernelWorker,
    combine,
    deliver,
    repeat,
    sew,
    steps,
    turns,
    with_edges,
)
from arabesque.solid.body import mirrored_half
from arabesque.solid.exchange import record_of
from tests.examples import box_body, box_sides
from tests.test_cli import run

K = ElementaryKind
FULL = (0.0, 2 * np.pi)


def rod(radius: float, x: float, y: float, low: float = -5.0, high: float = 15.0) -> Elementary:
    """A cylinder along z."""
    return Elementary.make(K.CYLINDER, motion(shift=[x, y, 0]), (radius,), (FULL, (low, high)))


class BodyTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.worker = KernelWorker()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.worker.close()

    def outwards(self, body: Body) -> None:
        """A mesh of its faces is closed up to the places along borders, and encloses its volume, looking outwards."""
        samples = body.sampler(200).read(body)
        a, b, c = np.swapaxes(samples.points[samples.triangles], 0, 1)
        self.assertAlmostEqual(float(np.einsum("nc,nc->", a, np.cross(b, c)) / 6) / body.told.volume, 1.0, delta=3e-3)
        turned = np.einsum("nc,nc->n", np.cross(b - a, c - a), samples.normals[samples.triangles[:, 0]])
        self.assertGreater(turned.min(), 0)

    def test_a_box_of_six_patches(self) -> None:
        body = box_body()
        told = body.told
        self.assertTrue(told.closed and told.valid and not told.free)
        self.assertAlmostEqual(told.volume, 6000.0, delta=6e-4)
        self.assertAlmostEqual(told.area, 2200.0, delta=2e-4)
        np.testing.assert_allclose(told.centre, [15, 10, 5], atol=1e-9)
        self.assertAlmostEqual(told.shortest, 10.0, places=9)
        self.outwards(body)

    def test_an_open_box_says_where_and_how_wide(self) -> None:
        open_ = sew([(str(k), side) for k, side in enumerate(box_sides(30, 20, 10)[:5])], 1e-4, self.worker)
        self.assertFalse(open_.told.closed)
        self.assertEqual((len(open_.told.free), open_.told.volume), (4, 0.0))
        self.assertTrue(all(np.allclose(line[:, 0], 30.0) for line in open_.told.free))
        with self.assertRaisesRegex(ArabesqueError, "open body"):
            combine("cut", open_, [rod(4, 15, 10)], self.worker)
        # two halves 0.05 mm apart: closed within 0.1, open within 0.01, and the gap is told
        sides = box_sides(30, 20, 10)
        sides[5] = sides[5].moved(motion(shift=[0.05, 0, 0]))
        parts = [(str(k), side) for k, side in enumerate(sides)]
        self.assertTrue(sew(parts, 0.1, self.worker).told.closed)
        loose = sew(parts, 0.01, self.worker)
        self.assertFalse(loose.told.closed)
        self.assertAlmostEqual(max(loose.told.widths), 0.05, places=6)
        with self.assertRaisesRegex(ArabesqueError, "more than 0 mm"):
            sew(parts, 0.0, self.worker)

    def test_boxes_inside_boxes(self) -> None:
        """Four skins, one inside the other: the second is a hollow of the first, the third a body in it, hollow too."""
        sides = []
        for k in range(4):
            shift = motion(shift=[2.0 * k] * 3)
            sides += [side.moved(shift) for side in box_sides(30 - 4.0 * k, 20 - 4.0 * k, 16 - 4.0 * k)]
        told = sew([(str(k), side) for k, side in enumerate(sides)], 1e-4, self.worker).told
        self.assertTrue(told.closed and told.valid)
        self.assertAlmostEqual(told.volume, 30 * 20 * 16 - 26 * 16 * 12 + 22 * 12 * 8 - 18 * 8 * 4, delta=1e-3)

    def test_cut_added_and_in_common(self) -> None:
        """A rod of 4 mm through a box of 6000 mm³; one that stands out of it by 5 mm; a ball in its corner."""
        body, area = box_body(), np.pi * 16
        for how, wanted in (("cut", 6000 - area * 10), ("add", 6000 + area * 10), ("common", area * 10)):
            made = combine(how, body, [rod(4, 15, 10)], self.worker)
            self.assertTrue(made.told.closed and made.told.valid)
            self.assertAlmostEqual(made.told.volume / wanted, 1.0, delta=1e-7)
            self.outwards(made)
        ball = Elementary.make(K.SPHERE, np.eye(4), (6.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        made = combine("cut", body, [ball], self.worker)
        self.assertAlmostEqual(made.told.volume, 6000 - 4 / 3 * np.pi * 216 / 8, delta=1e-3)
        many = combine("cut", body, [rod(1, x, y) for x in (5, 15, 25) for y in (5, 15)], self.worker)
        self.assertAlmostEqual(many.told.volume, 6000 - 6 * np.pi * 10, delta=1e-3)
        with self.assertRaisesRegex(ArabesqueError, "nothing in common"):
            combine("common", body, [rod(4, 100, 10)], self.worker)
        with self.assertRaisesRegex(ArabesqueError, "not closed bounds no solid"):
            half = Elementary.make(K.CYLINDER, np.eye(4), (4.0,), ((0.0, np.pi), (0.0, 9.0)))
            combine("cut", body, [half], self.worker)

    def test_flat_openings_are_capped(self) -> None:
        sides = [(str(k), side) for k, side in enumerate(box_sides(30, 20, 10)[2:])]
        self.assertEqual(len(sew(sides, 1e-4, self.worker).told.free), 8)
        made = sew(sides, 1e-4, self.worker, cap=True)
        self.assertTrue(made.told.closed)
        self.assertAlmostEqual(made.told.volume, 6000.0, delta=6e-4)
        tube = sew([("wall", rod(4, 15, 10))], 1e-4, self.worker, cap=True)
        self.assertAlmostEqual(tube.told.volume / (16 * np.pi * 20), 1.0, delta=1e-7)

    def test_edges_rounded_and_cut_off(self) -> None:
        """An edge of length L loses (1 - pi / 4) r² L to a round and s² / 2 L to a chamfer; the rim of a hole of
        radius R loses to a round what Pappus' theorem says of the section that turns round the axis."""
        body, radius = box_body(), 2.0
        lost = (1 - np.pi / 4) * radius**2
        for place, length in (([15.0, 0, 10], 30), ([30.0, 10, 0], 20), ([0.0, 20, 5], 10)):
            made = with_edges(body, np.array([place]), radius, False, self.worker)
            self.assertTrue(made.told.valid and made.told.closed)
            self.assertAlmostEqual(6000 - made.told.volume, lost * length, delta=1e-3)
            self.outwards(made)
            made = with_edges(body, np.array([place]), radius, True, self.worker)
            self.assertAlmostEqual(6000 - made.told.volume, radius**2 / 2 * length, delta=1e-3)
        hole = combine("cut", body, [rod(4, 15, 10)], self.worker)
        made = with_edges(hole, np.array([[11.0, 10, 10]]), 1.0, False, self.worker)
        # what a quarter circle leaves of a square of side 1
        area = 1 - np.pi / 4
        centre = (1 / 2 - (1 - 4 / (3 * np.pi)) * np.pi / 4) / area  # from the corner of the square
        self.assertAlmostEqual(hole.told.volume - made.told.volume, area * 2 * np.pi * (4 + centre), delta=1e-2)
        with self.assertRaisesRegex(ArabesqueError, "cannot be rounded by 30 mm"):
            with_edges(body, np.array([[15.0, 0, 10]]), 30.0, False, self.worker)
        with self.assertRaisesRegex(ArabesqueError, "more than 0 mm"):
            with_edges(body, np.array([[15.0, 0, 10]]), 0.0, False, self.worker)

    def test_repeated_round_an_axis_and_along_a_line(self) -> None:
        tube = sew([("wall", rod(2, 5, 5))], 1e-4, self.worker, cap=True)
        five = repeat(tube, turns(np.array([15.0, 10, 0]), np.array([0, 0, 1.0]), 5, 2 * np.pi / 5), self.worker)
        self.assertAlmostEqual(five.told.volume, 5 * 4 * np.pi * 20, delta=1e-3)
        np.testing.assert_allclose(five.told.centre, [15, 10, 5], atol=1e-6)
        row = repeat(box_body(), steps(np.array([30.0, 0, 0]), 3), self.worker)
        self.assertAlmostEqual(row.told.volume, 18_000, delta=2e-3)
        self.assertEqual(len(row.surfaces), 6)  # those that touch are one, with faces of one plane merged

    def test_moved_and_mirrored_it_is_the_same_body(self) -> None:
        c, s = np.cos(0.7), np.sin(0.7)
        turn = motion([[c, -s, 0], [s, c, 0], [0, 0, 1]], [3, 4, 5])
        cut = combine("cut", box_body(), [rod(4, 8, 10)], self.worker)
        for other in (cut.moved(turn), cut.mirrored(Plane(np.array([1.0, 0, 0]), -2.0))):
            self.outwards(other)
            whole = combine("add", other, [box_body().moved(motion(shift=[100, 0, 0]))], self.worker)
            self.assertAlmostEqual(whole.told.volume, cut.told.volume + 6000, delta=1e-3)
        np.testing.assert_allclose(cut.moved(turn).told.centre, apply(turn, cut.told.centre[None])[0])

    def test_the_kernel_killed_meanwhile_is_asked_once_more(self) -> None:
        worker = KernelWorker()
        try:
            box = sew([(str(k), side) for k, side in enumerate(box_sides(30, 20, 10))], 1e-4, worker)
            drills = [rod(0.4, float(x), float(y)) for x in range(1, 30, 2) for y in range(1, 20, 2)]
            process = worker._process
            assert process is not None
            killer = threading.Timer(0.3, process.kill)
            killer.start()
            made = combine("cut", box, drills, worker)
            killer.join()
            self.assertIsNot(worker._process, process)
            self.assertAlmostEqual(made.told.volume, 6000 - len(drills) * np.pi * 0.16 * 10, delta=0.01)
        finally:
            worker.close()

    def test_delivered_as_a_solid_and_read_by_another_library(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            cut = combine("cut", box_body(), [rod(4, 15, 10)], self.worker).moved(motion(shift=[7, 0, 0]))
            path, mesh = Path(folder) / "b.step", Path(folder) / "b.stl"
            deliver(path, [("Part", cut)], FileKind.STEP_AP242, self.worker)
            (facts,) = self.worker.call("body_facts", str(path))
            self.assertTrue(facts["solid"] and facts["valid"])
            self.assertAlmostEqual(facts["volume"], cut.told.volume, delta=1e-3)
            deliver(mesh, [("Part", cut)], FileKind.STL, self.worker, chord=0.01)
            self.assertAlmostEqual(abs(float(trimesh.load(mesh).volume)), cut.told.volume, delta=3.0)
            code, said, _ = run("check-body", path, "--report", Path(folder) / "r.json", "--unit", "cm")
            self.assertEqual(code, 0)
            self.assertIn("closed, valid", said)
            (told,) = json.loads((Path(folder) / "r.json").read_text())["bodies"]
            self.assertAlmostEqual(told["volume"], cut.told.volume / 1000, delta=1e-6)
            self.assertEqual((told["self_intersections"], told["closed"]), (0, True))
            self.assertAlmostEqual(told["thinnest_wall"], 0.6, delta=1e-4)  # between the hole and the side at y = 0
            code, _, problem = run("check-body", mesh)
            self.assertEqual(code, 1)
            self.assertIn("cannot be read as STEP", problem)


class ClosedFaceTest(unittest.TestCase):
    def test_balls_and_rings_are_solids(self) -> None:
        """Closed and valid they had no volume: 4/3 π r³ and 2 π² R r² (Pappus)."""
        worker = KernelWorker()
        self.addCleanup(worker.close)
        ball = Elementary.make(K.SPHERE, np.eye(4), (20.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        ring = Elementary.make(K.TORUS, np.eye(4), (40.0, 10.0), (FULL, FULL))
        for shape, volume in ((ball, 4 / 3 * np.pi * 8000), (ring, 2 * np.pi**2 * 40 * 100)):
            body = sew([("face", shape)], 1e-3, worker)
            self.assertTrue(body.told.closed and body.told.valid)
            self.assertAlmostEqual(body.told.volume / volume, 1.0, delta=1e-7)

    def test_a_cap_that_holds_its_pole(self) -> None:
        """Of a ball of 20 above z = 5: 2 π r h of area (Archimedes), one free border, and h² π (3 r - h) / 3 once its
        disc is there (1228 of 1885 mm², three borders, and not closed before)."""
        with Project() as project:
            ball = project.add("Ball", Elementary.make(K.SPHERE, np.eye(4), (20.0,), (FULL, (-np.pi / 2, np.pi / 2))))
            flat = Elementary.make(K.PLANE, motion(shift=[0, 0, 5.0]), (), ((-30.0, 30.0), (-30.0, 30.0)))
            plane = project.add("Plane", flat)
            cap = project.trim(ball, plane, keep=[(0, 0, 20.0)])
            disc = project.trim(plane, ball, keep=[(0, 0, 5.0)])
            alone = project.told_of_body(project.sew([cap]))
            self.assertEqual(len(alone.free), 1)
            self.assertAlmostEqual(alone.area / (2 * np.pi * 20 * 15), 1.0, delta=1e-5)
            for whole in (project.sew([cap], cap=True), project.sew([cap, disc])):
                told = project.told_of_body(whole)
                self.assertTrue(told.closed and told.valid)
                self.assertAlmostEqual(told.volume / (np.pi * 15**2 * (60 - 15) / 3), 1.0, delta=1e-6)

    def test_a_half_that_ends_at_the_plane(self) -> None:
        worker = KernelWorker()
        self.addCleanup(worker.close)
        for offset, volume in ((0.0, 12000.0), (30.0, 12000.0), (5.0, 10000.0)):
            made = mirrored_half(box_body(), Plane(np.array([1.0, 0, 0]), offset), worker)
            self.assertTrue(made.told.valid and made.told.closed)
            self.assertAlmostEqual(made.told.volume, volume, delta=1e-6)


class TruthTest(unittest.TestCase):
    def test_tools_that_touch_and_inputs_that_are_shaken(self) -> None:
        """Five sectors that only touch, and slots that overlap, shaken by 1e-12 of their size: additivity each time."""
        from arabesque.solid.booleans import put_together
        from arabesque.solid.solids import solid_of, volume_of

        rng = np.random.default_rng(3)
        quarter = {"of": "cylinder", "sizes": (20.0,), "bounds": (FULL, (0.0, 10.0)), "frame": np.eye(4)}
        wedge = record_of(box_body())
        for _ in range(20):
            boxes = []
            for k in range(5):
                # five boxes side by side along x, each shaken
                frame = motion(shift=[30.0 * k, 0, 0])
                frame[:3, 3] += rng.uniform(-1, 1, 3) * 1e-12 * 150
                boxes.append(solid_of({**wedge, "motion": frame @ wedge["motion"]}))
            row = put_together("add", boxes[0], boxes[1:], volume=5 * 6000.0)
            self.assertAlmostEqual(volume_of(row), 30_000.0, delta=0.01)
            frame = motion(shift=[75.0, 10, 0])
            frame[:3, 3] += rng.uniform(-1, 1, 3) * 1e-12 * 150
            hole = solid_of({**quarter, "sizes": (4.0,), "frame": frame, "bounds": (FULL, (-1.0, 11.0))})
            cut = put_together("cut", row, [hole])
            self.assertAlmostEqual(volume_of(cut), 30_000 - np.pi * 16 * 10, delta=0.05)

    def test_a_cut_never_grows_and_a_missed_change_is_no_change(self) -> None:
        """What is larger than what it was cut from is refused whatever the kernel says of it, and so is nothing, where
        volumes tell that something was taken."""
        from arabesque.errors import KernelProblem
        from arabesque.solid import booleans
        from arabesque.solid.solids import solid_of

        box, post = solid_of(record_of(box_body())), solid_of(record_of(rod(4, 15, 10, 0.0, 20.0)))
        larger = booleans.put_together("add", box, [post])
        with mock.patch.object(booleans, "_at_once", return_value=larger), self.assertRaises(KernelProblem):
            booleans.put_together("cut", box, [post])
        with (
            mock.patch.object(booleans, "_at_once", return_value=booleans.together([])),
            self.assertRaisesRegex(KernelProblem, "could not be told"),
        ):
            booleans.pieces_without(larger, box)

    def test_what_the_kernel_missed_is_seen(self) -> None:
        """A box from which one of two rods was not cut, or to which one was not added, is not what was asked for."""
        from arabesque.solid.booleans import put_together
        from arabesque.solid.solids import solid_of
        from arabesque.solid.truth import comes_true

        box = solid_of(record_of(box_body()))
        rods = [solid_of(record_of(rod(4, x, 10))) for x in (8, 22)]
        for how in ("cut", "add", "common"):
            both, one = (put_together(how, box, tools) for tools in (rods, rods[:1]))
            self.assertTrue(comes_true(how, box, rods, both), how)
            self.assertFalse(comes_true(how, box, rods, one), how)


class CommandTest(unittest.TestCase):
    def test_sewn_thickened_cut_and_written(self) -> None:
        """Files from outside: loose sides become a box with a hole and a rod cut away; a sheet becomes a plate."""
        with tempfile.TemporaryDirectory() as folder, Project() as project:
            loose, tool, sheet = (Path(folder) / f"{name}.step" for name in ("loose", "tool", "sheet"))
            out, report = Path(folder) / "out.step", Path(folder) / "r.json"
            project.export(loose, [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))])
            drawn = Sketch(motion(shift=[5, 10, 0]), [[0.0, 0], [2, 0]], (Element(ElementKind.CIRCLE, (0, 1)),))
            post = project.profile_body(project.add("Post", drawn), ahead=15, back=5, way=[0, 0, 1])
            project.export(tool, [project.item(post.id)])
            project.export(sheet, [project.add("Sheet", box_sides(30, 20, 10)[0])])
            cuts = ("--cut", "15,10,10", "0,0,1", "8", "--cut", "25,10,10", "0,0,1", "4", "3", "--cut", tool)
            code, said, problem = run("body", loose, *cuts, "--out", out, "--report", report)
            self.assertEqual((code, problem), (0, ""))
            self.assertIn("closed, valid", said)
            (told,) = json.loads(report.read_text())["bodies"]
            self.assertAlmostEqual(told["volume"], 6000 - np.pi * (160 + 12 + 40), delta=1e-3)
            (facts,) = self.facts(out)
            self.assertTrue(facts["solid"] and facts["valid"])
            code, _, _ = run("body", sheet, "--thicken", "0.25", "--side", "both", "--unit", "cm", "--out", out,
                             "--rims", "rounded", "--report", report)  # fmt: skip
            self.assertEqual(code, 0)
            (told,) = json.loads(report.read_text())["bodies"]
            self.assertGreater(told["volume"], 3 * 2 * 0.25)
            self.assertAlmostEqual(told["thinnest_wall"], 0.25, delta=1e-4)
            for words, problem_words in (
                (("--cut", "1,2,3", "0,0,1"), "is no cut"),
                (("--cut", "a", "0,0,1", "8"), "is no cut"),
                (("--cut", Path(folder) / "none.step"), "none.step"),
                (("--thicken", "-2"), "more than 0 mm"),
            ):
                code, _, problem = run("body", loose, *words, "--out", out)
                self.assertEqual(code, 1)
                self.assertIn(problem_words, problem)

    def facts(self, path: Path) -> list[dict[str, object]]:
        worker = KernelWorker()
        try:
            found: list[dict[str, object]] = worker.call("body_facts", str(path))
        finally:
            worker.close()
        return found

    def test_bodies_of_a_file(self) -> None:
        with tempfile.TemporaryDirectory() as folder, Project() as project:
            path = Path(folder) / "two.step"
            worker = KernelWorker()
            worker.call("write_primitives", str(path), [("ball", 3.0, (0, 0, 0)), ("rod", 2.0, (20, 0, 0))])
            worker.close()
            ball, rod_ = project.open_bodies(path)
            self.assertAlmostEqual(project.told_of_body(ball).volume, 36 * np.pi, delta=1e-5)
            self.assertAlmostEqual(project.told_of_body(rod_).volume, 120 * np.pi, delta=1e-5)
            with self.assertRaisesRegex(ArabesqueError, "none.step"):
                project.open_bodies(Path(folder) / "none.step")


class ProjectTest(unittest.TestCase):
    def test_bodies_follow_are_kept_and_fail_with_a_reason(self) -> None:
        with tempfile.TemporaryDirectory() as folder, Project() as project:
            sides = [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))]
            drill = project.add("Drill", rod(4, 15, 10))
            box = project.sew(sides)
            self.assertEqual([item.look.visible for item in project.items[:6]], [False] * 6)
            cut = project.cut(box, drill)
            self.assertAlmostEqual(project.told_of_body(cut).volume, 6000 - 160 * np.pi, delta=1e-3)
            project.reshape(drill, rod(5, 15, 10), "wider")
            self.assertFalse(any_stale(project.document))
            self.assertAlmostEqual(project.told_of_body(cut).volume, 6000 - 250 * np.pi, delta=1e-3)
            path = Path(folder) / "box.arabesque"
            project.save(path)
            lifted = sides[1].shape.with_points(sides[1].shape.points + np.array([0, 0, 3.0]))
            project.reshape(sides[1], lifted, "lifted")
            self.assertIn("open body", project.item(cut.id).trouble)
            self.assertAlmostEqual(project.told_of_body(cut).volume, 6000 - 250 * np.pi, delta=1e-3)
            with Project() as again:
                again.open(path)
                body = again.item(cut.name)
                self.assertAlmostEqual(again.told_of_body(body).volume, 6000 - 250 * np.pi, delta=1e-3)
                again.reshape(again.item("Drill"), rod(4, 15, 10), "narrower")
                self.assertAlmostEqual(again.told_of_body(body).volume, 6000 - 160 * np.pi, delta=1e-3)
            project.undo()
            self.assertEqual(project.item(cut.id).trouble, "")
            added = project.add(box, drill)
            self.assertAlmostEqual(project.told_of_body(added).volume, 6000 + 250 * np.pi, delta=1e-3)
            with self.assertRaisesRegex(ArabesqueError, "is no body"):
                project.told_of_body(drill)

    def test_rounded_repeated_and_followed(self) -> None:
        with Project() as project:
            sides = [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))]
            box = project.sew(sides)
            soft = project.round_body(box, [[15.0, 0, 10], [15.0, 20, 10]], 2.0)
            bevelled = project.chamfer(soft, [15.0, 0, 0], 1.0)
            lost = (1 - np.pi / 4) * 4 * 60 + 0.5 * 30
            self.assertAlmostEqual(project.told_of_body(bevelled).volume, 6000 - lost, delta=2e-3)
            row = project.repeat(bevelled, 3, [0, 1, 0], step=50.0)
            self.assertAlmostEqual(project.told_of_body(row).volume, 3 * (6000 - lost), delta=5e-3)
            longer = [side.moved(motion()) for side in box_sides(40, 20, 10)]
            for item, shape in zip(sides, longer, strict=True):
                project.reshape(item, shape, "longer")
            lost = (1 - np.pi / 4) * 4 * 80 + 0.5 * 40
            self.assertAlmostEqual(project.told_of_body(row).volume, 3 * (8000 - lost), delta=5e-3)
            with self.assertRaisesRegex(ArabesqueError, "twice at least"):
                project.repeat(bevelled, 1, [0, 1, 0])

    def test_faces_of_one_plane_are_merged(self) -> None:
        with Project() as project:
            halves = [half for side in box_sides(30, 20, 10) for half in split_surface(side, 0, 0.5)]
            items = [project.add(f"Half {k}", half) for k, half in enumerate(halves)]
            self.assertEqual(len(project.sew(items).shape.surfaces), 12)
            merged = project.sew(items, merge=True)
            self.assertEqual(len(merged.shape.surfaces), 6)
            self.assertAlmostEqual(project.told_of_body(merged).volume, 6000.0, delta=6e-4)
            soft = project.round(merged, [15.0, 0, 10], 2.0)
            self.assertAlmostEqual(project.told_of_body(soft).volume, 6000 - (4 - np.pi) * 30, delta=1e-3)

    def test_layer_look_and_name_are_copied(self) -> None:
        with Project() as project:
            sides = [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))]
            document = edits.items.on_new_layer(project.document, sides[0]).document
            project._do(edits.items.dimmed(document, document[sides[0].id], True))
            project.make_like(project.item("Side 0"), sides[1:3])
            named = [project.item(side.id) for side in sides[:4]]
            self.assertEqual([item.layer for item in named[:3]], [named[0].layer] * 3)
            self.assertIsNone(named[3].layer)
            self.assertTrue(all(item.look.dimmed for item in named[:3]))
            self.assertTrue(all(item.name.startswith("Side 0") for item in named[:3]))
            # a body lies on the layer of the first that it is made of
            self.assertEqual(project.sew(sides).layer, named[0].layer)
            with self.assertRaisesRegex(ArabesqueError, "Select several"):
                project.make_like(sides[0], [])

    def test_surfaces_alone_are_no_solids(self) -> None:
        with Project() as project:
            flat = project.add("Flat", Surface.bezier([[[0.0, 0, 0], [0, 9, 0]], [[9, 0, 0], [9, 9, 0]]]))
            drill = project.add("Drill", rod(4, 15, 10))
            with self.assertRaisesRegex(ArabesqueError, "Only bodies and true shapes"):
                project.cut(flat, drill)
            with self.assertRaisesRegex(ArabesqueError, "alone is no body"):
                project.cut(drill, drill)


if __name__ == "__main__":
    unittest.main()
