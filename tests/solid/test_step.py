"""STEP files and the kernel's worker process."""

import os
import signal
import threading
import time
import unittest

import numpy as np

from arabesque.errors import FileProblem, KernelProblem
from arabesque.geometry import Surface
from arabesque.progress import Cancelled, silent
from arabesque.solid import KernelWorker, read_step, write_step
from tests.examples import random_surface
from tests.reference import teapot_patches
from tests.solid.support import KernelTest


class StepTest(KernelTest):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.step"

    def test_surfaces_come_back_with_names(self) -> None:
        items = [
            ("Left flank", random_surface((3, 4), (2, 3))),
            ("Über", random_surface((2, 5), (1, 1), rational=True)),
            ("Steep", random_surface((7, 7), (1, 2), seed=3)),
        ]
        write_step(self.path, items, self.worker)
        self.assertIn("MILLI", self.path.read_text(encoding="latin-1"))
        faces = read_step(self.path, self.worker)
        self.assertEqual([name for name, _ in faces], [name for name, _ in items])
        for (_, read), (_, surface) in zip(faces, items, strict=True):
            self.assertIs(type(read), Surface)
            self.assertEqual(read.degree, surface.degree)
            np.testing.assert_allclose(read.points, surface.points, atol=1e-9)
            for ours, theirs in zip(surface.knots, read.knots, strict=True):
                np.testing.assert_allclose(ours, theirs, atol=1e-12)

    def test_the_kernel_evaluates_as_we_do(self) -> None:
        uv = np.random.default_rng(0).random((60, 2))
        for surface in (random_surface((5, 3), (2, 4)), random_surface((3, 3), (2, 1), rational=True)):
            record = {
                "degree": surface.degree, "knots": surface.knots, "points": surface.points, "weights": surface.weights,
            }  # fmt: skip
            theirs = self.worker.call("evaluate", record, uv)
            np.testing.assert_allclose(surface.derivatives(uv), theirs, atol=1e-7)

    def test_teapot_goes_out_and_comes_in(self) -> None:
        patches = [(f"patch {n}", Surface.bezier(points)) for n, points in enumerate(teapot_patches())]
        write_step(self.path, patches, self.worker)
        faces = read_step(self.path, self.worker)
        self.assertEqual(len(faces), 32)
        for (_, read), (_, surface) in zip(faces, patches, strict=True):
            np.testing.assert_allclose(read.points, surface.points, atol=1e-9)

    def test_bad_files_and_places_are_told(self) -> None:
        (self.folder / "text.step").write_text("hello", encoding="ascii")
        (self.folder / "cut.step").write_text("ISO-10303-21;\nHEADER;\n", encoding="ascii")
        for name in ("text.step", "cut.step", "none.step", ""):
            with self.subTest(name), self.assertRaises(FileProblem):
                read_step(self.folder / name, self.worker)
        surface = random_surface((2, 2), (1, 1))
        for path in (self.folder / "no" / "a.step", self.folder, self.folder / "a.txt"):
            with self.subTest(path), self.assertRaises(FileProblem):
                write_step(path, [("a", surface)], self.worker)
        with self.assertRaises(FileProblem):
            write_step(self.path, [], self.worker)
        self.assertEqual({p.name for p in self.folder.iterdir()}, {"text.step", "cut.step"})

    def test_a_collapsed_patch_is_refused_by_name(self) -> None:
        surface = random_surface((2, 2), (1, 1))
        collapsed = surface.with_points(np.zeros_like(surface.points))
        with self.assertRaisesRegex(KernelProblem, "'Bad'"):
            write_step(self.path, [("Bad", collapsed)], self.worker)
        self.assertFalse(self.path.exists())


class WorkerTest(unittest.TestCase):
    def test_a_crash_is_told_and_the_next_call_works(self) -> None:
        worker = KernelWorker()
        self.addCleanup(worker.close)
        record = {"degree": (1, 1), "knots": ([0, 0, 1, 1],) * 2, "points": np.zeros((2, 2, 3)), "weights": None}
        worker.call("evaluate", record, np.zeros((1, 2)))

        def crash(fraction: float, message: str) -> None:
            os.kill(worker._process.pid, signal.SIGKILL)

        with self.assertRaisesRegex(KernelProblem, "crashed"):
            worker.call("evaluate", record, np.random.default_rng(0).random((300_000, 2)), progress=crash)
        self.assertEqual(worker.call("evaluate", record, np.zeros((1, 2))).shape, (3, 3, 1, 3))

    def test_a_hang_is_ended(self) -> None:
        worker = KernelWorker(time_limit=0.0)
        self.addCleanup(worker.close)
        with self.assertRaisesRegex(KernelProblem, "did not answer"):
            worker.call("prepare")

    def test_a_process_that_stands_still_is_ended_while_it_is_written_to(self) -> None:
        """SIGSTOP: a pipe takes some KB and then nothing more. The limit, a cancel and closing end the sending, too."""
        large = np.zeros(4_000_000)

        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        for ends in ("limit", "cancel", "close"):
            with self.subTest(ends):
                worker = KernelWorker(time_limit=0.5 if ends == "limit" else 60.0)
                self.addCleanup(worker.close)
                worker._started()
                process = worker._process
                assert process is not None
                os.kill(process.pid, signal.SIGSTOP)
                if ends == "close":
                    threading.Timer(0.5, worker.close).start()
                began = time.monotonic()
                with self.assertRaises(Cancelled if ends == "cancel" else KernelProblem):
                    worker.call("evaluate", large, large, progress=stop if ends == "cancel" else silent)
                self.assertLess(time.monotonic() - began, 20)
                self.assertIsNotNone(process.poll())

    def test_cancel_ends_the_call(self) -> None:
        worker = KernelWorker()
        self.addCleanup(worker.close)

        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            worker.call("prepare", progress=stop)
        self.assertIsNone(worker.call("prepare"))
