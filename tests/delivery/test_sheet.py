"""Sheets: what stands on them in mm, and what independent readers find in their files."""

import re
from datetime import date
from xml.etree import ElementTree

import ezdxf
import numpy as np
import pypdf
import pypdfium2

from arabesque.delivery import Drawn, Pen, Plan, Projection, make_sheet, write_sheet
from arabesque.delivery.sheet import SCALES
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.geometry import Curve, Plane, motion, uniform_knots
from arabesque.model import Document, Item, Project, edits, load_project, save_project
from arabesque.solid import combine, hole
from tests.examples import box_body
from tests.solid.support import KernelTest

DAY = date(2026, 3, 4)


class SheetTest(KernelTest):
    def setUp(self) -> None:
        super().setUp()
        self.document = Document().with_item(Item("a", "Box", box_body()))

    def draw(self, plan: Plan, document: Document | None = None) -> Drawn:
        document = document or self.document
        return make_sheet(document, list(document), plan, self.worker, DAY)

    def words(self, sheet: Drawn) -> list[str]:
        return [words.text for words in sheet.words]

    def lines(self, sheet: Drawn, pen: Pen) -> np.ndarray:
        return np.concatenate([stroke.points for stroke in sheet.strokes if stroke.pen is pen])

    def test_views_lie_as_the_standard_says(self) -> None:
        """A box of 30 x 20 x 10 mm at 1:1 on A4: its outlines in the three views, in line with each other; first angle
        has the plan below, third angle above (ISO 5456-2)."""
        for projection, below in ((Projection.FIRST, True), (Projection.THIRD, False)):
            sheet = self.draw(Plan("A4", 1.0, projection, smooth=False))
            outline = [stroke.points for stroke in sheet.strokes if stroke.pen is Pen.OUTLINE]
            boxes = [(line.min(axis=0), line.max(axis=0)) for line in outline]
            sizes = {tuple(np.round(high - low, 2)) for low, high in boxes}
            wide = [low for low, high in boxes if np.allclose(high - low, [30, 10], atol=0.05)]
            flat = [low for low, high in boxes if np.allclose(high - low, [30, 20], atol=0.05)]
            self.assertTrue(wide and flat, sizes)
            self.assertAlmostEqual(float(wide[0][0]), float(flat[0][0]), places=2)
            self.assertEqual(bool(flat[0][1] < wide[0][1]), below)
            self.assertLess({"30.0", "20.0", "10.0"}, set(self.words(sheet)))

    def test_scale_and_paper(self) -> None:
        """The largest usual scale that fits (ISO 5455), and what does not fit is said."""
        for paper in ("A4", "A3", "A1"):
            sheet = self.draw(Plan(paper))
            self.assertIn(sheet.scale, SCALES)
            ends = self.lines(sheet, Pen.OUTLINE)
            self.assertTrue((ends > 10).all() and (ends < np.array(sheet.size) - 10).all())
        with self.assertRaisesRegex(ArabesqueError, "does not fit on A4 at 50:1"):
            self.draw(Plan("A4", 50.0))
        with self.assertRaisesRegex(ArabesqueError, "no surface"):
            self.draw(Plan(), Document())

    def test_hidden_lines_are_those_behind(self) -> None:
        """A bore through the box is hidden from the side: two lines, 6 mm apart, as long as the box is high."""
        drilled = combine("cut", box_body(), [hole(motion(shift=[15, 10, 0]), 6.0, -1.0, 12.0)], self.worker)
        sheet = self.draw(Plan("A4", 1.0), Document().with_item(Item("a", "Box", drilled)))
        hidden = [stroke.points for stroke in sheet.strokes if stroke.pen is Pen.HIDDEN]
        upright = sorted(
            {round(float(line[0, 0]), 2) for line in hidden if np.ptp(line[:, 0]) < 1e-3 and np.ptp(line[:, 1]) > 9.9}
        )
        gaps = np.diff(upright)
        self.assertTrue(np.isclose(gaps, 6.0, atol=0.02).any(), upright)

    def test_sections_are_filled_and_measured(self) -> None:
        sheet = self.draw(Plan("A3", sections=(Plane([0, 1, 0], 10.0), Plane([0, 0, 1], 5.0))))
        words = " ".join(self.words(sheet))
        self.assertIn("A–A   300 mm²", words)
        self.assertIn("B–B   600 mm²", words)
        self.assertTrue(any(stroke.pen is Pen.HATCH for stroke in sheet.strokes))
        self.assertEqual(self.words(sheet).count("A"), 2, "its letter at both ends of the line")

    def test_notes_distances_and_chosen_lines(self) -> None:
        document = self.document
        for words in ("Open by a tenth", "Soften this edge"):
            document = edits.remarks.noted(document, (30, 20, 10), words).document
        document = edits.remarks.ticked(document, 1).document
        document = edits.remarks.measured(document, (0, 0, 10), (30, 20, 10)).document
        line = Curve(1, uniform_knots(1, 1), np.array([[0.0, 0, 10], [30, 20, 10]]))
        document = document.with_item(Item("c", "Line", line))
        sheet = self.draw(Plan("A3", title="Box", part="lid"), document)
        words = self.words(sheet)
        for wanted in (
            "Notes",
            "Open by a tenth",
            "Box",
            "lid",
            "2026-03-04",
            f"{np.hypot(30, 20):.1f}",
            "±0.2 mm to the scan",
        ):
            self.assertIn(wanted, words)
        self.assertEqual(words[words.index("Notes open") + 1], "1")
        chosen = [stroke.points for stroke in sheet.strokes if stroke.pen is Pen.CHOSEN]
        lengths = [float(np.linalg.norm(points[-1] - points[0])) / sheet.scale for points in chosen]
        self.assertTrue(np.isclose(lengths, np.hypot(30, 20), atol=0.01).any(), "in full in the plan")
        path = self.folder / "p.arabesque"
        save_project(path, Project(document))
        again = load_project(path).document
        self.assertEqual((again.notes, again.measures), (document.notes, document.measures))

    def test_files(self) -> None:
        sheet = self.draw(Plan("A3", title="Größe", sections=(Plane([0, 1, 0], 10.0),)))
        for kind in ("pdf", "svg", "dxf"):
            write_sheet(self.folder / f"s.{kind}", sheet)
        page = pypdf.PdfReader(self.folder / "s.pdf").pages[0]
        self.assertAlmostEqual(float(page.mediabox.width) / 72 * 25.4, 420, places=1)
        self.assertIn("Größe", page.extract_text())
        image = np.asarray(pypdfium2.PdfDocument(self.folder / "s.pdf")[0].render(scale=1).to_pil().convert("L"))
        self.assertGreater((image < 128).sum(), 3000)
        root = ElementTree.parse(self.folder / "s.svg").getroot()
        self.assertEqual(root.get("width"), "420mm")
        drawn = root.findall(".//{http://www.w3.org/2000/svg}polyline")
        self.assertEqual(len(drawn), len(sheet.strokes))
        document = ezdxf.readfile(self.folder / "s.dxf")
        self.assertFalse(document.audit().errors)
        self.assertEqual(document.units, 4)
        layers = {entity.dxf.layer for entity in document.modelspace()}
        self.assertLess({"Outline", "Hatch", "Section", "Words", "Dimension"}, layers)
        self.assertEqual(len(document.modelspace()), len(sheet.strokes) + len(sheet.words))
        self.assertTrue(re.search("Größe", " ".join(e.dxf.text for e in document.modelspace().query("TEXT"))))
        with self.assertRaisesRegex(FileProblem, "no kind of sheet"):
            write_sheet(self.folder / "s.doc", sheet)
