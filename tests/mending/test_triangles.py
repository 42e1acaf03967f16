"""Even triangles, fewer triangles, and a whole preparation."""

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.mending import (
    Fill,
    Recipe,
    cut_by_plane,
    distance_between,
    even_triangles,
    merged,
    prepare,
    reduce_triangles,
)
from arabesque.progress import Cancelled
from arabesque.scan import Scan, examine, read_scan, rims, ring_length
from tests.examples import heron, plane, sphere
from tests.reference import propeller

EXACT_POINTS = """
import sys
import numpy as np
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.TopAbs import TopAbs_FACE
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Shape
shape = TopoDS_Shape()
BRepTools.Read_s(shape, sys.argv[1], BRep_Builder())
BRepMesh_IncrementalMesh(shape, 0.5, False, 0.3, False)
faces, points = TopExp_Explorer(shape, TopAbs_FACE), []
while faces.More():
    grid = BRep_Tool.Triangulation_s(TopoDS.Face(faces.Current()), TopLoc_Location())
    nodes = [grid.Node(i) for i in range(1, grid.NbNodes() + 1)]
    points += [(p.X(), p.Y(), p.Z()) for p in nodes]
    faces.Next()
np.save(sys.argv[2], np.array(points))
"""


class EvenTest(unittest.TestCase):
    def test_sphere(self) -> None:
        """Edges within the published bounds 4/5 to 4/3 (Botsch and Kobbelt 2004) for nearly all; area kept."""
        done = even_triangles(sphere(20.0, 5), 1.0)
        edges, _ = done.edges
        lengths = np.linalg.norm(done.points[edges[:, 0]] - done.points[edges[:, 1]], axis=1)
        self.assertGreater(((lengths > 0.7) & (lengths < 4 / 3)).mean(), 0.97)
        area = done.areas.sum()
        self.assertAlmostEqual(area / (4 * np.pi * 400), 1.0, delta=0.003)
        self.assertTrue(examine(done).watertight)
        valence = np.diff(done.adjacency.indptr)
        self.assertGreater((np.abs(valence - 6) <= 1).mean(), 0.97)

    def test_sharp_edges_stay_exactly(self) -> None:
        """A box of 12 triangles: area 5,200 and volume 24,000 to the last digits."""
        box = trimesh.creation.box((20, 30, 40))
        done = even_triangles(Scan(np.asarray(box.vertices), np.asarray(box.faces)), 2.0)
        self.assertAlmostEqual(done.area, 5200.0, places=6)
        self.assertAlmostEqual(trimesh.Trimesh(done.points, done.triangles).volume, 24000.0, places=6)

    def test_saddle_keeps_shape_and_rims(self) -> None:
        """Coarsened to 1.5 mm edges: 99 % within a tenth of the edge length, rims as long as before."""
        scan = heron().scan
        done = even_triangles(scan, 1.5)
        self.assertLess(distance_between(done, scan)["p99"], 0.15)
        self.assertEqual(examine(done).worse_than(examine(scan)), [])
        for before, after in zip(rims(scan), rims(done), strict=True):
            self.assertAlmostEqual(ring_length(done, after) / ring_length(scan, before), 1.0, delta=0.06)

    def test_fine_to_coarse_as_in_practice(self) -> None:
        """435,000 triangles to edges twice theirs or so keep their shape at a twentieth (common practice): here
        a denser sphere to a twentieth of its triangles."""
        ball = sphere(30.0, 6)
        edge = np.sqrt(20.0) * ball.edge_length
        done = even_triangles(ball, edge)
        self.assertAlmostEqual(len(ball.triangles) / len(done.triangles), 20, delta=4)
        # a sphere's height over a triangle is R² / 2 r with R = edge / sqrt(3); edges reach 4/3 of what was asked
        self.assertLess(distance_between(done, ball)["p99"], (4 / 3 * edge) ** 2 / (6 * 30.0))

    def test_propeller_and_its_exact_faces(self) -> None:
        """Points on the part's exact CAD faces (Debian occt-misc) stay as near to the evened mesh as to the file's."""
        mesh = read_scan(propeller("stl/propeller.stl"))
        done = even_triangles(mesh, 3.0)
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "points.npy"
            command = [sys.executable, "-c", EXACT_POINTS, str(propeller("occ/Propeller.rle")), str(out)]
            subprocess.run(command, check=True, timeout=120, env=os.environ)
            exact = np.load(out)
        self.assertGreater(len(exact), 2000)
        ours, files = (scan.tree.closest(exact).distance for scan in (done, mesh))
        self.assertLess(np.percentile(ours, 95), np.percentile(files, 95) + 0.25)
        self.assertEqual(examine(done).worse_than(examine(mesh)), [])

    def test_senseless_lengths_and_cancelling(self) -> None:
        for edge in (0.0, -1.0, 50.0, 1e-5):
            with self.assertRaises(ArabesqueError):
                even_triangles(sphere(10.0, 3), edge)

        def stop(fraction: float, message: str) -> None:
            if fraction > 0.3:
                raise Cancelled

        with self.assertRaises(Cancelled):
            even_triangles(sphere(10.0, 3), 0.5, stop)


class ReduceTest(unittest.TestCase):
    def test_count_and_distance(self) -> None:
        scan = heron().scan
        done = reduce_triangles(scan, 6000)
        self.assertAlmostEqual(len(done.triangles) / 6000, 1.0, delta=0.02)
        self.assertLess(distance_between(done, scan)["p99"], 0.2)
        self.assertEqual(examine(done).worse_than(examine(scan)), [])

    def test_senseless_counts(self) -> None:
        for count in (0, 3, 10**7):
            with self.assertRaises(ArabesqueError):
                reduce_triangles(sphere(10.0, 3), count)


class PrepareTest(unittest.TestCase):
    def test_everything_at_once(self) -> None:
        scan = heron().scan
        done = prepare(scan, Recipe(symmetric="auto", fill_holes=20.0, smooth=(0.1, 5), remesh=1.5, reduce=20_000))
        report = done.report
        self.assertEqual(report["symmetry"]["plane"], "y = 0")
        self.assertEqual(report["worse"], [])
        self.assertEqual(report["after"]["openings"], 1)
        self.assertTrue(report["holes"]["left"][0]["outer"])
        points = done.scan.points + 0.0
        mirrored = points * [1, -1, 1] + 0.0
        self.assertEqual({p.tobytes() for p in points}, {p.tobytes() for p in mirrored})
        self.assertLess(abs(report["turned_deg"]), 0.1)

    def test_nothing_asked_for_is_nothing_done(self) -> None:
        """Not even tidying: a scan with a loose piece comes out as it came in."""
        sheet, far = plane(), plane(size=5.0, steps=2)
        scan = merged([sheet, Scan(far.points + 200.0, far.triangles)])
        done = prepare(scan, Recipe())
        np.testing.assert_array_equal(done.scan.points, scan.points)
        np.testing.assert_array_equal(done.scan.triangles, scan.triangles)
        self.assertLess(done.report["distance"]["max"], 1e-12)
        self.assertNotIn("tidied", done.report)
        self.assertEqual(prepare(scan, Recipe(tidy=True)).report["tidied"]["pieces_dropped"], 1)

    def test_distances_are_to_the_scan_as_it_came_in(self) -> None:
        """A spike of 4 mm that tidying takes away shows in the report, both ways."""
        sheet = plane()
        points = sheet.points.copy()
        points[1300] += [0, 0, 4.0]
        report = prepare(Scan(points, sheet.triangles), Recipe(tidy=True)).report
        self.assertEqual(report["tidied"]["spikes_calmed"], 1)
        self.assertGreater(report["distance_back"]["max"], 2.0)

    def test_the_outer_rim_is_closed_only_where_asked(self) -> None:
        scan = plane()
        kept = prepare(scan, Recipe(fill_holes=500.0)).report
        self.assertEqual((kept["holes"]["filled"], kept["after"]["openings"]), (0, 1))
        # three quarters of a sphere's height: 2 pi R h of it and a lid of pi (R² - (R / 2)²), a fifth of the whole
        most = cut_by_plane(sphere(), Plane.through([0, 0, -25.0], [0, 0, 1])).above
        assert most is not None
        closed = prepare(most, Recipe(close_rim=True, fill=Fill.FLAT)).report
        self.assertEqual((closed["holes"]["filled"], closed["after"]["openings"]), (1, 0))
        self.assertAlmostEqual(closed["distance"]["new_share"], 0.2, delta=0.01)
        self.assertLess(closed["distance"]["max"], 1e-9)

    def test_places_are_spread_over_the_area(self) -> None:
        """Two sheets off by 0 and 1 mm whose areas are as 3 : 1, the small one with far more triangles: rms 0.5."""
        wide, fine = plane(size=150.0, steps=4), plane(size=75.0 * 2 / 3**0.5, steps=60)
        shift = np.array([400.0, 0, 0])
        both = merged([wide, Scan(fine.points + shift, fine.triangles)])
        off = merged([wide, Scan(fine.points + shift + [0, 0, 1.0], fine.triangles)])
        share = (75.0 * 2 / 3**0.5) ** 2 / (150.0**2 + (75.0 * 2 / 3**0.5) ** 2)
        self.assertAlmostEqual(distance_between(off, both)["rms"], share**0.5, delta=0.01)

    def test_unknown_plane_and_width(self) -> None:
        for recipe in (Recipe(symmetric="w"), Recipe(fill_holes=0.0)):
            with self.assertRaises(ArabesqueError):
                prepare(sphere(10.0, 3), recipe)
