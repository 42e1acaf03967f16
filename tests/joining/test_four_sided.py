"""Patches with natural edges over four borders; borders that go on past their neighbours; blends on a scan."""

import unittest

import numpy as np

from arabesque.checking import find_joins, shape_to_scan
from arabesque.errors import ArabesqueError
from arabesque.geometry import Edge, Surface, tessellate, uniform_knots
from arabesque.geometry.matching import nearest_surface
from arabesque.joining import BlendSide, blend, fill, fill_four, laid_on_scan, ring_of
from arabesque.model import any_stale
from arabesque.scan import Scan
from arabesque.script import Project
from tests.joining.test_blend import hill
from tests.joining.test_filling import RADIUS, around, ball, sides, wavy


def sheet(low: tuple[float, float], high: tuple[float, float]) -> Surface:
    """The wavy form over a rectangle."""
    t = np.linspace(0, 1, 25)
    x, y = (a + (b - a) * t for a, b in zip(low, high, strict=True))
    flat = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1)
    knots = uniform_knots(5, 8)
    grid = np.dstack([flat, wavy(flat[..., 0], flat[..., 1])])
    return nearest_surface((5, 5), (knots, knots), [t, t], grid)


def overlong() -> list[BlendSide]:
    """Borders round the square from -10 to 10: two of them go on to 30 on both sides."""
    patches = [sheet((-30, -30), (30, -10)), sheet((10, -10), (30, 10)), sheet((-30, 10), (30, 30)),
               sheet((-30, -10), (-10, 10))]  # fmt: skip
    edges = (Edge.V_HIGH, Edge.U_LOW, Edge.V_LOW, Edge.U_HIGH)
    return [BlendSide(patch.rims()[edge], 2) for patch, edge in zip(patches, edges, strict=True)]


class FourSidedTest(unittest.TestCase):
    def test_as_smooth_as_asked_and_light(self) -> None:
        """G1 within 0.01 degrees, G2 within 1 % of curvature; by the program's own joins, too."""
        for form in (ball, wavy):
            patches = around(4, form)
            for order in (0, 1, 2):
                made = fill_four(sides(patches, order))
                self.assertLess(made.gap, 1e-4)
                self.assertLess(made.turned, 0.01)
                self.assertLess(made.bent, 0.01)
                self.assertLessEqual(max(made.face.points.shape[:2]), 16)
                grades = [join.grade() for join in find_joins([*patches, made.face]) if 4 in
                          (join.first[0], join.second[0])]  # fmt: skip
                self.assertEqual(len(grades), 4)
                self.assertGreaterEqual(min(grades), order)

    def test_a_balls_opening_is_the_ball(self) -> None:
        """With curvature from all four sides within 5 µm (the radius is the reference)."""
        face = fill_four(sides(around(4, ball), 2)).face
        off = np.abs(np.linalg.norm(face.sampler(40).read(face).points, axis=1) - RADIUS).max()
        self.assertLess(off, 0.005)

    def test_borders_end_where_their_neighbours_do(self) -> None:
        ring = ring_of(overlong())
        lengths = [float(np.linalg.norm(np.diff(side.places(np.array([0.0, 1.0])), axis=0))) for side in ring]
        np.testing.assert_allclose(lengths, 20.0, atol=0.6)
        for made in (fill_four(overlong()), fill(overlong())):
            self.assertLess(made.gap, 1e-3)
            self.assertLess(made.turned, 0.05)
            points = made.face.sampler(30).read(made.face).points
            self.assertLess(np.abs(points[:, 2] - wavy(points[:, 0], points[:, 1])).max(), 0.05)

    def test_it_lies_on_the_scan_inside(self) -> None:
        """A dome that stands 1 mm higher in the middle than the ball round it."""
        x = np.linspace(-25, 25, 81)
        flat = np.stack(np.meshgrid(x, x, indexing="ij"), axis=-1)
        bump = np.exp(-((np.linalg.norm(flat, axis=-1) / 9) ** 2))
        form = np.dstack([flat, ball(flat[..., 0], flat[..., 1]) + bump])
        knots = uniform_knots(3, 40)
        dome = nearest_surface((3, 3), (knots, knots), [(x + 25) / 50, (x + 25) / 50], form)
        scan = Scan(*tessellate(dome, 0.01))
        bare, led = (fill_four(sides(around(4, ball), 1), some, 0.1) for some in (None, scan))
        away = [shape_to_scan(made.face, scan).figures(0.1).p99 for made in (bare, led)]
        self.assertGreater(away[0], 0.5)
        self.assertLess(away[1], 0.1)
        self.assertLess(led.turned, 0.05)

    def test_what_is_no_ring(self) -> None:
        with self.assertRaisesRegex(ArabesqueError, "do not go round"):
            fill_four([*sides(around(4, wavy), 1)[:3], BlendSide(hill(200, 260, 0).rims()[0], 1)])


class MiddleTest(unittest.TestCase):
    def test_rows_in_the_middle_lie_on_the_scan(self) -> None:
        """Two patches of a form with a step between them: the blend alone leaves it, with two rows more it does not;
        both meet the borders alike."""
        one, two = hill(0, 40, 0), hill(60, 100, 8, seed=1)
        sides = BlendSide(one.rims()[Edge.U_HIGH], 2), BlendSide(two.rims()[Edge.U_LOW], 2)
        bare = blend(*sides)
        points = bare.surface.points.copy()
        lifted = Surface(bare.surface.degree, bare.surface.knots, points).elevated(2, 0)
        raised = lifted.points.copy()
        raised[3:5, :, 2] += 1.5
        scan = Scan(*tessellate(lifted.with_points(raised), 0.01))
        made = laid_on_scan(bare, (2, 2), 2, scan, 0.1)
        away = [shape_to_scan(one.surface, scan).figures(0.1).p99 for one in (bare, made)]
        self.assertGreater(away[0], 0.3)
        self.assertLess(away[1], 0.1)
        self.assertEqual([join.grade() for join in find_joins([one, made.surface, two])], [2, 2])
        with self.assertRaisesRegex(ArabesqueError, "fewer rows"):
            laid_on_scan(bare, (2, 2), 5, scan, 0.1)

    def test_a_project_follows(self) -> None:
        with Project() as project:
            one, two = project.add("One", hill(0, 40, 0)), project.add("Two", hill(60, 100, 8, seed=1))
            with self.assertRaisesRegex(ArabesqueError, "scan"):
                project.blend_borders((one, int(Edge.U_HIGH)), (two, int(Edge.U_LOW)), middle=2)
            made = project.blend_borders((one, int(Edge.U_HIGH)), (two, int(Edge.U_LOW)))
            project.add("Scan", Scan(*tessellate(made.shape, 0.01)))
            led = project.blend_borders((one, int(Edge.U_HIGH)), (two, int(Edge.U_LOW)), middle=2)
            self.assertEqual(led.shape.degree[0], 7)
            borders = [(project.add(f"Side {k}", one), int(Edge.U_LOW)) for k, one in enumerate(around(4, wavy))]
            quads = project.fill(borders)
            self.assertIsInstance(quads.shape, Surface)
            self.assertFalse(any_stale(project.document))


if __name__ == "__main__":
    unittest.main()
