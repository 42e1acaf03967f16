"""Trimmed borders, chains of edges and edges moved until they pass: areas and lengths by formula, what follows."""

import unittest

import numpy as np

from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Edge,
    Elementary,
    ElementaryKind,
    Face,
    Manner,
    Plane,
    Rim,
    Surface,
    foot_points,
    split_surface,
)
from arabesque.joining import Cutter, cut_apart, extended_chain, extended_face, length_past
from arabesque.model import any_stale
from arabesque.script import Project
from tests.joining.test_blend import hill
from tests.joining.test_crossing import FULL, flat
from tests.joining.test_trim import area, circle

K = ElementaryKind


def upright(x: float, tilt: float = 0.0) -> Elementary:
    """A plane square to the x axis at x, leaning by so many radians."""
    matrix = np.eye(4)
    matrix[0, 3] = x
    return flat(0.0, 90.0, np.pi / 2 - tilt).moved(matrix)


def sheet() -> Face:
    """A level square of 100 mm, of which the part below x = 10 shows."""
    pieces = cut_apart(flat(0.0), [Cutter(upright(10.0))])
    return pieces.kept([pieces.at(_uv(pieces.surface, [-30.0, 0, 0]))])


def _uv(surface: Surface, place: list[float]) -> np.ndarray:
    return foot_points(surface, np.array([place])).uv[0]


def border_at(face: Surface, place: list[float]) -> int:
    """The border whose middle lies nearest to a place."""
    middles = [rim.surface.at(rim.places(np.array([0.5])))[0] for rim in face.rims()]
    return int(np.argmin([np.linalg.norm(middle - place) for middle in middles]))


class TrimmedBorderTest(unittest.TestCase):
    def test_a_cut_of_a_level_sheet(self) -> None:
        """6000 mm² and 100 for each mm; past the sheet's own end at 50 mm it goes on; inwards it is less."""
        face = sheet()
        self.assertAlmostEqual(area(face), 6000.0, delta=1e-6)
        for length in (5.0, 60.0, -20.0):
            made = extended_face(face, [border_at(face, [10.0, 0, 0])], length)
            self.assertAlmostEqual(area(made), 6000 + 100 * length, delta=1e-5)
            self.assertEqual(len(made.rims()), 4 if length < 0 else 6)

    def test_ends_run_on_along_neighbours(self) -> None:
        """A triangle cut off a square at 45 degrees: the strip of the long side widens by its neighbours' slant."""
        square = flat(0.0)
        diagonal = Elementary.make(K.PLANE, _diagonal(), (), ((-90.0, 90.0), (-90.0, 90.0)))
        pieces = cut_apart(square, [Cutter(diagonal)])
        face = pieces.kept([0])
        made = extended_face(face, [border_at(face, [0.0, 0, 0])], 3.0)
        whole, more = 5000.0, 3.0 * 100 * np.sqrt(2)
        # neighbours leave the side at 45 degrees inwards, so it widens by 3 mm at each end
        self.assertAlmostEqual(area(made), whole + more + 3.0 * 3.0, delta=1e-3)

    def test_two_borders_that_share_a_corner(self) -> None:
        pieces = cut_apart(flat(0.0), [Cutter(upright(10.0)), Cutter(_level(20.0))])
        face = pieces.kept([pieces.at(_uv(pieces.surface, [-30.0, -30.0, 0]))])
        self.assertAlmostEqual(area(face), 60 * 70, delta=1e-6)
        both = [border_at(face, [10.0, -15, 0]), border_at(face, [-20.0, 20, 0])]
        self.assertAlmostEqual(area(extended_face(face, both, 4.0)), 64 * 74, delta=1e-5)

    def test_a_round_border_grows_along_the_surface(self) -> None:
        """A disc grows to a larger one; on a ball its border stays as far from the top, along the surface."""
        disc = cut_apart(flat(0.0), [Cutter(circle(20.0))]).kept([1])
        self.assertAlmostEqual(area(extended_face(disc, [0], 5.0)), 625 * np.pi, delta=0.5)
        ball = Elementary.make(K.SPHERE, np.eye(4), (50.0,), (FULL, (-1.5, 1.5)))
        face = cut_apart(ball, [Cutter(flat(30.0, 90.0))])
        cap = face.kept([face.at(_uv(ball, [0.0, 10.0, 49.0]))])
        level = [float(np.ptp(_along(rim)[:, 2])) + abs(float(_along(rim)[:, 2].mean()) - 30) for rim in cap.rims()]
        made = extended_face(cap, [int(np.argmin(level))], -6.0)
        wanted = 50 * np.sin(np.arcsin(0.6) + 6.0 / 50)
        z = min((_along(rim)[:, 2] for rim in made.rims()), key=lambda z: np.abs(z - wanted).max())
        np.testing.assert_allclose(z, wanted, atol=2e-3)

    def test_it_follows_and_stands_for_the_face(self) -> None:
        with Project() as project:
            plate, blade = project.add("Plate", hill(0, 100, 0)), project.add("Blade", upright(40.0))
            cut = project.trim(plate, blade, keep=[(20.0, 30, 0)])
            at = border_at(cut.shape, [40.0, 30, 0])
            made = project.extend(cut, at, 8.0)
            self.assertFalse(project.item(cut.id).look.visible)
            wall = project.add("Wall", upright(70.0))
            beyond = project.extend(cut, at, 1.0, past=wall)
            self.assertAlmostEqual(_furthest(made.shape), 48.0, delta=0.3)
            project.reshape(blade, upright(45.0), "moved")
            project.reshape(wall, upright(75.0), "moved")
            self.assertFalse(any_stale(project.document))
            self.assertAlmostEqual(_furthest(project.item(made.id).shape), 53.0, delta=0.3)
            rim = project.item(beyond.id).shape.rims()
            lines = [r.surface.at(r.places(np.linspace(0, 1, 17)))[:, 0] for r in rim]
            self.assertAlmostEqual(float(max(line.min() for line in lines)), 76.0, delta=0.05)


class PastTest(unittest.TestCase):
    def test_edges_until_they_pass(self) -> None:
        """A level patch that ends at 40 mm passes a wall at 50 mm by 1 mm after 11 mm; a leaning one at its far end."""
        x, y = np.meshgrid(np.linspace(0, 40, 4), np.linspace(0, 60, 4), indexing="ij")
        patch = Surface.bezier(np.stack([x, y, 0 * x], -1))
        for manner in Manner:
            self.assertAlmostEqual(length_past(patch, [Edge.U_HIGH], upright(50.0), 1.0, manner), 11.0, places=4)
        slant = Elementary.make(K.PLANE, _slant(50.0, 0.1), (), ((-90.0, 90.0), (-90.0, 90.0)))
        found = length_past(patch, [Edge.U_HIGH], slant, 1.0, Manner.NATURAL)
        furthest = 50 + 30 * np.tan(0.1) + 1.0 / np.cos(0.1)
        self.assertAlmostEqual(found, furthest - 40, places=4)
        with self.assertRaisesRegex(ArabesqueError, "more than 0 mm"):
            length_past(patch, [Edge.U_HIGH], upright(50.0), 0.0, Manner.NATURAL)
        with self.assertRaisesRegex(ArabesqueError, "never passes"):
            length_past(patch, [Edge.U_LOW], upright(50.0), 1.0, Manner.NATURAL)


class ChainTest(unittest.TestCase):
    def test_neighbours_stay_neighbours(self) -> None:
        """Parts of one patch, turned any way, go on together as the whole does; the corner stays one."""
        whole = hill(0, 40, 0)
        left, right = split_surface(whole, 1, 0.4)
        for one, first in ((left, Edge.U_HIGH), (left.reversed(0), Edge.U_LOW)):
            made = extended_chain([one, right], [(0, first), (1, Edge.U_HIGH)], 7.0)
            (join,) = find_joins(made)
            self.assertEqual(join.grade(), 3)
            self.assertLess(join.gap.max(), 1e-6)
            self.assertGreater(float(made[1].box[1][0]), 44.0)
        for manner in (Manner.STRAIGHT, Manner.CURVED):
            (join,) = find_joins(extended_chain([left, right], [(0, Edge.U_HIGH), (1, Edge.U_HIGH)], 7.0, manner))
            self.assertLess(join.gap.max(), 1e-6)
        back = extended_chain([left, right], [(0, Edge.U_HIGH), (1, Edge.U_HIGH)], -7.0)
        self.assertLess(find_joins(back)[0].gap.max(), 1e-6)

    def test_what_the_twin_plane_holds_stays_and_copies_are_moved_once(self) -> None:
        with Project() as project:
            project.plane = Plane(np.array([0, 1.0, 0]), -3.0)
            one = project.match(project.add("One", hill(0, 40, 0)), Edge.V_LOW, None, order=1)
            two = project.add("Two", hill(0, 40, 0, seed=1))
            with self.assertRaisesRegex(ArabesqueError, "holds this edge of One"):
                project.extend_chain([(two, Edge.V_LOW), (one, Edge.V_LOW)], 5.0)
        whole = hill(0, 40, 0)
        with Project() as project:  # two items of one shape: each goes on by its own edge alone
            items = [project.add(name, whole) for name in ("First", "Second")]
            first, second = project.extend_chain([(items[0], Edge.U_HIGH), (items[1], Edge.U_LOW)], 5.0)
            self.assertAlmostEqual(float(first.shape.box[0][0]), 0.0, places=6)
            self.assertAlmostEqual(float(second.shape.box[1][0]), 40.0, places=6)

    def test_one_step_of_the_history(self) -> None:
        with Project() as project:
            items = [project.add(f"Part {k}", part) for k, part in enumerate(split_surface(hill(0, 40, 0), 1, 0.4))]
            made = project.extend_chain([(item, Edge.U_HIGH) for item in items], 5.0)
            self.assertTrue(all(float(item.shape.box[1][0]) > 42 for item in made))
            self.assertEqual(project.undo(), "2 edges moved +5 mm")
            self.assertLess(float(project.item(items[0].id).shape.box[1][0]), 41)


def _along(rim: Rim) -> np.ndarray:
    return np.asarray(rim.surface.at(rim.places(np.linspace(0, 1, 33))))


def _furthest(face: Surface) -> float:
    return max(float(rim.surface.at(rim.places(np.linspace(0, 1, 17)))[:, 0].max()) for rim in face.rims())


def _diagonal() -> np.ndarray:
    frame = np.eye(4)
    frame[:3, :3] = np.array([[1.0, 1, 0], [0, 0, 1], [1, -1, 0]]).T / np.array([np.sqrt(2), 1, np.sqrt(2)])
    return frame


def _level(y: float) -> Elementary:
    frame = np.eye(4)
    frame[:3, :3] = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]).T
    frame[1, 3] = y
    return Elementary.make(K.PLANE, frame, (), ((-90.0, 90.0), (-90.0, 90.0)))


def _slant(x: float, angle: float) -> np.ndarray:
    """A plane upright at x in the middle of the patch, turned about the z axis."""
    c, s = np.cos(angle), np.sin(angle)
    frame = np.eye(4)
    frame[:3, :3] = np.array([[s, c, 0], [0, 0, 1], [c, -s, 0]]).T
    frame[:3, 3] = x, 30, 0
    return frame


if __name__ == "__main__":
    unittest.main()
