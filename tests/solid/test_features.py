"""True features, parted, hollow and mirrored bodies: volumes by their closed forms."""

import unittest
from itertools import pairwise

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import (
    Curve,
    Element,
    Elementary,
    ElementaryKind,
    ElementKind,
    Plane,
    Sketch,
    Surface,
    frame_of,
    motion,
)
from arabesque.joining import alike, edges_of, nearest_edge, same_rim
from arabesque.model import any_stale
from arabesque.script import Project
from arabesque.solid import (
    KernelWorker,
    PushedProfile,
    TurnedProfile,
    body_of,
    combine,
    hole,
    hollow,
    mirrored_half,
    part,
    rounded_value,
    sew,
    slot,
    swap_face,
    with_feature_at,
    without,
)
from tests.examples import box_body, box_sides
from tests.solid.test_body import rod

UP = np.array([0.0, 0, 1])
HOLE = 160 * np.pi  # of a rod of 4 mm through 10 mm


def row(*places: list[float]) -> tuple[Curve, ...]:
    """Lines from place to place."""
    return tuple(Curve.bezier([a, b]) for a, b in pairwise(places))


def slope(by: float = 3.0) -> Surface:
    """A patch past the box on all sides, 5 mm high, higher along x."""
    return Surface.bezier([[[-5.0, -5, 5], [-5, 30, 5]], [[40, -5, 5 + by], [40, 30, 5 + by]]])


class FeatureTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.worker = KernelWorker()
        cls.box = box_body()
        cls.drilled = combine("cut", cls.box, [rod(4, 15, 10)], cls.worker)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.worker.close()

    def test_profiles_pushed_and_turned(self) -> None:
        triangle = row([5.0, 5, 0], [15, 5, 0], [5, 15, 0], [5, 5, 0])
        made = combine("cut", self.box, [PushedProfile(triangle, UP, -1, 20)], self.worker)
        self.assertAlmostEqual(made.told.volume, 5500.0, delta=6e-4)
        self.assertTrue(made.told.valid and made.told.closed)
        # a half section of a cylinder with a frustum on it: h pi / 3 (R² + R r + r²)
        half = TurnedProfile(row([8.0, 0, 0], [8, 0, 10], [4, 0, 12]))
        wanted = np.pi * 64 * 10 + 2 * np.pi / 3 * (64 + 32 + 16)
        self.assertAlmostEqual(body_of(half, self.worker).told.volume / wanted, 1, delta=1e-7)
        quarter = TurnedProfile(row([8.0, 0, 0], [8, 0, 10], [4, 0, 12]), angle=90.0)
        self.assertAlmostEqual(body_of(quarter, self.worker).told.volume / wanted * 4, 1, delta=1e-7)
        # a ring, after Pappus: the way of its centre times its area; an area with a hole in it
        circle = Sketch(frame_of([0, 0, 0], [0, 1, 0], [1, 0, 0]), [[12.0, 0], [15, 0]],
                        (Element(ElementKind.CIRCLE, (0, 1)),)).curves  # fmt: skip
        ring = body_of(TurnedProfile(circle), self.worker)
        self.assertAlmostEqual(ring.told.volume / (2 * np.pi * 12 * np.pi * 9), 1, delta=1e-7)
        flat = Sketch(np.eye(4), [[0.0, 0], [6, 0], [2, 0]],
                      (Element(ElementKind.CIRCLE, (0, 1)), Element(ElementKind.CIRCLE, (0, 2)))).curves  # fmt: skip
        tube = body_of(PushedProfile(flat, UP, 0, 5), self.worker)
        self.assertAlmostEqual(tube.told.volume / (np.pi * (36 - 4) * 5), 1, delta=1e-7)
        for bad, words in ((triangle[:2], "open"), ((), "length")):
            with self.assertRaisesRegex(ArabesqueError, words):
                PushedProfile(bad, UP, 0.0, 5.0 if bad else 0.0)
        with self.assertRaisesRegex(ArabesqueError, "several pieces"):
            TurnedProfile((triangle[0], triangle[0].moved(motion(shift=[0, 0, 9]))))

    def test_up_to_a_surface(self) -> None:
        """A square pillar under a slanted roof: its area times the height of the roof over its middle."""
        square = row([5.0, 5, 2], [15, 5, 2], [15, 15, 2], [5, 15, 2], [5, 5, 2])
        roof = slope().moved(motion(shift=[0, 0, 10]))
        pillar = body_of(PushedProfile(square, UP, 0, 60, (roof,)), self.worker)
        self.assertAlmostEqual(pillar.told.volume, 100 * (15 + 3 * 15 / 45 - 2), places=6)
        beside = roof.moved(motion(shift=[100, 0, 0]))
        with self.assertRaisesRegex(ArabesqueError, "does not run into the surface"):
            body_of(PushedProfile(square, UP, 0, 60, (beside,)), self.worker)

    def test_holes_and_slots_by_their_numbers(self) -> None:
        top = frame_of([15.0, 10, 10], UP)
        bored = combine("cut", self.box, [hole(top, 6.0, -20, 5, 10.0, 4.0)], self.worker)
        self.assertAlmostEqual(6000 - bored.told.volume, np.pi * (25 * 4 + 9 * 6), delta=1e-3)
        slotted = combine("cut", self.box, [slot(frame_of([15.0, 10, 10], UP, [1, 0, 0]), 4, 12, -3, 5)], self.worker)
        self.assertAlmostEqual(6000 - slotted.told.volume, 3 * (4 * 12 + np.pi * 4), delta=1e-3)
        for make in (lambda: hole(top, 6.0, -20, 5, 5.0, 4.0), lambda: slot(top, 0, 12, -3, 5)):
            with self.assertRaisesRegex(ArabesqueError, "These sizes make no"):
                make()

    def test_read_values_are_rounded_within_their_spread(self) -> None:
        self.assertEqual([rounded_value(v, 0.03) for v in (16.02, 7.98, 6.24, 3.33, 2.52)], [16, 8, 6.25, 3.3, 2.5])
        self.assertEqual(rounded_value(16.02, 0.001), 16.02)

    def test_parted_by_planes_and_surfaces(self) -> None:
        plane = Plane(np.array([1.0, 0, 0]), 10)
        for behind, wanted in ((True, 2000), (False, 4000)):
            self.assertAlmostEqual(part(self.box, plane, behind, self.worker).told.volume, wanted, delta=1e-3)
        low, high = (part(self.box, [slope()], behind, self.worker) for behind in (True, False))
        self.assertAlmostEqual(low.told.volume, 600 * (5 + 3 * 20 / 45), delta=1e-3)
        self.assertAlmostEqual(low.told.volume + high.told.volume, 6000, delta=1e-3)
        turned = part(self.box, [slope().reversed(0)], True, self.worker)
        self.assertAlmostEqual(turned.told.volume, high.told.volume, delta=1e-6)
        two = combine("add", self.box, [rod(3, 60, 10)], self.worker)
        with self.assertRaisesRegex(ArabesqueError, "passes beside it"):
            part(two, [slope().moved(motion(shift=[0, 0, 50]))], True, self.worker)
        with self.assertRaisesRegex(ArabesqueError, "ends inside"):
            part(self.box, [Surface.bezier([[[0.0, 0, 5], [0, 9, 5]], [[9, 0, 5], [9, 9, 5]]])], True, self.worker)

    def test_a_feature_taken_away_or_elsewhere(self) -> None:
        wall = np.array([[11.0, 10, 5]])
        self.assertAlmostEqual(without(self.drilled, wall, self.worker).told.volume, 6000, delta=1e-3)
        moved = with_feature_at(self.drilled, wall, motion(shift=[5.0, 0, 0]), self.worker)
        self.assertAlmostEqual(moved.told.volume, 6000 - HOLE, delta=1e-3)
        # the hole takes its share of the centre of mass with it
        self.assertAlmostEqual(moved.told.centre[0], (15 * 6000 - 20 * HOLE) / (6000 - HOLE), places=5)
        self.assertTrue(moved.told.valid and moved.told.closed)
        standing = combine("add", self.box, [rod(3, 15, 10, 5, 15)], self.worker)
        sides = np.array([[18.0, 10, 12], [15.0, 10, 15]])
        beside = with_feature_at(standing, sides, motion(shift=[-5.0, 0, 0]), self.worker)
        self.assertAlmostEqual(beside.told.volume, 6000 + 45 * np.pi, delta=1e-3)
        self.assertLess(beside.told.centre[0], standing.told.centre[0])
        with self.assertRaisesRegex(ArabesqueError, "gap cannot be closed|no feature"):
            without(self.box, np.array([[15.0, 10, 10]]), self.worker)

    def test_a_face_swapped(self) -> None:
        """Walls run on to a slanted roof, end at one, or both; a rod; a pyramid's stump, whose slanted walls go on."""
        top = np.array([15.0, 10, 10])
        for shape, height in ((slope(), 5 + 3 * 20 / 45), (slope().moved(motion(shift=[0, 0, 9])), 14 + 3 * 20 / 45),
                              (slope(6).moved(motion(shift=[0, 0, 2])), 7 + 6 * 20 / 45)):  # fmt: skip
            self.assertAlmostEqual(swap_face(self.box, top, [shape], self.worker).told.volume, 600 * height, delta=1e-3)
        round_ = body_of(rod(6, 0, 0, 0, 20), self.worker)
        roof = slope().moved(motion(shift=[-10, -10, 18]))
        made = swap_face(round_, np.array([0, 0, 20.0]), [roof], self.worker)
        self.assertAlmostEqual(made.told.volume / (np.pi * 36 * 24), 1.0, delta=1e-7)
        self.assertTrue(made.told.valid and made.told.closed)
        low, high = (np.array([[-s, -s, z], [s, -s, z], [s, s, z], [-s, s, z]]) for z, s in ((0.0, 10.0), (10.0, 5.0)))
        sides = [Surface.bezier([[low[k], high[k]], [low[(k + 1) % 4], high[(k + 1) % 4]]]) for k in range(4)]
        ends = [Surface.bezier([[q[0], q[1]], [q[3], q[2]]]) for q in (low, high)]
        stump = sew([(str(k), face) for k, face in enumerate([*sides, *ends])], 1e-4, self.worker)
        flat = Elementary.make(ElementaryKind.PLANE, motion(shift=[0, 0, 15.0]), (), ((-1.0, 1.0), (-1.0, 1.0)))
        taller = swap_face(stump, np.array([0, 0, 10.0]), [flat], self.worker)
        self.assertAlmostEqual(taller.told.volume, 15 / 3 * (400 + 25 + 100), delta=1e-3)
        beside = slope().moved(motion(shift=[200, 0, 0]))
        with self.assertRaisesRegex(ArabesqueError, "do not meet"):
            swap_face(self.box, top, [beside], self.worker)

    def test_hollow_with_an_opening(self) -> None:
        made = hollow(self.box, 1.0, np.array([[15.0, 10, 10]]), self.worker)
        self.assertAlmostEqual(made.told.volume, 6000 - 28 * 18 * 9, delta=1e-3)
        with self.assertRaisesRegex(ArabesqueError, "No wall of 11 mm fits"):
            hollow(self.box, 11.0, np.array([[15.0, 10, 10]]), self.worker)
        # open nowhere: a body with a hollow inside
        closed = hollow(self.box, 1.0, np.zeros((0, 3)), self.worker)
        self.assertAlmostEqual(closed.told.volume, 6000 - 28 * 18 * 8, delta=1e-3)
        self.assertEqual(len(closed.surfaces), 12)
        with self.assertRaisesRegex(ArabesqueError, "No wall of 6 mm fits"):
            hollow(self.box, 6.0, np.zeros((0, 3)), self.worker)
        with self.assertRaisesRegex(ArabesqueError, "above 0"):
            hollow(self.box, 0.0, np.zeros((0, 3)), self.worker)

    def test_a_half_and_its_image(self) -> None:
        made = mirrored_half(self.drilled, Plane(np.array([1.0, 0, 0]), 5), self.worker)
        self.assertAlmostEqual(made.told.volume, 2 * (5000 - HOLE), delta=1e-3)
        self.assertAlmostEqual(made.told.centre[0], 5.0, places=6)
        self.assertEqual(len(made.surfaces), 8)  # the walls go on over the plane as one

    def test_openings_that_are_not_flat_are_closed(self) -> None:
        """A tube cut aslant by a wavy surface: what closes it lies on its border."""
        made = part(body_of(rod(6, 0, 0, 0, 20), self.worker),
                    [Surface.bezier([[[-9.0, -9, 12], [-9, 9, 8]], [[9, -9, 8], [9, 9, 12]]])], True,
                    self.worker)  # fmt: skip
        open_ = sew([(str(k), face) for k, face in enumerate(made.surfaces) if np.ptp(face.points[..., 2]) > 9
                     or face.points[..., 2].max() < 1], 1e-3, self.worker)  # fmt: skip
        self.assertFalse(open_.told.closed)
        closed = sew([("open", face) for face in open_.surfaces], 1e-2, self.worker, cap=True)
        self.assertTrue(closed.told.closed and closed.told.valid)
        self.assertAlmostEqual(closed.told.volume / made.told.volume, 1.0, delta=1e-2)


class ProjectTest(unittest.TestCase):
    def test_features_follow_and_move(self) -> None:
        with Project() as project:
            sides = [project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))]
            box = project.sew(sides)
            drilled = project.hole(box, [15, 10, 10], UP, 6.0, mouth=10.0, mouth_depth=4.0)
            knob = project.boss(drilled, [5, 10, 10], UP, 4.0, 5.0)
            slotted = project.slot(knob, [25, 10, 10], UP, [0, 1, 0], 2.0, 6.0, 3.0)
            wanted = 6000 - np.pi * (100 + 54) + np.pi * 20 - 3 * (12 + np.pi)
            self.assertAlmostEqual(project.told_of_body(slotted).volume, wanted, delta=1e-3)
            roof = [side.moved(motion(shift=[0, 0, 2])) if k == 5 else side for k, side in
                    enumerate(box_sides(30, 20, 12))]  # fmt: skip
            for item, shape in zip(sides, roof[:5] + box_sides(30, 20, 12)[5:], strict=True):
                project.reshape(item, shape, "higher")
            self.assertFalse(any_stale(project.document))
            # the hole goes through 2 mm more under its mouth, which was 4 mm below 10
            self.assertEqual(project.item(slotted.id).trouble, "")
            whole = project.told_of_body(slotted).volume
            project.plane = Plane(np.array([0.0, 1, 0]), -5.0)
            with self.assertRaisesRegex(ArabesqueError, "does not part the body"):
                project.mirror_body(slotted)
            # one that ends at the plane is a half already
            project.plane = Plane(np.array([0.0, 1, 0]), 0.0)
            doubled = project.mirror_body(slotted)
            self.assertAlmostEqual(project.told_of_body(doubled).volume, 2 * whole, delta=2e-3)
            project.plane = Plane(np.array([0.0, 1, 0]), 10.0)
            self.assertAlmostEqual(project.told_of_body(doubled).volume, whole, delta=1e-3)
            half = project.part_body(slotted)
            self.assertAlmostEqual(project.told_of_body(half).volume, whole / 2, delta=1e-3)
            self.assertAlmostEqual(project.told_of_body(project.mirror_body(slotted)).volume, whole, delta=1e-3)
            open_top = project.hollow(box, 1.0, [[15, 10, 12]])
            self.assertAlmostEqual(project.told_of_body(open_top).volume, 7200 - 28 * 18 * 11, delta=1e-3)

    def test_edges_by_what_they_are_like_and_changing_radii(self) -> None:
        """A plate with two holes: one rim, all rims alike, the top's four edges; a radius from 1 to 3 mm along 30 mm
        takes the integral of (1 - pi/4) r(s)² away, as near as its section stays square to the edge."""
        with Project() as project:
            box = project.sew([project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))])
            first = project.hole(box, [5, 5, 10], UP, 4.0)
            plate = project.repeat(first, 2, UP, [15, 10, 0], since=box)
            self.assertAlmostEqual(project.told_of_body(plate).volume, 6000 - 80 * np.pi, delta=1e-3)
            edges = edges_of(plate.shape)
            rim = nearest_edge(edges, np.array([7.0, 5, 10]))
            self.assertAlmostEqual(rim.turn, 90.0, places=6)
            # the kernel may have cut a rim in two
            self.assertAlmostEqual(sum(edge.length for edge in same_rim(edges, rim)), 4 * np.pi, delta=0.02)
            self.assertAlmostEqual(sum(edge.length for edge in edges), 240 + 16 * np.pi, delta=0.1)
            corner = nearest_edge(edges, np.array([15.0, 0, 10]))
            self.assertEqual((len(same_rim(edges, corner)), len(alike(edges, corner))), (4, 4))
            inner = project.cut(box, project.profile_body(project.add("Notch", Sketch(
                motion(shift=[10, 5, 6]), [[0.0, 0], [10, 0], [10, 10], [0, 10]],
                tuple(Element(ElementKind.LINE, (k, (k + 1) % 4)) for k in range(4)))), ahead=9, way=UP))  # fmt: skip
            bottom = nearest_edge(edges_of(inner.shape), np.array([15.0, 5, 6]))
            self.assertAlmostEqual(bottom.turn, -90.0, places=6)
            soft = project.round_body(plate, [[7.0, 5, z] for z in (0, 10)], 0.5, like="rim")
            area = 1 - np.pi / 4
            centre = (1 / 2 - (1 - 4 / (3 * np.pi)) * np.pi / 4) / area
            lost = 2 * 0.25 * area * 2 * np.pi * (2 + 0.5 * centre)
            self.assertAlmostEqual(
                project.told_of_body(plate).volume - project.told_of_body(soft).volume, lost, delta=1e-2
            )
            changing = project.round_body(box, [15.0, 0, 10], 1.0, end=3.0)
            lost = 6000 - project.told_of_body(changing).volume
            self.assertAlmostEqual(lost / (area * 30 * (1 + 3 + 9) / 3), 1.0, delta=0.02)
            with self.assertRaisesRegex(ArabesqueError, "rim"):
                project.round_body(box, [15.0, 0, 10], 1.0, like="colour")

    def test_a_sketch_through_everything(self) -> None:
        with Project() as project:
            box = project.sew([project.add(f"Side {k}", side) for k, side in enumerate(box_sides(30, 20, 10))])
            drawn = Sketch(motion(shift=[15, 10, 5]), [[0.0, 0], [3, 0]], (Element(ElementKind.CIRCLE, (0, 1)),))
            sketch = project.add("Pocket", drawn)
            cut = project.profile_body(sketch, box, "cut away", through=True)
            self.assertAlmostEqual(project.told_of_body(cut).volume, 6000 - 90 * np.pi, delta=1e-3)
            pocket = project.profile_body(sketch, box, "cut away", ahead=20, back=0, way=[0, 0, 1])
            self.assertAlmostEqual(project.told_of_body(pocket).volume, 6000 - 45 * np.pi, delta=1e-3)
            project.reshape(sketch, drawn.with_flat([[0.0, 0], [4, 0]]), "wider")
            self.assertAlmostEqual(project.told_of_body(project.item(cut.id)).volume, 6000 - HOLE, delta=1e-3)
            alone = project.profile_body(sketch, ahead=2, back=1)
            self.assertAlmostEqual(project.told_of_body(alone).volume, 48 * np.pi, delta=1e-3)
            moved = project.move_feature(cut, [[19.0, 10, 5]], [4, 0, 0])
            self.assertAlmostEqual(project.told_of_body(moved).volume, 6000 - HOLE, delta=1e-3)
            self.assertAlmostEqual(project.told_of_body(project.without_feature(cut, [[19.0, 10, 5]])).volume, 6000,
                                   delta=1e-3)  # fmt: skip


if __name__ == "__main__":
    unittest.main()
