"""Trace from Python and from the shell: every method, drawings as DXF and SVG, networks from files."""

import contextlib
import io
import json
import tempfile
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

import ezdxf
import numpy as np

from arabesque.cli import main
from arabesque.curve_files import read_polylines
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.geometry import (
    Curve,
    Element,
    Elementary,
    ElementaryKind,
    ElementKind,
    Patchwork,
    Relation,
    RelationKind,
    Surface,
    arc_length,
    curve_feet,
    frame_of,
)
from arabesque.scan import write_scan
from arabesque.script import Project
from tests.examples import heron, sheet
from tests.tracing.test_network import height, star


def obj_of(path: Path, curves: list[Curve], scale: float = 1.0) -> None:
    """Curves as polylines of an OBJ."""
    rows, lines, count = ["# traced"], [], 0
    for curve in curves:
        places = curve.at(np.linspace(*curve.domain, 60)) / scale
        rows += [f"v {x:.9f} {y:.9f} {z:.9f}" for x, y, z in places]
        lines.append("l " + " ".join(str(count + k + 1) for k in range(len(places))))
        count += len(places)
    path.write_text("\n".join(rows + lines) + "\n")


class TraceScriptTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.project = Project()
        self.addCleanup(self.project.close)

    def open_form(self) -> None:
        write_scan(self.folder / "form.ply", sheet(height, (110, 110)))
        self.project.open_scan(self.folder / "form.ply")
        self.project.tolerance = 0.1

    def test_a_network_from_a_file_in_inches_to_step(self) -> None:
        """./start network: polylines and scan in inches, ten patches, in STEP the same ten; the report in inches."""
        scan = sheet(height, (110, 110))
        write_scan(self.folder / "form.ply", scan, "inch")
        obj_of(self.folder / "net.obj", star(scan, 5), 25.4)
        out, report = self.folder / "net.step", self.folder / "net.json"
        arguments = ["network", "net.obj", "form.ply", "--unit", "inch", "--tolerance", "0.004", "--continuity", "G1"]
        printed, complaint = io.StringIO(), io.StringIO()
        with contextlib.chdir(self.folder), contextlib.redirect_stdout(printed), contextlib.redirect_stderr(complaint):
            code = main([*arguments, "--out", str(out), "--report", str(report)])
        self.assertEqual((code, complaint.getvalue()), (0, ""))
        record = json.loads(report.read_text())
        self.assertEqual((record["patches"], sorted(record["meshes"])), (10, [4, 4, 4, 4, 4, 5]))
        self.assertTrue(record["within"], record["verdict"])
        self.assertLess(record["angle"], 0.01)
        self.assertLess(record["off_curves"], 0.004)
        self.assertIn("10 patches", printed.getvalue())
        faces = self.project.open(out)
        self.assertEqual(len(faces), 10)
        joins = self.project.joins(faces)
        self.assertLess(max(join.gap.max() for join in joins), 1e-6)

        # STEP and IGES curves come in as well as polylines
        self.project.export(self.folder / "some.step", [self.project.curve_through([[0, 0, 0], [9, 3, 0], [20, 0, 0]])])
        (wire,) = self.project.open_curves(self.folder / "some.step")
        self.assertEqual(wire.shape.count, 3)

    def test_bad_files_of_curves(self) -> None:
        cases = {
            "none.obj": ("v 0 0 0\nv 1 0 0\n", "holds no curves"),
            "index.obj": ("v 0 0 0\nl 1 7\n", "lack points"),
            "words.obj": ("v 0 0 0\nv one 0 0\nl 1 2\n", "line 2"),
            "nan.obj": ("v 0 0 0\nv nan 0 0\nl 1 2\n", "lack points"),
            "flat.obj": ("v 0 0\nv 1 0\nl 1 2\n", "lack points"),
            "other.txt": ("hello", "no file of curves"),
        }
        self.open_form()
        before = self.project.document
        for name, (text, words) in cases.items():
            (self.folder / name).write_text(text)
            with self.assertRaisesRegex(FileProblem, words):
                self.project.open_curves(self.folder / name)
        self.assertIs(self.project.document, before)
        (self.folder / "ring.obj").write_text("v 0 0 0\nv 9 0 0\nv 9 9 0\nv 0 9 0\nl 1 2 3 4 1\nl -4 -3\n")
        found = read_polylines(self.folder / "ring.obj", 2.0)
        self.assertEqual([(len(places), closed) for places, closed in found], [(4, True), (2, False)])
        np.testing.assert_allclose(found[1][0], [[0, 0, 0], [18, 0, 0]])

    def test_curves_and_what_stands_on_them(self) -> None:
        project = self.project
        self.open_form()
        curves = [project._added("curve", "Curve", curve) for curve in star(project.scan, 5)]
        net = project.network(curves, "G1")
        self.assertIsInstance(net.shape, Patchwork)
        fit = project.network_of(net)
        self.assertTrue(fit.within)
        self.assertEqual(project.undo(), "10 patches over 15 curves")
        with self.assertRaisesRegex(ArabesqueError, "no continuity"):
            project.network(curves, "G9")
        with self.assertRaisesRegex(ArabesqueError, "was not fitted here"):
            project.network_of(curves[0])

        parts, nearly = project.split_everywhere(
            [project.curve_through([[0, 0, 0], [40, 0, 0]]), project.curve_through([[20, -20, 0], [20, 20, 0]])], 0.01
        )
        self.assertEqual((len(parts), nearly), (4, ()))
        low, high = (project.curve_through([[x, 0, z], [x, 15, z + 4], [x, 30, z]]) for x, z in ((0, 0), (30, 2)))
        swept = project.sweep([low, high], [project.curve_through([[0, 0, 0], [15, 0, 3], [30, 0, 2]])])
        self.assertIsInstance(swept.shape, Surface)
        out = project.draw_out(low, 6.0, 2.0, direction=(0, 0, 1))
        self.assertAlmostEqual(float(np.linalg.norm(out.shape.points[0, 1] - out.shape.points[0, 0])), 8.0)
        blend = project.blend((low, (0, 30, 0)), (high, (30, 30, 2)), order=3)
        self.assertEqual(blend.shape.degree, 7)
        down = project.project_curve(
            project.curve_through([[-20, 5, 60], [0, 10, 60], [20, 5, 60]]), direction=(0, 0, 1)
        )
        self.assertLess(project.scan.closest(down.shape.at(np.linspace(*down.shape.domain, 20))).distance.max(), 0.06)
        beside = project.set_off(down, -5.0)
        away = curve_feet(down.shape, beside.shape.at(np.linspace(*beside.shape.domain, 20))[5:-5]).distance
        np.testing.assert_allclose(away, 5.0, atol=0.2)
        wall = project._added("wall", "Wall", Elementary.make(
            ElementaryKind.PLANE, frame_of([12, 0, 0], [1, 0, 0]), (), ((-80, 80), (-80, 80))))  # fmt: skip
        cut = project.cut_by(wall, (14, 0, 15), offset=2.0)
        np.testing.assert_allclose(cut.shape.at(np.linspace(*cut.shape.domain, 9))[:, 0], 14, atol=0.1)
        # all of them are derived: the curve above is turned round, and what was projected follows
        project.turn_round(project.item(down.recipe.of))
        self.assertIsNot(project.item(down.id).shape, down.shape)
        self.assertEqual(project.item(beside.id).trouble, "")

    def test_sketches_turned_and_pushed(self) -> None:
        project = self.project
        lines = [Element(ElementKind.LINE, (0, 1)), Element(ElementKind.ARC, (3, 1, 2))]
        rules = [Relation(RelationKind.VERTICAL, (0,)), Relation(RelationKind.LENGTH, (0,), 12.0)]
        sketch = project.sketch(
            (0, 0, 0), (0, 1, 0), [[8, 0], [8.4, 11], [5, 14], [5, 11]], lines, rules, towards=(1, 0, 0)
        )
        form = project.revolve([sketch], (0, 0, 0), (0, 0, 1))
        kinds = [part.kind.value for part in form.shape.surfaces]
        self.assertEqual(kinds, ["cylinder", "torus"])
        wall = project.extrude([project.curve_through([[0, 0, 0], [10, 0, 0]])], (0, 0, 1), 0.0, 5.0)
        self.assertEqual(wall.shape.kind, ElementaryKind.PLANE)
        with self.assertRaisesRegex(ArabesqueError, "contradictory"):
            project.sketch(
                (0, 0, 0), (0, 0, 1), [[0, 0], [9, 1]], lines[:1], [*rules, Relation(RelationKind.LENGTH, (0,), 5.0)]
            )
        a = np.linspace(0, np.pi, 80)
        arc = np.column_stack([6 * np.cos(a), 0 * a, 6 * np.sin(a)])
        made, traced = project.sketch_of_section(arc, (0, 0, 0), (0, 1, 0), 0.01)
        self.assertEqual([e.kind for e in made.shape.elements], [ElementKind.ARC])
        self.assertAlmostEqual(made.shape.radius(0), 6.0, places=3)
        self.assertLess(traced.worst, 0.01)
        # written and read again with everything in it
        project.save(self.folder / "p.arabesque")
        with Project() as other:
            other.open(self.folder / "p.arabesque")
            back = other.item(sketch.name).shape
            self.assertEqual((back.elements, back.relations), (sketch.shape.elements, sketch.shape.relations))
            self.assertEqual([part.kind.value for part in other.item(form.name).shape.surfaces], kinds)

    def test_flat_curves_as_dxf_and_svg(self) -> None:
        """A half circle and a line in the plane x = 3, in inches: what ezdxf reads back are exact splines."""
        project = self.project
        a = np.linspace(0, np.pi, 3)
        sketch = project.sketch(
            (3, 0, 0), (1, 0, 0), [[0, 0], [25.4, 0], [-25.4, 0]],
            [Element(ElementKind.ARC, (0, 1, 2)), Element(ElementKind.LINE, (2, 1))],
        )  # fmt: skip
        project.export(self.folder / "d.dxf", [sketch], unit="inch")
        document = ezdxf.readfile(self.folder / "d.dxf")
        self.assertEqual(document.header["$INSUNITS"], 1)
        spline, line = document.modelspace()
        self.assertEqual((spline.dxftype(), line.dxftype()), ("SPLINE", "LINE"))
        places = np.array([tuple(p) for p in spline.construction_tool().points(np.linspace(0, 1, 9))])
        np.testing.assert_allclose(np.hypot(places[:, 0], places[:, 1]), 1.0, atol=1e-9)
        self.assertAlmostEqual(line.dxf.start.distance(line.dxf.end), 2.0)
        self.assertEqual(len(a), 3)
        project.export(self.folder / "d.svg", [sketch])
        root = ET.parse(self.folder / "d.svg").getroot()
        self.assertTrue(root.tag.endswith("svg"))
        self.assertTrue([one for one in root.iter() if one.tag.endswith("path")])
        bent = project.curve_through([[0, 0, 0], [5, 5, 5], [10, 0, 9], [12, 3, 0]])
        for name in ("e.dxf", "e.svg"):
            with self.assertRaisesRegex(FileProblem, "a drawing is flat"):
                project.export(self.folder / name, [bent])
            self.assertFalse((self.folder / name).exists())
        with self.assertRaises(FileProblem):
            project.export(self.folder / "no" / "d.dxf", [sketch])

    def test_curves_are_changed(self) -> None:
        """Every edit of the window's tools on curves, against closed forms."""
        project = self.project
        line = project.curve_through([[0, 0, 0], [10, 0, 0], [20, 0, 0]])
        self.assertAlmostEqual(arc_length(project.lengthen(line, True, 5.0).shape), 25.0, places=9)
        self.assertAlmostEqual(arc_length(project.lengthen(line, False, -4.0).shape), 21.0, places=6)
        wall = project.curve_through([[30, -9, 0], [30, 9, 0]])
        reached = project.reach(line, True, wall)
        np.testing.assert_allclose(reached.shape.at([reached.shape.domain[1]])[0], [30, 0, 0], atol=1e-6)
        first, rest = project.split(line, (12, 1, 0))
        np.testing.assert_allclose(first.shape.points[-1], [12, 0, 0], atol=1e-9)
        self.assertAlmostEqual(arc_length(first.shape) + arc_length(rest.shape), 26.0, places=6)
        whole = project.join(first, rest, order=2)
        self.assertAlmostEqual(arc_length(whole.shape), 26.0, places=6)
        self.assertNotIn(rest.id, project.document)
        with self.assertRaisesRegex(ArabesqueError, "mm apart"):
            project.join(whole, project.curve_through([[40, 0, 0], [50, 0, 0]]))
        up, moved = project.change_degree(whole, True)
        self.assertEqual((up.shape.degree, moved), (whole.shape.degree + 1, 0.0))
        down, moved = project.change_degree(whole, False)
        self.assertEqual(down.shape.degree, whole.shape.degree)
        self.assertLess(moved, 1e-9)
        # bent away, then met again with one tangent
        bent = project.curve_through([[30.5, 3, 0], [35, 6, 2], [44, 4, 1]])
        met = project.match(bent, False, (whole, (30, 0, 0)), 1).shape
        np.testing.assert_allclose(met.points[0], [30, 0, 0], atol=1e-6)
        np.testing.assert_allclose(np.cross(met.points[1] - met.points[0], [1, 0, 0]), 0, atol=1e-6)
        arch = project.curve_through([[0, -8, 0], [1, -3, 4], [0, 1, 5], [2, 8, 1]])
        even = project.make_symmetric(arch, from_end=True).shape
        np.testing.assert_allclose(even.points, even.points[::-1] * [1, -1, 1], atol=1e-12)
        with self.assertRaisesRegex(ArabesqueError, "is no curve"):
            project.turn_round(project._added("plane", "Plane", Elementary.make(
                ElementaryKind.PLANE, frame_of([0, 0, 0], [0, 0, 1]), (), ((-1, 1), (-1, 1)))))  # fmt: skip

    def test_lines_of_patches_areas_and_marks(self) -> None:
        project = self.project
        self.open_form()
        net = project.network([project._added("curve", "Curve", curve) for curve in star(project.scan, 4)], "G0")
        patches = project.take_apart(net)
        self.assertEqual(len(patches), len(net.shape.surfaces))
        self.assertNotIn(net.id, project.document)
        surface = patches[0].shape
        along = project.parameter_line(patches[0], "u", 0.25).shape
        t = np.linspace(0, 1, 9)
        ends = [low + (high - low) * part for (low, high), part in zip(surface.domain, (t, 0.25), strict=True)]
        wanted = surface.at(np.column_stack([ends[0], np.full(9, ends[1])]))
        np.testing.assert_allclose(along.at(along.domain[0] + np.ptp(along.domain) * t), wanted, atol=1e-9)
        with self.assertRaisesRegex(ArabesqueError, "no parameter"):
            project.parameter_line(patches[0], "w", 0.5)
        mask = project.scan.points[project.scan.triangles].mean(axis=1)
        (border,) = project.marked_border(np.hypot(mask[:, 0], mask[:, 1]) < 20)
        places = border.shape.at(np.linspace(*border.shape.domain, 50))
        np.testing.assert_allclose(np.hypot(places[:, 0], places[:, 1]), 20.0, atol=1.5)
        regions = project.regions()
        area = project.area_border(regions, (0, 0, 0), (60, 0, 0))
        self.assertEqual(area.trouble, "")
        self.assertIsNotNone(area.recipe)

    def test_sections_alike_with_a_guide(self) -> None:
        """To a tolerance and alike: one number of poles for all, each still within it."""
        project = self.project
        write_scan(self.folder / "heron.ply", heron(25_000).scan)
        project.open_scan(self.folder / "heron.ply")
        made = project.sections("x", count=6, poles=None, side=(0, 1, 0), between=(60, 180), alike=True)
        self.assertEqual(len({item.shape.count for item in made}), 1)
        self.assertTrue(all(project.traced_of(item).within(0.2 * 1.5) for item in made))
        lofted = project.loft(made, square=(0.5, 0.5))
        self.assertEqual(lofted.recipe.square_first, 0.5)


if __name__ == "__main__":
    unittest.main()
