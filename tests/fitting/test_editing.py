"""Fits that keep to something: ties, pins, borders; the weight map; patches between borders."""

import unittest

import numpy as np

from arabesque.checking import find_joins, shape_to_scan
from arabesque.errors import FitProblem
from arabesque.fitting import (
    EdgeOf,
    bilinear,
    corners_on_scan,
    four_corner_patch,
    lay_between,
    lightest,
    refit,
    roughness,
    weight_map,
)
from arabesque.geometry import (
    Plane,
    Seam,
    Surface,
    Twin,
    TwinKind,
    edge_curve,
    kept_on,
    split_surface,
    tie_matrix,
)
from tests.examples import heron, sphere

MIDDLE = Plane.coordinate(1)


def cap(side: float = 20.0, degree: int = 3) -> Surface:
    """A patch over the top of the sphere of radius 50, across y = 0."""
    corners = np.array([[-side, -side, 0], [side, -side, 0], [side, side, 0], [-side, side, 0.0]])
    corners[:, 2] = np.sqrt(2500 - 2 * side**2)
    return bilinear(corners_on_scan(corners, sphere(), 0.2)).elevated(degree - 1, degree - 1)


class TiedFitTest(unittest.TestCase):
    def test_a_patch_across_the_plane_stays_symmetric_and_fits(self) -> None:
        twin = Twin(TwinKind.SPANS, 1)
        start = twin.kept(cap(), MIDDLE)
        fit = refit(start, sphere(), 0.2, tie=tie_matrix(twin, MIDDLE, start))
        self.assertTrue(twin.holds(twin.kept(fit.surface, MIDDLE, fit.surface), MIDDLE))
        np.testing.assert_allclose(fit.surface.points[:, ::-1] * [1, -1, 1], fit.surface.points, atol=1e-9)
        free = refit(start, sphere(), 0.2)
        self.assertLess(fit.figures.inlier_p99, 1.05 * free.figures.inlier_p99 + 0.005)

    def test_a_patch_that_ends_on_the_plane_stays_smooth_there(self) -> None:
        """The scan is symmetric and smooth: holding the seam costs next to nothing."""
        half = split_surface(refit(cap(), sphere(), 0.05).surface, 1, 0.5)[1]
        for seam in (Seam.SMOOTH, Seam.EVEN):
            twin = Twin(TwinKind.ENDS, 1, False, seam)
            start = twin.kept(half.elevated(1, 1), MIDDLE)
            fit = refit(start, sphere(), 0.2, tie=tie_matrix(twin, MIDDLE, start))
            self.assertLess(fit.figures.inlier_p99, 0.12)
            self.assertTrue(np.allclose(twin.kept(fit.surface, MIDDLE).points, fit.surface.points, atol=1e-9))

    def test_held_points_stay_and_smoothness_trades(self) -> None:
        scan = heron().scan
        start = four_corner_patch(heron().master.corners["flank"], scan, 0.2, (4, 4)).surface
        held = np.zeros(start.points.shape[:2], dtype=bool)
        held[0] = held[-1] = held[:, 0] = held[:, -1] = held[2, 2] = True
        close = refit(start, scan, 0.2, held=held)
        calm = refit(start, scan, 0.2, held=held, smoothness=1e-4)
        for fit in (close, calm):
            np.testing.assert_array_equal(fit.surface.points[held], start.points[held])
        self.assertLess(roughness(calm.surface), roughness(close.surface))
        self.assertLess(close.figures.inlier_rms, calm.figures.inlier_rms)


class WeightMapTest(unittest.TestCase):
    def test_nine_candidates_that_get_closer(self) -> None:
        scan = heron().scan
        start = four_corner_patch(heron().master.corners["flank"], scan, 0.2, (2, 2)).surface
        found = weight_map(start, scan, 0.2)
        self.assertEqual([one.steps for one in found], [(u, v) for u in range(3) for v in range(3)])
        by = {one.steps: one for one in found}
        self.assertEqual(by[1, 2].surface.degree, (3, 4))
        for a, b in (((0, 0), (1, 1)), ((1, 1), (2, 2))):
            self.assertLess(by[b].p99, by[a].p99)
        # each candidate's figure is that of its own surface
        figures = shape_to_scan(by[2, 2].surface, scan, 60).figures(0.2)
        self.assertAlmostEqual(figures.inlier_p99, by[2, 2].p99)
        best = lightest(found)
        assert best is not None
        self.assertTrue(all(one.surface.count >= best.surface.count for one in found if one.within))

    def test_twins_stay_tied(self) -> None:
        twin = Twin(TwinKind.SPANS, 1)
        start = twin.kept(cap(degree=5), MIDDLE)
        for one in weight_map(start, sphere(), 0.05, twin, MIDDLE)[::4]:
            self.assertTrue(twin.holds(one.surface, MIDDLE))


class BetweenTest(unittest.TestCase):
    def test_between_two_neighbours_with_their_tangents(self) -> None:
        """A gap on the sphere between two patches: shared control points, and small angles where tangents are taken."""
        whole = refit(cap(), sphere(), 0.05).surface
        left, rest = split_surface(whole, 0, 0.3)
        right = split_surface(rest, 0, 0.7)[1]
        for tangent in (False, True):
            pieces = [EdgeOf(left, 1, tangent), EdgeOf(right, 3, tangent)]
            made = lay_between(pieces, sphere(), 0.2, (3, 4))
            for neighbour, edge in ((left, 1), (right, 3)):
                border = edge_curve(neighbour, edge).points
                ours = [edge_curve(made, k).points for k in range(4)]
                self.assertTrue(any(np.array_equal(p, border) or np.array_equal(p[::-1], border) for p in ours))
            joins = find_joins([left, made, right])
            self.assertEqual(len(joins), 2)
            # it does not cross itself: its normals all look away from the ball
            t = np.linspace(0, 1, 15)
            d = made.on_grid(t, t, 1)
            up = np.einsum("uvc,uvc->uv", np.cross(d[1, 0], d[0, 1]), d[0, 0])
            self.assertGreater(up.min(), 0.0)
            worst = max(join.angle.max() for join in joins)
            self.assertLess(max(join.gap.max() for join in joins), 1e-9)
            if tangent:
                self.assertLess(worst, 0.02)
        self.assertLess(shape_to_scan(made, sphere(), 30).figures(0.2).inlier_p99, 0.12)

    def test_an_edge_and_two_places(self) -> None:
        whole = refit(cap(), sphere(), 0.05).surface
        left, right = split_surface(whole, 0, 0.5)
        places = [right.points[-1, 0], right.points[-1, -1]]
        made = lay_between([EdgeOf(left, 1), places[1], places[0]], sphere(), 0.2)
        self.assertLess(shape_to_scan(made, sphere(), 30).figures(0.2).inlier_p99, 0.2)
        corners = made.points[np.ix_([0, -1], [0, -1])].reshape(-1, 3)
        for place in places:
            self.assertLess(np.linalg.norm(corners - place, axis=1).min(), 1e-9)

    def test_too_many_sides_are_told(self) -> None:
        with self.assertRaisesRegex(FitProblem, "sides"):
            lay_between([np.zeros(3), np.array([9.0, 0, 0]), np.array([9.0, 9, 0])], sphere(), 0.2)


class KeptOnTest(unittest.TestCase):
    def test_a_row_slides_along_the_form(self) -> None:
        """A row moved 3 mm sideways: shifted along its normals the patch stays on the form, several times better."""
        scan = sphere()
        before = refit(cap(degree=4), scan, 0.05).surface
        moved = before.points.copy()
        moved[2] += [3.0, 0, 0]
        shares = np.zeros(moved.shape[:2])
        shares[1:4] = 1.0
        moved, shares = moved.reshape(-1, 3), shares.ravel()

        def on(places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
            radius = np.linalg.norm(places, axis=1, keepdims=True)
            return 50 * places / radius, places / radius

        after = kept_on(before, moved, shares, on)
        t = np.linspace(0, 1, 30)

        def off(surface: Surface) -> float:
            return float(np.abs(np.linalg.norm(surface.on_grid(t, t)[0, 0], axis=2) - 50).max())

        self.assertLess(off(after), off(before.with_points(moved)) / 2.3)
        np.testing.assert_array_equal(after.points[[0, -1]], before.points[[0, -1]])


if __name__ == "__main__":
    unittest.main()
