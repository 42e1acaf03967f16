"""Edits of cages: each keeps a surface of quads or says why not; the form is kept where that is promised."""

import unittest

import hypothesis.strategies as st
import numpy as np
from hypothesis import given, settings

from arabesque.cages import Cage, CageProblem, loop_of, strip_of
from arabesque.cages.edits import (
    close_opening,
    collapse_face,
    collapse_row,
    delete_faces,
    extrude,
    halved,
    insert_loop,
    lay_face,
    make_bent,
    make_corners,
    make_sharp,
    merged,
    mirror_and_weld,
    opening_sides,
    outward_moves,
    relaxed,
    remove_loop,
    seat,
    slide_loop,
    span,
    spin_edge,
    split_row,
    subdivide,
    subdivide_faces,
    weld,
    weld_near,
)
from arabesque.cages.symmetry import is_symmetric, mirror_pairs, symmetric
from arabesque.geometry import Plane, motion
from tests.cages.nets import bumpy, cube, euler, fan, open_grid, volume

MIDDLE = Plane.coordinate(1)


def bent_grid() -> Cage:
    """A sheet that bends across its whole border."""
    grid = open_grid()
    return make_bent(grid, np.flatnonzero(grid.quads.border))


def between(cage: Cage, points: np.ndarray) -> int:
    """A half-edge with both ends among some points."""
    quads = cage.quads
    return int(np.flatnonzero(np.isin(quads.starts, points) & np.isin(quads.ends, points))[0])


def border_at(cage: Cage, x: float) -> np.ndarray:
    """The border half-edges along a line of one x."""
    quads = cage.quads
    return np.flatnonzero(quads.border & (cage.points[quads.starts, 0] == x) & (cage.points[quads.ends, 0] == x))


def edited(cage: Cage, kind: int, number: int) -> Cage:
    """One of ten edits, somewhere."""
    half, face, ring = number % (4 * cage.count), number % cage.count, cage.quads.borders()
    rim = ring[0][:3] if ring else np.array([half])
    edits = (
        lambda: insert_loop(cage, half, 0.2 + 0.6 * (number % 7) / 7),
        lambda: subdivide_faces(cage, np.array([face, (face + 1) % cage.count])),
        lambda: collapse_row(cage, half),
        lambda: collapse_face(cage, face, bool(number % 2)),
        lambda: spin_edge(cage, half),
        lambda: delete_faces(cage, np.array([face])),
        lambda: close_opening(cage, int(rim[0])),
        lambda: remove_loop(cage, half),
        lambda: extrude(cage, rim, outward_moves(cage, rim)),
        lambda: relaxed(cage, 1),
    )
    return edits[kind]()


class DivideTest(unittest.TestCase):
    def test_divided_as_a_whole_the_surface_stays(self) -> None:
        cage = make_sharp(bumpy(), np.arange(6))
        rng = np.random.default_rng(0)
        face, uv = rng.integers(0, cage.count, 50), rng.random((50, 2))
        upper = uv >= 0.5
        part = np.array([[0, 3], [1, 2]])[upper[:, 0].astype(int), upper[:, 1].astype(int)]
        after = subdivide(cage).at(4 * face + part, 2 * uv - upper)
        np.testing.assert_allclose(after, cage.at(face, uv), atol=1e-11)

    def test_a_loop_goes_through_its_strip_and_hardly_moves_the_surface(self) -> None:
        cage = bumpy()
        for ratio in (0.5, 0.3):
            made = insert_loop(cage, 5, ratio)
            plain = insert_loop(cage, 5, ratio, keep_form=False)
            strip = strip_of(cage.quads, 5)
            self.assertEqual(made.count - cage.count, len(strip.faces))
            self.assertEqual(euler(made), 2)
            off = abs(volume(made) - volume(cage)) / volume(cage)
            self.assertLess(off, 0.5 * abs(volume(plain) - volume(cage)) / volume(cage))

    def test_on_a_regular_net_a_loop_in_the_middle_and_out_again(self) -> None:
        cage = open_grid(8, 8)
        made = insert_loop(cage, cage.quads.half_edge(40, 49))
        new = np.arange(cage.quads.count, made.quads.count)
        back = remove_loop(made, between(made, new))
        self.assertEqual(back.count, cage.count)
        feet, _, inside = back.feet(cage.limit)
        self.assertLess(np.linalg.norm(feet - cage.limit, axis=1)[inside].max(), 0.05)

    def test_a_row_split_in_parts(self) -> None:
        made = split_row(open_grid(), open_grid().quads.half_edge(5, 10), 4)
        self.assertEqual(made.count, 20 + 3 * 4)
        self.assertEqual(len(made.quads.borders()[0]), 18 + 2 * 3)

    def test_places_made_finer_stay_quads(self) -> None:
        """Points of three and five faces in equal number for every corner of the finer part: quads round it."""
        cage = open_grid(8, 8)
        for faces in ([27], [27, 28], [27, 28, 35, 36], [0], [0, 1, 8], [27, 36], list(range(64))):
            with self.subTest(faces=faces):
                made = subdivide_faces(cage, np.array(faces))
                self.assertEqual(euler(made), 1)
                self.assertLessEqual(made.quads.valence[~made.quads.on_border].max(), 6)
                self.assertGreaterEqual(made.quads.valence[~made.quads.on_border].min(), 3)
                feet, _, inside = made.feet(cage.limit)
                self.assertLess(np.linalg.norm(feet - cage.limit, axis=1)[inside].max(), 0.6)

    def test_sharp_edges_come_along(self) -> None:
        cage = cube([[0, 1], [1, 2], [2, 3], [0, 3]])
        ring = cage.quads.half_edge(0, 1)
        self.assertEqual(len(insert_loop(cage, ring).quads.sharp), 6)
        self.assertEqual(len(subdivide(cage).quads.sharp), 8)
        made = insert_loop(cage, ring)
        back = remove_loop(made, between(made, np.arange(8, made.quads.count)))
        self.assertEqual(len(back.quads.sharp), 4)


class GrowTest(unittest.TestCase):
    def test_faces_laid_one_after_the_other(self) -> None:
        up = np.array([0, 0, 1.0])
        corners = [np.array(p, dtype=float) for p in ((0, 0, 0), (0, 10, 0), (10, 10, 0), (10, 0, 0))]
        cage = lay_face(None, corners, up)
        self.assertGreater(cage.normals(np.array([0]), np.array([[0.5, 0.5]]))[0, 2], 0)
        edge = [int(np.linalg.norm(cage.points - p, axis=1).argmin()) for p in ([10, 0, 0], [10, 10, 0])]
        cage = lay_face(cage, [edge[0], edge[1], np.array([20.0, 10, 1])], up)
        self.assertEqual((cage.count, cage.quads.count), (2, 6))
        np.testing.assert_allclose(cage.points[-1], [20, 0, 1])
        self.assertGreater(cage.normals(np.array([1]), np.array([[0.5, 0.5]]))[0, 2], 0)
        with self.assertRaisesRegex(CageProblem, "look to both sides"):
            lay_face(cage, [*edge, np.array([5.0, 5, 9]), np.array([5.0, 5, 5])], up)
        with self.assertRaisesRegex(CageProblem, "three or four"):
            lay_face(cage, edge, up)

    def test_the_border_pulled_out(self) -> None:
        cage = open_grid()
        one = cage.quads.borders()[0][:2]
        made = extrude(cage, one, 0.5 * outward_moves(cage, one))
        self.assertEqual((made.count, euler(made)), (22, 1))
        whole = cage.quads.borders()[0]
        made = extrude(cage, whole, outward_moves(cage, whole))
        self.assertEqual(made.count, 20 + 18)
        with self.assertRaisesRegex(CageProblem, "border"):
            extrude(cage, np.array([cage.quads.half_edge(5, 6)]), np.zeros((30, 3)))

    def test_two_openings_spanned(self) -> None:
        cage = delete_faces(bumpy(), np.array([0, 95]))
        first, second = cage.quads.borders()
        made = span(cage, first, second, 3)
        self.assertEqual((made.count - cage.count, euler(made), len(made.quads.borders())), (12, 0, 0))
        grid = merged([open_grid(), open_grid().moved(motion(shift=[70, 0, 0]))])
        left, right = (border_at(grid, x) for x in (50.0, 70.0))
        made = span(grid, left, right, 2)
        self.assertEqual((made.count, euler(made)), (48, 1))
        with self.assertRaisesRegex(CageProblem, "have 4 and 3 edges"):
            span(grid, left, right[:3])

    def test_openings_closed(self) -> None:
        cage = bumpy()
        around = np.unique(np.flatnonzero(np.isin(cage.faces, cage.faces[20]).any(axis=1)))
        opened = delete_faces(cage, around)
        (ring,) = opened.quads.borders()
        closed = close_opening(opened, int(ring[0]))
        self.assertEqual((euler(closed), len(closed.quads.borders())), (2, 0))
        self.assertLess(abs(volume(closed) / volume(cage) - 1), 0.02)
        n = len(ring)
        for along in range(1, n // 2):
            self.assertEqual(euler(close_opening(opened, int(ring[0]), along)), 2)
        with self.assertRaisesRegex(CageProblem, "5 edges"):
            opening_sides(opened, ring[:5])


class RemoveTest(unittest.TestCase):
    def test_rows_and_faces_collapsed_and_edges_turned(self) -> None:
        cage = bumpy()
        row = collapse_row(cage, 5)
        self.assertEqual((cage.count - row.count, euler(row)), (16, 2))
        face = collapse_face(cage, 40)
        self.assertEqual((cage.count - face.count, euler(face)), (1, 2))
        turned = spin_edge(cage, 45)
        self.assertEqual((turned.count, euler(turned)), (cage.count, 2))
        # the turned edge is the last side of the first face: after three turns it is where it was
        again = 4 * (45 // 4) + 3
        thrice = spin_edge(spin_edge(turned, again), again)
        self.assertEqual(np.sort(thrice.quads.valence).tolist(), np.sort(cage.quads.valence).tolist())

    def test_what_cannot_be_is_refused(self) -> None:
        cage = cube()
        with self.assertRaisesRegex(CageProblem, "irregular point"):
            remove_loop(cage, 0)
        with self.assertRaisesRegex(CageProblem, "two faces only"):
            collapse_face(cage, 0)
        with self.assertRaisesRegex(CageProblem, "No face would be left"):
            delete_faces(cage, np.arange(6))
        with self.assertRaisesRegex(CageProblem, "border"):
            spin_edge(open_grid(), int(open_grid().quads.borders()[0][0]))

    def test_a_row_slides_between_its_neighbours(self) -> None:
        cage = open_grid()
        half = cage.quads.half_edge(10, 11)
        made = slide_loop(cage, half, 0.5)
        loop = loop_of(cage.quads, half)
        moved = (made.points != cage.points).any(axis=1)
        self.assertEqual(int(moved.sum()), len(loop) + 1)
        self.assertEqual(np.ptp(made.points[moved, 0]), 0.0)
        with self.assertRaisesRegex(CageProblem, "lies on the next"):
            slide_loop(cage, half, 1.0)


class JoinTest(unittest.TestCase):
    def test_borders_welded(self) -> None:
        one = open_grid().with_points(open_grid().points * [1, 1, 0])
        both = merged([one, one.moved(motion(shift=[50.2, 0, 0]))])
        made = weld_near(both, 0.5)
        self.assertEqual((made.count, euler(made)), (40, 1))
        with self.assertRaisesRegex(CageProblem, "larger reach"):
            weld_near(both, 0.1)
        with self.assertRaises(CageProblem):
            weld(one, np.array([[0, 8]]))

    def test_half_of_a_cage_mirrored_is_alike_to_the_last_bit(self) -> None:
        whole = subdivide(subdivide(cube()))
        half = halved(whole, MIDDLE, True)
        shaken = half.points + np.random.default_rng(0).normal(scale=0.5, size=half.points.shape)
        shaken[np.abs(half.points[:, 1]) < 1e-9, 1] = 0.3
        rough = half.with_points(shaken)
        made = mirror_and_weld(seat(rough, MIDDLE, 0.4), MIDDLE)
        self.assertEqual((made.count, euler(made)), (whole.count, 2))
        self.assertTrue(is_symmetric(made, MIDDLE))
        up = made.normals(np.zeros(1, int), np.full((1, 2), 0.5))
        self.assertTrue(np.isfinite(up).all())
        with self.assertRaisesRegex(CageProblem, "lie across"):
            halved(cube(), MIDDLE, True)

    def test_of_a_pair_the_point_that_moved_leads(self) -> None:
        cage = subdivide(cube())
        pairs = mirror_pairs(cage, MIDDLE)
        assert pairs is not None
        points = cage.points.copy()
        point = int(np.flatnonzero(pairs != np.arange(len(pairs)))[0])
        points[point] += [1, 2, 3]
        made = symmetric(points, MIDDLE, pairs, cage.points)
        np.testing.assert_array_equal(made[pairs[point]], points[point] * [1, -1, 1])
        self.assertIsNone(mirror_pairs(bumpy(), MIDDLE))


class FlowTest(unittest.TestCase):
    def test_relaxed_the_quads_are_more_even_and_the_form_stays(self) -> None:
        cage = subdivide(subdivide(cube()))
        edges = cage.points[cage.quads.edges]
        rng = np.random.default_rng(0)
        slid = cage.with_points(cage.points + rng.normal(scale=1.5, size=cage.points.shape))
        calm = relaxed(slid, 10)

        def uneven(one: Cage) -> float:
            ends = one.points[one.quads.edges]
            lengths = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)
            return float(lengths.std() / lengths.mean())

        self.assertLess(uneven(calm), 0.7 * uneven(slid))
        self.assertLess(abs(volume(calm) / volume(slid) - 1), 0.01)
        self.assertEqual(edges.shape[1:], (2, 3))

    def test_corners_and_sharp_lines(self) -> None:
        cage = make_corners(make_sharp(cube(), np.arange(12)), np.arange(8))
        np.testing.assert_allclose(cage.limit, cage.points)
        self.assertAlmostEqual(volume(cage), 100.0**3, 3)
        smooth = make_corners(make_sharp(cage, np.arange(12), False), np.arange(8), False)
        self.assertAlmostEqual(volume(smooth), volume(cube()), 6)


class InvariantsTest(unittest.TestCase):
    """Random sequences of edits: always a surface of quads with finite places, or a refusal that says why."""

    @settings(max_examples=40, deadline=None, derandomize=True)
    @given(
        st.sampled_from(["bumpy", "grid", "fan", "bent"]),
        st.lists(st.tuples(st.integers(0, 9), st.integers(0, 10_000)), min_size=1, max_size=8),
    )
    def test_any_sequence(self, start: str, steps: list[tuple[int, int]]) -> None:
        cage = {"bumpy": bumpy, "grid": open_grid, "fan": lambda: fan(5), "bent": bent_grid}[start]()
        cage = make_sharp(cage, np.arange(3))
        for kind, number in steps:
            if cage.count > 900:
                break
            before = cage
            try:
                cage = edited(cage, kind, number)
            except CageProblem as problem:
                self.assertTrue(problem.cause and problem.cure)
                self.assertIs(cage, before)
                continue
            quads = cage.quads
            keys = quads.starts * quads.count + quads.ends
            self.assertEqual(len(np.unique(keys)), len(keys))
            self.assertTrue(np.isfinite(cage.limit).all())
            on_rim = np.bincount(quads.starts[quads.border], minlength=quads.count)
            self.assertTrue(set(on_rim.tolist()) <= {0, 1})
            self.assertTrue(np.isin(quads.sharp.ravel(), quads.faces).all())
            self.assertEqual(np.count_nonzero(quads.bends), len(quads.bent))
