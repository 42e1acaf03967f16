"""True shapes fitted to noisy scans, regions, feature lines."""

import unittest

import numpy as np
import trimesh
from scipy.optimize import least_squares

from arabesque.arrays import Floats, Ints
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.geometry import Elementary, ElementaryKind, frame_of, unit
from arabesque.mending import even_triangles, in_ball
from arabesque.reading import LineSet, Regions, feature_lines, find_regions, fit_true_shape, recognise
from arabesque.scan import Scan, ready_to_fit
from tests.examples import block, heron

K = ElementaryKind
NOISE = 0.03
FRAME = frame_of([10.0, 20.0, -5.0], [1.0, 2.0, 3.0])
CASES = {
    K.PLANE: ((), ((-20.0, 20.0), (-10.0, 10.0))),
    K.CYLINDER: ((8.0,), ((-1.0, 1.2), (0.0, 30.0))),
    K.CONE: ((10.0, 0.3), ((-2.0, 2.0), (0.0, 25.0))),
    K.SPHERE: ((15.0,), ((-0.8, 0.8), (-0.6, 0.6))),
    K.TORUS: ((30.0, 6.0), ((-0.8, 0.8), (-1.2, 1.2))),
}


def scanned(kind: ElementaryKind, outliers: int = 100) -> tuple[Floats, Floats]:
    """Noisy points and normals of a part of a known shape; a few of them a millimetre off."""
    rng = np.random.default_rng(0)
    shape = Elementary.make(kind, FRAME, *CASES[kind])
    places = rng.random((20_000, 2))
    points, normals = shape.at(places), shape.normals(places)
    points = points + normals * rng.normal(scale=NOISE, size=(len(points), 1))
    points[:outliers] += normals[:outliers]
    return points, unit(normals + rng.normal(scale=0.03, size=normals.shape))


def boss(radius: float, step: float, noise: float) -> tuple[Scan, Ints]:
    """A rod of a radius standing on a plate, with a fillet of 5 mm between, by its profile; and each triangle's part:
    0 for the plate, 1 for the fillet, 2 for the rod."""
    bend = np.linspace(0, np.pi / 2, int(np.ceil(2.5 * np.pi / step)) + 1)
    plate = np.arange(3 * radius, radius + 5, -step)
    rod = np.arange(5 + step, 45, step)
    r = np.concatenate([plate, radius + 5 - 5 * np.sin(bend), np.full(len(rod), radius)])
    z = np.concatenate([np.zeros(len(plate)), 5 - 5 * np.cos(bend), rod])
    angle = np.linspace(0, 2 * np.pi, int(2 * np.pi * (radius + 5) / step), endpoint=False)[:, None]
    points = np.stack([np.cos(angle) * r, np.sin(angle) * r, np.broadcast_to(z, (len(angle), len(r)))], -1)
    points = points + np.random.default_rng(0).normal(size=points.shape) * noise
    number = np.arange(points.shape[0] * points.shape[1]).reshape(points.shape[:2])
    a, b = number[:, :-1], number[:, 1:]
    c, d = np.roll(b, -1, axis=0), np.roll(a, -1, axis=0)
    triangles = np.concatenate([np.stack([a, d, c], -1).reshape(-1, 3), np.stack([a, c, b], -1).reshape(-1, 3)])
    part = np.searchsorted([len(plate), len(plate) + len(bend) - 1], np.arange(len(r) - 1), side="right")
    return Scan(points.reshape(-1, 3), triangles), np.tile(part, 2 * len(angle))


class FitTest(unittest.TestCase):
    def test_known_shapes_are_recovered(self) -> None:
        """Radii to 0.01 mm and directions to 0.05 degrees at a noise of 0.03 mm, with outliers."""
        for kind, (sizes, _) in CASES.items():
            with self.subTest(kind.value):
                points, normals = scanned(kind)
                found = fit_true_shape(kind, points, normals)
                if kind is not K.SPHERE:
                    turned = np.degrees(np.arcsin(np.linalg.norm(np.cross(found.axis, FRAME[:3, 2]))))
                    self.assertLess(turned, 0.05)
                if kind is K.CONE:
                    at_frame = found.sizes[0] + np.tan(found.sizes[1]) * float(
                        (FRAME[:3, 3] - found.origin) @ found.axis
                    )
                    self.assertAlmostEqual(at_frame, 10.0, delta=0.01)
                    self.assertAlmostEqual(np.degrees(found.sizes[1]), np.degrees(0.3), delta=0.05)
                else:
                    np.testing.assert_allclose(found.sizes, sizes, atol=0.01)
                self.assertAlmostEqual(found.rms, NOISE, delta=0.002)
                self.assertGreater(found.largest, 0.8)

    def test_recognised_as_what_they_are(self) -> None:
        for kind in CASES:
            points, normals = scanned(kind, 0)
            shape, spreads = recognise(points[:2000], normals[:2000], NOISE)
            assert shape is not None
            self.assertIs(shape.kind, kind)
            self.assertIn(kind, spreads)

    def test_free_form_is_none(self) -> None:
        scan = heron().scan
        part = np.unique(scan.triangles[in_ball(scan, np.array(heron().master.at_plan(66.0, 0.0)), 20.0)])  # type: ignore[attr-defined]
        shape, _ = recognise(scan.points[part], scan.smoothed_normals[part], scan.noise)
        self.assertIsNone(shape)

    def test_held_direction_and_radius(self) -> None:
        points, normals = scanned(K.CYLINDER)
        held = fit_true_shape(K.CYLINDER, points, normals, axis=np.array([1.0, 2.0, 3.2]), radius=8.05)
        np.testing.assert_allclose(held.axis, unit(np.array([1.0, 2.0, 3.2])), atol=1e-12)
        self.assertEqual(held.sizes, (8.05,))
        tube = fit_true_shape(K.TORUS, *scanned(K.TORUS), radius=6.1)
        self.assertAlmostEqual(tube.sizes[1], 6.1, places=12)
        free = fit_true_shape(K.CYLINDER, points, normals)
        self.assertLess(free.rms, held.rms)

    def test_surface_covers_the_points(self) -> None:
        for kind, (_, bounds) in CASES.items():
            points, normals = scanned(kind, 0)
            found = fit_true_shape(kind, points, normals)
            surface = found.surface(points)
            spans = [high - low for low, high in surface.bounds]
            for span, (low, high) in zip(spans, bounds, strict=True):
                if kind is not K.SPHERE:
                    self.assertAlmostEqual(span / (high - low), 1.0, delta=0.03)
            places = np.random.default_rng(1).random((200, 2))
            np.testing.assert_allclose(found.distance(surface.at(places)), 0, atol=1e-9)

    def test_too_few_points(self) -> None:
        for kind in ElementaryKind:
            with self.assertRaises(FitProblem):
                fit_true_shape(kind, np.zeros((2, 3)), np.ones((2, 3)))


class RegionsTest(unittest.TestCase):
    scan: Scan
    regions: Regions

    @classmethod
    def setUpClass(cls) -> None:
        cls.scan = block()
        cls.regions = find_regions(cls.scan, 0.5)

    def test_six_faces_of_a_block(self) -> None:
        """Six planes of known size, each to 2 % of its area, their normals along the axes to 0.1 degrees."""
        self.assertEqual([area.word for area in self.regions.areas], ["plane"] * 6)
        areas = self.scan.areas
        found = sorted(float(areas[self.regions.mask(n)].sum()) for n in range(6))
        np.testing.assert_allclose(found, [800, 800, 1200, 1200, 2400, 2400], rtol=0.03)
        for area in self.regions.areas:
            assert area.shape is not None
            self.assertGreater(np.abs(area.shape.axis).max(), np.cos(np.radians(0.1)))

    def test_corrections_by_hand(self) -> None:
        set_free = self.regions.with_kind(self.scan, 0, None)
        self.assertIsNone(set_free.areas[0].shape)
        self.assertTrue(set_free.areas[0].by_hand)
        merged = self.regions.merged(self.scan, [0, 1])
        self.assertEqual(len(merged.areas), 5)
        self.assertEqual(merged.counts.sum(), len(self.scan.triangles))
        brush = in_ball(self.scan, self.scan.points[self.scan.triangles[self.regions.mask(2)][0, 0]], 4.0)
        repainted = self.regions.repainted(self.scan, brush, None)
        self.assertEqual(len(repainted.areas), 7)
        self.assertEqual(int(repainted.counts.min()), int(brush.sum()))
        with self.assertRaises(ArabesqueError):
            self.regions.merged(self.scan, [3])

    def test_rod_is_a_cylinder_with_two_planes(self) -> None:
        rod = trimesh.creation.cylinder(10, 40, sections=256)
        scan = ready_to_fit(even_triangles(Scan(np.asarray(rod.vertices), np.asarray(rod.faces)), 1.0))
        found = find_regions(scan, 0.5)
        self.assertEqual(sorted(area.word for area in found.areas), ["cylinder", "plane", "plane"])
        shape = next(area.shape for area in found.areas if area.word == "cylinder")
        assert shape is not None
        self.assertAlmostEqual(shape.sizes[0], 10.0, delta=0.01)

    def test_a_fillet_between_a_rod_and_a_plate(self) -> None:
        """Borders at the jump of curvature: the fillet is a torus of its own, never a part of the rod, and the plate
        stays whole with noise."""
        for radius, step, noise in ((20, 1.0, 0.0), (20, 1.0, 0.02), (20, 1.0, 0.05), (40, 1.6, 0.0), (40, 1.6, 0.02)):
            with self.subTest(radius=radius, noise=noise):
                scan, part = boss(radius, step, noise)
                found = find_regions(scan, 0.5)
                areas = scan.areas
                shares = np.zeros((3, len(found.areas)))
                np.add.at(shares, (part, found.labels), areas)
                whole = shares / shares.sum(axis=1, keepdims=True)
                own = whole.argmax(axis=1)
                words = [found.areas[number].word for number in own]
                self.assertEqual(words, ["plane", "torus", "cylinder"])
                np.testing.assert_array_less([0.97, 0.7, 0.9], whole.max(axis=1))
                ring = found.areas[own[1]].shape
                assert ring is not None
                np.testing.assert_allclose(ring.sizes, (radius + 5, 5), rtol=0.03)

    def test_more_sensitivity_more_areas(self) -> None:
        scan = heron(25_000).scan
        coarse, fine = (len(find_regions(scan, s).areas) for s in (0.2, 0.7))
        self.assertLess(coarse, fine)
        with self.assertRaises(ArabesqueError):
            find_regions(scan, 1.5)


class FeatureLinesTest(unittest.TestCase):
    def test_edges_of_a_block(self) -> None:
        """Twelve edges, 480 mm in all: found but for 2 mm or so at each corner, and every line lies on an edge."""
        lines = feature_lines(block(), 0.3)
        self.assertAlmostEqual(lines.length, 480 - 24 * 2, delta=45)
        to_faces = np.sort(np.abs(np.array([30, 20, 10]) - np.abs(lines.points)), axis=1)
        self.assertLess(np.percentile(to_faces[:, 1], 98), 0.5)

    def test_saddles_channel(self) -> None:
        """The sharp edge across the channel's rear, at x = 62, is among the lines."""
        lines = feature_lines(heron(120_000).scan, 0.85)
        near = lines.closest(np.array(heron().master.at_plan(62.0, 0.0)))  # type: ignore[attr-defined]
        self.assertLess(abs(near[0] - 62.0), 2.0)

    def test_more_sensitivity_more_lines(self) -> None:
        scan = heron(25_000).scan
        self.assertLess(feature_lines(scan, 0.3).length, feature_lines(scan, 0.8).length)

    def test_line_sets(self) -> None:
        lines = LineSet.of([np.array([[0.0, 0, 0], [3, 4, 0]]), np.ones((3, 3))], [False, True])
        self.assertEqual(lines.count, 2)
        self.assertAlmostEqual(lines.length, 5.0)
        with self.assertRaises(ArabesqueError):
            LineSet.of([], [])


def off_by(x: Floats, frame: Floats, shift: Floats, points: Floats, sizes: tuple[float, float], cone: bool) -> Floats:
    """Distances of points from a torus or cone seven numbers off the true one, by their formulas."""
    way = unit(frame[:, 2] + frame[:, :2] @ x[:2])
    gone = points - shift - frame @ x[2:5]
    height = gone @ way
    away = np.linalg.norm(gone - height[:, None] * way, axis=1)
    if cone:
        slope = sizes[1] + x[6]
        return np.asarray((away - sizes[0] - x[5] - height * np.tan(slope)) * np.cos(slope))
    return np.asarray(np.hypot(away - sizes[0] - x[5], height) - sizes[1] - x[6])


class PiecesTest(unittest.TestCase):
    """Small pieces with noise, in any position: as near to the truth as SciPy comes from a fair start."""

    @staticmethod
    def piece(name: str, rng: np.random.Generator) -> tuple[Floats, Floats]:
        u = rng.uniform(-0.5, 0.5, 4000)
        if name == "cone":
            u, z, slope = u * np.radians(60), rng.uniform(-20, 20, 4000), np.radians(3)
            normals = np.stack(
                [np.cos(u) * np.cos(slope), np.sin(u) * np.cos(slope), np.full(4000, -np.sin(slope))], -1
            )
            away = 20 + z * np.tan(slope)
            points = np.stack([away * np.cos(u), away * np.sin(u), z], -1)
        else:
            ring, tube, arc, middle, width = {
                "outer": (40, 10, 60, 0, 90), "inner": (40, 10, 60, 180, 90), "fillet": (30, 4, 40, 45, 80)
            }[name]  # fmt: skip
            u, v = u * np.radians(arc), np.radians(middle + width * rng.uniform(-0.5, 0.5, 4000))
            normals = np.stack([np.cos(u) * np.cos(v), np.sin(u) * np.cos(v), np.sin(v)], -1)
            points = np.stack([ring * np.cos(u), ring * np.sin(u), 0 * u], -1) + tube * normals
        noisy = unit(normals + rng.normal(scale=0.05, size=normals.shape))
        return points + normals * rng.normal(scale=0.05, size=(4000, 1)), noisy

    def test_partial_tori_and_a_shallow_cone(self) -> None:
        for name in ("outer", "inner", "fillet", "cone"):
            kind = ElementaryKind.CONE if name == "cone" else ElementaryKind.TORUS
            sizes = {"fillet": (30.0, 4.0), "cone": (20.0, np.radians(3))}.get(name, (40.0, 10.0))
            for seed in range(4):
                with self.subTest(name, seed=seed):
                    rng = np.random.default_rng(seed)
                    points, normals = self.piece(name, rng)
                    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
                    shift = rng.normal(size=3) * 50
                    points, normals, axis = points @ turn.T + shift, normals @ turn.T, turn[:, 2]
                    found = fit_true_shape(kind, points, normals, noise=0.05)
                    frame = frame_of(np.zeros(3), axis)[:3, :3]

                    best = least_squares(off_by, np.zeros(7), args=(frame, shift, points, sizes, kind is K.CONE)).x
                    theirs = np.degrees(np.hypot(*best[:2]))
                    ours = np.degrees(np.arccos(min(1.0, abs(found.axis @ axis))))
                    self.assertLess(ours, 3 * max(theirs, 0.1))
                    self.assertTrue(found.determined)
                    if kind is ElementaryKind.TORUS:
                        for size, true, off in zip(found.sizes, sizes, best[5:], strict=True):
                            self.assertLess(abs(size - true), 3 * max(abs(off), 0.03))
                    else:
                        self.assertLess(abs(abs(found.sizes[1]) - sizes[1]), 0.01)

    def test_a_piece_too_small_is_said_not_to_determine_it(self) -> None:
        rng = np.random.default_rng(0)
        u, v = np.radians(rng.uniform(-3, 3, (2, 3000)))
        normals = np.stack([np.cos(u) * np.cos(v), np.sin(u) * np.cos(v), np.sin(v)], -1)
        points = np.stack([40 * np.cos(u), 40 * np.sin(u), 0 * u], -1) + 10 * normals
        points += normals * rng.normal(scale=0.05, size=(3000, 1))
        self.assertFalse(fit_true_shape(ElementaryKind.TORUS, points, normals).determined)
        self.assertFalse(fit_true_shape(ElementaryKind.CYLINDER, points, normals).determined)
