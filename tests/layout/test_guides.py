"""Layouts that are told more than a count: parts, sharp lines, irregular points, closer rows, borders that meet."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.cages.edits import merged, weld_near
from arabesque.cages.files import read_cage
from arabesque.cli import main
from arabesque.errors import ArabesqueError
from arabesque.geometry import Plane
from arabesque.layout import (
    Calm,
    Guides,
    Layout,
    MapProblem,
    Moved,
    Part,
    RowsHere,
    Wishes,
    borders_of,
    lay_out,
    symmetric_error,
    uncovered,
)
from arabesque.layout.field import cross_field
from arabesque.layout.guides import from_line
from arabesque.layout.irregular import with_moves
from arabesque.layout.proxy import proxy_of
from arabesque.layout.sharp_lines import drawn_in
from arabesque.mending import even_triangles
from arabesque.scan import Scan, ready_to_fit, write_scan
from arabesque.script import Project
from tests.layout.forms import blob, creased, egg, ring
from tests.layout.test_layout import euler, index_sum

BOX = np.array([60.0, 40, 30])


def irregular(cage: Cage) -> Floats:
    """(k, 3) where irregular points inside lie on the surface."""
    quads = cage.quads
    return cage.limit[quads.irregular & ~quads.on_border]


def cap_line(scan: Scan, radius: float = 42.0, up: float = 1.0) -> Floats:
    """A closed line round the upper (or lower) end of a form of about 50 mm."""
    turn = np.linspace(0, 2 * np.pi, 81)
    return scan.closest(np.column_stack([radius * np.cos(turn), radius * np.sin(turn), 0 * turn + up * radius])).points


def box_edges() -> list[Floats]:
    """The twelve edges of the box."""
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)]) * BOX / 2
    pairs = [(i, j) for i in range(8) for j in range(i) if (corners[i] != corners[j]).sum() == 1]
    return [np.linspace(corners[i], corners[j], 30) for i, j in pairs]


def even(mesh: trimesh.Trimesh, edge: float) -> Scan:
    """A mesh as a scan of even triangles."""
    fine = mesh.subdivide_to_size(3.0)
    return ready_to_fit(even_triangles(Scan(np.asarray(fine.vertices), np.asarray(fine.faces)), edge))


class GuidesTest(unittest.TestCase):
    def sound(self, made: Layout, chi: int) -> None:
        """A net of quads of one form without folds, with rows throughout."""
        self.assertEqual((euler(made.cage), index_sum(made.cage)), (chi, 4 * chi))
        self.assertEqual((int(made.net.folded.sum()), made.folds), (0, 0))
        self.assertIsNotNone(made.ground, made.words)


class PartTest(GuidesTest):
    def test_what_is_marked(self) -> None:
        """A cap of a ball: a disc; its rim on the border of what is marked."""
        scan = blob()
        mask = scan.points[scan.triangles].mean(axis=1)[:, 2] > 20
        made = lay_out(scan, Wishes(80, part=Part(mask=mask)))
        self.sound(made, 1)
        rim = made.cage.limit[made.cage.quads.on_border]
        self.assertLess(np.abs(rim[:, 2] - 20).max(), 2.0)  # triangles have edges of about 1.5 mm
        areas = scan.areas
        self.assertAlmostEqual(made.left_out, 1 - areas[mask].sum() / areas.sum(), delta=0.01)

    def test_one_of_several_pieces(self) -> None:
        scan = blob()
        height = scan.points[scan.triangles].mean(axis=1)[:, 2]
        made = lay_out(scan, Wishes(80, part=Part(mask=(height > 22) | (height < -15))))
        self.sound(made, 1)
        self.assertIn("only one is laid out of several pieces", made.words)

    def test_inside_lines_and_the_rest(self) -> None:
        """One closed line parts a ball in a cap and the rest; two leave a belt, which has the Euler number 0."""
        scan = blob()
        up, down = cap_line(scan), cap_line(scan, up=-1.0)
        cap = Part(lines=(up,)).of(scan)
        rest = Part(lines=(up,), place=np.array([0.0, 0, -50])).of(scan)
        total = [one.area for one in (cap, rest, scan)]
        self.assertAlmostEqual(total[0] + total[1], total[2], delta=1e-3 * total[2])
        for one in (cap, rest):
            self.assertLess(from_line(one.points[one.border_edges.ravel()], up).max(), 0.2)
        made = lay_out(scan, Wishes(150, part=Part(lines=(up, down), place=np.array([50.0, 0, 0]))))
        self.sound(made, 0)
        rim = made.cage.limit[made.cage.quads.on_border]
        self.assertLess(np.minimum(from_line(rim, up), from_line(rim, down)).max(), 0.3)
        with self.assertRaisesRegex(ArabesqueError, "enclosed"):
            Part(mask=np.zeros(len(scan.triangles), dtype=bool)).of(scan)

    def test_a_part_is_alike_where_asked(self) -> None:
        """Marked on one side only: the image is laid out with it."""
        scan, plane = egg(), Plane.coordinate(1)
        middles = scan.points[scan.triangles].mean(axis=1)
        made = lay_out(scan, Wishes(80, plane=plane, part=Part(mask=(middles[:, 0] > 10) & (middles[:, 1] > 0))))
        self.sound(made, 1)
        self.assertEqual(symmetric_error(made.cage, plane), 0.0)

    def test_meeting_a_cage(self) -> None:
        """What a cage leaves open, laid out with as many rows along its border: welded they are one closed form."""
        scan = blob()
        cap = lay_out(scan, Wishes(60, part=Part(lines=(cap_line(scan),)))).cage
        made = lay_out(scan, Wishes(150, part=uncovered(scan, [cap]), meet=tuple(borders_of(cap))))
        self.sound(made, 1)
        (own,), (met,) = borders_of(made.cage), borders_of(cap)
        self.assertEqual(len(own.points), len(met.points))
        whole = weld_near(merged([cap, made.cage]), 1e-6)
        self.assertFalse(whole.quads.borders())
        self.assertEqual((euler(whole), index_sum(whole)), (2, 8))


class LineTest(GuidesTest):
    def test_a_box_is_exact(self) -> None:
        """Sharp edges on all twelve: the surface is the box, to the fit's own small step; without, its edges are
        rounded."""
        scan = even(trimesh.creation.box(BOX), 1.2)
        for plane in (None, Plane.coordinate(1)):
            with self.subTest(plane=plane):
                made = lay_out(scan, Wishes(120, plane=plane, guides=Guides(sharp=tuple(box_edges()))))
                self.sound(made, 2)
                self.assertLess(made.figures.surface_to_scan.max, 1e-3)
                self.assertLess(made.figures.scan_to_surface.max, 1e-3)
        self.assertGreater(lay_out(scan, Wishes(120)).figures.scan_to_surface.max, 0.2)

    def test_closed_edges(self) -> None:
        """A rod with flat ends: its two rings are sharp, and four irregular points lie inside each end."""
        scan = even(trimesh.creation.cylinder(20, 60, sections=120), 2.0)
        turn = np.linspace(0, 2 * np.pi, 100)
        rings = [np.column_stack([20 * np.cos(turn), 20 * np.sin(turn), 0 * turn + z]) for z in (-30, 30)]
        made = lay_out(scan, Wishes(150, guides=Guides(sharp=tuple(rings))))
        self.sound(made, 2)
        ends = made.cage.limit[np.unique(made.cage.quads.sharp)]
        self.assertLess(np.min([from_line(ends, line) for line in rings], axis=0).max(), 0.1)
        self.assertEqual(sorted(np.sign(irregular(made.cage)[:, 2])), [-1.0] * 4 + [1.0] * 4)
        self.assertTrue((np.abs(np.abs(irregular(made.cage)[:, 2]) - 30) < 0.1).all())

    def test_a_crease_from_rim_to_rim(self) -> None:
        """0.36 and 0.16 % of the diagonal at 58 and 309 quads are what layouts with creases were planned with."""
        scan, crease = creased()
        for count, limit in ((58, 0.36), (309, 0.16)):
            with self.subTest(count=count):
                made = lay_out(scan, Wishes(count, guides=Guides(sharp=(crease,))))
                self.sound(made, 1)
                self.assertLess(abs(made.cage.count / count - 1), 0.06)
                self.assertLessEqual(sum(made.net.irregular.values()), 2)
                self.assertLess(100 * made.figures.surface_to_scan.max / scan.diagonal, limit)
                on = made.cage.limit[np.unique(made.cage.quads.sharp)]
                self.assertLess(from_line(on, crease).max(), 0.1)

    def test_a_line_is_drawn_in_once(self) -> None:
        """Each of its points lies on it, in order; none falls on another."""
        scan = even(trimesh.creation.cylinder(20, 60, sections=120), 2.0)
        turn = np.linspace(0, 2 * np.pi, 100)
        line = np.column_stack([20 * np.cos(turn), 20 * np.sin(turn), 0 * turn + 5.0])
        drawn, pairs = drawn_in(scan, [line])
        np.testing.assert_array_equal(np.bincount(pairs.ravel())[np.unique(pairs)], 2)
        self.assertLess(from_line(drawn.points[np.unique(pairs)], line).max(), 0.01)  # a chord of it sags by as much
        length = np.linalg.norm(drawn.points[pairs[:, 0]] - drawn.points[pairs[:, 1]], axis=1)
        self.assertGreater(length.min(), 0.2)
        self.assertAlmostEqual(length.sum(), 2 * np.pi * 20, delta=0.5)


class HandTest(GuidesTest):
    def test_an_irregular_point_goes_where_it_is_dragged(self) -> None:
        scan = blob()
        plain = lay_out(scan, Wishes(300))
        before = irregular(plain.cage)
        goal = scan.closest(np.array([[50.0, 5, 5]])).points[0]
        start = before[np.linalg.norm(before - goal, axis=1).argmin()]
        made = lay_out(scan, Wishes(300, guides=Guides(moved=(Moved(goal, start),))))
        self.sound(made, 2)
        side = (scan.areas.sum() / made.cage.count) ** 0.5
        after = irregular(made.cage)
        self.assertEqual(len(after), len(before))
        self.assertGreater(np.linalg.norm(before - goal, axis=1).min(), side)
        self.assertLess(np.linalg.norm(after - goal, axis=1).min(), side)

    def test_fields_keep_their_sum(self) -> None:
        """Moved, wanted or forbidden: quarter turns together stay four times the Euler number (Poincaré and Hopf)."""
        scan = proxy_of(blob(), 6000)
        field = cross_field(scan)
        first = scan.points[np.flatnonzero(field.index)[0]]
        calm = with_moves(scan, field, (), (Calm(first[None], 15.0),), 1.0, None)
        away = np.linalg.norm(scan.points[calm.index != 0] - first, axis=1)
        self.assertGreater(away.min(), 15.0)
        wanted = scan.points[np.linalg.norm(scan.points - [0, 0, 50], axis=1).argmin()]
        moved = with_moves(scan, field, (Moved(wanted),), (), 1.0, None)
        self.assertEqual(int(moved.index[np.linalg.norm(scan.points - wanted, axis=1).argmin()]), 1)
        for one in (calm, moved):
            self.assertEqual(int(one.index.sum()), 8)
        # a ring has none that could be moved
        hollow = proxy_of(ring(), 6000)
        with self.assertRaises(MapProblem):
            with_moves(hollow, cross_field(hollow), (Moved(hollow.points[0]),), (), 1.0, None)

    def test_more_and_fewer_quads_in_a_place(self) -> None:
        """About as many times as many as were asked for: at least a half more, and at most three quarters."""
        scan = blob()
        place = scan.closest(np.array([[0.0, 0, 60]])).points

        def within(factor: float) -> int:
            guides = Guides(rows=(RowsHere(place, 18.0, factor),)) if factor != 1 else Guides()
            made = lay_out(scan, Wishes(300, guides=guides))
            self.sound(made, 2)
            self.assertLess(abs(made.cage.count / 300 - 1), 0.06)
            middles = made.cage.limit[made.cage.faces].mean(axis=1)
            return int((np.linalg.norm(middles - place, axis=1) < 18).sum())

        plain, more, fewer = within(1), within(3), within(0.4)
        self.assertGreaterEqual(more, 1.5 * plain)
        self.assertLessEqual(fewer, 0.75 * plain)

    def test_what_cannot_be(self) -> None:
        line = np.zeros((2, 3))
        for wrong in (lambda: Calm(line, 0.0), lambda: RowsHere(line, 5.0, 50.0), lambda: RowsHere(line, -1.0, 2.0)):
            with self.assertRaises(ArabesqueError):
                wrong()


class ScriptTest(unittest.TestCase):
    def test_lines_cages_and_strips_from_scripts(self) -> None:
        """Curves from the scan as sharp edges, a part inside a curve, the rest met; kept in a file with its guides."""
        with tempfile.TemporaryDirectory() as folder, Project() as project:
            path = Path(folder) / "ball.ply"
            scan = blob()
            write_scan(path, scan, "mm")
            project.open_scan(path)
            curve = project.curve(cap_line(scan)[:-1:4], closed=True)
            cap = project.layout(60, inside=[curve])
            calm = Guides(calm=(Calm(np.array([[0.0, 0, -50]]), 8.0),))
            rest = project.layout(120, beside=[cap], guides=calm)
            self.assertFalse(weld_near(merged([cap.shape, rest.shape]), 1e-6).quads.borders())
            project.save(Path(folder) / "ball.arabesque")
            with Project() as again:
                again.open(Path(folder) / "ball.arabesque")
                recipe = again.item(rest.id).recipe
                self.assertEqual((recipe.beside, recipe.taken.free), ((cap.id,), True))
                np.testing.assert_array_equal(recipe.guides.calm[0].line, [[0.0, 0, -50]])
            project.tolerance = 0.05
            whole = project.layout(100, 0.05)
            made = project.improve(whole, "closer")
            self.assertEqual(project.item(whole.id).shape.count, made.cage.count)
            with self.assertRaisesRegex(ArabesqueError, "no aim"):
                project.improve(whole, "prettier")

    def test_parts_from_scripts(self) -> None:
        """Marked triangles, and areas of regions, as in the window; two parts at once are refused."""
        with tempfile.TemporaryDirectory() as folder, Project() as project:
            path = Path(folder) / "rod.ply"
            write_scan(path, even(trimesh.creation.cylinder(20, 60, sections=120), 2.0), "mm")
            project.open_scan(path)
            scan = project.scan
            mask = scan.points[scan.triangles].mean(axis=1)[:, 2] > 0
            upper = project.layout(60, marked=mask)
            self.assertEqual((euler(upper.shape), len(upper.shape.quads.borders())), (1, 1))
            regions = project.regions()
            end = project.layout(40, areas=(regions, [np.array([0.0, 0, 30])]))
            np.testing.assert_allclose(end.shape.limit[:, 2], 30, atol=0.2)
            with self.assertRaisesRegex(ArabesqueError, "Several parts"):
                project.layout(60, marked=mask, areas=(regions, [np.zeros(3)]))
            with self.assertRaisesRegex(ArabesqueError, "All of the scan"):
                project.layout(60, marked=np.ones(len(scan.triangles), dtype=bool))

    def test_parts_and_strips_from_commands(self) -> None:
        """What a closed curve encloses, the rest meeting it, and a strip put in, each in one command."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            scan = blob(4)
            line = cap_line(scan)
            write_scan(folder / "ball.ply", scan, "mm")
            rows = [f"v {x} {y} {z}" for x, y, z in line] + ["l " + " ".join(str(k + 1) for k in range(len(line)))]
            (folder / "line.obj").write_text("\n".join(rows) + "\n")
            ball, cap, rest, report = (str(folder / one) for one in ("ball.ply", "cap.obj", "rest.obj", "r.json"))
            inside = ["--inside", str(folder / "line.obj")]
            self.assertEqual(main(["layout", ball, "--quads", "60", *inside, "--cage", cap]), 0)
            self.assertEqual(main(["layout", ball, "--quads", "120", "--meet", cap, "--cage", rest]), 0)
            whole = weld_near(merged([read_cage(cap, "mm"), read_cage(rest, "mm")]), 1e-4)
            self.assertFalse(whole.quads.borders())
            self.assertEqual(main(["layout", ball, "--quads", "60", "--cage", rest]), 0)
            wanted = ["cage-improve", rest, ball, "--tolerance", "0.02"]
            self.assertEqual(main([*wanted, "--out", cap, "--report", report]), 0)
            told = json.loads(Path(report).read_text())
            self.assertEqual(told["strips"], 1)
            self.assertEqual(read_cage(cap, "mm").count, told["faces"])
            self.assertGreater(told["gain"], 0)
            self.assertEqual(main([*wanted, "--most", "0", "--out", cap]), 1)
            self.assertEqual(main(wanted), 1)


if __name__ == "__main__":
    unittest.main()
