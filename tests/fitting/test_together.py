"""Neighbours fitted together: smooth over shared edges, outer edges where they were, twins, and what cannot be."""

import unittest

import numpy as np

from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.fitting import fit_together
from arabesque.geometry import Edge, Plane, Seam, Surface, Twin, TwinKind, split_surface, swapped_surface, tessellate
from arabesque.geometry.matching import nearest_surface
from arabesque.model import Change
from arabesque.scan import Scan
from arabesque.script import Project
from tests.joining.test_filling import wavy


def patch(low: tuple[float, float], high: tuple[float, float], seed: int = 0) -> Surface:
    """A bicubic patch over a rectangle of the wavy form, whose inside was moved by about 0.1 mm."""
    t = np.linspace(0, 1, 25)
    x, y = (a + (b - a) * t for a, b in zip(low, high, strict=True))
    flat = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1)
    knots = np.array([0.0] * 4 + [0.25, 0.5, 0.75] + [1.0] * 4)
    form = nearest_surface((3, 3), (knots, knots), [t, t], np.dstack([flat, wavy(flat[..., 0], flat[..., 1])]))
    points = form.points.copy()
    points[1:-1, 1:-1, 2] += np.random.default_rng(seed).normal(scale=0.1, size=(5, 5))
    return form.with_points(points)


def four() -> list[Surface]:
    """Neighbours two by two, of different sizes, one of them with its rows the other way."""
    made = [
        patch((a, c), (b, d), 2 * i + k)
        for i, (a, b) in enumerate(((-30, 6), (6, 20)))
        for k, (c, d) in enumerate(((-20, 5), (5, 30)))
    ]
    return [made[0], swapped_surface(made[1]), made[2].reversed(0), made[3]]


def clay() -> Scan:
    """A scan of the form."""
    t = np.linspace(0, 1, 121)
    flat = np.stack(np.meshgrid(-32 + 54 * t, -22 + 54 * t, indexing="ij"), axis=-1)
    knots = np.concatenate([np.zeros(3), np.linspace(0, 1, 40), np.ones(3)])
    grid = np.dstack([flat, wavy(flat[..., 0], flat[..., 1])])
    return Scan(*tessellate(nearest_surface((3, 3), (knots, knots), [t, t], grid), 0.005))


class TogetherTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.scan = clay()

    def test_smooth_over_shared_edges(self) -> None:
        """G1 within 0.05 degrees and G2 within 5 %, where there were up to some degrees; outer edges to the bit."""
        patches = four()
        before = find_joins(patches)
        self.assertEqual(max(join.grade() for join in before), 0)
        for order in (1, 2):
            made = fit_together(patches, self.scan, 0.1, order)
            self.assertEqual(made.shared, 4)
            joins = find_joins(made.surfaces)
            self.assertEqual(len(joins), 4)
            self.assertGreaterEqual(min(join.grade() for join in joins), order)
            self.assertLess(made.angle, 0.1)
            for one, other in zip(made.surfaces, patches, strict=True):
                self.assertEqual(one.domain, other.domain)
                points = one.sampler(24).read(one).points
                self.assertLess(np.abs(points[:, 2] - wavy(points[:, 0], points[:, 1])).max(), 0.1)
            outer = made.surfaces[0].rims()[Edge.V_LOW], patches[0].rims()[Edge.V_LOW]
            t = np.linspace(0, 1, 33)
            one, other = (rim.surface.at(rim.places(t)) for rim in outer)
            np.testing.assert_allclose(one, other, atol=1e-9)

    def test_without_a_scan_it_is_as_fair_as_may_be(self) -> None:
        made = fit_together(four(), None, 0.1, 1)
        self.assertGreaterEqual(min(join.grade() for join in find_joins(made.surfaces)), 1)

    def test_what_cannot_be(self) -> None:
        with self.assertRaisesRegex(ArabesqueError, "share no edge"):
            fit_together([patch((0, 0), (10, 10)), patch((40, 0), (50, 10))], None, 0.1)
        with self.assertRaisesRegex(ArabesqueError, "only part of another"):
            fit_together([patch((0, 0), (20, 20)), patch((20, 0), (30, 10))], None, 0.1)
        with self.assertRaisesRegex(ArabesqueError, "G3"):
            fit_together(four(), None, 0.1, 3)
        half = split_surface(patch((0, 0), (20, 20)), 0, 0.5)[0]
        rational = Surface(half.degree, half.knots, half.points, np.full(half.points.shape[:2], 2.0))
        with self.assertRaisesRegex(ArabesqueError, "rational"):
            fit_together([half, rational], None, 0.1)


class ProjectTest(unittest.TestCase):
    def test_one_step_and_twins_stay_seated(self) -> None:
        """Two patches that end on the twin plane: their seams stay smooth to the bit."""
        with Project() as project:
            project.add("Scan", clay())
            one = project.add("One", patch((-30, 0), (0, 20), 1))
            two = project.add("Two", patch((0, 0), (20, 20), 2))
            document = project.document.with_plane(Plane.coordinate(1))
            for item in (one, two):
                document = document.with_twin(item.id, Twin(TwinKind.ENDS, 1, False, Seam.SMOOTH))
            project._do(Change("seated", document))
            made = project.fit_together([one, two], 1)
            self.assertLess(made.angle, 0.05)
            for item in (one, two):
                shape = project.item(item.id).shape
                twin = project.item(item.id).ties.twin
                self.assertTrue(twin.holds(shape, Plane.coordinate(1)))
                np.testing.assert_array_equal(shape.points[:, 0, [0, 2]], shape.points[:, 1, [0, 2]])
            self.assertGreaterEqual(
                min(j.grade() for j in find_joins([project.item(i.id).shape for i in (one, two)])), 1
            )
            self.assertEqual(project.undo(), "2 patches fitted together, G1")


if __name__ == "__main__":
    unittest.main()
