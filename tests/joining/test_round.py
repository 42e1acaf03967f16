"""Rounded edges: two planes and a rod on one by their formulas, sections in curvature, chords, what a scan shows."""

import unittest
from typing import Any

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_MakeWire,
)
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.collections import Array1_gp_Pnt
from OCP.Geom import Geom_BezierCurve
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from arabesque.checking import find_joins
from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary, ElementaryKind, Face, Surface
from arabesque.joining import radius_shown, rolling, round_edge
from arabesque.model import Item, any_stale
from arabesque.scan import Scan
from arabesque.script import Project
from tests.joining.test_crossing import FULL, flat, rough
from tests.joining.test_trim import area

K = ElementaryKind
EVERY = np.linspace(0, 1, 41)


def places(surface: object) -> np.ndarray:
    """(n, 3) over a surface on [0, 1]²."""
    return np.asarray(surface.on_grid(EVERY, EVERY)[0, 0].reshape(-1, 3))  # type: ignore[attr-defined]


class BallTest(unittest.TestCase):
    def test_two_planes(self) -> None:
        """A cylinder of the radius, whose axis lies r / sin(a/2) from the edge; it touches r / tan(a/2) from it."""
        for angle in (40.0, 90.0, 150.0):
            tilted = flat(0.0, 50.0, np.radians(180 - angle))
            ball = rolling(flat(0.0), tilted, np.zeros(3), (1, 1))
            for radius in (2.0, 5.0):
                made = round_edge(ball, (radius,) * 3)
                opening = np.degrees(made.touching.opening)
                half = np.radians(180 - opening[0]) / 2
                self.assertTrue(np.isclose(opening, opening[0]).all())
                self.assertIn(round(float(opening[0])), (round(angle), round(180 - angle)))
                away = np.linalg.norm(made.touching.centres[:, [0, 2]], axis=1)
                np.testing.assert_allclose(away, radius / np.sin(half), rtol=1e-9)
                for touch in (made.touching.at_one, made.touching.at_two):
                    np.testing.assert_allclose(
                        np.linalg.norm(touch[:, [0, 2]], axis=1), radius / np.tan(half), rtol=1e-9
                    )
                centre = made.touching.centres[0, [0, 2]]
                on = np.linalg.norm(places(made.surface)[:, [0, 2]] - centre, axis=1)
                np.testing.assert_allclose(on, radius, atol=1e-9)
                self.assertLess(made.turned, 1e-4)
                self.assertEqual(made.part, (0.0, 1.0))

    def test_a_rod_on_a_plane(self) -> None:
        """A ring: the ball's centre runs round at R + r outside, R - r inside; the round is that torus."""
        rod = Elementary.make(K.CYLINDER, np.eye(4), (20.0,), (FULL, (-30.0, 30.0)))
        outward = 1 if rod.normals(np.array([[0.3, 0.5]]))[0] @ rod.at(np.array([[0.3, 0.5]]))[0] > 0 else -1
        for side in (1, -1):
            ball = rolling(rod, flat(0.0), np.array([20.0, 0, 0]), (side * outward, 1))
            made = round_edge(ball, (3.0,) * 3)
            ring = 20.0 + side * 3.0
            x, y, z = places(made.surface).T
            tube = np.hypot(np.hypot(x, y) - ring, z - 3.0)
            np.testing.assert_allclose(tube, 3.0, atol=5e-4)
            np.testing.assert_allclose(np.hypot(*made.touching.at_two[:, :2].T), ring, atol=1e-9)
            np.testing.assert_allclose(made.touching.at_one[:, 2], 3.0, atol=1e-9)
            self.assertLess(made.turned, 0.01)

    def test_a_chord_and_radii_that_change(self) -> None:
        one, two = rough(0, amplitude=1.0), rough(1, 1.0, amplitude=1.0)
        ball = rolling(one, two, np.array([50.0, 50, 0]), (1, -1))
        chord = round_edge(ball, (6.0,) * 3, chord=True).touching
        np.testing.assert_allclose(np.linalg.norm(chord.at_one - chord.at_two, axis=1), 6.0, rtol=1e-6)
        self.assertGreater(np.ptp(chord.radius), 0.05)
        grows = round_edge(ball, (3.0, 5.0, 8.0))
        self.assertAlmostEqual(float(grows.touching.radius[len(grows.touching.radius) // 2]), 5.0, delta=0.2)
        away = np.linalg.norm(places(grows.surface)[:, None] - grows.touching.centres, axis=2) - grows.touching.radius
        self.assertLess(np.abs(away.min(axis=1)).max(), 0.15)
        self.assertLess(grows.off, 1e-3)
        self.assertLess(grows.turned, 0.02)

    def test_surfaces_that_nearly_meet(self) -> None:
        """Two square planes end 1 and 2 mm before their edge: a ball of 4 mm touches both 4 mm from it, one of 1.5 mm
        would touch beyond the second; with polynomial patches, run either way, the cylinder is the same."""
        x, y = np.meshgrid(np.linspace(0, 30, 4), np.linspace(0, 40, 4), indexing="ij")
        level = Surface.bezier(np.stack([1 + x, y, 0 * x], -1))
        upright = Surface.bezier(np.stack([0 * x, y, 2 + x], -1))
        frame = np.eye(4)
        plane = Elementary.make(K.PLANE, frame, (), ((1.0, 31.0), (0.0, 40.0)))
        for one in (level, level.reversed(0), plane):
            for two in (upright, upright.reversed(0)):
                sides = tuple(int(np.sign(s.normals([[0.5, 0.5]])[0] @ [1, 0, 1])) for s in (one, two))
                ball = rolling(one, two, np.zeros(3), (sides[0], sides[1]))
                made = round_edge(ball, (4.0,) * 3)
                self.assertEqual(made.part, (0.0, 1.0))
                np.testing.assert_allclose(np.hypot(*(places(made.surface)[:, [0, 2]] - 4.0).T), 4.0, atol=1e-9)
                for surface, uv, at in (
                    (one, made.touching.one, made.touching.at_one),
                    (two, made.touching.two, made.touching.at_two),
                ):
                    np.testing.assert_allclose(surface.at(uv), at, atol=1e-9)
                with self.assertRaisesRegex(ArabesqueError, "beyond the surfaces' edges"):
                    round_edge(ball, (1.5,) * 3)

    def test_what_finds_no_place(self) -> None:
        with self.assertRaisesRegex(ArabesqueError, "do not cross"):
            rolling(flat(0.0, 20.0), flat(40.0, 20.0), np.zeros(3), (1, 1))
        ball = rolling(flat(0.0), flat(0.0, 50.0, np.pi / 2), np.zeros(3), (1, 1))
        with self.assertRaisesRegex(ArabesqueError, "beyond the surfaces' edges"):
            round_edge(ball, (60.0,) * 3)
        with self.assertRaisesRegex(ArabesqueError, "above 0"):
            round_edge(ball, (-1.0,) * 3)
        with self.assertRaisesRegex(ArabesqueError, "differ so much"):
            round_edge(ball, (1.0, 0.01, 9.0))


class KernelTest(unittest.TestCase):
    def test_the_kernels_own_fillet(self) -> None:
        """A bar with a wavy top, its end rounded by the B-rep kernel and by us: one surface, within its accuracy."""
        x = np.linspace(0, 60, 6)
        points = np.stack([np.broadcast_to(x[:, None], (6, 2)), np.broadcast_to([0.0, 45], (6, 2)),
                           np.broadcast_to((20 + 3 * np.sin(x / 14))[:, None], (6, 2))], -1)  # fmt: skip
        top = Surface((5, 1), (np.repeat([0.0, 1.0], 6), np.repeat([0.0, 1.0], 2)), points)
        frame = np.eye(4)
        frame[:3, :3] = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]).T
        frame[:3, 3] = 30, 40, 10
        end = Elementary.make(K.PLANE, frame, (), ((-40.0, 40.0), (-30.0, 30.0)))
        inside = np.array([30.0, 20, 10])
        sides = tuple(
            int(np.sign(float((inside - s.at([[0.5, 0.5]])[0]) @ s.normals([[0.5, 0.5]])[0]))) for s in (top, end)
        )
        made = round_edge(rolling(top, end, np.array([30.0, 40, 20]), (sides[0], sides[1])), (4.0,) * 3)
        middle = made.surface.on_grid(np.linspace(0.1, 0.9, 9), np.linspace(0.1, 0.9, 17))[0, 0].reshape(-1, 3)
        away = _from_fillet(points[:, 0], middle, 4.0)
        self.assertLess(away.max(), 2e-3)


def _from_fillet(profile: np.ndarray, places: np.ndarray, radius: float) -> np.ndarray:
    """(n,) distances of places from the face that the kernel rounds the far top edge of an extruded bar with."""
    poles = Array1_gp_Pnt(1, len(profile))
    for k, place in enumerate(profile):
        poles.SetValue(k + 1, gp_Pnt(*place))
    curve = BRepBuilderAPI_MakeEdge(Geom_BezierCurve(poles)).Edge()
    first, last = (gp_Pnt(*profile[k]) for k in (0, -1))
    low = [gp_Pnt(p.X(), p.Y(), 0.0) for p in (first, last)]
    lines = [BRepBuilderAPI_MakeEdge(*pair).Edge() for pair in ((last, low[1]), (low[1], low[0]), (low[0], first))]
    wire = BRepBuilderAPI_MakeWire(curve, *lines).Wire()
    solid = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire).Face(), gp_Vec(0, 40, 0)).Shape()
    fillet = BRepFilletAPI_MakeFillet(solid)
    walk = TopExp_Explorer(solid, TopAbs_ShapeEnum.TopAbs_EDGE)
    middle, added = gp_Pnt(0, 0, 0), False
    while walk.More():
        edge = TopoDS.Edge(walk.Current())
        adaptor = BRepAdaptor_Curve(edge)
        middle = adaptor.Value((adaptor.FirstParameter() + adaptor.LastParameter()) / 2)
        if not added and middle.Y() > 39.9 and middle.Z() > 15 and 5 < middle.X() < 55:
            fillet.Add(radius, edge)
            added = True
        walk.Next()
    faces = fillet.Shape()
    found = []
    for place in places:
        vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*place)).Vertex()
        found.append(BRepExtrema_DistShapeShape(vertex, faces).Value())
    return np.array(found)


class ScanTest(unittest.TestCase):
    def test_the_radius_that_a_scan_shows(self) -> None:
        """A right edge rounded by 4 mm, scanned with noise; and one whose radius grows from 3 to 6 mm."""
        for ends in ((4.0, 4.0), (3.0, 6.0)):
            scan = rounded_corner(*ends, noise=0.03)
            ball = rolling(flat(0.0), flat(0.0, 50.0, np.pi / 2), np.zeros(3), (1, _side()))
            shown = radius_shown(ball, scan)
            self.assertAlmostEqual(shown.radius, sum(ends) / 2, delta=0.12)
            np.testing.assert_allclose(sorted(shown.ends[::2]), ends, atol=0.35)
            self.assertLess(shown.high - shown.low, 0.3 if ends[0] == ends[1] else 2.2)


class ProjectTest(unittest.TestCase):
    def test_both_are_cut_and_all_meets(self) -> None:
        """Each section joins both surfaces as it says; the skin follows a surface that is moved."""
        for section, grade in (("circular", 1), ("in curvature (G2)", 2)):
            with Project() as project:
                one, two = project.add("One", rough(0, amplitude=1.0)), project.add("Two", rough(1, 1.0, amplitude=1.0))
                keep = one.shape.at([[0.1, 0.5]])[0], two.shape.at([[0.9, 0.5]])[0]
                made = project.round(one, two, 5.0, keep, section)
                cut = [item for item in project.items if isinstance(item.shape, Face)]
                self.assertEqual({item.name for item in cut}, {"One cut", "Two cut"})
                self.assertTrue(cut[0].shape.shows(np.array([[0.1, 0.5]]))[0])
                self.assertGreaterEqual(min(_grades(made.shape, cut)), grade)
                self.assertEqual(len(_grades(made.shape, cut)), 2)
                before = made.shape
                lift = np.eye(4)
                lift[2, 3] = 1.5
                project.reshape(two, two.shape.moved(lift))
                self.assertFalse(any_stale(project.document))
                self.assertEqual([item.trouble for item in project.items], [""] * 5)
                made, *cut = (project.item(item.id) for item in (made, *cut))
                self.assertIsNot(made.shape, before)
                self.assertGreaterEqual(min(_grades(made.shape, cut)), grade)

    def test_bent_patches_that_end_before_their_edge(self) -> None:
        x, y = np.meshgrid(np.linspace(0, 30, 5), np.linspace(0, 40, 5), indexing="ij")
        low = Surface.bezier(np.stack([1 + x, y, 2 * np.sin(x / 20) * np.cos(y / 15)], -1))
        high = Surface.bezier(np.stack([0.5 * np.sin(y / 12), y, 2 + x], -1))
        with Project() as project:
            one, two = project.add("Low", low), project.add("High", high)
            made = project.round(one, two, 4.0, keep=([20.0, 20, 0], [0.0, 20, 25]))
            seen = [item for item in project.items if item.look.visible]
            joins = [join for join in project.joins(seen) if join.gap.max() < 1e-3]
            self.assertEqual([join.grade() for join in joins], [1, 1])
            project.reshape(one, one.shape.with_points(one.shape.points + np.array([0, 0, 0.5])), "raised")
            self.assertFalse(any_stale(project.document) or project.item(made.id).trouble)

    def test_a_boss_on_a_plate(self) -> None:
        """All round, over the seam of the rod: both are cut, and the skin is closed there in tangent planes."""
        with Project() as project:
            plate = project.add("Plate", flat(0.0))
            rod = Elementary.make(K.CYLINDER, np.eye(4), (20.0,), (FULL, (-30.0, 30.0)))
            boss = project.add("Boss", rod)
            made = project.round(plate, boss, 3.0, (np.array([40.0, 0, 0]), np.array([20.0, 0, 20])))
            cut = {item.name: item for item in project.items if isinstance(item.shape, Face)}
            self.assertEqual(set(cut), {"Plate cut", "Boss cut"})
            self.assertAlmostEqual(area(cut["Plate cut"].shape), 1e4 - np.pi * 23**2, delta=1.0)
            self.assertAlmostEqual(area(cut["Boss cut"].shape), 2 * np.pi * 20 * 27, delta=2.0)
            joins = find_joins([made.shape, *(item.shape for item in cut.values())])
            self.assertGreaterEqual(min(join.grade() for join in joins if 0 in (join.first[0], join.second[0])), 1)


def _grades(made: Surface, cut: list[Item[Any]]) -> list[int]:
    """Of the joins of a round with what it cut."""
    joins = find_joins([made, *(item.shape for item in cut)])
    return [join.grade() for join in joins if 0 in (join.first[0], join.second[0])]


def _side() -> int:
    """On which side of the upright plane x > 0 lies."""
    upright = flat(0.0, 50.0, np.pi / 2)
    return 1 if upright.normals(np.array([[0.5, 0.5]]))[0, 0] > 0 else -1


def rounded_corner(start: float, end: float, noise: float) -> Scan:
    """A right corner between z = 0 and x = 0 for y from -50 to 50, rounded by radii that change evenly."""
    y = np.linspace(-50, 50, 161)
    rows = []
    for at in y:
        r = start + (end - start) * (at + 50) / 100
        angle = np.linspace(0, np.pi / 2, 41)
        arc = np.column_stack([r - r * np.sin(angle), r - r * np.cos(angle)])
        floor = np.column_stack([np.linspace(30, r, 60)[:-1], np.zeros(59)])
        wall = np.column_stack([np.zeros(59), np.linspace(r, 30, 60)[1:]])
        line = np.vstack([floor, arc, wall])
        rows.append(np.column_stack([line[:, 0], np.full(len(line), at), line[:, 1]]))
    grid = np.array(rows)
    n, m = grid.shape[:2]
    index = np.arange(n * m).reshape(n, m)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    triangles = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    points = grid.reshape(-1, 3) + np.random.default_rng(0).normal(scale=noise, size=(n * m, 3))
    return Scan(points, triangles)


if __name__ == "__main__":
    unittest.main()
