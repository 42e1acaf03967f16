"""Trimmed faces recast: near the old face and its border, sides where corners are, areas by formula, what cannot be."""

import unittest

import numpy as np

from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Elementary,
    ElementaryKind,
    Face,
    Surface,
    foot_points,
    split_surface,
    swapped_surface,
    uniform_knots,
)
from arabesque.geometry.matching import nearest_surface
from arabesque.joining import Cutter, crease_of, cut_apart, recast, recast_at_crease, recast_several
from arabesque.model import any_stale
from arabesque.script import Project
from tests.joining.test_blend import hill
from tests.joining.test_crossing import FULL, flat
from tests.joining.test_filling import around, wavy
from tests.joining.test_trim import area, circle


def half(keep: int = 0) -> Face:
    """A hill cut aslant by a plane."""
    return cut_apart(hill(0, 40, 0), [Cutter(flat(0.0, 90.0, np.pi / 2 - 0.3).moved(_to(18, 30, 0)))]).kept([keep])


class RecastTest(unittest.TestCase):
    def test_near_the_face_with_its_border(self) -> None:
        face = half()
        for near, degree in ((0.05, (3, 3)), (0.002, (4, 4))):
            made = recast(face, degree, near=near)
            self.assertLessEqual(max(made.off, made.border), near)
            self.assertEqual(made.surface.degree, degree)
            self.assertNotIsInstance(made.surface, Face)
            grid = made.surface.on_grid(np.linspace(0, 1, 60), np.linspace(0, 1, 60))[0, 0].reshape(-1, 3)
            feet = foot_points(face.whole, grid)
            self.assertLess(np.linalg.norm(feet.points - grid, axis=1).max(), 1.5 * near)
            samples = made.surface.sampler(200).read(made.surface)
            self.assertAlmostEqual(float(samples.areas.sum()), area(face), delta=1.0)
            # it looks to the same side, and its corners are those of the face
            self.assertGreater(
                float(made.surface.normals([[0.5, 0.5]])[0] @ face.whole.normals(feet.uv[1770][None])[0]), 0.9
            )
            corners = np.concatenate([rim.surface.at(rim.uv[[0, -1]]) for rim in face.rims()])
            for corner in made.corners:
                self.assertLess(np.linalg.norm(corners - corner, axis=1).min(), 1e-6)

    def test_spans_and_corners_by_hand(self) -> None:
        face = half()
        made = recast(face, (3, 2), (4, 3))
        self.assertEqual(made.surface.spans, (4, 3))
        whole = [rim.surface.at(rim.places(np.array([0.5])))[0] for rim in face.rims()]
        turned = recast(face, (3, 3), (3, 3), places=whole)
        for corner in turned.corners:
            self.assertLess(min(np.linalg.norm(place - corner) for place in whole), 0.2)
        with self.assertRaisesRegex(ArabesqueError, "four corners"):
            recast(face, places=whole[:3])

    def test_round_and_three_sided_faces(self) -> None:
        """A disc has no corner, a sector three: sides are divided; areas are pi r² and a quarter of it."""
        disc = cut_apart(flat(0.0), [Cutter(circle(20.0))]).kept([1])
        made = recast(disc, near=0.02)
        self.assertAlmostEqual(float(made.surface.sampler(200).read(made.surface).areas.sum()), 400 * np.pi, delta=0.5)
        planes = [Cutter(flat(0.0, 90.0, np.pi / 2)), Cutter(flat(0.0, 90.0, np.pi / 2).moved(_turn()))]
        sector = cut_apart(disc, planes).kept([0])
        self.assertEqual(len(sector.rims()), 3)
        made = recast(sector, near=0.02)
        self.assertAlmostEqual(float(made.surface.sampler(200).read(made.surface).areas.sum()), 100 * np.pi, delta=0.3)

    def test_a_bent_face_is_spread_evenly(self) -> None:
        """A crescent, between whose sides Coons' places cross."""
        outer, inner = Cutter(circle(30.0)), Cutter(circle(26.0).moved(_to(12, 0, 0)))
        pieces = cut_apart(flat(0.0), [outer, inner])
        crescent = pieces.kept([pieces.at(np.array([0.22, 0.5]))])
        made = recast(crescent, near=0.05)
        cells = made.surface.normals(np.random.default_rng(0).random((500, 2)))
        self.assertGreater((cells @ cells[0]).min(), 0.99)

    def test_what_is_not_one_patch(self) -> None:
        ball = Elementary.make(ElementaryKind.SPHERE, np.eye(4), (30.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        with self.assertRaisesRegex(ArabesqueError, "openings"):
            recast(cut_apart(flat(10.0), [Cutter(ball)]).kept([0]))


class ProjectTest(unittest.TestCase):
    def test_it_follows_a_chain(self) -> None:
        """Patch, trim, recast; the patch is lifted, and all of it is."""
        with Project() as project:
            patch = project.add("Hill", hill(0, 40, 0))
            blade = project.add("Blade", flat(0.0, 90.0, np.pi / 2 - 0.3).moved(_to(18, 30, 0)))
            cut = project.trim(patch, blade, keep=[patch.shape.at([[0.1, 0.5]])[0]])
            made = project.recast(cut)
            self.assertEqual([item.name for item in project.items if item.look.visible], ["Blade", "Hill cut recast"])
            before = made.shape
            project.reshape(patch, patch.shape.moved(_to(0, 0, 2)))
            self.assertFalse(any_stale(project.document))
            now = project.item(made.id).shape
            lift = now.at([[0.5, 0.5]])[0] - before.at([[0.5, 0.5]])[0]
            self.assertAlmostEqual(float(lift[2]), 2.0, delta=0.3)


def _to(x: float, y: float, z: float) -> np.ndarray:
    matrix = np.eye(4)
    matrix[:3, 3] = x, y, z
    return matrix


def _turn() -> np.ndarray:
    return np.array([[0, -1.0, 0, 0], [1, 0, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]])


class SeveralTest(unittest.TestCase):
    def test_a_patch_cut_in_four_is_one_again(self) -> None:
        """Parts of a hill, turned any way: one patch within near of it, with its own corners and its area."""
        whole = hill(0, 40, 0)
        left, right = split_surface(whole, 0, 0.4)
        parts = [part for half in (left, right) for part in split_surface(half, 1, 0.55)]
        parts[1], parts[2] = parts[1].reversed(0), swapped_surface(parts[2])
        for near in (0.05, 0.003):
            made = recast_several(parts, (3, 3), near=near)
            self.assertLessEqual(max(made.off, made.border), near)
            grid = made.surface.on_grid(np.linspace(0, 1, 60), np.linspace(0, 1, 60))[0, 0].reshape(-1, 3)
            away = np.linalg.norm(foot_points(whole, grid).points - grid, axis=1)
            self.assertLess(away.max(), 1.5 * near)
            areas = [float(s.sampler(150).read(s).areas.sum()) for s in (made.surface, whole)]
            self.assertAlmostEqual(areas[0] / areas[1], 1.0, delta=2e-3)
            corners = whole.points[np.ix_([0, -1], [0, -1])].reshape(-1, 3)
            for corner in made.corners:
                self.assertLess(np.linalg.norm(corners - corner, axis=1).min(), 1e-6)

    def test_staggered_edges_and_trimmed_faces(self) -> None:
        """A face cut aslant beside its other half: the cut is no border any more; T-shaped meetings are none either."""
        pieces = cut_apart(hill(0, 40, 0), [Cutter(flat(0.0, 90.0, np.pi / 2 - 0.3).moved(_to(18, 30, 0)))])
        made = recast_several([pieces.kept([0]), pieces.kept([1])], near=0.01)
        self.assertLessEqual(max(made.off, made.border), 0.01)
        whole = hill(0, 40, 0)
        left, right = split_surface(whole, 0, 0.4)
        made = recast_several([left, *split_surface(right, 1, 0.55)], near=0.01)
        self.assertLessEqual(max(made.off, made.border), 0.01)

    def test_what_does_not_lie_side_by_side(self) -> None:
        with self.assertRaisesRegex(ArabesqueError, "side by side"):
            recast_several([hill(0, 40, 0), hill(60, 100, 0)])
        with self.assertRaisesRegex(ArabesqueError, "side by side, or leave an opening"):
            recast_several(around(4, wavy))

    def test_it_follows_and_stands_for_them(self) -> None:
        with Project() as project:
            items = [project.add(f"Part {k}", part) for k, part in enumerate(split_surface(hill(0, 40, 0), 0, 0.4))]
            made = project.recast(items, near=0.01)
            self.assertEqual([item.look.visible for item in project.items], [False, False, True])
            self.assertLessEqual(project.told_of(made).off, 0.01)
            with self.assertRaisesRegex(ArabesqueError, "no blend, round, fill or recast"):
                project.told_of(items[0])
            for item in items:
                raised = item.shape.with_points(item.shape.points + np.array([0, 0, 2.0]))
                project.reshape(item, raised, "raised")
            self.assertFalse(any_stale(project.document) or project.item(made.id).trouble)
            self.assertAlmostEqual(float(project.item(made.id).shape.points[0, 0, 2] - made.shape.points[0, 0, 2]), 2.0)


class CreaseTest(unittest.TestCase):
    def test_a_knot_line_where_tangents_break(self) -> None:
        """Two level halves that meet at 30 degrees, in one patch: its parts exactly, or with rows as asked."""
        x = np.array([0.0, 10, 20, 30, 40])
        z = np.where(x > 20, (x - 20) * np.tan(np.radians(30)), 0.0)
        points = np.stack([np.broadcast_to(one[:, None], (5, 3)) for one in (x, 0 * x, z)], -1)
        points[..., 1] = [0.0, 25, 50]
        knots = np.array([0.0, 0, 0, 0.5, 0.5, 1, 1, 1]), np.array([0.0, 0, 0, 1, 1, 1])
        for surface in (Surface((2, 2), knots, points), swapped_surface(Surface((2, 2), knots, points))):
            self.assertAlmostEqual(crease_of(surface).angle, 30.0, places=6)
            one, two = recast_at_crease(surface)
            self.assertEqual((one.off, two.off), (0.0, 0.0))
            self.assertEqual(sorted({round(float(abs(s.surface.normals([[0.5, 0.5]])[0, 2])), 6) for s in (one, two)}),
                             [round(float(np.cos(np.radians(30))), 6), 1.0])  # fmt: skip
            one, two = recast_at_crease(surface, (3, 3), (2, 2))
            self.assertEqual((one.surface.spans, two.surface.degree), ((2, 2), (3, 3)))
            (join,) = find_joins([one.surface, two.surface])
            self.assertLess(join.gap.max(), 1e-9)
            self.assertAlmostEqual(float(join.angle.mean()), 30.0, places=4)

    def test_a_soft_crease_that_runs_aslant(self) -> None:
        """A bend of 3 mm across a form of 40 mm, along a line aslant: the two share an edge that lies on it."""
        t = np.linspace(0, 1, 81)
        x, y = np.meshgrid(40 * t, 60 * t, indexing="ij")
        across = x - (16 + 8 * y / 60)
        z = 0.5 * (across + np.sqrt(across**2 + 1.0))  # level on one side, 45 degrees on the other
        knots = uniform_knots(3, 40)
        surface = nearest_surface((3, 3), (knots, knots), [t, t], np.stack([x, y, z], -1))
        crease = crease_of(surface)
        self.assertIsNone(crease.at)
        on = surface.at(crease.line)
        self.assertLess(np.abs(on[:, 0] - (16 + 8 * on[:, 1] / 60)).max(), 0.5)
        one, two = recast_at_crease(surface, near=0.03)
        self.assertLess(max(one.off, two.off), 0.03)
        (join,) = find_joins([one.surface, two.surface])
        self.assertLess(join.gap.max(), 1e-6)
        self.assertLess(np.abs(join.points[:, 0] - (16 + 8 * join.points[:, 1] / 60)).max(), 0.5)

    def test_none_where_a_patch_bends_evenly(self) -> None:
        with self.assertRaisesRegex(ArabesqueError, "no crease"):
            crease_of(hill(0, 40, 0))
        rod = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (20.0,), ((0.0, 3.0), (-30.0, 30.0)))
        with self.assertRaisesRegex(ArabesqueError, "no crease"):
            crease_of(rod)

    def test_two_that_follow(self) -> None:
        x = np.array([0.0, 10, 20, 30, 40])
        points = np.stack([np.broadcast_to(x[:, None], (5, 3)), np.broadcast_to([0.0, 25, 50], (5, 3)),
                           np.broadcast_to(np.maximum(x - 20, 0)[:, None], (5, 3))], -1)  # fmt: skip
        knots = np.array([0.0, 0, 0, 0.5, 0.5, 1, 1, 1]), np.array([0.0, 0, 0, 1, 1, 1])
        with Project() as project:
            source = project.add("Bent", Surface((2, 2), knots, points))
            one, two = project.recast_at_crease(source)
            self.assertFalse(project.item(source.id).look.visible)
            project.reshape(source, source.shape.with_points(points + np.array([0, 0, 3.0])), "raised")
            heights = [float(project.item(item.id).shape.points[..., 2].min()) for item in (one, two)]
            self.assertEqual(heights, [3.0, 3.0])


if __name__ == "__main__":
    unittest.main()
