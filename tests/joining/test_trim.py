"""Trims: areas by formula, common borders, what stays, what the scan shows, borders and curves that cut, files."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Edge, Elementary, ElementaryKind, Face, Surface, foot_points
from arabesque.joining import Cutter, covered, cut_apart, shown_by
from arabesque.model import any_stale
from arabesque.recipes import TrimmedBy
from arabesque.scan import Scan
from arabesque.script import Project
from arabesque.solid import FileKind, KernelWorker, deliver, read_model
from tests.joining.test_crossing import FULL, flat, rough

K = ElementaryKind


def area(face: Face) -> float:
    """mm², by fine triangles."""
    return float(face.sampler(300).read(face).areas.sum())


def circle(radius: float, height: float = 0.0) -> Curve:
    """A closed curve near a circle about the z axis, to 1e-6 mm."""
    from scipy.interpolate import make_interp_spline

    t = np.linspace(0, 2 * np.pi, 129)
    places = np.column_stack([radius * np.cos(t), radius * np.sin(t), np.full_like(t, height)])
    made = make_interp_spline(t, places, 5)
    return Curve(5, made.t, made.c)


class PiecesTest(unittest.TestCase):
    def test_a_ball_cuts_a_disc_out_of_a_plane(self) -> None:
        """pi r² within, the rest without; each has one border without corners where it was cut."""
        ball = Elementary.make(K.SPHERE, np.eye(4), (30.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        pieces = cut_apart(flat(10.0), [Cutter(ball)])
        ring, disc = pieces.kept([0]), pieces.kept([1])
        self.assertAlmostEqual(area(disc), 800 * np.pi, delta=0.3)
        self.assertAlmostEqual(area(ring), 10_000 - 800 * np.pi, delta=0.3)
        self.assertEqual([len(face.rims()) for face in (ring, disc)], [5, 1])
        self.assertEqual(pieces.at(disc.domain[0][0] + np.array([0.5, 0.5])), 1)
        # with both nothing is cut
        both = pieces.kept([0, 1])
        self.assertAlmostEqual(both.trim.area, 1.0, places=9)
        self.assertEqual(len(both.trim.loops), 1)

    def test_two_patches_by_each_other_have_one_border(self) -> None:
        one, two = rough(0), rough(1, 0.5)
        left, right = cut_apart(one, [Cutter(two)]).kept([0]), cut_apart(two, [Cutter(one)]).kept([0])
        (mine,) = [rim for rim in left.rims() if not rim.straight]
        (other,) = [rim for rim in right.rims() if not rim.straight]
        t = np.linspace(0, 1, 2001)
        for rim, face in ((mine, right), (other, left)):
            places = rim.surface.at(rim.places(t))
            gap = np.linalg.norm(foot_points(face.whole, places).points - places, axis=1)
            self.assertLess(gap.max(), 1e-4)
        ends = [np.sort(rim.surface.at(rim.uv[[0, -1]]), axis=0) for rim in (mine, other)]
        np.testing.assert_allclose(ends[0], ends[1], atol=1e-9)

    def test_both_sides_are_drawn_with_the_same_places_of_their_border(self) -> None:
        """Coarsely or finely, whichever of both is cut first: no crack can show between the triangles."""
        one, two = rough(1), rough(2, 0.8)
        sides = cut_apart(one, [Cutter(two)]).kept([0]), cut_apart(two, [Cutter(one)]).kept([0])
        for along in (10, 40, 100):
            read = [face.sampler(along).read(face) for face in sides]
            rims = [samples.points[np.concatenate(samples.rims)] for samples in read]
            away = np.linalg.norm(rims[0][:, None] - rims[1][None], axis=2).min(axis=1)
            on_both = np.abs(foot_points(two, rims[0]).points - rims[0]).max(axis=1) < 1e-5
            self.assertGreater(on_both.sum(), 100)
            self.assertLess(away[on_both].max(), 1e-6)

    def test_several_cutters_and_a_trim_of_a_trim(self) -> None:
        """A sheet quartered by two planes; a quarter halved again."""
        sheet = flat(0.0)
        across, along = (flat(0.0, 50.0, np.pi / 2).moved(_turned(a)) for a in (0.0, np.pi / 2))
        pieces = cut_apart(sheet, [Cutter(across), Cutter(along)])
        self.assertEqual(len(pieces.pieces), 4)
        quarter = pieces.kept([0])
        self.assertAlmostEqual(area(quarter), 2500.0, delta=1e-4)
        self.assertEqual(len(quarter.rims()), 4)
        x, y, _ = sheet.at(pieces.pieces[0].inside[None])[0]
        halves = cut_apart(quarter, [Cutter(across.moved(_turned(np.arctan2(y, x) - np.pi / 2)))])
        self.assertEqual(len(halves.pieces), 2)
        self.assertAlmostEqual(area(halves.kept([0])) + area(halves.kept([1])), 2500.0, delta=1e-4)

    def test_a_cutter_that_ends_inside_says_how_far(self) -> None:
        """A quarter of a rod leaves the sheet whole; 50 mm from one of its ends straight on to the edge."""
        rod = Elementary.make(K.CYLINDER, np.eye(4), (30.0,), ((0.0, np.pi / 2), (-20.0, 40.0)))
        sheet = Elementary.make(K.PLANE, np.eye(4), (), ((-10.0, 50.0), (-50.0, 50.0)))
        pieces = cut_apart(sheet, [Cutter(rod)])
        self.assertEqual(len(pieces.pieces), 1)
        missing = sorted(one.missing for one in pieces.loose)
        np.testing.assert_allclose(missing, [10.0, 50.0], atol=0.02)
        # the border in which a plane would cut it is let go on instead
        border = Cutter(rod.rims()[Edge.V_LOW], np.array([0, 0, 1.0]), 60.0)
        self.assertEqual(len(cut_apart(sheet, [border]).pieces), 2)

    def test_what_does_not_meet_says_how_far_it_is_away(self) -> None:
        with self.assertRaisesRegex(ArabesqueError, r"12 mm are between"):
            cut_apart(flat(0.0, 20.0), [Cutter(rough(0, amplitude=0.0).moved(_lifted(12.0)))])
        with self.assertRaisesRegex(ArabesqueError, "does not come onto"):
            cut_apart(flat(0.0, 20.0), [Cutter(circle(5.0).moved(_lifted(0.0, 90.0)))])

    def test_a_curve_comes_along_a_direction(self) -> None:
        """Along z a circle cuts the same disc out of any height; along a slant it cuts an ellipse of the same area."""
        for way in (None, np.array([0, 0, 1.0]), np.array([0.5, 0, 1.0])):
            pieces = cut_apart(flat(-7.0), [Cutter(circle(20.0), way)])
            self.assertEqual(len(pieces.pieces), 2)
            self.assertAlmostEqual(area(pieces.kept([1])), 400 * np.pi, delta=0.4)


class ApartTest(unittest.TestCase):
    def test_split_follows_and_untrim_brings_the_surface_back(self) -> None:
        """A sheet of 10,000 mm² split by a rod of 20 mm: both pieces are faces, and follow when the rod moves."""
        with Project() as project:
            sheet = project.add("Sheet", flat(0.0))
            rod = Elementary.make(K.CYLINDER, np.eye(4), (20.0,), (FULL, (-30.0, 30.0)))
            cutter = project.add("Rod", rod)
            pieces = project.trim_apart(sheet, cutter)
            self.assertEqual([item.name for item in pieces], ["Sheet cut", "Sheet cut 2"])
            areas = [area(item.shape) for item in pieces]
            np.testing.assert_allclose(areas, [10_000 - 400 * np.pi, 400 * np.pi], atol=0.5)
            project.reshape(cutter, rod.moved(_lifted(0.0, 10.0)), "moved")
            np.testing.assert_allclose([area(project.item(one.id).shape) for one in pieces], areas, atol=0.01)
            (back,) = project.untrim(pieces[0])
            self.assertTrue(back.look.visible)
            self.assertNotIn(pieces[0].id, project.document)
            with self.assertRaisesRegex(ArabesqueError, "stands for nothing"):
                project.untrim(back)


class ScanTest(unittest.TestCase):
    def test_pieces_that_the_scan_shows(self) -> None:
        """A scan of one half of a sheet, and a little more, that a plane cuts in two."""
        x, y = np.meshgrid(np.linspace(-50, 10, 61), np.linspace(-50, 50, 61), indexing="ij")
        index = np.arange(61 * 61).reshape(61, 61)
        a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
        triangles = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
        scan = Scan(np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()]), triangles)
        pieces = cut_apart(flat(0.05), [Cutter(flat(0.0, 50.0, np.pi / 2))])
        shown = [pieces.pieces[k].inside for k in np.flatnonzero(shown_by(pieces, scan, 0.1))]
        self.assertEqual(len(shown), 1)
        self.assertLess(pieces.surface.at(np.array(shown))[0, 0], 0)
        np.testing.assert_allclose(sorted(covered(pieces, scan, 0.1)), [0.2, 1.0], atol=0.03)
        self.assertEqual(covered(pieces, scan, 0.01).max(), 0.0)


class ProjectTest(unittest.TestCase):
    def test_trimmed_from_a_script_follows_and_is_written(self) -> None:
        with tempfile.TemporaryDirectory() as folder, Project() as project:
            one, two = project.add("One", rough(0)), project.add("Two", rough(1, 0.5))
            left = project.trim(one, two, keep=[one.shape.at([[0.1, 0.5]])[0]])
            self.assertIsInstance(left.recipe, TrimmedBy)
            self.assertFalse(project.item(one.id).look.visible)
            self.assertEqual(left.name, "One cut")
            before = area(left.shape)
            project.reshape(two, two.shape.moved(_shifted(10.0)))
            self.assertFalse(any_stale(project.document))
            self.assertGreater(abs(area(project.item(left.id).shape) - before), 500)
            path = Path(folder) / "trimmed.step"
            project.export(path, [project.item(left.id)])
            worker = KernelWorker()
            self.addCleanup(worker.close)
            (facts,) = worker.call("body_facts", str(path))
            self.assertTrue(facts["valid"])
            self.assertLess(facts["tolerance"], 1e-5)
            self.assertAlmostEqual(facts["area"], area(project.item(left.id).shape), delta=0.5)

    def test_holes_and_islands_in_step_and_iges(self) -> None:
        """Areas by the kernel: a plate with a round hole, and two discs that are one item."""
        worker = KernelWorker()
        self.addCleanup(worker.close)
        ball = Elementary.make(K.SPHERE, np.eye(4), (30.0,), (FULL, (-np.pi / 2, np.pi / 2)))
        discs = cut_apart(flat(0.0), [Cutter(circle(10.0).moved(_lifted(0.0, x))) for x in (-20.0, 20.0)])
        parts = [("plate", cut_apart(flat(10.0), [Cutter(ball)]).kept([0])), ("discs", discs.kept([1, 2]))]
        with tempfile.TemporaryDirectory() as folder:
            for kind in (FileKind.STEP_AP214, FileKind.STEP_AP242, FileKind.IGES):
                path = Path(folder) / f"parts{kind.suffix}"
                deliver(path, parts, kind, worker)
                faces = [shape for _, shape in read_model(path, worker).faces]
                found = sorted(area(face) for face in faces if isinstance(face, Face))
                np.testing.assert_allclose(found, [100 * np.pi, 100 * np.pi, 1e4 - 800 * np.pi], rtol=2e-3)
            path = Path(folder) / "plate.step"
            deliver(path, parts[:1], FileKind.STEP_AP214, worker)
            (facts,) = worker.call("body_facts", str(path))
            self.assertAlmostEqual(facts["area"], 1e4 - 800 * np.pi, delta=1e-4)

    def test_the_crossing_as_a_curve_that_follows(self) -> None:
        """Within a quarter of the tolerance of both surfaces, also after one is moved."""
        with Project() as project:
            one, two = project.add("One", rough(0, amplitude=1.0)), project.add("Two", rough(1, 0.5, amplitude=1.0))
            curve = project.intersect(one, two)
            for _ in range(2):
                now = project.item(curve.id).shape
                places = now.at(np.linspace(*now.domain, 200))
                for item in (one, two):
                    feet = foot_points(project.item(item.id).shape, places).points
                    self.assertLess(np.linalg.norm(feet - places, axis=1).max(), 0.25 * project.tolerance)
                project.reshape(two, two.shape.moved(_shifted(5.0)))
            with self.assertRaisesRegex(ArabesqueError, "do not cross"):
                project.intersect(one, project.add("Far", rough(2).moved(_lifted(500.0))))

    def test_what_is_gone_is_told(self) -> None:
        with Project() as project:
            one, two = project.add("One", rough(0)), project.add("Two", rough(1, 0.5))
            with self.assertRaisesRegex(ArabesqueError, "There is no scan"):
                project.trim(one, two)
            short = project.add("Short", Surface.bezier(_strip()))
            with self.assertRaisesRegex(ArabesqueError, "does not part the surface: .* mm are missing"):
                project.trim(one, short, keep=[np.zeros(3)])
            self.assertTrue(project.item(one.id).look.visible)
            self.assertEqual(len(project.trim(one, short, keep=[np.zeros(3)], further=60.0).shape.trim.loops), 1)


def _strip() -> np.ndarray:
    """An upright strip that ends within the rough patch."""
    return np.array([[[50, 20, -40], [50, 20, 40.0]], [[50, 80, -40], [50, 80, 40.0]]])


def _turned(angle: float) -> np.ndarray:
    matrix = np.eye(4)
    matrix[:2, :2] = [[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]
    return matrix


def _lifted(by: float, x: float = 0.0) -> np.ndarray:
    matrix = np.eye(4)
    matrix[:3, 3] = x, 0, by
    return matrix


def _shifted(x: float) -> np.ndarray:
    return _lifted(0.0, x)


if __name__ == "__main__":
    unittest.main()
