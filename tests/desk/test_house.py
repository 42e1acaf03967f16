"""The window as a house to work in: findable, arrangeable, safe."""

import gc
import random
import resource
import sys
import threading
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QLineEdit, QMessageBox, QToolButton

from arabesque import guide
from arabesque.desk import theme
from arabesque.desk.app import outlive_faults
from arabesque.desk.checks import CHECKS
from arabesque.desk.panels.finder import matching
from arabesque.desk.panels.help import HelpPage
from arabesque.desk.settings import Colours, Mouse, Settings, TextSize, Wheel
from arabesque.desk.steps import Step
from arabesque.desk.tools.check.judge_lines import CombsCheck
from arabesque.desk.tools.deliver.export import Export
from arabesque.desk.tools.deliver.report import WriteReport
from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.tools.pick import Pick
from arabesque.desk.tools.preferences import Preferences
from arabesque.desk.tools.prepare.find_symmetry import FindSymmetry
from arabesque.desk.tools.timeline import Timeline
from arabesque.desk.window import Window
from arabesque.geometry import Face, Surface
from arabesque.model import (
    Document,
    Item,
    Journal,
    Project,
    Work,
    edits,
    leftovers,
    load_project,
    recover,
    save_project,
)
from arabesque.progress import Progress
from arabesque.scan import Scan, read_scan, write_scan
from arabesque.solid import FileKind
from tests.desk.support import CTRL, SHIFT, WindowTest
from tests.examples import heron, plane, random_surface


class FinderTest(WindowTest):
    def test_every_command_is_found_by_its_name(self) -> None:
        commands = self.window.commands.all()
        for command in commands:
            self.assertIn(command, matching(commands, command.label.lower().rstrip("…"))[:4], command.label)
            self.assertTrue(command.hint)
            self.assertTrue(command.menu or command.id == "edit-points", command.id)

    def test_type_and_enter_runs(self) -> None:
        self.open_heron()
        self.key(Qt.Key.Key_Space, CTRL)
        self.assertTrue(self.window.finder.hasFocus())
        QTest.keyClicks(self.window.finder, "scan curv")
        self.assertTrue(self.window.finder.list.isVisible())
        QTest.keyClick(self.window.finder, Qt.Key.Key_Return)
        self.assertIn("curvature", self.session.looks.on)
        self.assertFalse(self.window.finder.list.isVisible())
        self.assertTrue(self.view.hasFocus())

    def test_what_is_found_is_seen_whole(self) -> None:
        self.key(Qt.Key.Key_Space, CTRL)
        QTest.keyClicks(self.window.finder, "calm")
        QTest.qWait(30)
        found = self.window.finder.list
        self.assertGreater(found.count(), 2)
        self.assertEqual(found.verticalScrollBar().maximum(), 0)

    def test_shortcuts_do_not_clash(self) -> None:
        """In each work step: a letter may mean another thing in another one."""
        commands = [c for c in self.window.commands.all() if c.shortcut]
        for step in Step:
            keys = [c.shortcut for c in commands if c.step in (None, step) or step in c.also]
            self.assertEqual(len(keys), len(set(keys)), step)
            self.assertFalse(set(keys) & {"R", "C", "F", *(check.key for check in CHECKS)})

    def test_the_guide_opens_where_one_is(self) -> None:
        """At the step, at the tool, at the window's page for what belongs to no step; its links lead on."""
        self.open_heron()
        self.window.hand.go_to(Step.CAGE)
        for take_up, heading in (
            (lambda: None, "Cage"),
            (lambda: self.window.hand.take_up(FourCornerPatch), "Patch from four corners"),
            (lambda: self.window.hand.take_up(Preferences), "The window"),
        ):
            take_up()
            self.key(Qt.Key.Key_F1)
            page = self.window.findChildren(HelpPage)[-1]
            QTest.qWaitForWindowExposed(page)
            self.assertTrue(page.pages.toPlainText().startswith(heading), page.pages.toPlainText()[:80])
            QTest.mouseClick(page.contents, Qt.MouseButton.LeftButton)
            self.assertIn("An hour with the heron", page.pages.toPlainText())
            QTest.keyClicks(page.field, "coverage")
            QTest.keyClick(page.field, Qt.Key.Key_Return)
            self.assertIn("Words", page.pages.toPlainText())
            for _ in range(2):
                QTest.mouseClick(page.back, Qt.MouseButton.LeftButton)
            self.assertTrue(page.pages.toPlainText().startswith(heading))
            QTest.keyClick(page, Qt.Key.Key_Escape)
            QTest.qWait(20)
        self.assertEqual(self.window.findChildren(HelpPage), [])

    def test_every_command_is_in_the_guide(self) -> None:
        text = "\n".join(guide.text(name) for name in guide.names())
        for command in self.window.commands.all():
            self.assertIn(command.label.replace("*", ""), text)


class SettingsTest(WindowTest):
    fresh = True

    def test_colours_and_text_change_at_once_and_are_kept(self) -> None:
        self.key(Qt.Key.Key_Comma, CTRL)
        tool = self.window.hand.tool
        assert isinstance(tool, Preferences)
        tool.options.colours, tool.options.text_size = Colours.DARK, TextSize.LARGE
        tool.options_changed()
        self.assertIs(theme.now(), theme.DARK)
        self.assertEqual(self.app.font().pointSizeF(), 12)
        QTest.qWait(30)
        panel = self.window.grab().toImage().pixelColor(20, 500)
        self.assertLess(panel.lightness(), 80)
        again = Settings(self.folder / "settings.ini")
        self.assertEqual((again.choice(Colours), again.text_size), (Colours.DARK, TextSize.LARGE))
        tool.options.colours, tool.options.text_size = Colours.LIGHT, TextSize.USUAL
        tool.options_changed()
        self.assertIs(theme.now(), theme.LIGHT)

    def test_mouse_presets(self) -> None:
        self.open_heron()
        start = QPoint(460, 340)
        for mouse, button in (
            (Mouse.THREE_BUTTONS, Qt.MouseButton.MiddleButton),
            (Mouse.TWO_BUTTONS, Qt.MouseButton.RightButton),
            (Mouse.LEFT_HAND, Qt.MouseButton.LeftButton),
        ):
            self.settings.choose(mouse)
            self.window._dress()
            before = self.view.camera
            self.drag(start, start + QPoint(30, 10), button=button)
            self.assertFalse(np.allclose(before.axes, self.view.camera.axes), mouse)
            before = self.view.camera
            self.drag(start, start + QPoint(30, 10), SHIFT, button)
            np.testing.assert_allclose(before.axes, self.view.camera.axes)
            self.assertFalse(np.allclose(before.target, self.view.camera.target), mouse)

    def wheel(self, up: int) -> None:
        at = QPointF(460, 340)
        none = Qt.KeyboardModifier.NoModifier
        event = QWheelEvent(
            at, self.view.mapToGlobal(at), QPoint(), QPoint(0, up), Qt.MouseButton.NoButton, none,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(self.view, event)

    def test_the_wheel_goes_the_way_one_likes(self) -> None:
        self.open_heron()
        for wheel, nearer in ((Wheel.FORWARD_IN, True), (Wheel.FORWARD_OUT, False)):
            self.settings.choose(wheel)
            self.window._dress()
            before = self.view.camera.distance
            self.wheel(120)
            self.assertEqual(self.view.camera.distance < before, nearer)
        self.settings.choose(Mouse.TRACKPAD)
        self.window._dress()
        before = self.view.camera
        self.wheel(40)
        self.assertFalse(np.allclose(before.axes, self.view.camera.axes))


class HistoryTest(WindowTest):
    def test_every_state_can_be_gone_to_and_named(self) -> None:
        self.patched()
        self.key(Qt.Key.Key_U)
        self.key(Qt.Key.Key_V)
        self.key(Qt.Key.Key_H, CTRL)
        tool = self.window.hand.tool
        assert isinstance(tool, Timeline)
        self.assertEqual([c.label for c in tool.choices][-1], "opened")
        name = next(w for w in self.window.inspector.findChildren(QLineEdit) if w.accessibleName() == "Name")
        name.setFocus()
        name.selectAll()
        QTest.keyClicks(name, "Before the rim")
        QTest.mouseClick(self.window.inspector.apply_button, Qt.MouseButton.LeftButton)
        self.assertEqual([m.name for m in self.session.history.milestones], ["Before the rim"])
        rows = self.window.inspector.choices
        item = rows.item(3)
        QTest.mouseClick(rows.viewport(), Qt.MouseButton.LeftButton, pos=rows.visualItemRect(item).center())
        self.until(lambda: self.session.history.position == 1)
        self.session.edit(edits.items.deleted, self.session.document.surfaces()[0])
        tool.choices[0].run()
        self.assertEqual(len(self.session.document.surfaces()), 1)
        self.assertEqual(self.session.history.steps[-1].label, "back to Before the rim")

    def test_milestones_are_saved(self) -> None:
        self.open_heron()
        self.session.set_milestone("Clean scan")
        path = self.folder / "a.arabesque"
        self.session.save(path)
        self.idle()
        self.assertFalse(self.session.unsaved)
        self.session.open_project(path)
        self.until(lambda: self.session.history.steps[0].label.endswith("opened") and self.session.jobs.idle)
        self.assertEqual([m.name for m in self.session.history.milestones], ["Clean scan"])


class SafetyTest(WindowTest):
    fresh = True

    def test_work_of_a_killed_window_is_offered_and_taken_up(self) -> None:
        journal = Journal(self.folder / "journal", lambda problem: None)
        document = Document().with_item(Item("s", "clay", plane()))
        journal.begin("scan opened", document, None)
        moved = document.with_item(Item("p", "Patch", random_surface((2, 2), (1, 1))))
        journal.commit("patch of 9 points", document, moved)
        journal.flush()
        journal.close(keep=True)
        self.window._offer()
        page = self.window.start_page
        self.assertTrue(page.isVisible())
        self.assertIn("Go on with it", page.buttons)
        QTest.mouseClick(page.buttons["Go on with it"], Qt.MouseButton.LeftButton)
        self.until(lambda: "p" in self.session.document)
        self.assertFalse(page.isVisible())
        self.assertEqual(leftovers(self.folder / "journal"), [])
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertNotIn("p", self.session.document)
        self.assertTrue(self.session.unsaved)

    def test_the_title_says_when_the_work_was_last_safe(self) -> None:
        self.open_heron()
        self.session.set_tolerance(0.3)
        journal = self.session.work.journal
        assert journal is not None and journal.flush()
        self.window._show_safety()
        self.assertIn("safe on disk", self.window._safety.text())
        history = [step.label for step in self.session.history.steps]
        self.assertEqual(history, ["opened", "tolerance 0.3 mm"])

    def test_a_fault_in_a_slot_does_not_end_the_program(self) -> None:
        """It is logged and told, what was done stays, and the window goes on."""
        self.session.set_tolerance(0.31)
        self.addCleanup(setattr, sys, "excepthook", sys.excepthook)
        outlive_faults(self.window)

        def fault() -> None:
            raise RuntimeError("no such thing")

        with self.assertLogs("arabesque.desk.app", "CRITICAL") as logged:
            QTimer.singleShot(0, fault)
            self.until(lambda: "no such thing" in self.view.overlay.message)
        self.assertIn("test_house.py", logged.output[0])
        self.assertTrue(self.view.overlay.is_problem)
        self.assertEqual(self.session.document.tolerance, 0.31)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(self.session.document.tolerance, 0.2)

    def test_a_damaged_project_gives_back_what_it_can(self) -> None:
        path = self.folder / "a.arabesque"
        document = Document()
        for n in range(3):
            document = document.with_item(Item(str(n), f"Patch {n}", random_surface((3, 3), (9, 9), seed=n)))
        save_project(path, Project(document))
        whole = path.read_bytes()
        path.write_bytes(whole[: int(len(whole) * 0.6)])
        self.window.files.open_path(path)
        self.until(lambda: len(list(self.session.document)) > 0)
        self.assertLess(len(list(self.session.document)), 3)
        self.until(lambda: "damaged" in self.view.overlay.message)
        self.assertIn("Patch 2", self.view.overlay.message)
        self.assertIsNone(self.session.work.path)

    def test_recent_files_are_on_the_first_page(self) -> None:
        path = self.folder / "saddle.arabesque"
        save_project(path, Project(Document().with_item(Item("s", "clay", plane()))))
        self.window.files.open_path(path)
        self.until(lambda: self.session.work.path == path)
        self.window._recent.aboutToShow.emit()
        self.assertEqual([a.text() for a in self.window._recent.actions()], ["saddle.arabesque"])
        other = Window(self.settings, None)
        self.addCleanup(other.close)
        self.assertIn("saddle.arabesque", other.start_page.buttons)

    def test_three_cards_lead_into_the_demo(self) -> None:
        """Each opens it where the next step is in the hand; with recent files they give way to these."""
        page = self.window.start_page
        page.fill([], [], [])
        for card, kind in (("Scan", FindSymmetry), ("Shape", FourCornerPatch), ("Deliver", WriteReport)):
            page.fill([], [], [])
            (button,) = [button for text, button in page.buttons.items() if text.startswith(f"{card}\n")]
            button.click()
            self.until(lambda kind=kind: isinstance(self.window.hand.tool, kind), 120)
            self.idle()
            self.assertTrue(self.session.document.of(Scan))
            self.session.work.give_up()
            self.session.start(Document(), None, "Start")
            self.window.hand.take_up(Pick)
        page.fill([], [Path("a.arabesque")], [])
        self.assertFalse([text for text in page.buttons if "\n" in text])

    def test_a_soak_of_random_edits_keeps_memory_and_truth(self) -> None:
        """2,000 random edits, undos, redos and saves: documents come back bit for bit, memory stays."""
        self.session.start(Document().with_item(Item("p", "Patch", random_surface((3, 3), (2, 2)))), None, "start")
        rng = random.Random(0)
        states = [self.session.document["p"].shape.points]
        position = 0
        held: list[int] = []

        def memory() -> int:
            """Bytes that the process holds now; its greatest ever says nothing after other tests."""
            return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()

        for number in range(2000):
            what = rng.random()
            if what < 0.5 or position == 0:
                surface = self.session.document["p"].shape
                assert isinstance(surface, Surface)
                points = surface.points.copy()
                points[rng.randrange(5), rng.randrange(5)] += rng.uniform(-1, 1)
                self.session.commit(str(number), self.session.document.with_shape("p", surface.with_points(points)))
                position += 1
                states[position:] = [self.session.document["p"].shape.points]
            elif what < 0.75:
                self.session.undo()
                position -= 1
            elif what < 0.995:
                self.session.redo()
                position = min(position + 1, len(states) - 1)
            else:
                self.session.save(self.folder / "soak.arabesque")
            self.assertIs(self.session.document["p"].shape.points, states[position])
            if number % 20 == 0:
                QTest.qWait(1)
            if number % 100 == 99:
                self.idle()
                gc.collect()
                held.append(memory())
        # what the allocator holds back goes up and down by 20 MB over any few hundred edits: only the least of several
        # readings tells what is kept; 1,500 edits of 25 points are 1 MB
        self.assertLess(min(held[-6:]) - min(held[:6]), 15e6)


class FilesTest(WindowTest):
    fresh = True

    def test_a_dot_in_a_name_is_part_of_the_name(self) -> None:
        """ "saddle 1.5" must not be written over "saddle 1"; an existing file of the real name is asked about."""
        other = self.folder / "saddle 1.arabesque"
        save_project(other, Project(Document().with_item(Item("s", "other", plane(steps=3)))))
        before = other.read_bytes()
        self.open_heron()
        typed = self.folder / "saddle 1.5"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(typed), "")):
            self.window.files.save_as()
            self.idle()
        saved = self.folder / "saddle 1.5.arabesque"
        self.assertEqual(self.session.work.path, saved)
        self.assertEqual(other.read_bytes(), before)
        whole = saved.read_bytes()
        self.session.set_tolerance(0.3)
        no = mock.patch.object(QMessageBox, "question", return_value=QMessageBox.StandardButton.No)
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(typed), "")), no as asked:
            self.assertIsNone(self.window.files.save_as())
        self.assertIn("saddle 1.5.arabesque", asked.call_args[0][2])
        self.assertEqual(saved.read_bytes(), whole)

    def test_dialogs_begin_where_the_last_file_lay(self) -> None:
        inner = self.folder / "scans"
        inner.mkdir()
        write_scan(inner / "a.stl", plane(steps=3))
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(inner / "a.stl"), "")):
            self.window.files.choose_scan()
        self.idle()
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=("", "")) as asked:
            self.window.files.open_project()
            self.window.files.choose_model()
        self.assertEqual({call[0][2] for call in asked.call_args_list}, {str(inner)})
        # and the next window begins there too
        self.assertEqual(Settings(self.folder / "settings.ini").folder, str(inner))

    def test_saving_leaves_the_view_and_the_tool_alone(self) -> None:
        self.open_heron()
        self.key(Qt.Key.Key_N)
        tool, camera = self.window.hand.tool, self.view.camera
        self.session.save(self.folder / "a.arabesque")
        self.idle()
        self.assertIs(self.window.hand.tool, tool)
        self.assertIs(self.view.camera, camera)

    def test_a_journal_that_cannot_write_is_in_the_title(self) -> None:
        self.open_heron()
        journal = self.session.work.journal
        assert journal is not None
        self.assertTrue(journal.flush())
        with (
            mock.patch.object(journal, "_put_array", side_effect=RuntimeError("unforeseen")),
            self.assertLogs("arabesque.model.journal", "ERROR"),
        ):
            self.session.add("patch", "Patch", random_surface((2, 2), (1, 1)))
            self.until(lambda: "NOT safe" in self.window._safety.text(), 20)
            # the journal's own thread tells it
            self.until(lambda: "cannot be written" in self.view.overlay.message and self.view.overlay.is_problem, 20)
        self.session.set_tolerance(0.3)
        self.until(lambda: "safe on disk" in self.window._safety.text() and journal.problem is None, 20)
        # the line that said otherwise does not stay
        self.until(lambda: "cannot be written" not in self.view.overlay.message, 20)

    def test_the_window_starts_whatever_lies_among_its_journals(self) -> None:
        """A journal without its fields, a folder where a file should be: named on the first page."""
        root = self.folder / "journal"
        (root / "odd-1").mkdir(parents=True)
        (root / "odd-1" / "steps.jsonl").write_bytes(b'{"event": "begin"}\n')
        (root / "odd-2" / "steps.jsonl").mkdir(parents=True)
        with self.assertLogs("arabesque.model.journal", "WARNING"):
            self.window._offer()
        texts = " ".join(label.text() for label in self.window.start_page.findChildren(QLabel))
        self.assertIn("odd-1", texts)
        self.assertIn("odd-2", texts)

    def test_what_another_window_took_up_is_not_given_up_here(self) -> None:
        journal = Journal(self.folder / "journal", lambda _: None)
        journal.begin("opened", Document(), None)
        journal.commit("one", Document(), Document().with_item(Item("p", "Patch", random_surface((2, 2), (1, 1)))))
        self.assertTrue(journal.flush())
        journal.close(keep=True)
        (found,) = leftovers(self.folder / "journal")
        other = Work(self.folder / "journal")
        other.take_up(found, recover(found))
        self.addCleanup(other.close)
        self.window.give_up_work(found)
        self.assertIn("Another window", self.view.overlay.message)
        self.assertTrue((found.folder / "steps.jsonl").exists())

    def test_keys_without_a_sign_toggle_no_check(self) -> None:
        """The Right arrow has no text, and neither has the key of a check without one."""
        before = self.session.looks.on
        keyless = type("Keyless", (type(CHECKS[0]),), {"key": ""})()
        with mock.patch("arabesque.desk.window.CHECKS", (keyless, *CHECKS[1:])):
            for key in (Qt.Key.Key_Right, Qt.Key.Key_Left, Qt.Key.Key_F5, Qt.Key.Key_Shift):
                QTest.keyClick(self.view, key)
        self.assertEqual(self.session.looks.on, before)

    def test_a_journal_that_cannot_be_read_is_named_on_the_first_page(self) -> None:
        broken = self.folder / "journal" / "20260101-000000-broken"
        broken.mkdir(parents=True)
        (broken / "steps.jsonl").write_bytes(b"not a journal")
        with self.assertLogs("arabesque.model.journal", "WARNING"):
            self.window._offer()
        texts = [label.text() for label in self.window.start_page.findChildren(QLabel)]
        self.assertTrue(any("20260101-000000-broken" in text for text in texts), texts)
        self.assertEqual(len(list((self.folder / "journal").glob("*broken*"))), 1)

    def test_every_button_has_its_own_hint(self) -> None:
        hints = {command.id: command.hint for command in self.window.commands.all()}
        self.assertIn("control points", hints["edit-points"])
        doubled = [h for h in hints.values() if list(hints.values()).count(h) > 1]
        self.assertEqual(doubled, [])

    def test_the_first_hint_is_about_what_to_do_first(self) -> None:
        self.open_heron()
        self.assertIn("four clicks", self.window.fit_strip.says.text())


class LeavingTest(WindowTest):
    fresh = True

    def leave(self, answer: QMessageBox.StandardButton) -> None:
        with mock.patch.object(QMessageBox, "question", return_value=answer):
            self.window.close()

    def test_only_the_loss_of_unsaved_work_asks(self) -> None:
        with mock.patch.object(QMessageBox, "question", side_effect=AssertionError("asked")):
            self.open_heron()
            self.window.files.new_project()
        self.open_heron()
        self.session.set_tolerance(0.3)
        self.leave(QMessageBox.StandardButton.Cancel)
        self.assertTrue(self.window.isVisible())
        path = self.folder / "a.arabesque"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.leave(QMessageBox.StandardButton.Save)
        self.until(lambda: not self.window.isVisible())
        self.assertEqual(load_project(path).document.tolerance, 0.3)
        self.assertEqual(list((self.folder / "journal").iterdir()), [])

    def test_keys_reach_the_tool_wherever_the_focus_is(self) -> None:
        self.open_heron()
        self.window.outline.tree.setFocus()
        QTest.keyClick(self.window.outline.tree, Qt.Key.Key_7)
        self.assertIn("net", self.session.looks.on)
        self.view.setFocus()
        QTest.keyClick(self.view, Qt.Key.Key_Tab)
        self.assertFalse(self.view.hasFocus())


class LayersTest(WindowTest):
    def test_layers_hide_dim_and_colour(self) -> None:
        self.patched()
        item = self.session.surface_item
        assert item is not None
        self.key(Qt.Key.Key_L)
        layer = self.session.document.layers[0]
        self.assertEqual(self.session.document[item.id].layer, layer.id)
        row = self.window.outline.model.item(1, 0)
        assert row is not None
        self.assertEqual((row.text(), row.child(0, 0).text()), ("Layer 1", "Patch"))
        eye = self.window.outline.model.index(1, 3)
        tree = self.window.outline.tree
        QTest.mouseClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=tree.visualRect(eye).center())
        self.assertFalse(self.session.document.shows(self.session.document[item.id]))
        self.key(Qt.Key.Key_Z, CTRL)
        state = self.window.outline.model.index(1, 2)
        QTest.mouseClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=tree.visualRect(state).center())
        self.assertTrue(self.session.document.dims(self.session.document[item.id]))
        self.session.edit(edits.items.layer_removed, layer)
        self.assertIsNone(self.session.document[item.id].layer)

    def test_only_this(self) -> None:
        self.patched()
        first = self.session.surface_item
        assert first is not None
        self.session.add("another", "Other", random_surface((2, 2), (1, 1)))
        self.session.select(first.id)
        self.key(Qt.Key.Key_O)
        self.idle()
        self.assertEqual(len([t for t in self.view.scene.triangles if t.slot != "scan"]), 1)
        self.key(Qt.Key.Key_O)
        QTest.qWait(50)
        self.assertEqual(len([t for t in self.view.scene.triangles if t.slot != "scan"]), 2)

    def test_a_line_unfolded_stays_so_when_others_change(self) -> None:
        self.patched()
        first = self.session.surface_item
        assert first is not None
        self.session.edit(edits.versions.parked, first)
        self.session.add("another", "Other", random_surface((2, 2), (1, 1)))
        outline = self.window.outline
        line = outline.model.indexFromItem(outline.model.findItems("Patch")[0])
        outline.tree.expand(line)
        other = self.session.surface_item
        assert other is not None
        self.session.edit(edits.items.renamed, other, "Another name")
        self.idle()
        self.assertTrue(outline.model.findItems("Another name"))
        line = outline.model.indexFromItem(outline.model.findItems("Patch")[0])
        self.assertTrue(outline.tree.isExpanded(line))
        self.assertTrue(outline.model.hasChildren(line))

    def test_keyboard_only_work(self) -> None:
        """Four places by arrows and Space, Enter, and then control points: never a mouse."""
        self.open_heron()
        self.key(Qt.Key.Key_N)
        for key, times in ((Qt.Key.Key_Right, 3), (Qt.Key.Key_Down, 4), (Qt.Key.Key_Left, 9), (Qt.Key.Key_Up, 4)):
            for _ in range(times):
                self.key(key)
            self.key(Qt.Key.Key_Space)
        middle = self.view.rect().toRectF().center()
        self.assertEqual(self.view.overlay.pointed, QPointF(middle.x() - 6 * 12, middle.y()))
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.key(Qt.Key.Key_Escape)
        self.assertEqual(len(self.session.document.surfaces()), 1)
        self.key(Qt.Key.Key_M)
        tool = self.window.hand.tool
        assert isinstance(tool, MovePoints) and tool.chosen is not None
        self.key(Qt.Key.Key_Right, CTRL)
        self.assertEqual(int(tool.chosen.sum()), 1)
        self.key(Qt.Key.Key_Right, CTRL)
        self.key(Qt.Key.Key_Up, CTRL)
        self.assertEqual(np.flatnonzero(tool.chosen).tolist(), [1 * self.surface().points.shape[1] + 1])
        before = self.surface().points[1, 1]
        self.key(Qt.Key.Key_PageUp)
        self.assertAlmostEqual(np.linalg.norm(self.surface().points[1, 1] - before), 0.1)


class DeliverTest(WindowTest):
    def test_triangles_in_inches(self) -> None:
        self.patched()
        self.key(Qt.Key.Key_E, CTRL)
        tool = self.window.hand.tool
        assert isinstance(tool, Export)
        self.assertEqual(self.window.hand.step, Step.DELIVER)
        tool.options.kind = FileKind.STL
        path = self.folder / "patch.stl"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            self.key(Qt.Key.Key_Return)
        self.idle()
        grid = self.surface().on_grid(np.linspace(0, 1, 50), np.linspace(0, 1, 50))[0, 0].reshape(-1, 3)
        self.assertLess(read_scan(path).closest(grid).distance.max(), 0.05)
        self.assertIsInstance(self.window.hand.tool, Pick)

    def test_surfaces_and_curves_come_in(self) -> None:
        path = Path(self.folder) / "solids.step"
        solids = [("rod", 8.0, (0.0, 0.0, 0.0)), ("ball", 20.0, (60.0, 0.0, 0.0))]
        self.session.kernel.call("write_primitives", str(path), solids)
        self.window.files.open_path(path)
        self.until(lambda: len(self.session.document.surfaces()) == 4)
        self.assertIn("trimmed", self.view.overlay.message)
        discs = self.session.document.of(Face)
        self.assertEqual(len(discs), 2)
        self.session.select(discs[0].id)
        for item in self.session.document.surfaces():
            if item is not discs[0]:
                self.session.edit(edits.items.deleted, item)
        self.idle()
        tool = self.window.hand.take_up(CombsCheck)
        self.window.sight.fit_view()
        self.idle()
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Lines"], "7")
        self.click(discs[0].shape.at(discs[0].shape.trim.loops[0])[4])
        (graph, *_) = tool.graphs
        self.assertIn("along its border", graph.title)
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["This line"], "calm")
        for _ in range(4):
            self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(len(self.session.document.surfaces()), 0)


class JobsTest(WindowTest):
    def test_jobs_queue_in_sight_and_each_can_be_cancelled(self) -> None:
        held = threading.Event()

        def work(progress: Progress) -> str:
            while not held.wait(0.005):
                progress(0.5, "Half way")
            return "done"

        first, second = self.session.run("First", work), self.session.run("Second", work)
        results: list[str] = []
        first.done.connect(results.append)
        second.done.connect(results.append)
        jobs = self.window.inspector._jobs
        self.until(lambda: "Half way" in [label.text() for label in jobs.findChildren(QLabel)])
        self.assertEqual(sorted(label.text() for label in jobs.findChildren(QLabel)), ["Half way", "Second"])
        cancel = next(b for b in jobs.findChildren(QToolButton) if b.isVisible())
        QTest.mouseClick(cancel, Qt.MouseButton.LeftButton)
        self.until(lambda: self.session.jobs.jobs == [second])
        held.set()
        self.until(lambda: self.session.jobs.idle)
        QTest.qWait(10)
        self.assertEqual(results, ["done"])


class MovingTest(WindowTest):
    def test_a_reduced_scan_is_drawn_while_the_camera_moves(self) -> None:
        self.open_heron(120_000)
        scan = heron(120_000).scan
        self.until(lambda: self.session.scan_views.stand_in(scan))
        self.view.look(self.view.camera.panned(5, 5), moving=True)
        QTest.qWait(30)
        self.assertLess(len(self.view.scene.triangles[0].triangles), 60_000)
        self.until(lambda: len(self.view.scene.triangles[0].triangles) == len(scan.triangles), 5)
        self.view.slow = True  # as on a machine without a graphics card: a tool's changes, too, are drawn coarse first
        self.window._changed()
        QTest.qWait(30)
        self.assertLess(len(self.view.scene.triangles[0].triangles), 60_000)
        self.until(lambda: len(self.view.scene.triangles[0].triangles) == len(scan.triangles), 5)
