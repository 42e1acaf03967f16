"""What leaves the house, from the window."""

import itertools
import json
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
import pypdf
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from arabesque.checking import Figures
from arabesque.delivery import palette, read_gcode
from arabesque.desk import theme
from arabesque.desk.looks import ScanLook
from arabesque.desk.scenery import RANGE_IN_TOLERANCES
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.mill_check import CheckMill, Looked
from arabesque.desk.tools.deliver.picture import Finish, TakePicture
from arabesque.desk.tools.deliver.picture import Kind as PictureKind
from arabesque.desk.tools.deliver.picture import Size as PictureSize
from arabesque.desk.tools.deliver.print_check import CheckPrint, Mapped
from arabesque.desk.tools.deliver.record import RecordJob
from arabesque.desk.tools.deliver.remarks import What, WriteRemarks
from arabesque.desk.tools.deliver.report import WriteReport
from arabesque.desk.tools.deliver.sheet import Form, MakeSheet
from arabesque.desk.view.overlay import BANDS
from arabesque.desk.view.scene import MISSING, Triangles
from tests.desk.support import CTRL, WindowTest
from tests.examples import box_body


class Delivering(WindowTest):
    def begin(self) -> None:
        """A box of 30 x 20 x 10 mm, and the last work step."""
        self.session.add("made", "Box", box_body())
        self.window.hand.go_to(Step.DELIVER)
        self.window.sight.fit_view()

    def facts(self) -> dict[str, str]:
        return {fact.label: fact.value for fact in self.window.hand.tool.facts}

    def looked(self, kind: type) -> object:
        self.idle()
        tool = self.window.hand.tool
        assert isinstance(tool, kind)
        return tool


class ReportTest(Delivering):
    def test_the_report_says_what_the_strip_says(self) -> None:
        """To the last digit; a milestone stands beside, and the JSON is inside."""
        self.patched()
        self.session.set_milestone("first")
        self.idle()
        strip = self.window.fit_strip
        shown = [cell.value.text() for cell in (strip.inside, strip.worst, strip.rms, strip.back)]
        self.window.hand.go_to(Step.DELIVER)
        self.key(Qt.Key.Key_T)
        tool = self.window.hand.tool
        assert isinstance(tool, WriteReport)
        (compare,) = [choice for choice in tool.choices if "first" in choice.label]
        compare.run()
        self.assertEqual(self.facts()["Compared with"], "first")
        path = self.folder / "fit.pdf"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertIn("written", self.view.overlay.message)
        reader = pypdf.PdfReader(str(path))
        figures = json.loads(reader.attachments["figures.json"][0])
        there, back = Figures(**figures["surface_to_scan"]), figures["scan_to_surface"]
        words = there.words()
        self.assertEqual([words["inside"], words["worst"], words["rms"], f"{back['inlier_p99']:.3f}"], shown)
        self.assertEqual(figures["before"]["name"], "first")
        text = "".join(page.extract_text() for page in reader.pages)
        self.assertIn(words["inside"], text)


class SheetTest(Delivering):
    def test_notes_distances_and_the_sheet(self) -> None:
        """Two clicks measure, one puts a note down; the sheet lies on the paper beside the view, and is written."""
        self.begin()
        self.key(Qt.Key.Key_N)
        tool = self.window.hand.tool
        assert isinstance(tool, WriteRemarks)
        self.idle()
        tool.options.words = "Soften this edge"
        self.click([25.0, 15.0, 10.0])
        (note,) = self.session.document.notes
        self.assertEqual(note.words, "Soften this edge")
        np.testing.assert_allclose(note.place, [25, 15, 10], atol=0.2)
        tool.options.what = What.DISTANCE
        tool.options_changed()
        self.click([5.0, 5.0, 10.0])
        self.click([25.0, 5.0, 10.0])
        (measure,) = self.session.document.measures
        self.assertAlmostEqual(measure.length, 20.0, delta=0.3)
        tool.choices[0].run()
        self.assertTrue(self.session.document.notes[0].done)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertFalse(self.session.document.notes[0].done)
        self.window.hand.go_to(Step.DELIVER)
        self.key(Qt.Key.Key_S)
        sheet = self.looked(MakeSheet)
        assert isinstance(sheet, MakeSheet)
        self.assertTrue(self.window.paper.isVisible())
        self.assertEqual(self.facts()["Notes"], "1, 1 open")
        sheet.options.sections = "y 10; sideways"
        sheet.options_changed()
        self.assertIn("sideways", self.facts()["No sheet"])
        sheet.options.sections = "y 10"
        sheet.options_changed()
        self.idle()
        path = self.folder / "box.svg"
        sheet.options.form = Form.SVG
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.key(Qt.Key.Key_Return)
        self.idle()
        text = path.read_text()
        for words in ("Soften this edge", "A–A   300 mm²", ">30.0<"):
            self.assertIn(words, text)


class PictureTest(Delivering):
    def shot(self, name: str, **options: object) -> np.ndarray:
        """Take a picture with Enter; (height, width, 4) of the last frame, 0 to 255."""
        tool = self.window.hand.take_up(TakePicture)
        assert isinstance(tool, TakePicture)
        tool.options.size, tool.options.width, tool.options.height = PictureSize.OWN, 300, 200
        for key, value in options.items():
            setattr(tool.options, key, value)
        tool.options_changed()
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(self.folder / name), "")):
            self.key(Qt.Key.Key_Return)
        self.until(lambda: not self.window.pictures.busy)
        self.assertIn("written", self.view.overlay.message)
        found = sorted(self.folder.glob(f"{name.split('.')[0]}*"))
        return np.asarray(Image.open(found[-1]).convert("RGBA")).astype(int)

    def test_size_ground_and_tiles(self) -> None:
        """As large as asked; clear round the form, which is not; the same in one piece and in many."""
        self.begin()
        self.idle()
        clear = self.shot("clear.png", clear=True)
        self.assertEqual(clear.shape, (200, 300, 4))
        self.assertEqual(clear[2, 2, 3], 0)
        self.assertEqual(clear[100, 150, 3], 255)
        solid = self.shot("solid.png")
        self.assertTrue((solid[:, :, 3] == 255).all())
        with mock.patch("arabesque.desk.pictures.TILE", 64):
            pieces = self.shot("pieces.png")
        self.assertLess(np.abs(pieces - solid).mean(), 0.5)
        self.assertLess((np.abs(pieces - solid).max(axis=2) > 40).mean(), 0.002)

    def test_legend_and_turntable(self) -> None:
        self.patched()
        self.key(Qt.Key.Key_1)
        self.idle()
        with_it, without = self.shot("with.png", legend=True), self.shot("without.png", legend=False)
        self.assertGreater((np.abs(with_it - without).max(axis=2) > 30).mean(), 0.01)
        self.shot("turn.webp", kind=PictureKind.WEBP, frames=5, legend=False)
        with Image.open(self.folder / "turn.webp") as turning:
            self.assertEqual(turning.n_frames, 5)
        self.shot("frame.png", kind=PictureKind.FRAMES, frames=3)
        frames = [np.asarray(Image.open(self.folder / f"frame-{k:03d}.png")) for k in (1, 2, 3)]
        self.assertFalse(np.array_equal(frames[0], frames[1]))

    def test_materials(self) -> None:
        """Each looks otherwise, by its own colour; afterwards the view is as it was."""
        self.patched()
        self.session.look(replace(self.session.looks, scans=ScanLook.HIDDEN))
        self.key(Qt.Key.Key_1)
        self.idle()
        before = self.session.looks
        plain = self.shot("plain.png", clear=True, legend=False)
        shots = [
            self.shot(f"{finish.name}.png", clear=True, legend=False, finish=finish) for finish in list(Finish)[1:]
        ]
        inside = plain[:, :, 3] == 255
        for one, other in itertools.combinations([plain, *shots], 2):
            self.assertGreater(np.abs(one - other).max(axis=2)[inside].mean(), 12)
        clay, painted, metal, stone = (shot[:, :, :3][inside] for shot in shots)
        self.assertGreater((clay[:, 0] - clay[:, 2]).min(), 20)
        self.assertGreater(np.median(painted[:, 2] - painted[:, 0]), 20)
        self.assertLess(np.abs(metal - metal.mean(axis=1, keepdims=True)).max(), 12)
        self.assertGreater(stone.std(axis=0).mean(), 1.5 * clay.std(axis=0).mean())
        self.assertIsNot(self.session.looks, before)
        self.key(Qt.Key.Key_Escape)
        self.assertIs(self.session.looks, before)

    def test_leaving_ends_it_and_a_bad_place_is_said(self) -> None:
        self.begin()
        tool = self.window.hand.take_up(TakePicture)
        tool.write(self.folder / "none" / "p.png")
        self.until(lambda: not self.window.pictures.busy)
        self.assertIn("none", self.view.overlay.message)
        tool.options.size = PictureSize.EIGHT
        tool.write(self.folder / "large.png")
        self.assertTrue(self.window.pictures.busy)
        self.key(Qt.Key.Key_Escape)
        self.assertFalse(self.window.pictures.busy)
        self.assertFalse((self.folder / "large.png").exists())


class JobTest(Delivering):
    def test_the_steps_as_a_script(self) -> None:
        self.patched()
        self.window.hand.go_to(Step.DELIVER)
        self.key(Qt.Key.Key_J)
        tool = self.window.hand.tool
        assert isinstance(tool, RecordJob)
        self.assertIn("Lines of work", self.facts())
        path = self.folder / "job.py"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertIn("def job(scan, out)", path.read_text())
        self.assertIn("written", self.view.overlay.message)


class MakingTest(Delivering):
    def test_printing(self) -> None:
        """A box hangs over nowhere; on its edge its underside does, and a click lays it flat again."""
        self.begin()
        self.key(Qt.Key.Key_Y)
        tool = self.looked(CheckPrint)
        assert isinstance(tool, CheckPrint)
        volume = float(np.prod(np.ptp(np.array(self.session.chosen(object).shape.box), axis=0)))
        self.assertEqual(self.facts()["Closed"], "yes")
        self.assertEqual(self.facts()["Hangs over"], "nowhere")
        self.assertEqual(self.facts()["Mass, full"], f"{volume / 1000 * 1.24:.1f} g")
        tool.options.x, tool.options.overhang = 0.8, 30.0
        tool.options_changed()
        self.idle()
        self.assertNotEqual(self.facts()["Hangs over"], "nowhere")
        (map_,) = [part for part in tool.parts(self.view.camera) if isinstance(part, Triangles)]
        self.assertGreater(float(np.max(map_.values)), 0.0)
        self.assertEqual(tool.short_of, (60.0, "°"))
        (flat, *_) = [choice for choice in tool.choices if "nothing hangs over" in choice.label]
        flat.run()
        self.idle()
        self.assertEqual(self.facts()["Hangs over"], "nowhere")
        tool.options.mapped, tool.options.wall = Mapped.WALL, 12.0
        tool.options_changed()
        self.idle()
        self.assertNotEqual(self.facts()["Too thin"], "nowhere")
        self.assertEqual(self.session.history.position, 1, "nothing is changed by a look")

    def test_milling(self) -> None:
        """From above nothing is missed, for it stands on its underside; aslant, the far side is. The path is written,
        and read back from the file."""
        self.begin()
        self.key(Qt.Key.Key_M)
        tool = self.looked(CheckMill)
        assert isinstance(tool, CheckMill)
        self.assertEqual(self.facts()["Not reached"], "nothing")
        tool.options.x = 1.0
        tool.options_changed()
        self.idle()
        self.assertIn("mm²", self.facts()["Not reached"])
        (map_,) = [part for part in tool.parts(self.view.camera) if isinstance(part, Triangles)]
        self.assertTrue((map_.values == MISSING).any())
        tool.options.x = 0.0
        tool.options_changed()
        self.idle()
        path = self.folder / "box.nc"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.key(Qt.Key.Key_Return)
        self.idle()
        self.assertIn("read back", self.view.overlay.message)
        self.assertGreater(read_gcode(path).length, 100.0)
        tool.options.looked = Looked.BLOCK
        tool.options_changed()
        self.idle()
        self.assertIn("Block over the form", self.facts())
        self.assertEqual(len([part for part in tool.parts(self.view.camera) if isinstance(part, Triangles)]), 1)

    def test_the_steps_letters_are_in_its_column(self) -> None:
        self.begin()
        for key, kind in ((Qt.Key.Key_Y, CheckPrint), (Qt.Key.Key_M, CheckMill)):
            QTest.keyClick(self.view, key)
            self.assertIsInstance(self.window.hand.tool, kind)


class PaperTest(unittest.TestCase):
    def test_paper_has_the_colours_of_the_view(self) -> None:
        light = theme.LIGHT
        self.assertEqual((palette.INK, palette.FAINT, palette.ACCENT), (light.ink, light.faint, light.accent))
        self.assertEqual((palette.PORCELAIN, palette.UNMEASURED), (light.porcelain, light.unmeasured))
        self.assertEqual(palette.ABOVE, (light.above_near, light.above_far))
        self.assertEqual(palette.BELOW, (light.below_near, light.below_far))
        self.assertEqual((palette.BANDS, palette.RANGE), (BANDS, RANGE_IN_TOLERANCES))
