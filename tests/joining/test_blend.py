"""Blends: exact orders by sampling, a closed form between plane and cylinder, limits, refusals, pulls by a scan."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
from scipy.interpolate import NdBSpline

from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.geometry import Edge, Face, Surface, Trim, tessellate
from arabesque.joining import BlendSide, Ways, along_form, best_backs, best_pulls, blend, pulled_back
from arabesque.scan import Scan, ready_to_fit
from arabesque.script import Project
from tests.test_cli import run


def hill(low: float, high: float, lift: float, count: int = 7, seed: int = 0) -> Surface:
    """A bumpy Bezier patch over x from low to high, y from 0 to 60 mm."""
    x, y = np.meshgrid(np.linspace(low, high, count), np.linspace(0, 60, count), indexing="ij")
    z = lift + 3 * np.sin(x / 20) * np.cos(y / 25) + np.random.default_rng(seed).normal(scale=0.3, size=x.shape)
    return Surface.bezier(np.stack([x, y, z], -1))


def edges(order: int, other: int | None = None) -> tuple[BlendSide, BlendSide]:
    one, two = hill(0, 40, 0), hill(60, 100, 8, seed=1)
    return BlendSide(one.rims()[Edge.U_HIGH], order), BlendSide(
        two.rims()[Edge.U_LOW], order if other is None else other
    )


class ExactTest(unittest.TestCase):
    def test_every_order_is_exact_in_the_edges_basis(self) -> None:
        for order in range(4):
            one, two = edges(order)
            made = blend(one, two)
            self.assertTrue(made.exact)
            self.assertEqual(made.surface.degree, (max(2 * order + 1, 1), 6))
            joins = find_joins([one.rim.surface, made.surface, two.rim.surface])
            self.assertEqual(len(joins), 2)
            for join in joins:
                reached = (join.gap, join.angle, join.curvature, join.change)[: order + 1]
                for value, limit in zip(reached, (1e-9, 1e-7, 1e-6, 1e-6), strict=False):
                    self.assertLess(value.max(), limit)
                if order < 2:
                    self.assertGreater(join.curvature.max(), 0.05)

    def test_contact_seen_by_another_spline_library(self) -> None:
        """Along a line across the edge the third derivative goes on: SciPy's splines, with the pull taken out."""
        one, two = edges(3)
        made = blend(one, two).surface
        patch = NdBSpline(one.rim.surface.knots, one.rim.surface.points, one.rim.surface.degree)
        over = NdBSpline(made.knots, made.points, made.degree)
        at = np.array([[0.0, 0.3]])
        left = [patch(np.array([[1.0, 0.3]]), nu=(k, 0))[0] for k in range(4)]
        right = [over(at, nu=(k, 0))[0] for k in range(4)]
        pull = np.linalg.norm(right[1]) / np.linalg.norm(left[1])
        for k in range(4):
            size = max(float(np.linalg.norm(pull**k * left[k])), 1.0)
            np.testing.assert_allclose(right[k], pull**k * left[k], atol=1e-9 * size)

    def test_plane_to_cylinder(self) -> None:
        """Sections of a G1 blend from a plane to a quarter of a cylinder along it are the plane cubics of Hermite's
        formula: end points, and end tangents of the gap's length (Farin, "Curves and Surfaces for CAGD", 3.5)."""
        plane = Surface.bezier(np.array([[[-20.0, 0, 0], [-20, 30, 0]], [[-10, 0, 0], [-10, 30, 0]]]))
        quarter = np.array([[0.0, 0, 0], [5.5228475, 0, 0], [10, 0, 4.4771525], [10, 0, 10]])
        wall = Surface.bezier(np.stack([quarter, quarter + np.array([0.0, 30, 0])], axis=1))
        one, two = BlendSide(plane.rims()[Edge.U_HIGH], 1), BlendSide(wall.rims()[Edge.U_HIGH], 1)
        made = blend(one, two).surface
        gap = float(np.hypot(20, 10))
        t = np.linspace(0, 1, 21)[:, None]
        start, end = np.array([-10.0, 0, 0]), np.array([10.0, 0, 10])
        out, into = gap * np.array([1.0, 0, 0]), -gap * np.array([0.0, 0, 1])
        hermite = (
            (2 * t**3 - 3 * t**2 + 1) * start + (t**3 - 2 * t**2 + t) * out
            + (3 * t**2 - 2 * t**3) * end + (t**3 - t**2) * into
        )  # fmt: skip
        got = made.at(np.column_stack([t[:, 0], np.full(21, 0.5)]))
        np.testing.assert_allclose(got[:, [0, 2]], hermite[:, [0, 2]], atol=1e-6)
        np.testing.assert_allclose(got[:, 1], 15.0, atol=1e-9)

    def test_what_the_basis_cannot_hold_is_near_enough(self) -> None:
        one, two = edges(2)
        bent = BlendSide(one.rim, 2, (0.1, 0.8), (0.6, 1.0, 1.4))
        for ways in Ways:
            made = blend(bent, two, ways)
            joins = find_joins([one.rim.surface, made.surface, two.rim.surface])
            self.assertEqual([join.grade() for join in joins], [2, 2], ways)
            self.assertLess(max(float(join.gap.max()) for join in joins), 1e-4)
            self.assertLess(max(float(join.angle.max()) for join in joins), 0.01)

    def test_square_to_the_border(self) -> None:
        one, two = edges(1)
        made = blend(one, two, Ways.SQUARE).surface
        d = made.derivatives(np.column_stack([np.zeros(9), np.linspace(0.05, 0.95, 9)]), 1)
        cosine = np.einsum("nc,nc->n", d[1, 0], d[0, 1])
        cosine /= np.linalg.norm(d[1, 0], axis=1) * np.linalg.norm(d[0, 1], axis=1)
        self.assertLess(np.abs(cosine).max(), 1e-4)

    def test_backwards_and_turned_edges_fit(self) -> None:
        one, two = edges(2)
        turned = two.rim.surface.reversed(1)
        made = blend(one, BlendSide(turned.rims()[Edge.U_LOW], 2))
        np.testing.assert_allclose(np.sort(made.surface.box), np.sort(blend(one, two).surface.box), atol=1e-9)
        cosine = made.surface.normals(np.array([[0.0, 0.5]])) @ one.rim.surface.normals(np.array([[1.0, 0.5]])).T
        self.assertGreater(float(cosine[0, 0]), 0.999999)

    def test_refused_with_the_reason(self) -> None:
        one, two = edges(2)
        for wrong, words in (
            (lambda: BlendSide(one.rim, 4), "G4"),
            (lambda: BlendSide(one.rim, 2, (0.5, 0.5)), "part of its border"),
            (lambda: BlendSide(one.rim, 2, pull=(1.0, 0.0, 1.0)), "above 0"),
            (lambda: BlendSide(one.rim, 2, pull=(np.nan, 1.0, 1.0)), "above 0"),
            (lambda: blend(BlendSide(one.rim, 2, pull=(0.1, 0.1, 3.0)), two), "turn"),
            (lambda: blend(one, one), "no gap"),
        ):
            with self.assertRaisesRegex(ArabesqueError, words):
                wrong()


class PullTest(unittest.TestCase):
    def test_the_pulls_of_a_known_blend_are_found(self) -> None:
        """A scan of a blend with pulls of 0.7 and 1.6: these are found from 1 and 1."""
        one, two = edges(2)
        there = blend(
            BlendSide(one.rim, 2, pull=(0.7,) * 3), BlendSide(two.rim, 2, pull=(1.6,) * 3)
        ).surface  # fmt: skip
        n = 90
        u, v = np.meshgrid(np.linspace(0, 1, n), np.linspace(0, 1, n), indexing="ij")
        index = np.arange(n * n).reshape(n, n)
        a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
        faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
        scan = ready_to_fit(Scan(there.at(np.column_stack([u.ravel(), v.ravel()])), faces))
        first, second, away = best_pulls(one, two, lambda a, b: blend(a, b).surface, scan, 0.2)
        self.assertAlmostEqual(first.pull[0], 0.7, delta=0.05)
        self.assertAlmostEqual(second.pull[0], 1.6, delta=0.1)
        self.assertLess(away, 0.02)


class ScriptTest(unittest.TestCase):
    def test_blends_follow_and_joins_are_listed(self) -> None:
        with tempfile.TemporaryDirectory() as folder, Project() as project:
            one = project.add("One", hill(0, 40, 0))
            two = project.add("Two", hill(60, 100, 8, seed=1))
            made = project.blend((one, Edge.U_HIGH), (two, Edge.U_LOW), order=(2, 1), pull=(1.0, 1.2))
            self.assertEqual(made.shape.degree, (4, 6))
            project.reshape(one, one.shape.with_points(one.shape.points + np.array([0, 0, 2.0])), "raised")
            grades = sorted(join.grade() for join in project.joins())
            self.assertEqual(grades, [1, 2])
            path, report = Path(folder) / "skin.step", Path(folder) / "joins.json"
            project.export(path, list(project.items))
            code, said, _ = run("joins", path, "--report", report)
            self.assertEqual(code, 0)
            found = json.loads(report.read_text())
            self.assertIn("3 faces, 2 joins: 1 G1, 1 G2", said)
            self.assertEqual((found["faces"], found["classes"]), (3, {"G1": 1, "G2": 1}))
            self.assertLess(max(join["gap"] for join in found["joins"]), 1e-6)
            self.assertEqual([join["class"] for join in found["joins"]], ["G1", "G2"])


class PullBackTest(unittest.TestCase):
    """Two planes with a blend from x = 35 to 65 between them, scanned; the patches laid on them reach 10 and 7 mm too
    far."""

    def setUp(self) -> None:
        nets = (
            [[[0, 0, 0], [0, 60, 0]], [[35, 0, 0], [35, 60, 0]]],
            [[[65, 0, 12], [65, 60, 12]], [[100, 0, 30], [100, 60, 30]]],
        )
        true = [Surface.bezier(np.array(net, dtype=float)).elevated(2, 2) for net in nets]
        self.edges = int(Edge.U_HIGH), int(Edge.U_LOW)
        between = blend(*(BlendSide(one.rims()[edge]) for one, edge in zip(true, self.edges, strict=True))).surface
        parts, count = [], 0
        for one in (*true, between):
            points, triangles = tessellate(one, 0.002)
            parts.append((points, triangles + count))
            count += len(points)
        self.scan = Scan(*(np.concatenate(some) for some in zip(*parts, strict=True)))
        self.patches = [pulled_back(one, edge, by) for one, edge, by in zip(true, self.edges, (-10, -7), strict=True)]

    def test_an_edge_goes_back_along_its_form(self) -> None:
        one = self.patches[0]
        for length in (7.5, -3.0):
            made = pulled_back(one, self.edges[0], length)
            np.testing.assert_allclose(made.at([[made.domain[0][1], 0.5]])[0], [45 - length, 30, 0], atol=1e-6)
        self.assertIs(pulled_back(one, 1, 0.0), one)
        places = along_form(one, 1, np.array([-10.0, 0.0, 10.0, 60.0]))
        np.testing.assert_allclose(places[:3, 0], [55, 45, 35], atol=1e-6)
        self.assertTrue(np.isnan(places[3]).all())
        hole = Trim((np.array([[0.1, 0.1], [0.9, 0.1], [0.5, 0.9]]),))
        with self.assertRaisesRegex(ArabesqueError, "trimmed border"):
            pulled_back(Face(one.degree, one.knots, one.points, None, hole), 1, 2.0)

    def test_the_best_lengths_are_found(self) -> None:
        """10 and 7 mm, where the blend is the one that was scanned."""
        sides = [BlendSide(patch.rims()[edge]) for patch, edge in zip(self.patches, self.edges, strict=True)]
        found = best_backs((sides[0], sides[1]), self.edges, 16.0, self.scan, 0.2)
        self.assertAlmostEqual(found.one, 10.0, delta=0.8)
        self.assertAlmostEqual(found.two, 7.0, delta=0.8)
        self.assertLess(found.away, 0.1)
        self.assertGreater(best_backs((sides[0], sides[1]), self.edges, 1e-6, self.scan, 0.2).away, 5 * found.away)


if __name__ == "__main__":
    unittest.main()
