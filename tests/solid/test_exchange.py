"""Other kinds of files: IGES, STEP AP242, triangles; units; analytic faces and curves."""

import re

import numpy as np

from arabesque.errors import ArabesqueError, FileProblem
from arabesque.geometry import Curve, Elementary, ElementaryKind, Patchwork, Surface, surface_curvature, uniform_knots
from arabesque.scan import read_scan
from arabesque.solid import FileKind, deliver, read_model, shown_part
from tests.examples import random_surface
from tests.solid.support import KernelTest

CURVE = Curve(3, uniform_knots(3, 2), np.random.default_rng(0).normal(size=(5, 3)) * 10)


class PatchworkTest(KernelTest):
    def test_patches_that_share_borders_are_one_shell(self) -> None:
        """Nine patches in three rows: 24 edges, 12 of them free, read by the kernel as another system would; one shell
        in the text of the file."""
        patches = [
            Surface.bezier([[[i, j, 0.1 * i * j] for j in (b, b + 1)] for i in (a, a + 1)])
            for a in range(3)
            for b in range(3)
        ]
        for kind, name in ((FileKind.STEP_AP214, "net.step"), (FileKind.IGES, "net.igs")):
            deliver(self.folder / name, [("Net", Patchwork(tuple(patches)))], kind, self.worker)
        text = (self.folder / "net.step").read_text()
        self.assertEqual([text.count(word) for word in ("OPEN_SHELL(", "ADVANCED_FACE(", "EDGE_CURVE(")], [1, 9, 24])
        (facts,) = self.worker.call("body_facts", str(self.folder / "net.step"))
        self.assertEqual((facts["faces"], facts["free_edges"], facts["valid"]), (9, 12, True))
        self.assertEqual(len(read_model(self.folder / "net.igs", self.worker).faces), 9)


class ExchangeTest(KernelTest):
    def setUp(self) -> None:
        super().setUp()
        self.items: list[tuple[str, Surface | Curve]] = [
            ("Flank", random_surface((3, 4), (2, 1))),
            ("Round", random_surface((2, 2), (1, 1), rational=True)),
            ("Line", CURVE),
        ]

    def test_every_kind_and_unit_comes_back_in_millimetres(self) -> None:
        for kind in (FileKind.STEP_AP214, FileKind.STEP_AP242, FileKind.IGES):
            for unit in ("mm", "cm", "m", "inch"):
                with self.subTest(kind=kind, unit=unit):
                    path = self.folder / f"a{kind.suffix}"
                    deliver(path, self.items, kind, self.worker, unit)
                    model = read_model(path, self.worker)
                    self.assertEqual(len(model.faces), 2)
                    for (read, surface), (name, shape) in zip(model.faces, self.items, strict=False):
                        self.assertEqual(read, name)
                        np.testing.assert_allclose(surface.points, shape.points, atol=1e-8)
                    self.assertEqual(len(model.curves), 1)
                    np.testing.assert_allclose(model.curves[0][1].points, CURVE.points, atol=1e-8)

    def test_a_face_without_bounds_does_not_cost_the_others(self) -> None:
        """An endless plane or cylinder: told by name, or in one line where the file holds nothing else."""
        rod = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (5.0,), ((0.0, 2.0), (0.0, 9.0)))
        path = self.folder / "endless.step"
        for others in ([self.items[0]], []):
            deliver(path, [("Rod", rod), *others], FileKind.STEP_AP214, self.worker)
            text = path.read_text()
            endless = re.sub(r"(ADVANCED_FACE\('[^']*',\s*)\([^)]*\)", r"\1()", text, count=1)
            self.assertNotEqual(endless, text)
            path.write_text(endless)
            model = read_model(path, self.worker)
            self.assertEqual(len(model.faces), len(others))
            self.assertEqual([why for _, why in model.skipped], ["It has no bounds"])

    def test_schemas_are_named_in_the_file(self) -> None:
        for kind, words in ((FileKind.STEP_AP214, "AUTOMOTIVE_DESIGN"), (FileKind.STEP_AP242, "AP242")):
            path = self.folder / "a.step"
            deliver(path, self.items, kind, self.worker)
            self.assertIn(words, path.read_text(encoding="latin-1").split("DATA;")[0])

    def test_analytic_faces_come_in_exactly(self) -> None:
        """A cylinder of radius 8 and a sphere of radius 20: every point on them, curvatures 1/8 and 1/20."""
        solids = [("rod", 8.0, (0.0, 0.0, 0.0)), ("ball", 20.0, (100.0, 0.0, 0.0))]
        self.worker.call("write_primitives", str(self.folder / "a.step"), solids)
        model = read_model(self.folder / "a.step", self.worker)
        uv = 0.1 + 0.8 * np.random.default_rng(0).random((100, 2))
        seen = set()
        for _, whole in model.faces:
            surface = shown_part(whole)
            (u0, u1), (v0, v1) = surface.domain
            places = np.array([u0, v0]) + uv * [u1 - u0, v1 - v0]
            points, bend = surface.at(places), surface_curvature(surface, places)
            largest = np.maximum(np.abs(bend.largest), np.abs(bend.smallest))
            if np.allclose(largest, 1 / 8, atol=1e-9):
                seen.add("cylinder")
                np.testing.assert_allclose(np.hypot(points[:, 0], points[:, 1]), 8, atol=1e-9)
            elif np.allclose(largest, 1 / 20, atol=1e-9):
                seen.add("sphere")
                np.testing.assert_allclose(np.linalg.norm(points - [100, 0, 0], axis=1), 20, atol=1e-9)
            elif np.allclose(largest, 0, atol=1e-9):
                seen.add("plane")
        self.assertEqual(seen, {"cylinder", "sphere", "plane"})

    def test_what_iges_cannot_hold_is_written_otherwise_and_told(self) -> None:
        """Texts of IGES 5.3 are ASCII; a torus closed both ways came back as a face without a valid border."""
        turn = (0.0, 2 * np.pi)
        torus = Elementary.make(ElementaryKind.TORUS, np.eye(4), (40.0, 9.0), (turn, turn))
        items = [("Fl\u00e4che", self.items[0][1]), ("\u66f2\u9762", CURVE), ("Ring", torus)]
        notes = deliver(self.folder / "a.igs", items, FileKind.IGES, self.worker)
        self.assertEqual(len(notes), 3)
        model = read_model(self.folder / "a.igs", self.worker)
        self.assertEqual([name for name, _ in model.faces], ["Flache", "Ring", "Ring"])
        self.assertEqual([name for name, _ in model.curves], ["Curve 2"])
        self.assertEqual([type(surface) for _, surface in model.faces[1:]], [Surface, Surface])
        points = np.concatenate([s.at(np.random.default_rng(0).random((50, 2)) * 3) for _, s in model.faces[1:]])
        off = (np.hypot(points[:, 0], points[:, 1]) - 40) ** 2 + points[:, 2] ** 2
        np.testing.assert_allclose(off, 81, atol=1e-6)
        self.assertEqual(deliver(self.folder / "a.step", items, FileKind.STEP_AP214, self.worker), [])
        names = {name for name, _ in read_model(self.folder / "a.step", self.worker).faces}
        self.assertEqual(names, {"Fl\u00e4che", "Ring"})

    def test_triangles_keep_the_chord_tolerance(self) -> None:
        surface = random_surface((4, 4), (2, 2))
        for chord in (0.5, 0.02):
            for kind in (FileKind.STL, FileKind.OBJ, FileKind.PLY):
                path = self.folder / f"a{kind.suffix}"
                deliver(path, [("a", surface)], kind, self.worker, chord=chord)
                scan = read_scan(path)
                fine = surface.on_grid(np.linspace(0, 1, 150), np.linspace(0, 1, 150))[0, 0].reshape(-1, 3)
                self.assertLess(scan.closest(fine).distance.max(), chord)
        deliver(self.folder / "b.stl", [("a", surface)], FileKind.STL, self.worker, unit="inch")
        self.assertAlmostEqual(read_scan(self.folder / "b.stl", "inch").diagonal / scan.diagonal, 1, places=3)

    def test_refusals_leave_the_old_file(self) -> None:
        path = self.folder / "a.igs"
        path.write_text("old", encoding="ascii")
        collapsed = self.items[0][1].with_points(np.zeros_like(self.items[0][1].points))
        with self.assertRaises(ArabesqueError):
            deliver(path, [("Bad", collapsed)], FileKind.IGES, self.worker)
        with self.assertRaises(FileProblem):
            deliver(path, [("Line", CURVE)], FileKind.STL, self.worker)
        with self.assertRaises(FileProblem):
            read_model(path, self.worker)
        with self.assertRaises(ArabesqueError):
            deliver(self.folder / "b.stl", self.items, FileKind.STL, self.worker, chord=0.0)
        self.assertEqual(path.read_text(encoding="ascii"), "old")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.igs"])
