"""What leaves the house, from the window."""

import json
from unittest import mock

import numpy as np
import pypdf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from arabesque.checking import Figures
from arabesque.delivery import read_gcode
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.mill_check import CheckMill, Looked
from arabesque.desk.tools.deliver.print_check import CheckPrint, Mapped
from arabesque.desk.tools.deliver.report import WriteReport
from arabesque.desk.view.scene import MISSING, Triangles
from tests.desk.support import WindowTest
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
        """From above, the underside is not reached; the path is written, and read back from the file."""
        self.begin()
        self.key(Qt.Key.Key_M)
        tool = self.looked(CheckMill)
        assert isinstance(tool, CheckMill)
        self.assertIn("mm²", self.facts()["Not reached"])
        (map_,) = [part for part in tool.parts(self.view.camera) if isinstance(part, Triangles)]
        self.assertTrue((map_.values == MISSING).any())
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
