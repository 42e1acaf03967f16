"""Sketches: relations solved and told, sections turned into lines and arcs, trimmed; a scanned socket turned true."""

import unittest
from dataclasses import replace

import numpy as np

from arabesque.demo import Pebble, simulate
from arabesque.demo.pebble import SOCKET_RADIUS
from arabesque.errors import FitProblem, InvalidShape
from arabesque.geometry import (
    Element,
    ElementaryKind,
    ElementKind,
    Plane,
    Relation,
    RelationKind,
    Sketch,
    frame_of,
    rotation_about,
)
from arabesque.scan import on_form, ready_to_fit
from arabesque.tracing import (
    Cut,
    cut_scan,
    lines_and_arcs,
    solved,
    taken,
    trimmed_at,
    turned,
    with_relation,
    without_elements,
)

R, E = RelationKind, ElementKind
BOX = Sketch(
    np.eye(4),
    np.array([[0, 0], [10, 1], [11, 6], [-1, 5.0]]),
    tuple(Element(E.LINE, (k, (k + 1) % 4)) for k in range(4)),
)


def squared(*more: Relation) -> Sketch:
    rules = (Relation(R.HORIZONTAL, (0,)), Relation(R.VERTICAL, (1,)), Relation(R.HORIZONTAL, (2,)),
             Relation(R.VERTICAL, (3,)))  # fmt: skip
    return replace(BOX, relations=(*rules, *more))


class SolverTest(unittest.TestCase):
    def test_free_then_fixed_then_contradictory(self) -> None:
        """Four points have 8 moves; four right relations leave 4, two lengths 2, one fixed point none."""
        self.assertEqual(solved(BOX).free, 8)
        self.assertEqual(solved(squared()).free, 4)
        sized = squared(Relation(R.LENGTH, (0,), 12.0), Relation(R.LENGTH, (1,), 5.0), Relation(R.FIXED, (0,)))
        done = solved(sized)
        self.assertEqual(done.words, "fixed")
        np.testing.assert_allclose(np.ptp(done.sketch.flat, axis=0), [12, 5], atol=1e-9)
        with self.assertRaisesRegex(FitProblem, "'length' contradicts .*length"):
            with_relation(done.sketch, Relation(R.LENGTH, (2,), 13.0))
        against = solved(replace(sized, relations=(*sized.relations, Relation(R.LENGTH, (2,), 13.0))))
        self.assertTrue(against.words.startswith("contradictory"))
        np.testing.assert_array_equal(against.sketch.flat, sized.flat)

    def test_every_relation_holds_after_it_is_asked_for(self) -> None:
        flat = np.array([[0, 0], [10, 1], [3, 8], [12, 9], [5, 4], [9, 4], [5, 7], [15, 12], [17, 15.0]])
        elements = (
            Element(E.LINE, (0, 1)), Element(E.LINE, (2, 3)), Element(E.ARC, (4, 5, 6)), Element(E.CIRCLE, (7, 8)),
        )  # fmt: skip
        sketch = Sketch(np.eye(4), flat, elements)

        def way(s: Sketch, k: int) -> np.ndarray:
            a, b = s.flat[list(s.elements[k].points[:2])]
            return (b - a) / np.linalg.norm(b - a)

        def cross(s: Sketch) -> float:
            one, two = way(s, 0), way(s, 1)
            return float(one[0] * two[1] - one[1] * two[0])

        tries = {
            R.PARALLEL: ((0, 1), cross),
            R.PERPENDICULAR: ((0, 1), lambda s: way(s, 0) @ way(s, 1)),
            R.EQUAL: ((2, 3), lambda s: s.radius(2) - s.radius(3)),
            R.CONCENTRIC: ((2, 3), lambda s: np.abs(s.flat[4] - s.flat[7]).max()),
            R.RADIUS: ((3,), lambda s: s.radius(3) - 2.5),
            R.DISTANCE: ((0, 3), lambda s: np.linalg.norm(s.flat[0] - s.flat[3]) - 2.5),
            R.WIDTH: ((0, 3), lambda s: abs(s.flat[0, 0] - s.flat[3, 0]) - 2.5),
            R.HEIGHT: ((0, 3), lambda s: abs(s.flat[0, 1] - s.flat[3, 1]) - 2.5),
            R.TANGENT: ((0, 3), lambda s: _beside(s, 0, s.flat[7]) - s.radius(3)),
            R.ON: ((7, 1), lambda s: _beside(s, 1, s.flat[7])),
            R.SYMMETRIC: ((5, 6, 0), lambda s: way(s, 0) @ (s.flat[6] - s.flat[5])),
        }
        for kind, (of, missed) in tries.items():
            made = with_relation(sketch, Relation(kind, of, 2.5 if kind.is_dimension else 0.0)).sketch
            self.assertAlmostEqual(float(missed(made)), 0.0, places=7, msg=kind.word)
            # an arc stays one
            np.testing.assert_allclose(
                np.linalg.norm(made.flat[[5, 6]] - made.flat[4], axis=1), made.radius(2), atol=1e-7
            )
        turned_ = with_relation(sketch, Relation(R.ANGLE, (0, 1), 30.0)).sketch
        self.assertAlmostEqual(float(np.degrees(np.arcsin(cross(turned_)))), 30.0, places=6)
        with self.assertRaisesRegex(FitProblem, "cannot be tangent"):
            with_relation(sketch, Relation(R.TANGENT, (0, 1)))

    def test_a_dragged_point_takes_along_what_it_must(self) -> None:
        sized = solved(squared(Relation(R.LENGTH, (0,), 12.0))).sketch
        found = solved(sized, (2, np.array([30.0, 20.0])))
        self.assertEqual(found.against, ())
        a, b, c, d = found.sketch.flat
        self.assertAlmostEqual(float(np.linalg.norm(b - a)), 12.0, places=7)
        self.assertAlmostEqual(c[1], d[1], places=7)
        np.testing.assert_allclose(c, [30, 20], atol=0.5)

    def test_elements_as_curves_and_what_is_no_sketch(self) -> None:
        arc = Sketch(frame_of([1, 2, 3], [0, 1, 0]), [[0, 0], [5, 0], [0, 5.0]], (Element(E.ARC, (0, 1, 2)),))
        places = arc.curve(0).at(np.linspace(0, 1, 9))
        np.testing.assert_allclose(np.linalg.norm(places - [1, 2, 3], axis=1), 5, atol=1e-12)
        np.testing.assert_allclose(places[:, 1], 2, atol=1e-12)
        with self.assertRaises(InvalidShape):
            Sketch(np.eye(4), [[0, 0.0]], (Element(E.LINE, (0, 1)),))
        with self.assertRaises(InvalidShape):
            replace(BOX, relations=(Relation(R.LENGTH, (9,), 1.0),))

    def test_trimmed_and_taken_away(self) -> None:
        """Two crossing lines and a circle: the middle of the circle's right part goes, what is left is one arc."""
        cross = Sketch(
            np.eye(4),
            [[-10, 0], [10, 0], [0, -10], [0, 10], [0, 0], [5, 0.0]],
            (Element(E.LINE, (0, 1)), Element(E.LINE, (2, 3)), Element(E.CIRCLE, (4, 5))),
            (Relation(R.HORIZONTAL, (0,)), Relation(R.RADIUS, (2,), 5.0)),
        )
        made = trimmed_at(cross, 2, np.array([3.5, 3.6]))
        self.assertEqual([e.kind for e in made.elements], [E.LINE, E.LINE, E.ARC])
        self.assertEqual([r.kind for r in made.relations], [R.HORIZONTAL])
        ends = made.flat[list(made.elements[2].points[1:])]
        np.testing.assert_allclose(sorted(map(tuple, np.round(ends, 6) + 0.0)), [(0, 5), (5, 0)], atol=1e-6)
        short = trimmed_at(cross, 0, np.array([8.0, 0.0]))
        xs = sorted(short.flat[list(short.elements[-1].points), 0])
        np.testing.assert_allclose(xs, [-10, 5], atol=1e-6)
        self.assertEqual(len(without_elements(cross, [2]).relations), 1)
        # the points of what has gone are no freedom any more: two lines of which one is level have 7
        self.assertEqual(solved(without_elements(cross, [2])).free, 7)
        self.assertEqual(len(without_elements(cross, [0, 1, 2]).flat), 0)


def _beside(sketch: Sketch, line: int, place: np.ndarray) -> float:
    a, b = sketch.flat[list(sketch.elements[line].points)]
    way = (b - a) / np.linalg.norm(b - a)
    return abs(float(way[0] * (place - a)[1] - way[1] * (place - a)[0]))


class LinesAndArcsTest(unittest.TestCase):
    def test_a_slot_with_noise(self) -> None:
        """Two lines of 40 and two half circles of 10, noise 0.01: four elements, tangent, radii within 0.005 mm once
        they are equal."""
        a = np.linspace(-np.pi / 2, np.pi / 2, 60)
        right, left = 10 * np.column_stack([np.cos(a), np.sin(a)]), 10 * np.column_stack([-np.cos(a), -np.sin(a)])
        x = np.linspace(0, 40, 80)
        flat = np.vstack([
            np.column_stack([x, np.full(80, -10.0)]), right + np.array([40, 0]),
            np.column_stack([x[::-1], np.full(80, 10.0)]), left,
        ])  # fmt: skip
        flat = flat + np.random.default_rng(1).normal(scale=0.01, size=flat.shape)
        points = np.column_stack([flat, np.zeros(len(flat))])
        found = lines_and_arcs(np.eye(4), points, True, 0.05)
        self.assertEqual(sorted(e.kind.name for e in found.sketch.elements), ["ARC", "ARC", "LINE", "LINE"])
        self.assertLess(found.worst, 0.05)
        self.assertEqual([r.kind for r in found.sketch.relations], [R.TANGENT] * 4)
        offered = {r.kind for r in found.offered}
        self.assertLessEqual({R.HORIZONTAL, R.EQUAL}, offered)
        kept = taken(found, found.offered)
        self.assertLess(kept.worst, 0.05)
        radii = [kept.sketch.radius(k) for k, e in enumerate(kept.sketch.elements) if e.kind is E.ARC]
        np.testing.assert_allclose(radii, 10.0, atol=0.005)
        self.assertAlmostEqual(radii[0], radii[1], places=9)

    def test_corners_and_circles(self) -> None:
        corners = np.array([[0, 0], [30, 0], [30, 20], [0, 20.0]])
        ring = np.vstack([np.linspace(corners[k], corners[(k + 1) % 4], 40, endpoint=False) for k in range(4)])
        found = lines_and_arcs(np.eye(4), np.column_stack([ring, 0 * ring[:, 0]]), True, 0.02)
        self.assertEqual([e.kind for e in found.sketch.elements], [E.LINE] * 4)
        np.testing.assert_allclose(
            sorted(map(tuple, np.round(found.sketch.flat, 3) + 0.0)), sorted(map(tuple, corners)), atol=0.02
        )
        a = np.linspace(0, 2 * np.pi, 90, endpoint=False)
        round_ = np.column_stack([3 + 7 * np.cos(a), 7 * np.sin(a), 0 * a])
        only = lines_and_arcs(np.eye(4), round_, True, 0.02).sketch
        self.assertEqual([e.kind for e in only.elements], [E.CIRCLE])
        self.assertAlmostEqual(only.radius(0), 7.0, places=3)
        with self.assertRaisesRegex(FitProblem, "not possible"):
            lines_and_arcs(np.eye(4), round_, True, 0.0)

    def test_a_rounded_corner_is_a_sharp_one(self) -> None:
        """A scan rounds an edge by 1 mm: (sqrt 2 - 1) mm off the corner; two lines stay two, and say what they keep."""
        t = np.linspace(0.0, np.pi / 2, 12)
        bend = np.column_stack([19 + np.sin(t), 1 - np.cos(t)])
        level = np.column_stack([np.linspace(0, 19, 90)[:-1], np.zeros(89)])
        upright = np.column_stack([np.full(89, 20.0), np.linspace(1, 20, 90)[1:]])
        places = np.vstack([level, bend, upright])
        found = lines_and_arcs(np.eye(4), np.column_stack([places, 0 * places[:, 0]]), False, 0.2)
        self.assertEqual([e.kind for e in found.sketch.elements], [ElementKind.LINE] * 2)
        self.assertLess(found.kept, 0.2)
        self.assertLessEqual(found.kept, found.worst)
        self.assertEqual({one.kind for one in found.offered}, {R.HORIZONTAL, R.VERTICAL})

    def test_the_pebbles_socket_turned_true(self) -> None:
        """A half section of the grip's socket, 16 mm wide: its line turned about the axis is a cylinder within 0.01 mm
        of the master's radius."""
        scan = ready_to_fit(simulate(Pebble(), 60_000, 0.02, seed=2).scan)
        origin, axis = np.zeros(3), np.array([0, 0, 1.0])
        radii = []
        for turn in (20.0, 80.0, 140.0, 200.0, 260.0, 320.0):
            side = rotation_about(axis, turn)[:3, 0]
            flat = frame_of(origin, np.cross(side, axis), side)
            for line in cut_scan(scan, Cut(Plane.through(origin, flat[:3, 2]), np.array([origin, side]))):
                out, up = line.points @ side, line.points[:, 2]
                near = (np.abs(out - SOCKET_RADIUS) < 0.3) & (up > 4) & (up < 22)
                if near.sum() > 20:
                    traced = lines_and_arcs(flat, on_form(scan, line.points[near]), False, 0.2)
                    upright = taken(traced, [Relation(R.VERTICAL, (0,))])
                    shape = turned(upright.sketch.curves, origin, axis)
                    self.assertIs(shape.kind, ElementaryKind.CYLINDER)
                    radii.append(shape.sizes[0])
        self.assertEqual(len(radii), 6)
        self.assertLess(abs(np.mean(radii) - SOCKET_RADIUS), 0.01)
        # one section alone is as good as the noise of its 40 points and their chords leave it
        self.assertLess(np.abs(np.array(radii) - SOCKET_RADIUS).max(), 0.025)


if __name__ == "__main__":
    unittest.main()
