"""Mutated files: always a clear error or a good scan or project, never a crash, a hang or a traceback."""

import random
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.model import Document, Item, Project, load_project, rescue_project, save_project
from arabesque.scan import read_scan, write_scan
from tests.examples import random_surface, sphere

ROUNDS = 150
SLOWEST = 10.0


def mutated(content: bytes, rng: random.Random) -> bytes:
    """A few bytes changed, cut out, doubled or put in; sometimes the end is gone."""
    data = bytearray(content)
    for _ in range(rng.randint(1, 6)):
        at = rng.randrange(len(data)) if len(data) > 1 else 0
        if rng.random() < 0.4:
            at = min(at, rng.randrange(200))  # headers break most
        kind = rng.randrange(5)
        if kind == 0 and data:
            data[at % len(data)] = rng.randrange(256)
        elif kind == 1:
            del data[at : at + rng.randint(1, 40)]
        elif kind == 2:
            data[at:at] = data[at : at + rng.randint(1, 40)]
        elif kind == 3:
            data[at:at] = rng.choice([b"nan", b"-1", b"99999999999", b"1e400", b"\x00" * 4, b"\xff" * 8, b"\n"])
        elif rng.random() < 0.3:
            del data[at:]
    return bytes(data)


class FuzzTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def fuzz_scan(self, suffix: str, content: bytes) -> None:
        rng = random.Random(suffix)
        path = self.folder / f"a{suffix}"
        outcomes = {"read": 0, "refused": 0}
        for number in range(ROUNDS):
            path.write_bytes(mutated(content, rng))
            began = time.monotonic()
            try:
                scan = read_scan(path)
            except ArabesqueError as problem:
                outcomes["refused"] += 1
                self.assertTrue(problem.cause and problem.cure)
            else:
                outcomes["read"] += 1
                self.assertTrue(np.isfinite(scan.points).all())
                self.assertLess(scan.triangles.max(), len(scan.points))
            self.assertLess(time.monotonic() - began, SLOWEST, f"round {number}")
        self.assertGreater(min(outcomes.values()), 0, outcomes)

    def test_mesh_files(self) -> None:
        ball = sphere(subdivisions=1)
        for suffix in (".stl", ".ply", ".obj"):
            with self.subTest(suffix):
                write_scan(self.folder / f"good{suffix}", ball)
                self.fuzz_scan(suffix, (self.folder / f"good{suffix}").read_bytes())

    def test_ascii_stl(self) -> None:
        lines = ["solid a"]
        for corners in sphere(subdivisions=1).points[sphere(subdivisions=1).triangles][:40]:
            lines += ["facet normal 0 0 1", "outer loop"]
            lines += [f"vertex {x:.6f} {y:.6f} {z:.6f}" for x, y, z in corners]
            lines += ["endloop", "endfacet"]
        self.fuzz_scan(".stl", "\n".join([*lines, "endsolid a\n"]).encode())

    def test_project_files(self) -> None:
        document = Document()
        for n in range(3):
            document = document.with_item(Item(str(n), f"Patch {n}", random_surface((2, 3), (1, 2), seed=n)))
        path = self.folder / "a.arabesque"
        save_project(path, Project(document))
        whole, rng = path.read_bytes(), random.Random(3)
        for _ in range(2 * ROUNDS):
            path.write_bytes(mutated(whole, rng))
            for read in (load_project, rescue_project):
                try:
                    read(path)
                except ArabesqueError as problem:
                    self.assertTrue(problem.cause and problem.cure)
