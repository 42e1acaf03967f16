"""The limit surface of cages: masks and eigenvalues as published, exact places, samplers, what the shape answers."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from scipy.interpolate import NdBSpline

from arabesque.arrays import Floats
from arabesque.cages import Cage, CageProblem, Quads, make_stencils, refined
from arabesque.cages.edits import delete_faces, insert_loop, make_bent, make_corners, make_sharp, mirror_and_weld
from arabesque.cages.files import read_cage, write_cage
from arabesque.cages.masks import corner_mask, corner_weights, dart_weights, sector_weights, smooth_weights
from arabesque.cages.through import cylinder_cage, grid_faces, sphere_cage
from arabesque.errors import InvalidShape
from arabesque.geometry import Plane, motion
from tests.cages.nets import bumpy, cube, fan, open_grid

KINDS = {
    "smooth": cube(shaken=10.0),
    "sharp ring": cube([[0, 1], [1, 2], [2, 3], [0, 3]], shaken=10.0),
    "sharp ends inside": cube([[0, 1]], shaken=10.0),
    "three sharp edges at a point": cube([[0, 1], [0, 3], [0, 4]], shaken=10.0),
    "open": open_grid(),
    "five faces": fan(5),
    "seven faces": fan(7),
}


class MasksTest(unittest.TestCase):
    def test_published_weights(self) -> None:
        """n/(n+5), 4/(n(n+5)), 1/(n(n+5)): Halstead, Kass and DeRose 1993, section 3."""
        for n, point, edge, face in ((3, 0.375, 1 / 6, 1 / 24), (4, 4 / 9, 1 / 9, 1 / 36), (5, 0.5, 0.08, 0.02)):
            place = smooth_weights(n)[0]
            np.testing.assert_allclose([place[0], place[1], place[-1]], [point, edge, face], atol=1e-15)

    def test_published_eigenvalues(self) -> None:
        """Subdominant eigenvalues .410097, .5, .549988, .579682 of 3 to 6 faces: Ball and Storry 1988, section 5."""
        for n, value in ((3, 0.410097), (4, 0.5), (5, 0.549988), (6, 0.579682)):
            cage = fan(n)
            tangent = corner_mask(cage.quads, 0)
            before = tangent.weights[1] @ cage.points[tangent.points]
            quads, matrix = refined(cage.quads)
            mask = corner_mask(quads, int(quads.outgoing[0]))
            # whichever spoke comes first, tangents shrink by the eigenvalue
            after = np.linalg.norm(mask.weights[1:] @ (matrix @ cage.points)[mask.points], axis=1)
            both = np.linalg.norm(tangent.weights[1:] @ cage.points[tangent.points], axis=1)
            self.assertAlmostEqual(after[0] / both[0], value, 6)
            self.assertGreater(np.linalg.norm(before), 0)

    def test_tangent_across_a_sharp_line(self) -> None:
        """Of a side of 3 and of 4 faces: -6.09095, -3.25479 and -8.17113, -5.30315 (Biermann, Levin and Zorin 2000)."""
        for k, own, line in ((3, -6.09095, -3.25479), (4, -8.17113, -5.30315)):
            across = sector_weights(k)[2]
            np.testing.assert_allclose([across[0], across[1], across[k + 1]], [own, line, line], atol=5e-6)

    def test_places_are_means_and_tangents_differences(self) -> None:
        for weights in (smooth_weights(5), sector_weights(1), sector_weights(3), dart_weights(4), corner_weights(2)):
            np.testing.assert_allclose(weights.sum(axis=1), [1, 0, 0], atol=1e-12)


class ExactTest(unittest.TestCase):
    def test_four_steps_and_the_mask_are_the_exact_surface(self) -> None:
        """At every corner of the 4 times divided faces, to 1e-10 mm, and the normals with it."""
        shift = np.array([(0, 0), (1, 0), (1, 1), (0, 1)])
        rng = np.random.default_rng(0)
        for words, cage in KINDS.items():
            with self.subTest(words):
                fine, points = cage.quads, cage.points
                for _ in range(4):
                    fine, matrix = refined(fine)
                    points = matrix @ points
                some = rng.choice(len(fine.faces), 40, replace=False)
                uv, face = np.zeros((40, 2)), some.copy()
                for step in range(4):
                    # the part of its parent that a face is, from the last step to the first
                    uv += 0.5 ** (4 - step) * shift[face % 4]
                    face = face // 4
                for corner in range(4):
                    at = uv + shift[corner] / 16
                    places, normals = cage.at(face, at), cage.normals(face, at)
                    for k, number in enumerate(some):
                        mask = corner_mask(fine, int(4 * number + corner))
                        place, one, two = mask.weights @ points[mask.points]
                        np.testing.assert_allclose(places[k], place, atol=1e-10)
                        up = np.cross(one, two)
                        if np.linalg.norm(up) > 1e-9 * np.linalg.norm(one) * np.linalg.norm(two):
                            np.testing.assert_allclose(normals[k], up / np.linalg.norm(up), atol=1e-10)

    def test_a_regular_part_is_the_b_spline(self) -> None:
        """Against SciPy's ``NdBSpline`` over the same points, with derivatives, to 1e-12."""
        n = 6
        cage = open_grid(n, n)
        knots = np.arange(-3.0, n + 4)
        net = cage.points.reshape(n + 1, n + 1, 3)
        # points stand at whole parameters: of n + 1 points the spline is all there from 1 to n - 1
        spline = NdBSpline((knots, knots), np.pad(net, ((1, 1), (1, 1), (0, 0))), 3)
        rng = np.random.default_rng(1)
        i, j = rng.integers(1, n - 1, (2, 50))
        uv = rng.random((50, 2))
        found = cage.derivatives(i * n + j, uv, 2)
        at = np.column_stack([i + uv[:, 0], j + uv[:, 1]])
        for which, nu in enumerate(((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))):
            np.testing.assert_allclose(found[which], spline(at, nu=nu), atol=1e-12)

    def test_a_bent_border_bends_as_the_form_does(self) -> None:
        """Points on a form of second degree give that form, but for a shift, up to the very corners: so do cubic
        B-splines by Marsden's identity (de Boor, "A Practical Guide to Splines", 1978, chapter IX)."""
        x, y = np.meshgrid(np.arange(6.0), np.arange(8.0), indexing="ij")

        def off(places: Floats) -> Floats:
            px, py, pz = places.T
            return pz - (0.2 * px**2 - 0.1 * py**2 + 0.05 * px * py)

        flat = np.stack([x, y, np.zeros_like(x)], -1).reshape(-1, 3)
        plain = Cage.of(flat - off(flat)[:, None] * [0, 0, 1], grid_faces(5, 7))
        bent = Cage(plain.points, make_bent(plain, np.flatnonzero(plain.quads.border)).quads)
        rng = np.random.default_rng(3)
        face, uv = rng.integers(0, plain.count, 200), rng.random((200, 2))
        self.assertGreater(np.ptp(off(plain.at(face, uv))), 0.05)
        d = bent.derivatives(face, uv, 2)
        np.testing.assert_allclose(off(d[0]), off(d[0])[0], atol=1e-12)
        # the box holds all of it, though it comes out beyond the points
        low, high = bent.box
        self.assertTrue((d[0] >= low - 1e-12).all() and (d[0] <= high + 1e-12).all())
        np.testing.assert_allclose(d[3:, :, 2], np.tile([[0.4], [0.05], [-0.2]], 200), atol=1e-12)
        np.testing.assert_allclose(np.ptp(off(bent.sampler(40).read(bent).points)), 0, atol=1e-12)
        np.testing.assert_allclose(np.ptp(off(bent.patches()[0].at(5 * rng.random((99, 2))))), 0, atol=1e-12)
        places, _, inside = bent.feet(d[0] + 0.01 * bent.normals(face, uv))
        np.testing.assert_allclose(places[inside], d[0][inside], atol=1e-6)

    def test_steps_leave_bent_borders_as_they_are(self) -> None:
        grid = open_grid(4, 5)
        across = [grid.quads.edge_of[grid.quads.half_edge(6 * k + 2, 6 * k + 8)] for k in range(4)]
        pipe = cylinder_cage(np.zeros(3), np.array([0, 0, 1.0]), 9, 30)
        ends = np.flatnonzero(grid.quads.border)
        side = [h for h in ends if {0, 1} == {int(grid.quads.starts[h]), int(grid.quads.ends[h])}]
        for words, cage in (
            ("all round", make_bent(grid, ends)), ("one side", make_bent(grid, side)),
            ("a sharp line across", make_bent(make_sharp(grid, np.array(across)), side)),
            ("two in a row", make_bent(open_grid(2, 5), side)), ("one in a row", make_bent(open_grid(1, 5), side)),
            ("rings", make_bent(pipe, np.flatnonzero(pipe.quads.border))),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertGreater(len(cage.quads.bent), 0)
                quads, matrix = refined(cage.quads)
                fine = Cage(matrix @ cage.points, quads)
                self.assertEqual(len(quads.bent), 2 * len(cage.quads.bent))
                rng = np.random.default_rng(4)
                face, uv = rng.integers(0, cage.count, 60), rng.random((60, 2)) * 0.5
                np.testing.assert_allclose(fine.at(4 * face, 2 * uv), cage.at(face, uv), atol=1e-10)

    def test_what_bends_goes_along_with_edits_and_files(self) -> None:
        grid = open_grid(4, 5)
        cage = make_bent(grid, np.flatnonzero(grid.quads.border))
        self.assertEqual(len(cage.quads.bent), 18)
        looped = insert_loop(cage, cage.quads.half_edge(0, 1) if cage.quads.half_edge(0, 1) >= 0 else
                             cage.quads.half_edge(1, 0))  # fmt: skip
        self.assertEqual(len(looped.quads.bent), 20)
        # a side with a corner of its own bends no more, the others do
        self.assertEqual(len(make_corners(cage, np.array([2])).quads.bent), 18 - 5)
        self.assertEqual(len(delete_faces(cage, np.array([0])).quads.bent), 9)
        self.assertEqual(len(make_bent(cage, np.flatnonzero(cage.quads.border), False).quads.bent), 0)
        self.assertEqual(len(cage.flipped().quads.bent), 18)
        both = mirror_and_weld(cage, Plane.coordinate(0))
        self.assertEqual((len(both.quads.bent), both.quads.on_border[:6].sum()), (26, 2))
        with tempfile.TemporaryDirectory() as folder:
            write_cage(Path(folder) / "cage.obj", cage)
            np.testing.assert_array_equal(read_cage(Path(folder) / "cage.obj").quads.bent, cage.quads.bent)
        rim = grid.quads.on_border
        np.testing.assert_allclose(cage.limit[rim], grid.limit[rim], atol=1e-9)
        bowl = fan(5)
        with self.assertRaisesRegex(CageProblem, "cannot bend"):
            make_bent(bowl, np.flatnonzero(bowl.quads.border))

    def test_the_border_is_the_spline_of_its_own_points(self) -> None:
        cage = open_grid()
        uv = np.array([[0.5, 0.0]])
        (place,) = cage.at(np.array([cage.quads.half_edge(5, 10) // 4]), uv)
        row = cage.points[[0, 5, 10, 15]]
        np.testing.assert_allclose(place, np.array([1, 23, 23, 1]) / 48 @ row, atol=1e-12)
        np.testing.assert_allclose(cage.at(np.array([0]), np.zeros((1, 2)))[0], cage.points[0], atol=1e-12)

    def test_a_sphere_has_the_curvature_of_one(self) -> None:
        """But near its eight points of three faces, where the scheme's curvature is its own."""
        cage = sphere_cage(np.zeros(3), 40.0, 8)
        uv = np.random.default_rng(0).random((cage.count, 2))
        c = cage.curvatures(np.arange(cage.count), uv)
        plain = ~(cage.quads.irregular[cage.faces]).any(axis=1)
        plain &= ~np.isin(cage.faces, np.unique(cage.faces[~plain])).any(axis=1)
        np.testing.assert_allclose(c.mean[plain], -1 / 40, rtol=0.1)
        self.assertAlmostEqual(float(np.median(c.mean[plain])), -1 / 40, delta=1e-4)
        self.assertAlmostEqual(float(np.median(c.gaussian[plain])), 1 / 1600, delta=1e-5)


class SamplerTest(unittest.TestCase):
    def test_samples_are_the_surface_and_follow_moved_points(self) -> None:
        for words, cage in KINDS.items():
            with self.subTest(words):
                sampler = cage.sampler(40)
                samples = sampler.read(cage)
                np.testing.assert_allclose(samples.points, cage.at(samples.part, samples.uv), atol=1e-12)
                points = cage.points.copy()
                points[3] += [1.0, -2.0, 0.5]
                moved = cage.with_points(points)
                self.assertTrue(sampler.fits(moved))
                followed, anew = sampler.read(moved), moved.sampler(40).read(moved)
                np.testing.assert_array_equal(followed.points, anew.points)
                np.testing.assert_array_equal(followed.normals, anew.normals)
                a, b, c = np.swapaxes(anew.points[anew.triangles], 0, 1)
                facing = np.einsum("nc,nc->n", np.cross(b - a, c - a), anew.normals[anew.triangles[:, 0]])
                self.assertGreater((facing > 0).mean(), 0.95)

    def test_places_that_faces_share_are_told(self) -> None:
        cage = cube()
        samples = cage.sampler(20).read(cage)
        one, other = samples.points[samples.welds].swapaxes(0, 1)
        np.testing.assert_allclose(one, other, atol=1e-12)
        self.assertEqual(len(samples.rims), 0)
        self.assertEqual(len(cube([[0, 1]]).sampler(20).read(cube([[0, 1]])).rims), 1)

    def test_feet_beside_irregular_points(self) -> None:
        for cage in (cube(shaken=5.0), fan(5), fan(7)):
            irregular = np.flatnonzero((cage.quads.valence != 4) & ~cage.quads.on_border)
            face, corner = (found[0] for found in np.nonzero(cage.faces == irregular[0]))
            square = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])[corner]
            uv = square + (1 - 2 * square) * np.array([[0.0, 0], [1e-3, 2e-3], [8e-3, 5e-3], [0.02, 0.01]])
            there, up = cage.at(np.full(4, face), uv), cage.normals(np.full(4, face), uv)
            feet, _, _ = cage.feet(there + 0.2 * up)
            np.testing.assert_allclose(np.linalg.norm(feet - there - 0.2 * up, axis=1), 0.2, atol=2e-3)

    def test_feet_are_the_nearest_places(self) -> None:
        cage = bumpy()
        rng = np.random.default_rng(0)
        face, uv = rng.integers(0, cage.count, 60), rng.random((60, 2))
        there, up = cage.at(face, uv), cage.normals(face, uv)
        feet, normals, inside = cage.feet(there + 0.3 * up)
        self.assertLess(np.linalg.norm(feet - there, axis=1).max(), 1e-3)
        self.assertGreater(np.einsum("nc,nc->n", normals, up).min(), 0.999)
        self.assertTrue(inside.all())
        beside = open_grid().feet(np.array([[-5.0, 20, 0], [25.0, 20, 3]]))
        self.assertEqual(beside[2].tolist(), [False, True])


class ShapeTest(unittest.TestCase):
    def test_moved_and_mirrored_carry_the_surface_along(self) -> None:
        cage = make_sharp(cube(shaken=8.0), np.array([0, 3]))
        matrix = motion(shift=[3, 4, 5])
        np.testing.assert_allclose(cage.moved(matrix).limit - cage.limit, np.tile([3, 4, 5], (8, 1)), atol=1e-12)
        image = cage.mirrored(Plane.coordinate(1))
        np.testing.assert_allclose(image.limit, cage.limit * [1, -1, 1], atol=1e-12)
        outward = np.einsum("nc,nc->n", image.normals(np.arange(6), np.full((6, 2), 0.5)), image.at(
            np.arange(6), np.full((6, 2), 0.5)))  # fmt: skip
        self.assertTrue((outward > 0).all())
        self.assertIs(image.mirrored(Plane.coordinate(1)).quads, cage.quads)

    def test_rows_run_straight_and_cross(self) -> None:
        net = open_grid(5, 4).net()
        self.assertEqual(sorted(len(row) for row in net.rows), [5] * 6 + [6] * 5)
        for row, along in zip(net.rows, net.along, strict=True):
            step = np.diff(net.points[row], axis=0)
            self.assertTrue(np.allclose(step[:, 0 if len(row) == 5 else 1], 0))
            self.assertEqual({along}, {one for r, one in zip(net.rows, net.along, strict=True) if len(r) == len(row)})

    def test_what_is_no_surface_is_refused_with_the_reason(self) -> None:
        for words, faces in {
            "same point twice": [[0, 1, 1, 2]],
            "more than two faces": [[0, 1, 2, 3], [0, 1, 4, 5]],
            "no face": [[0, 1, 2, 4]],
            "touch in one point": [[0, 1, 2, 3], [0, 4, 5, 6]],
        }.items():
            with self.subTest(words), self.assertRaisesRegex(CageProblem, words):
                Quads(np.array(faces), np.empty((0, 2)), np.empty(0), int(np.max(faces)) + 1)
        with self.assertRaisesRegex(CageProblem, "sharp edge"):
            Quads.of([[0, 1, 2, 3]], [[0, 2]])
        with self.assertRaisesRegex(CageProblem, "at least one face"):
            Quads.of(np.empty((0, 4)))
        with self.assertRaisesRegex(InvalidShape, "not finite"):
            Cage.of(np.full((4, 3), np.nan), [[0, 1, 2, 3]])

    def test_stencils_of_some_rows_are_those_rows(self) -> None:
        cage = fan(5)
        face = np.repeat(np.arange(cage.count), 3)
        uv = np.tile([[0, 0], [0.3, 0.7], [1, 1]], (cage.count, 1))
        stencils = make_stencils(cage.quads, face, uv, 1)
        rows = np.array([0, 4, 9])
        np.testing.assert_array_equal(stencils.only(rows).apply(cage.points), stencils.apply(cage.points)[:, rows])
