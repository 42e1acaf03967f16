"""Planes that lie anyhow, combs on sections, nets, curvature colours: against formulas and trimesh."""

import unittest

import numpy as np
import trimesh

from arabesque.cages import Cage
from arabesque.cages.through import grid_faces
from arabesque.checking import (
    FormKind,
    Limits,
    PlaneSet,
    find_joins,
    folded_faces,
    form_values,
    hollow_islands,
    read_net,
    scan_sections,
    section_comb,
    section_places,
    shape_sections,
    shape_to_scan,
)
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Curve,
    Elementary,
    ElementaryKind,
    Manner,
    Plane,
    Surface,
    bezier_nets,
    continuation,
    greville,
    over_quadrangle,
    span_places,
    split_surface,
    surface_curvature,
    swapped_surface,
    uniform_knots,
)
from arabesque.shapes import Samples
from tests.examples import heron, plane, random_surface, sphere

T = np.linspace(0, 1, 41)


def ball(radius: float = 50.0) -> Surface:
    """A quarter of a sphere, exactly."""
    return Elementary.make(ElementaryKind.SPHERE, np.eye(4), (radius,), ((0.2, 1.7), (-0.6, 0.8)))


def lengths(segments: np.ndarray) -> np.ndarray:
    return np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1)


class PlaneSetTest(unittest.TestCase):
    def test_same_as_trimesh_round_an_axis(self) -> None:
        scan = heron().scan
        mesh = trimesh.Trimesh(scan.points, scan.triangles, process=False)
        cuts = PlaneSet.around(np.array([20.0, 3, 0]), np.array([0.1, 0, 1]), 45.0, 10.0)
        self.assertEqual(len(cuts.planes), 4)
        found = scan_sections(scan, cuts)
        for number, cut in enumerate(cuts.planes):
            self.assertAlmostEqual(float(cut.height(np.array([[20.0, 3, 0]]))[0]), 0.0, places=9)
            theirs = mesh.section(cut.normal, cut.origin)
            ours = lengths(found.segments[found.plane == number]).sum()
            self.assertAlmostEqual(ours / theirs.length, 1.0, places=7)

    def test_square_to_a_curve_at_even_lengths(self) -> None:
        """A quarter circle of radius 50 in 5 mm steps: turned by 5/50 radians from one plane to the next."""
        w = np.sqrt(0.5)
        arc = Curve(
            2, np.array([0, 0, 0, 1, 1, 1.0]), np.array([[50, 0, 0], [50, 50, 0], [0, 50, 0.0]]), np.array([1, w, 1])
        )
        cuts = PlaneSet.across(arc, 5.0)
        self.assertEqual(len(cuts.planes), int(25 * np.pi / 5) + 1)
        turns = [np.arccos(a.normal @ b.normal) for a, b in zip(cuts.planes[:-1], cuts.planes[1:], strict=True)]
        np.testing.assert_allclose(turns, 0.1, atol=2e-4)
        for cut in cuts.planes:
            self.assertAlmostEqual(cut.offset, 0.0, places=6)

    def test_gap_drawn_larger_in_any_plane(self) -> None:
        flat = Surface.bezier([[[10, 10, 0.1], [10, 90, 0.1]], [[90, 10, 0.1], [90, 90, 0.1]]])
        grid = shape_to_scan(flat, plane(), 20)
        cuts = PlaneSet((Plane.through([50, 50, 0], [1, 1, 0]),))
        found = shape_sections(grid, cuts, 10.0)
        np.testing.assert_allclose(found.segments[..., 2], 1.0, atol=1e-9)

    def test_impossible_families_are_refused(self) -> None:
        with self.assertRaises(ArabesqueError):
            PlaneSet.around(np.zeros(3), np.array([0, 0, 1.0]), 0.0)
        with self.assertRaises(ArabesqueError):
            PlaneSet.across(Curve.bezier([[0, 0, 0], [9, 0, 0]]), -1.0)

    def test_combs_on_sections_of_a_sphere(self) -> None:
        """A section at distance h is a circle of radius sqrt(r² - h²): so long are its curvature vectors, reversed."""
        surface = ball()
        grid = shape_to_scan(surface, sphere(), 60)
        height = 12.0
        cuts = PlaneSet((Plane(np.array([0.0, 0, 1]), height),))
        places = section_places(grid.samples, cuts)
        points, vectors = places.points, section_comb(surface, places)
        np.testing.assert_allclose(surface.at(places.uv.reshape(-1, 2)).reshape(points.shape), points, atol=0.05)
        self.assertGreater(len(points), 30)
        np.testing.assert_allclose(np.linalg.norm(vectors, axis=2), 1 / np.sqrt(50**2 - height**2), rtol=1e-3)
        inward = -points * [1, 1, 0] / np.linalg.norm(points * [1, 1, 0], axis=2, keepdims=True)
        np.testing.assert_allclose(vectors / np.linalg.norm(vectors, axis=2, keepdims=True), inward, atol=1e-3)


def samples_of(shape: Surface) -> Samples:
    return shape.sampler(40).read(shape)


class FormTest(unittest.TestCase):
    def test_values_on_a_sphere_and_a_saddle(self) -> None:
        """Sphere: all 1/r in size. z = xy at 0: mean 0, Gaussian -1 (do Carmo 1976, 3-3), so its signed root -1."""
        for kind in FormKind:
            values = form_values(ball(), samples_of(ball()), kind)
            wanted = 0.0 if kind is FormKind.ISLANDS else 1 / 50
            np.testing.assert_allclose(np.abs(values), wanted, atol=1e-10)
        saddle = Surface.bezier([[[-1, -1, 1], [-1, 1, -1]], [[1, -1, -1], [1, 1, 1]]])
        samples = samples_of(saddle)
        middle = np.linalg.norm(samples.uv - 0.5, axis=1).argmin()
        np.testing.assert_allclose(samples.uv[middle], 0.5)
        self.assertAlmostEqual(form_values(saddle, samples, FormKind.GAUSSIAN)[middle], -1.0, places=10)
        self.assertAlmostEqual(form_values(saddle, samples, FormKind.MEAN)[middle], 0.0, places=10)

    def test_a_hollow_island_in_a_dome(self) -> None:
        """A dome with one control point pushed in: one island, where the point has most say."""
        knots = uniform_knots(3, 6)
        g = 80 * greville(knots, 3)
        x, y = np.meshgrid(g, g, indexing="ij")
        points = np.stack([x, y, 30 - ((x - 40) ** 2 + (y - 40) ** 2) / 120], -1)
        dome = Surface((3, 3), (knots, knots), points)
        samples = samples_of(dome)
        self.assertEqual(hollow_islands(samples, form_values(dome, samples, FormKind.ISLANDS)), [])
        pushed = points.copy()
        pushed[4, 4, 2] -= 3.0
        dented = dome.with_points(pushed)
        samples = samples_of(dented)
        found = hollow_islands(samples, form_values(dented, samples, FormKind.ISLANDS))
        self.assertGreaterEqual(len(found), 1)
        self.assertLess(np.linalg.norm(found[0].place[:2] - [40, 40]), 3.0)
        self.assertGreater(found[0].area, 10.0)

    def test_bezier_nets_run_through_the_surface(self) -> None:
        """The point at a share t of a span, by Bernstein's formula from its net, is the surface's own."""
        from scipy.special import comb as choose

        surface = random_surface((3, 4), (3, 2), rational=True)
        nets = bezier_nets(surface)
        self.assertEqual(nets.shape, (3, 2, 4, 5, 4))
        for u, v in np.random.default_rng(0).random((30, 2)):
            (a,), (b,) = span_places(surface.knots[0], np.array([u])), span_places(surface.knots[1], np.array([v]))
            i, j = int(a), int(b)
            bu = [choose(3, k) * (a - i) ** k * (1 - a + i) ** (3 - k) for k in range(4)]
            bv = [choose(4, k) * (b - j) ** k * (1 - b + j) ** (4 - k) for k in range(5)]
            h = np.einsum("i,j,ijc->c", bu, bv, nets[i, j])
            np.testing.assert_allclose(h[:3] / h[3], surface.at([[u, v]])[0], atol=1e-9)

    def test_published_torus(self) -> None:
        """Curvatures 1/r and cos θ/(R + r cos θ) of a torus (do Carmo 1976, 3-3), to 1e-10."""
        torus = Elementary.make(ElementaryKind.TORUS, np.eye(4), (40.0, 9.0), ((0.1, 1.4), (-1.0, 1.0)))
        uv = np.random.default_rng(2).random((60, 2))
        (u0, u1), (v0, v1) = torus.domain
        uv = np.array([u0, v0]) + uv * [u1 - u0, v1 - v0]
        c = surface_curvature(torus, uv)
        ring = np.linalg.norm(torus.at(uv)[:, :2], axis=1)
        wanted = np.sort(np.column_stack([np.full(60, 1 / 9.0), (ring - 40.0) / 9.0 / ring]), axis=1)
        found = np.sort(np.abs(np.column_stack([c.largest, c.smallest])), axis=1)
        np.testing.assert_allclose(found, np.sort(np.abs(wanted), axis=1), atol=1e-10)


class NetTest(unittest.TestCase):
    def dome(self) -> Surface:
        x, y = np.meshgrid(np.linspace(-30, 30, 5), np.linspace(-20, 20, 5), indexing="ij")
        return Surface.bezier(np.stack([x, y, 10 - x * x / 90 - y * y / 60], -1))

    def test_a_calm_net_is_calm(self) -> None:
        report = read_net(self.dome())
        self.assertTrue(report.calm)
        self.assertLess(report.worst_ratio, 1.3)

    def test_crossing_rows_uneven_spacing_and_dips(self) -> None:
        points = self.dome().points.copy()
        points[2, 2, 0] += 20.0
        self.assertTrue(read_net(Surface.bezier(points)).crossing[2, 2])
        points = self.dome().points.copy()
        points[1, :, 0] -= 9.0
        self.assertTrue(read_net(Surface.bezier(points)).uneven[1].all())
        points = self.dome().points.copy()
        points[2, 2, 2] -= 4.0
        report = read_net(Surface.bezier(points))
        self.assertTrue(report.dips[2, 2])
        self.assertFalse(report.crossing.any())

    def test_size_and_place_do_not_matter(self) -> None:
        points = self.dome().points * 37.0 + np.array([500.0, 3, -90])
        self.assertAlmostEqual(
            read_net(Surface.bezier(points)).worst_ratio, read_net(self.dome()).worst_ratio, places=9
        )


class EdgeOnSurfaceTest(unittest.TestCase):
    def test_an_edge_on_the_inside_of_a_patch(self) -> None:
        """A flap that begins on an inner line of a patch and runs off along its form: G3 there; bent away: G0."""
        whole = random_surface((4, 4), (1, 1), seed=3)
        calm = whole.with_points(whole.points * [1, 1, 0.2])
        part = split_surface(calm, 0, 0.4)[0]
        narrow = over_quadrangle(part, [(0.0, 0.3), (0.4, 0.3), (0.4, 0.7), (0.0, 0.7)])[0]
        strip = continuation(narrow, 0, True, 6.0, Manner.NATURAL)
        far = swapped_surface(strip)
        joins = [join for join in find_joins([calm, far]) if join.second[1] == -1 or join.first[1] == -1]
        self.assertGreaterEqual(len(joins), 1)
        worst = max(joins, key=lambda join: float(join.angle.max()))
        self.assertGreaterEqual(worst.grade(Limits(1e-6, 1e-4, 1e-4, 0.05)), 2)
        bent = strip.points.copy()
        bent[1:] += [0, 0, 2.0]
        joins = find_joins([calm, strip.with_points(bent)])
        lying = [join for join in joins if join.second[1] == -1]
        self.assertEqual(len(lying), 1)
        self.assertEqual(lying[0].grade(), 0)
        self.assertIn("G0", lying[0].word())


class CageNetTest(unittest.TestCase):
    def sheet(self, x: list[float], z: list[float]) -> Cage:
        """A strip of three rows by its section."""
        points = [[a, y, b] for a, b in zip(x, z, strict=True) for y in (0.0, 1, 2, 3)]
        return Cage.of(np.array(points), grid_faces(len(x) - 1, 3))

    def test_a_thin_rim_is_no_fold(self) -> None:
        """A plate as thin as paper is turned round its rim; a pleat is laid over twice."""
        plate = self.sheet([0, 1, 2, 3, 2, 1, 0], [0, 0, 0, 0.05, 0.1, 0.1, 0.1])
        self.assertFalse(folded_faces(plate).any())
        pleat = self.sheet([0, 1, 2, 1, 2, 3], [0, 0, 0, 0.1, 0.2, 0.2])
        self.assertEqual(np.flatnonzero(folded_faces(pleat)).tolist(), [6, 7, 8])


if __name__ == "__main__":
    unittest.main()
