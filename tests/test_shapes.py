"""A shape that the program has never seen takes part wherever it can answer."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import trimesh

from arabesque.checking import (
    Family,
    FormKind,
    close_ups,
    find_joins,
    form_values,
    measure_both_ways,
    section_comb,
    section_places,
    shape_combs,
    shape_sections,
    shape_to_scan,
)
from arabesque.desk.tools.moves import Way, clung, directions
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.picking import triangles_under
from arabesque.geometry import (
    Curvatures,
    Curve,
    Elementary,
    ElementaryKind,
    Plane,
    Surface,
    grown_choice,
    split_surface,
    straightened,
    surface_curvature,
)
from arabesque.shapes import Frames, Lined, Net, Netted, Rimmed, Sampled, Samples, can
from arabesque.solid import FileKind, KernelWorker, deliver, deliverable
from tests.examples import plane, sphere

RADIUS = 50.0


@dataclass(frozen=True, eq=False)
class Quilt:
    """Two patches as one shape."""

    pieces: tuple[Surface, Surface]

    @property
    def box(self) -> tuple[np.ndarray, np.ndarray]:
        (a, b), (c, d) = (piece.box for piece in self.pieces)
        return np.minimum(a, c), np.maximum(b, d)

    def moved(self, matrix: np.ndarray) -> Quilt:
        return Quilt((self.pieces[0].moved(matrix), self.pieces[1].moved(matrix)))

    def mirrored(self, plane: Plane) -> Quilt:
        return Quilt((self.pieces[0].mirrored(plane), self.pieces[1].mirrored(plane)))

    def sampler(self, along: int) -> QuiltSampler:
        return QuiltSampler(self, along)

    def curvatures(self, part: np.ndarray, uv: np.ndarray) -> Curvatures:
        both = [surface_curvature(piece, uv) for piece in self.pieces]
        return Curvatures(
            *(np.where(part == 0 if a.ndim == 1 else (part == 0)[:, None], a, b) for a, b in zip(*both, strict=True))
        )

    def patches(self) -> tuple[Surface, Surface]:
        return self.pieces

    def rims(self) -> list[Any]:
        return [rim for piece in self.pieces for rim in piece.rims()]

    def lines(self, count: int) -> list[Any]:
        return [strands for piece in self.pieces for strands in piece.lines(count)]

    def net(self) -> Net:
        first, second = (piece.net() for piece in self.pieces)
        shift = len(first.points)
        rows = (*first.rows, *(row + shift for row in second.rows))
        border = np.concatenate([first.border, second.border])
        points = np.concatenate([first.points, second.points])
        return Net(points, rows, first.along + second.along, Net.legs_of(rows), border)

    def frames(self) -> Frames:
        both = [vars(piece.frames()).values() for piece in self.pieces]
        return Frames(*(np.concatenate(pair) for pair in zip(*both, strict=True)))

    def with_points(self, points: np.ndarray) -> Quilt:
        shift = self.pieces[0].count
        return Quilt((self.pieces[0].with_points(points[:shift]), self.pieces[1].with_points(points[shift:])))


class QuiltSampler:
    def __init__(self, quilt: Quilt, along: int) -> None:
        self.parts = [piece.sampler(along) for piece in quilt.pieces]

    def fits(self, shape: Any) -> bool:
        return all(sampler.fits(piece) for sampler, piece in zip(self.parts, shape.pieces, strict=True))

    def read(self, shape: Any) -> Samples:
        a, b = (sampler.read(piece) for sampler, piece in zip(self.parts, shape.pieces, strict=True))
        shift = len(a.points)
        return Samples(
            np.concatenate([a.points, b.points]),
            np.concatenate([a.normals, b.normals]),
            np.concatenate([a.triangles, b.triangles + shift]),
            np.repeat([0, 1], [shift, len(b.points)]),
            np.concatenate([a.uv, b.uv]),
            (*a.rims, *(rim + shift for rim in b.rims)),
        )


def dome() -> tuple[Surface, Surface, Surface]:
    """A part of a sphere of 50 mm as one patch, and the same in two."""
    whole = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (RADIUS,), ((0.3, 1.2), (-0.4, 0.4)))
    plain = Surface(whole.degree, whole.knots, whole.points, whole.weights)
    return plain, *split_surface(plain, 0, 0.37)


class QuiltTest(unittest.TestCase):
    """Each figure is that of the one patch, or of the sphere."""

    def setUp(self) -> None:
        self.whole, first, second = dome()
        self.quilt = Quilt((first, second))
        self.scan = sphere(RADIUS, 6)

    def test_what_it_answers(self) -> None:
        for what in (Sampled, Lined, Rimmed, Netted):
            self.assertTrue(can(self.quilt, what))
        curve = Curve.bezier([[0, 0, 0], [1, 0, 0]])
        self.assertEqual([can(curve, what) for what in (Sampled, Lined, Rimmed, Netted)], [False, True, False, True])
        self.assertEqual([can(self.scan, what) for what in (Sampled, Lined, Rimmed, Netted)], [False] * 4)

    def test_distance_both_ways(self) -> None:
        found = shape_to_scan(self.quilt, self.scan)
        self.assertTrue(found.valid.all())
        # of a coarse scan the form through its points counts, and that is the sphere which the quilt is a part of
        np.testing.assert_allclose(found.distance, 0.0, atol=2e-5)
        ours, theirs = (measure_both_ways([shape], self.scan, 0.2) for shape in (self.quilt, self.whole))
        self.assertAlmostEqual(ours.scan_to_surface.rms, theirs.scan_to_surface.rms, places=9)
        self.assertAlmostEqual(ours.surface_to_scan.inlier_p99, theirs.surface_to_scan.inlier_p99, delta=1e-3)
        # points right on the seam belong to the inside of neither piece
        self.assertAlmostEqual(ours.scan_to_surface.samples, theirs.scan_to_surface.samples, delta=2)

    def test_sections_and_their_combs(self) -> None:
        """At height h a circle of radius sqrt(r² - h²)."""
        family = Family(np.array([0.0, 0, 1]), 8.0)
        found = shape_sections(shape_to_scan(self.quilt, self.scan), family)
        level = found.segments[found.plane == 1]
        np.testing.assert_allclose(np.linalg.norm(level[..., :2], axis=2), np.sqrt(RADIUS**2 - 64), atol=0.01)
        length = np.linalg.norm(level[:, 0] - level[:, 1], axis=1).sum()
        self.assertAlmostEqual(length, 0.9 * np.sqrt(RADIUS**2 - 64), delta=0.01)
        places = section_places(self.quilt.sampler(100).read(self.quilt), family)
        self.assertEqual(set(places.part.ravel().tolist()), {0, 1})
        heights = places.points[:, 0, 2]
        bends = np.linalg.norm(section_comb(self.quilt, places), axis=2)
        np.testing.assert_allclose(bends, 1 / np.sqrt(RADIUS**2 - heights**2)[:, None] * np.ones(2), rtol=2e-3)

    def test_loupe(self) -> None:
        place = np.array([RADIUS * np.cos(0.7), RADIUS * np.sin(0.7), 0.0])
        samples = self.quilt.sampler(100).read(self.quilt)
        (near,) = close_ups(samples, self.scan, place, place / RADIUS, [np.array([0.0, 0, 1])], 6.0)
        np.testing.assert_allclose(near.surface, np.sqrt(RADIUS**2 - near.along**2) - RADIUS, atol=5e-3)

    def test_combs_form_and_joins(self) -> None:
        for comb in shape_combs(self.quilt, 3):
            self.assertTrue(comb.calm)
        samples = self.quilt.sampler(40).read(self.quilt)
        np.testing.assert_allclose(np.abs(form_values(self.quilt, samples, FormKind.MEAN)), 1 / RADIUS, rtol=1e-9)
        beside = self.whole.moved(np.eye(4))
        joins = find_joins([self.quilt, beside])
        # six rims of the pieces run along rims of the whole, two lie on its inside
        ours = {key for join in joins for key in (join.first, join.second) if key[0] == 0}
        self.assertEqual(ours, {(0, number) for number in range(8)})
        self.assertTrue(all(join.grade() >= 1 for join in joins))

    def test_it_is_hit(self) -> None:
        camera = Camera(size=(900, 600)).looking("right")
        place = np.array([RADIUS * np.cos(0.6), RADIUS * np.sin(0.6), 3.0])
        x, y, _ = camera.project(place)[0]
        samples = self.quilt.sampler(100).read(self.quilt)
        depth = triangles_under(camera, samples.points, samples.triangles, x, y)
        assert depth is not None
        origin, direction = camera.ray(x, y)
        self.assertAlmostEqual(float(np.linalg.norm(origin + depth * direction)), RADIUS, delta=0.05)

    def test_its_net_is_pulled(self) -> None:
        net = self.quilt.net()
        one = net.only(0)
        self.assertEqual(int(grown_choice(net, one).sum()), 3)
        straight = straightened(net, net.only(net.rows[0]))
        line = straight[net.rows[0]]
        np.testing.assert_allclose(np.cross(line - line[0], line[-1] - line[0]), 0, atol=1e-9)
        up = directions(self.quilt, Way.NORMAL, self.scan)
        frames = self.quilt.frames()
        np.testing.assert_allclose(np.linalg.norm(frames.places, axis=1), RADIUS, atol=1e-9)
        np.testing.assert_allclose(up, frames.places / RADIUS, atol=1e-9)
        lifted = np.where(net.border, 0.0, 1.0)[:, None] * up
        held = clung(self.quilt, lifted, self.scan)
        off = self.scan.closest(held.frames().places[~net.border]).distance
        self.assertLess(off.max(), 0.02)

    def test_it_is_delivered(self) -> None:
        self.assertTrue(deliverable(self.quilt))
        self.assertFalse(deliverable(self.scan))
        worker = KernelWorker()
        try:
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "quilt.stl"
                deliver(path, [("quilt", self.quilt)], FileKind.STL, worker, chord=0.02)
                mesh = trimesh.load_mesh(path)
                area = 0.9 * RADIUS**2 * (np.sin(0.4) + np.sin(0.4))
                self.assertAlmostEqual(mesh.area / area, 1.0, delta=1e-3)
                path = Path(folder) / "quilt.step"
                deliver(path, [("quilt", self.quilt)], FileKind.STEP_AP214, worker)
                self.assertIn("quilt", path.read_text(errors="ignore"))
        finally:
            worker.close()


class CurveTest(unittest.TestCase):
    def test_a_curve_has_combs(self) -> None:
        """A quarter of a circle as a rational quadratic: 1 / r all along, calm; an S bends to the other side once."""
        w = np.sqrt(0.5)
        knots = np.array([0, 0, 0, 1, 1, 1.0])
        arc = Curve(2, knots, np.array([[20, 0, 0], [20, 20, 0], [0, 20, 0.0]]), np.array([1, w, 1]))
        (comb,) = shape_combs(arc)
        np.testing.assert_allclose(np.abs(comb.signed), 1 / 20, rtol=1e-9)
        self.assertTrue(comb.calm)
        (wave,) = shape_combs(Curve.bezier([[0, 0, 0], [10, 9, 0], [20, -9, 0], [30, 0, 0]]))
        self.assertEqual([flaw.name for flaw, at in wave.flaws.items() if at.any()], ["SIGN"])

    def test_a_curve_is_brought_onto_the_scan(self) -> None:
        scan = plane()
        curve = Curve.bezier([[20, 20, 5.0], [40, 30, 9], [60, 30, -7], [80, 20, 4]])
        held = clung(curve, np.full((4, 3), 1e-9), scan)
        np.testing.assert_allclose(held.frames().places[:, 2], 0, atol=0.3)


if __name__ == "__main__":
    unittest.main()
