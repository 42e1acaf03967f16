"""The Cage step in the real window: faces laid by clicks, rows, spans, welds, twins, fits, surfaces."""

import numpy as np
from PyQt6.QtCore import QPoint, Qt

from arabesque.cages import Cage
from arabesque.cages.edits import delete_faces, halved, merged, mirror_and_weld, seat, subdivide
from arabesque.cages.files import read_cage
from arabesque.cages.symmetry import is_symmetric
from arabesque.cages.through import box_cage, grid_faces
from arabesque.checking import shape_to_scan
from arabesque.desk.checks import CHECKS
from arabesque.desk.looks import CageLook, ScanLook
from arabesque.desk.steps import Step
from arabesque.desk.tools.cage.cage_surfaces import CageSurfaces
from arabesque.desk.tools.cage.close_opening import CloseOpening
from arabesque.desk.tools.cage.first_cage import FirstCage, Form
from arabesque.desk.tools.cage.fit_cage import DrawnTo, FitCageTool, Which
from arabesque.desk.tools.cage.lay_faces import LayFaces
from arabesque.desk.tools.cage.match_cage import How, MatchCage
from arabesque.desk.tools.cage.overshoot import Overshoot
from arabesque.desk.tools.cage.pull_out import PullOut
from arabesque.desk.tools.cage.rows import Do, Rows
from arabesque.desk.tools.cage.shape_cage import ShapeCage, Take
from arabesque.desk.tools.cage.span_borders import SpanBorders
from arabesque.desk.tools.cage.thicken import Side, Thicken
from arabesque.desk.tools.cage.weld_borders import WeldBorders, What
from arabesque.desk.tools.check.judge import JoinsCheck
from arabesque.desk.view.camera import Camera
from arabesque.geometry import (
    Curve,
    Elementary,
    ElementaryKind,
    Patchwork,
    Plane,
    Surface,
    Twin,
    TwinKind,
    frame_of,
    motion,
)
from arabesque.model import Document, Item
from arabesque.recipes import SurfacesOfCage
from arabesque.solid import FileKind
from tests.cages.nets import bumpy, cube, open_grid
from tests.desk.support import CTRL, SHIFT, WindowTest
from tests.examples import heron, sphere

MIDDLE = Plane.coordinate(1)


class CageTest(WindowTest):
    """What these tests share."""

    def begin(self, *items: Item, look: str = "top") -> None:
        document = Document()
        for item in items:
            document = document.with_item(item)
        self.session.start(document, None, "opened")
        self.idle()
        self.window.hand.go_to(Step.CAGE)
        boxes = [item.shape.box for item in items]
        low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
        self.view.look(Camera(size=self.view.camera.size).fitted(low, high).looking(look))
        self.window.sight.fit_view()
        self.idle()

    def cage_item(self, cage: Cage, name: str = "cage", twin: bool = False) -> Item:
        item = Item(name, name, cage)
        return item

    @property
    def cage(self) -> Cage:
        """The cage as it is in the document."""
        (item,) = self.session.document.of(Cage)
        return item.shape

    def take(self, key: Qt.Key, kind: type) -> object:
        self.key(key)
        tool = self.window.hand.tool
        self.assertIsInstance(tool, kind)
        return tool

    def middle_of(self, cage: Cage, a: int, b: int, share: float = 0.5) -> QPoint:
        """Where a place of an edge is drawn."""
        return self.pixel(cage.points[a] + share * (cage.points[b] - cage.points[a]))

    def flat_cage(self) -> Cage:
        """A sheet of 5 x 4 faces of 10 mm, all in view from above."""
        return open_grid().with_points(open_grid().points * [1, 1, 0])


class LayTest(CageTest):
    def test_faces_on_the_saddle_each_with_the_new_points_only(self) -> None:
        """From an empty document with a scan: four clicks, then two a face; a face on three; undone one by one."""
        self.begin(Item("scan", "heron clay", heron(25_000).scan))
        tool = self.take(Qt.Key.Key_N, LayFaces)
        scan = self.session.scan
        rows = [[scan.pick([x, y, 200.0], [0, 0, -1.0])[0] for y in (14.0, 30.0)] for x in (90.0, 120.0, 150.0, 175.0)]
        # its key once more: one stays in the hand, and its button shows that
        tool = self.take(Qt.Key.Key_N, LayFaces)
        self.assertTrue(self.window.commands[LayFaces.id].isChecked())
        for place in (rows[0][0], rows[0][1], rows[1][1], rows[1][0]):
            self.click(place)
        self.idle()
        self.assertEqual(self.cage.count, 1)
        self.assertEqual(len(tool.corners), 2)
        # the two new points, the nearer one first or last: both make a face that does not cross itself
        self.click(rows[2][1])
        self.click(rows[2][0])
        self.click(rows[3][0])
        self.click(rows[3][1])
        self.idle()
        self.assertEqual((self.cage.count, self.cage.quads.count), (3, 8))
        # the surface passes where was clicked, to a pixel
        places = np.array([place for row in rows for place in row])
        off = np.linalg.norm(self.cage.limit[:, None] - places[None], axis=2).min(axis=0)
        self.assertLess(off.max(), 2 * self.view.camera.mm_per_pixel)
        up = self.cage.normals(np.arange(3), np.full((3, 2), 0.5))
        self.assertTrue((up[:, 2] > 0.5).all())
        # what is begun goes on from another edge that is clicked instead
        points, begun = self.cage.points, set(tool.corners)
        at = [int(np.linalg.norm(self.cage.limit - rows[k][0], axis=1).argmin()) for k in (0, 1)]
        self.click(self.pixel((points[at[0]] + points[at[1]]) / 2))
        self.assertEqual(set(tool.corners), set(at))
        self.assertNotEqual(begun, set(at))
        # from an edge of the border, three corners, the fourth by itself
        self.key(Qt.Key.Key_Escape)
        self.assertEqual(tool.corners, [])
        at = [int(np.linalg.norm(self.cage.limit - rows[0][k], axis=1).argmin()) for k in (0, 1)]
        self.click(self.pixel((points[at[0]] + points[at[1]]) / 2))
        self.assertEqual(len(tool.corners), 2)
        self.click(scan.pick([70.0, 30.0, 200.0], [0, 0, -1.0])[0])
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(self.cage.count, 4)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(self.cage.count, 3)
        for _ in range(3):
            self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(self.session.document.of(Cage), [])

    def test_missed_clicks_are_told_and_backspace_takes_one_back(self) -> None:
        self.begin(Item("scan", "heron clay", heron(25_000).scan))
        tool = self.take(Qt.Key.Key_N, LayFaces)
        self.click(QPoint(5, self.view.height() - 5))
        self.assertIn("no scan here", self.view.overlay.message)
        self.click(heron(25_000).master.corners["flank"][0])
        self.assertEqual(len(tool.corners), 1)
        self.key(Qt.Key.Key_Backspace)
        self.assertEqual(tool.corners, [])

    def test_a_first_cage_round_the_form_fitted_and_delivered(self) -> None:
        """A sphere's scan: a box of 24 faces pushed onto it, fitted, turned into surfaces, written and read back."""
        self.begin(Item("scan", "ball", sphere(50.0)), look="slanted")
        tool = self.take(Qt.Key.Key_B, FirstCage)
        tool.options.form, tool.options.faces = Form.BOX, 2
        tool.options_changed()
        self.assertIn("Faces", [fact.label for fact in tool.facts])
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(self.cage.count, 24)
        fit = self.take(Qt.Key.Key_T, FitCageTool)
        self.session.set_tolerance(0.1)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertIsNotNone(fit.made)
        self.key(Qt.Key.Key_Return)
        self.idle()
        for _ in range(2):
            if not shape_to_scan(self.cage, self.session.scan).figures(0.1).within(0.1):
                fit._make_finer()
                self.key(Qt.Key.Key_Return)
                self.idle()
                self.key(Qt.Key.Key_Return)
                self.idle()
        self.assertTrue(shape_to_scan(self.cage, self.session.scan).figures(0.1).within(0.1))
        self.assertIn("0.0", self.window.fit_strip.back.value.text())
        self.window.hand.take_up(CageSurfaces)
        self.idle()
        made = self.window.hand.tool
        self.assertIn("Worst angle", [fact.label for fact in made.facts])
        self.key(Qt.Key.Key_Return)
        self.idle()
        (work,) = self.session.document.of(Patchwork)
        self.assertIsInstance(work.recipe, SurfacesOfCage)
        (item,) = self.session.document.of(Cage)
        path = self.folder / "q.obj"
        job = self.session.export([(path, [item])], FileKind.CAGE, "mm", 0.05)
        self.until(lambda: path.exists())
        self.idle()
        self.assertIsNotNone(job)
        np.testing.assert_allclose(read_cage(path).points, item.shape.points, rtol=1e-15)
        # and opened again from the file; what is no cage is told with its cure
        self.session.open_cage(path)
        self.idle()
        back = self.session.document.of(Cage)[-1]
        np.testing.assert_array_equal(back.shape.faces, item.shape.faces)
        (self.folder / "bad.obj").write_text("v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 3\n")
        self.session.open_cage(self.folder / "bad.obj")
        self.idle()
        self.assertIn("no quads", self.view.overlay.message)


class ShapeTest(CageTest):
    def test_points_edges_and_faces_by_the_hand(self) -> None:
        cage = self.flat_cage()
        self.begin(Item("cage", "Cage", cage))
        tool = self.take(Qt.Key.Key_M, ShapeCage)
        start = self.pixel(cage.points[12])
        self.drag(start, start + QPoint(0, 14))
        moved = np.flatnonzero((self.cage.points != cage.points).any(axis=1))
        self.assertEqual(moved.tolist(), [12])
        self.key(Qt.Key.Key_Z, CTRL)
        tool.options.take = Take.EDGES
        tool.options_changed()
        at = self.middle_of(cage, 11, 12)
        self.click(at)
        (item,) = self.session.document.of(Cage)
        self.assertEqual(int(self.session.elements.edges(item).sum()), 1)
        # a double click takes the row, with Shift the strip across it
        self.session.elements.clear()
        self.session.points.clear()
        self.click(at)
        self.click(at)
        self.assertEqual(int(self.session.elements.edges(item).sum()), 4)
        self.key(Qt.Key.Key_PageUp)
        self.idle()
        raised = np.flatnonzero(self.cage.points[:, 2] > 0.05)
        self.assertEqual(raised.tolist(), [10, 11, 12, 13, 14])
        tool.options.take = Take.FACES
        tool.options_changed()
        self.idle()
        self.click(self.pixel(self.cage.at(np.array([9]), np.array([[0.5, 0.5]]))[0]))
        (item,) = self.session.document.of(Cage)
        self.assertEqual(np.flatnonzero(self.session.elements.faces(item)).tolist(), [9])
        words = [choice.label for choice in tool.choices]
        self.assertTrue({"Gather", "Swell", "Flatten"} <= set(words))
        before = self.cage
        next(choice for choice in tool.choices if choice.label == "Swell").run()
        self.assertGreater(self.cage.points[before.faces[9], 2].mean(), before.points[before.faces[9], 2].mean())
        before = self.cage
        next(choice for choice in tool.choices if choice.label == "Gather").run()
        self.assertLess(np.ptp(self.cage.points[before.faces[9], 0]), np.ptp(before.points[before.faces[9], 0]))

    def test_what_is_done_to_the_chosen_from_the_menu(self) -> None:
        """Sharp, smooth, corners, delete, collapse, turn, out, divide, relax: by their commands, each undone."""
        cage = subdivide(subdivide(cube()))
        self.begin(Item("cage", "Cage", cage), look="slanted")
        tool = self.take(Qt.Key.Key_M, ShapeCage)
        (item,) = self.session.document.of(Cage)
        commands = self.window.commands

        def choose(edges: list[int] = (), faces: list[int] = (), points: list[int] = ()) -> None:
            (now,) = self.session.document.of(Cage)
            quads = now.shape.quads
            self.session.elements.clear()
            self.session.points.clear()
            if len(edges):
                self.session.elements.put_edges(now, np.isin(np.arange(len(quads.edges)), edges))
            if len(faces):
                self.session.elements.put_faces(now, np.isin(np.arange(len(quads.faces)), faces))
            if len(points):
                self.session.points.put(now, np.isin(np.arange(quads.count), points))

        inner = int(cage.quads.edge_of[np.flatnonzero(~cage.quads.border & (cage.quads.valence[cage.quads.starts] == 4)
                                                      & (cage.quads.valence[cage.quads.ends] == 4))[0]])  # fmt: skip
        for command, chosen, check in (
            ("cage-sharp", {"edges": [inner]}, lambda c: len(c.quads.sharp) == 1),
            ("cage-corner", {"points": [3]}, lambda c: c.quads.corners.tolist() == [3]),
            ("cage-delete", {"faces": [5]}, lambda c: c.count == 95),
            ("cage-collapse", {"faces": [40]}, lambda c: c.count == 95),
            ("cage-collapse", {"edges": [inner]}, lambda c: c.count == 80),
            ("cage-spin", {"edges": [inner]}, lambda c: c.count == 96 and 5 in c.quads.valence),
            ("cage-divide", {"faces": [5]}, lambda c: c.count > 100),
            ("cage-divide", {}, lambda c: c.count == 384),
            ("cage-relax", {}, lambda c: c.count == 96),
        ):
            with self.subTest(command=command, chosen=chosen):
                choose(**chosen)
                self.session.select(item.id)
                self.idle()
                before = self.cage
                commands[command].trigger()
                self.idle()
                self.assertTrue(check(self.cage), self.view.overlay.message)
                self.assertIsNot(self.cage, before)
                self.key(Qt.Key.Key_Z, CTRL)
                self.assertIs(self.cage, before)
        choose()
        commands["cage-sharp"].trigger()
        self.assertIn("No edge is chosen", self.view.overlay.message)
        self.assertIs(self.window.hand.tool, tool)

    def test_cage_and_surface_together_or_alone_by_one_key(self) -> None:
        self.begin(Item("cage", "Cage", cube()), look="slanted")
        self.session.select("cage")
        for look in (CageLook.SURFACE, CageLook.NET, CageLook.BOTH):
            self.key(Qt.Key.Key_Q)
            self.idle()
            self.assertIs(self.session.looks.cages, look)
            drawn = self.view.scene
            self.assertEqual(bool(drawn.triangles), look is not CageLook.NET)

    def test_a_tied_cage_follows_on_the_other_side_to_the_last_bit(self) -> None:
        half = halved(subdivide(subdivide(cube())), MIDDLE, True)
        cage = mirror_and_weld(half, MIDDLE)
        item = Item("cage", "Cage", cage)
        self.begin(item)
        self.session.commit("tied", self.session.document.with_twin("cage", Twin(TwinKind.SPANS)))
        self.session.select("cage")
        self.take(Qt.Key.Key_M, ShapeCage)
        top = int(np.lexsort((-cage.points[:, 2], -cage.points[:, 1]))[0])
        inside = np.flatnonzero((cage.points[:, 1] > 5) & (cage.points[:, 2] > 20))
        start = self.pixel(cage.points[inside[0]])
        self.drag(start, start + QPoint(9, 3))
        self.assertGreaterEqual(int((self.cage.points != cage.points).any(axis=1).sum()), 2)
        self.assertTrue(is_symmetric(self.cage, MIDDLE))
        self.assertGreaterEqual(top, 0)
        # a loop on one side goes through on both
        self.take(Qt.Key.Key_V, Rows)
        a, b = next((int(a), int(b)) for a, b in cage.quads.edges
                    if (cage.points[[a, b], 1] > 8).all() and (cage.points[[a, b], 2] > 30).all())  # fmt: skip
        self.click(self.middle_of(self.cage, a, b))
        self.idle()
        self.assertGreater(self.cage.count, cage.count)
        self.assertTrue(is_symmetric(self.cage, MIDDLE))


class RowsTest(CageTest):
    def test_loops_put_in_slid_and_taken_out_rows_split_and_collapsed(self) -> None:
        cage = self.flat_cage()
        self.begin(Item("cage", "Cage", cage))
        tool = self.take(Qt.Key.Key_V, Rows)
        at = self.middle_of(cage, 10, 15, 0.3)
        self.hover(at)
        self.assertIn("4 faces", [fact.value for fact in tool.facts])
        self.click(at)
        self.idle()
        self.assertEqual(self.cage.count, 24)
        new = np.arange(30, 35)
        self.assertAlmostEqual(float(self.cage.points[new, 0].mean()), 23.0, delta=0.6)
        tool.options.do = Do.SLIDE
        start = self.middle_of(self.cage, 31, 32)
        self.drag(start, start + (self.pixel(np.array([26.0, 20, 0])) - self.pixel(np.array([23.0, 20, 0]))))
        self.idle()
        self.assertGreater(float(self.cage.points[new, 0].mean()), 24.0)
        tool.options.do = Do.REMOVE
        self.click(self.middle_of(self.cage, 31, 32))
        self.idle()
        self.assertEqual(self.cage.count, 20)
        tool.options.do, tool.options.into = Do.SPLIT, 3
        self.click(self.middle_of(self.cage, 0, 1))
        self.idle()
        self.assertEqual(self.cage.count, 30)
        self.key(Qt.Key.Key_Z, CTRL)
        tool.options.do = Do.COLLAPSE
        self.click(self.middle_of(self.cage, 0, 1))
        self.idle()
        self.assertEqual(self.cage.count, 15)

    def test_pulled_out_by_the_edge_and_by_the_chain(self) -> None:
        cage = self.flat_cage()
        self.begin(Item("cage", "Cage", cage), Item("far", "far", Curve.bezier([[-40, -40, 0], [90, 80, 0.0]])))
        self.take(Qt.Key.Key_X, PullOut)
        self.session.select("cage")
        start = self.middle_of(cage, 26, 27)
        self.drag(start, self.pixel(np.array([64.0, 15, 0])))
        self.idle()
        self.assertEqual((self.cage.count, self.cage.quads.count), (21, 32))
        self.assertAlmostEqual(float(self.cage.points[30:, 0].mean()), 64.0, delta=1.0)
        # the new edge is taken: a second drag goes on
        self.drag(self.middle_of(self.cage, 30, 31), self.pixel(np.array([75.0, 15, 0])))
        self.assertEqual(self.cage.count, 22)
        self.key(Qt.Key.Key_Z, CTRL)
        self.key(Qt.Key.Key_Z, CTRL)
        # a double click takes the chain up to its corners
        self.key(Qt.Key.Key_Escape)
        start = self.middle_of(cage, 1, 2)
        self.click(start)
        self.press(start)
        self.drag_to(start, self.pixel(np.array([-12.0, 15, 0])))
        from PyQt6.QtTest import QTest

        QTest.mouseRelease(self.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
                           self.pixel(np.array([-12.0, 15, 0])))  # fmt: skip
        self.idle()
        self.assertEqual(self.cage.count, 24)
        self.assertAlmostEqual(float(self.cage.points[30:, 0].mean()), -12.0, delta=1.5)


class JoinTest(CageTest):
    def two_sheets(self, gap: float = 20.0) -> Cage:
        one = self.flat_cage()
        return merged([one, one.moved(motion(shift=[50.0 + gap, 0, 0]))])

    def test_spanned_between_two_clicks(self) -> None:
        cage = self.two_sheets()
        self.begin(Item("cage", "Cage", cage))
        tool = self.take(Qt.Key.Key_S, SpanBorders)
        self.session.select("cage")
        self.click(self.middle_of(cage, 26, 27))
        self.click(self.middle_of(cage, 31, 32))
        self.assertIsNotNone(tool.made, tool.trouble)
        tool.options.count = 2
        tool.options_changed()
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual((self.cage.count, len(self.cage.quads.borders())), (48, 1))
        # borders of other counts are refused where the hand is
        self.click(self.middle_of(self.cage, 0, 1))
        self.click(self.middle_of(self.cage, 0, 5))
        self.assertIn("share a point", tool.says + tool.trouble) if "share" in tool.trouble else self.assertIn(
            "edges", tool.trouble)  # fmt: skip

    def test_an_opening_closed(self) -> None:
        cage = delete_faces(self.flat_cage(), np.array([9, 10]))
        self.begin(Item("cage", "Cage", cage))
        tool = self.take(Qt.Key.Key_G, CloseOpening)
        inner = next(ring for ring in cage.quads.borders() if len(ring) == 6)
        self.click(self.middle_of(cage, int(cage.quads.starts[inner[0]]), int(cage.quads.ends[inner[0]])))
        self.assertIn(("Edges round it", "6"), [(fact.label, fact.value) for fact in tool.facts])
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual((self.cage.count, len(self.cage.quads.borders())), (20, 1))

    def test_welded_seated_mirrored_and_let_go(self) -> None:
        half = self.flat_cage().moved(motion(shift=[0, 0.6, 0]))
        self.begin(Item("cage", "Cage", half))
        tool = self.take(Qt.Key.Key_Y, WeldBorders)
        self.session.select("cage")
        tool.options.what, tool.options.reach = What.SEAT, 1.0
        tool.options_changed()
        self.key(Qt.Key.Key_Return)
        self.assertEqual(int((self.cage.points[:, 1] == 0).sum()), 6)
        tool.options.what = What.MIRROR
        tool.options_changed()
        self.assertEqual(tool.made.count, 40)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(self.cage.count, 40)
        self.assertTrue(is_symmetric(self.cage, MIDDLE))
        self.assertIn(("Symmetric", "to the last bit"), [(fact.label, fact.value) for fact in tool.facts])
        next(choice for choice in tool.choices if choice.label == "Let the twin go").run()
        self.assertIsNone(self.session.document["cage"].ties.twin)
        next(choice for choice in tool.choices if choice.label == "Tie across the plane").run()
        self.assertIsNotNone(self.session.document["cage"].ties.twin)

    def test_near_borders_and_clicked_points_welded(self) -> None:
        cage = self.two_sheets(0.3)
        self.begin(Item("cage", "Cage", cage))
        tool = self.take(Qt.Key.Key_Y, WeldBorders)
        self.session.select("cage")
        tool.options.what, tool.options.reach = What.NEAR, 0.5
        tool.options_changed()
        self.key(Qt.Key.Key_Return)
        self.assertEqual(self.cage.quads.count, 55)
        self.key(Qt.Key.Key_Z, CTRL)
        tool.options.reach = 0.1
        tool.options_changed()
        self.assertIn("larger reach", tool.says)

    def test_a_border_matched_to_an_edge_and_to_a_curve(self) -> None:
        x, y = np.meshgrid([56.0, 75, 95], [0.0, 20, 40], indexing="ij")
        patch = Surface.bezier(np.stack([x, y, 0.02 * y], -1))
        self.begin(Item("cage", "Cage", self.flat_cage()), Item("patch", "Patch", patch))
        tool = self.take(Qt.Key.Key_J, MatchCage)
        self.session.select("cage")
        cage = self.cage
        self.click(self.middle_of(cage, 26, 27))
        self.click(patch.at([[0.0, 0.4]])[0])
        self.assertIsNotNone(tool.made, tool.trouble)
        gap = next(fact for fact in tool.facts if fact.label == "Gap left")
        self.assertEqual(gap.state, "good")
        angle = next(fact for fact in tool.facts if fact.label == "Angle left")
        self.assertEqual(angle.state, "good")
        self.key(Qt.Key.Key_Return)
        self.idle()
        np.testing.assert_allclose(self.cage.points[25:30, 0], 56.0, atol=1e-3)
        self.assertIs(tool.options.how, How.TANGENT)

    def test_a_border_matched_in_curvature_bends(self) -> None:
        x, y = np.meshgrid([56.0, 75, 95], [0.0, 20, 40], indexing="ij")
        patch = Surface.bezier(np.stack([x, y, 0.01 * (x - 40) ** 2], -1))
        self.begin(Item("cage", "Cage", self.flat_cage()), Item("patch", "Patch", patch))
        tool = self.take(Qt.Key.Key_J, MatchCage)
        self.session.select("cage")
        tool.options.how = How.CURVATURE
        tool.options_changed()
        cage = self.cage
        self.click(self.middle_of(cage, 26, 27))
        self.click(patch.at([[0.0, 0.4]])[0])
        self.assertIsNotNone(tool.made, tool.trouble)
        facts = {fact.label: fact.state for fact in tool.facts}
        self.assertEqual([facts[f"{what} left"] for what in ("Gap", "Angle", "Curvature")], ["good"] * 3)
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual(len(self.cage.quads.bent), 4)
        # made plain, and bent again, by the command; the line of the border stays
        line = self.cage.limit[25:30]
        for count in (0, 4):
            (item,) = self.session.document.of(Cage)
            self.session.points.put(item, np.isin(np.arange(item.shape.quads.count), [26, 27]))
            self.window.commands["cage-bend"].trigger()
            self.idle()
            self.assertEqual(len(self.cage.quads.bent), count, self.view.overlay.message)
            np.testing.assert_allclose(self.cage.limit[25:30], line, atol=1e-9)
        for _ in range(3):
            self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(len(self.cage.quads.bent), 0)


class FormTest(CageTest):
    def test_thickness_in_and_out_and_where_it_is_too_much(self) -> None:
        self.begin(Item("cage", "Cage", self.flat_cage()))
        tool = self.take(Qt.Key.Key_K, Thicken)
        tool.options.by, tool.options.side = 3.0, Side.OUT
        tool.options_changed()
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertEqual((self.cage.count, self.cage.quads.on_border.any()), (2 * 20 + 18, False))
        np.testing.assert_allclose(np.ptp(self.cage.points[:, 2]), 3.0, atol=1e-9)
        self.begin(Item("cage", "Cage", bumpy()), look="slanted")
        tool = self.take(Qt.Key.Key_K, Thicken)
        tool.options.by, tool.options.side = 60.0, Side.IN
        tool.options_changed()
        self.assertIn("more tightly", tool.says)
        self.assertFalse(tool.can_apply)

    def test_pushed_past_a_true_shape(self) -> None:
        floor = Elementary.make(ElementaryKind.PLANE, frame_of([25, 20, -0.5], [0, 0, 1]), (), ((-60, 60), (-60, 60)))
        bowl = open_grid(5, 4)
        self.begin(Item("cage", "Cage", bowl), Item("floor", "Floor", floor), look="slanted")
        self.session.select("cage")
        self.window.hand.take_up(Overshoot)
        tool = self.window.hand.tool
        tool.options.within, tool.options.by = 2.0, 1.5
        tool._forms = ["floor"]
        tool.refresh()
        self.assertIsNotNone(tool.made, tool.trouble)
        self.key(Qt.Key.Key_Return)
        self.idle()
        near = np.abs(bowl.limit[:, 2] + 0.5) <= 2.0
        np.testing.assert_allclose(self.cage.limit[near, 2], -2.0, atol=1e-6)

    def test_fitted_by_hand_to_lines_and_chosen_points(self) -> None:
        scan = heron(25_000).scan
        x, y = np.meshgrid(np.linspace(80, 200, 7), np.linspace(8, 30, 4), indexing="ij")
        points = np.array([scan.pick([a, b, 200], [0, 0, -1.0])[0] for a, b in zip(x.ravel(), y.ravel(), strict=True)])
        self.begin(Item("scan", "clay", scan), Item("cage", "Cage", Cage.of(points, grid_faces(6, 3))))
        tool = self.take(Qt.Key.Key_T, FitCageTool)
        tool.options.by_hand, tool.options.balance, tool.options.drawn = True, 0.3, DrawnTo.LINES
        before = self.cage
        mask = np.zeros(28, dtype=bool)
        mask[[9, 10, 13, 14]] = True
        self.session.points.put(self.session.document["cage"], mask)
        tool.options.which = Which.CHOSEN
        self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertIn("Balance", [fact.label for fact in tool.facts])
        self.key(Qt.Key.Key_Return)
        self.idle()
        np.testing.assert_array_equal(self.cage.points[~mask], before.points[~mask])
        self.assertTrue((self.cage.points[mask] != before.points[mask]).any())
        # every glance lies over a cage
        self.window.sight.show_scans(ScanLook.HIDDEN)
        for check in CHECKS:
            self.window.sight.toggle(check.id)
            self.idle()
            self.window.sight.toggle(check.id)
        self.assertIs(self.window.hand.tool, tool)

    def test_joins_at_irregular_points_are_listed(self) -> None:
        """A cage is several patches: each join is named by the cage that it belongs to, the worst first."""
        self.begin(Item("far", "Far", open_grid().moved(motion(shift=[200, 0, 0]))), Item("cage", "Cage", cube()))
        self.session.select("cage")
        self.window.hand.take_up(JoinsCheck)
        tool = self.window.hand.tool
        self.idle()
        self.assertEqual(len(tool.choices), 12)
        self.assertTrue(all(choice.label.startswith("Cage – Cage: G") for choice in tool.choices))
        self.assertIn("G", self.window.fit_strip.joins.value.text())

    def test_rare_starts(self) -> None:
        """Tools without a cage say what to do; with several, a click takes another one."""
        self.begin(Item("scan", "ball", sphere(50.0)))
        for action in ("shape-cage", "pull-out", "cage-rows", "span-borders", "fit-cage", "thicken-cage"):
            self.assertFalse(self.window.commands[action].isEnabled(), action)
        self.assertTrue(self.window.commands["lay-faces"].isEnabled())
        two = seat(self.flat_cage(), MIDDLE, 0.5)
        box = box_cage(np.array([80.0, 0, 0]), np.array([110.0, 30, 20]))
        self.begin(Item("cage", "Cage", two), Item("box", "Box", box))
        self.take(Qt.Key.Key_V, Rows)
        self.assertEqual(self.session.selection.id, "cage")
        self.click(self.pixel(box.at(np.array([1]), np.array([[0.5, 0.5]]))[0]))
        self.assertEqual(self.session.selection.id, "box")
        self.click(self.pixel(two.at(np.array([1]), np.array([[0.5, 0.5]]))[0]), SHIFT)
        self.assertEqual(self.session.selection.id, "cage")
        self.session.select("box", add=True)
        self.window.commands["cage-together"].trigger()
        self.assertEqual(self.cage.count, two.count + box.count)
