"""Trimmed faces recast: near the old face and its border, sides where corners are, areas by formula, what cannot be."""

import unittest

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Face, foot_points
from arabesque.joining import Cutter, cut_apart, recast
from arabesque.model import any_stale
from arabesque.script import Project
from tests.joining.test_blend import hill
from tests.joining.test_crossing import FULL, flat
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


if __name__ == "__main__":
    unittest.main()
