"""The fit report: its figures against closed forms, and what independent readers find in its files."""

import hashlib
import io
import json
import re
import tempfile
import unittest
from datetime import date
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pypdf
import pypdfium2

from arabesque.checking import figures_of, shape_to_scan
from arabesque.delivery import as_html, as_json, as_pdf, fit_report, write_report
from arabesque.delivery.palette import distance_colours, legend, rgb
from arabesque.delivery.picture import Coloured, picture
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.geometry import VIEWS, Surface
from arabesque.scan import write_scan
from arabesque.script import Project
from tests.examples import plane

DAY = date(2026, 3, 4)


def flat(height: float, low: float = 10.0, high: float = 90.0) -> Surface:
    """A square patch of the plane z = height."""
    corners = np.array([[[low, low], [low, high]], [[high, low], [high, high]]])
    return Surface.bezier(np.concatenate([corners, np.full((2, 2, 1), height)], axis=-1))


class ReportTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.file = self.folder / "sheet <1>.ply"
        write_scan(self.file, plane(100.0, 40))
        self.project = Project()
        self.addCleanup(self.project.close)
        self.project.open_scan(self.file, unit="mm")
        self.project.tolerance = 0.2
        self.near = self.project.add("near & dear", flat(0.1))
        self.far = self.project.add("far", flat(0.3, 10.0, 50.0))

    def test_figures_are_those_of_the_checks(self) -> None:
        """Planes 0.1 and 0.3 mm over a flat scan, 6400 and 1600 mm²: inside 0.8 by area, rms² 0.8·0.01 + 0.2·0.09"""
        report = fit_report(self.project.document, "Sheet", today=DAY)
        there = report.whole.surface_to_scan
        self.assertAlmostEqual(there.inside, 0.8, places=6)
        self.assertAlmostEqual(there.rms, np.sqrt(0.8 * 0.01 + 0.2 * 0.09), places=9)
        self.assertAlmostEqual(there.max, 0.3, places=9)
        own = figures_of([shape_to_scan(item.shape, self.project.scan) for item in (self.near, self.far)], 0.2)
        self.assertEqual(there, own)
        self.assertEqual([item.name for item in report.items], ["near & dear", "far"])
        self.assertIn("within", report.items[0].verdict)
        self.assertIn("outside", report.items[1].verdict)
        self.assertAlmostEqual(sum(report.histogram), 1.0)
        self.assertEqual(report.weight, 8)

    def test_where_it_came_from(self) -> None:
        """The checksum is that of the file, through what the scan was made into."""
        report = fit_report(self.project.document, "Sheet", today=DAY)
        (what, file), *_ = report.files
        self.assertEqual((what, file.name), ("Scan", "sheet <1>.ply"))
        self.assertEqual(file.checksum, hashlib.sha256(self.file.read_bytes()).hexdigest())

    def test_pdf_is_read_by_others(self) -> None:
        report = fit_report(
            self.project.document, "Sheet", views=[("Top", VIEWS["top"])], notes=["first look"], today=DAY,
            before=("as it came", self.project.document),
        )  # fmt: skip
        pdf = as_pdf(report)
        reader = pypdf.PdfReader(io.BytesIO(pdf))
        text = "\n".join(page.extract_text() for page in reader.pages)
        there = report.whole.surface_to_scan.words()
        told = ["Sheet", "2026-03-04", "near & dear", "sheet <1>.ply", there["inside"], there["rms"], "first look"]
        for words in [*told, "Compared with “as it came”", "No scan below"]:
            self.assertIn(words, text)
        inside = json.loads(reader.attachments["figures.json"][0])
        self.assertEqual(inside, json.loads(as_json(report)))
        image = np.asarray(pypdfium2.PdfDocument(pdf)[0].render(scale=1).to_pil().convert("RGB")).astype(int)
        # the far patch stands out in the first colour above the tolerance
        warm = np.abs(image - rgb("#E8A33D")).sum(axis=2) < 90
        self.assertGreater(warm.sum(), 1000)

    def test_html_stands_alone(self) -> None:
        report = fit_report(self.project.document, "Sheet </script><b>", today=DAY)
        page = as_html(report)
        self.assertFalse("<b>" in page.split("<script")[0])
        self.assertFalse(re.findall(r"(?:src|href)=\"(?!data:)", page))
        found: list[str] = []

        class Reader(HTMLParser):
            inside = False

            def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
                self.inside = ("id", "figures") in attrs

            def handle_data(self, data: str) -> None:
                if self.inside:
                    found.append(data)
                    self.inside = False

        Reader().feed(page)
        self.assertEqual(json.loads(found[0]), json.loads(as_json(report)))

    def test_files_and_faults(self) -> None:
        report = fit_report(self.project.document, "Sheet", [self.project.item("far")], today=DAY)
        self.assertEqual(len(report.items), 1)
        write_report(self.folder / "r.json", report)
        self.assertEqual(json.loads((self.folder / "r.json").read_text())["tolerance"], 0.2)
        with self.assertRaisesRegex(FileProblem, "no kind of report"):
            write_report(self.folder / "r.doc", report)
        with Project() as empty, self.assertRaisesRegex(ArabesqueError, "no scan"):
            fit_report(empty.document, "x")

    def test_from_a_script(self) -> None:
        """The project file among the files once it is saved; notes ticked; a milestone that is none is said."""
        self.project.save(self.folder / "sheet.arabesque")
        made = self.project.report(self.folder / "fit.json", notes=["again"])
        self.assertIn(("Project", "sheet.arabesque"), [(what, file.name) for what, file in made.files])
        with self.assertRaisesRegex(ArabesqueError, "no milestone 'first'"):
            self.project.report(self.folder / "fit.json", before="first")
        self.project.note((20, 20, 0), "Soften this")
        self.project.tick(1)
        self.assertTrue(self.project.document.notes[0].done)
        with self.assertRaisesRegex(ArabesqueError, "no note 2"):
            self.project.tick(2)
        self.assertIn("def job(scan, out)", self.project.record(self.folder / "job.py").text)


class PictureTest(unittest.TestCase):
    def test_what_is_nearer_hides_what_is_behind(self) -> None:
        from PIL import Image

        def square(z: float, half: float, colour: list[float]) -> Coloured:
            points = np.array([[-half, -half, z], [half, -half, z], [half, half, z], [-half, half, z]])
            up = np.tile([0.0, 0, 1], (4, 1))
            return Coloured(points, up, np.array([[0, 1, 2], [0, 2, 3]]), np.array([colour, colour]))

        png = picture([square(1.0, 1.0, [250, 0, 0]), square(0.0, 2.0, [0, 0, 250])], VIEWS["top"], (100, 100))
        image = np.asarray(Image.open(io.BytesIO(png)))
        height, width, _ = image.shape
        self.assertEqual((width, height), (100, 100))
        self.assertGreater(image[50, 50, 0], 150)
        self.assertGreater(image[15, 15, 2], 150)
        self.assertEqual(image[0, 0, 3], 0)

    def test_colours_say_inside_outside_and_nothing(self) -> None:
        values, valid = np.array([0.1, 0.25, -0.25, 9.0]), np.array([True, True, True, False])
        found = distance_colours(values, valid, 0.2)
        rows = legend(0.2)
        self.assertEqual(len(rows), 10)
        words = {tuple(rgb(colour)): text for colour, text in rows}
        self.assertEqual(
            [words[tuple(np.round(colour))] for colour in found],
            ["within ±0.2 mm", "over +0.2 mm", "under −0.2 mm", "no scan below"],
        )
