"""The journal: what a killed session left, bit for bit."""

import errno
import json
import os
import random
import shutil
import stat
import struct
import subprocess
import sys
import tempfile
import threading
import time
import tracemalloc
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from arabesque.errors import FileProblem
from arabesque.model import (
    Document,
    Item,
    Journal,
    Milestone,
    Project,
    Work,
    discard,
    leftovers,
    load_project,
    recover,
    rescue_project,
    save_project,
    unreadable,
)
from tests.examples import plane, random_surface


class JournalTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.root = Path(folder.name)
        self.problems: list[FileProblem] = []
        self.document = (
            Document()
            .with_item(Item("s", "scan", plane()))
            .with_item(Item("p", "Patch", random_surface((3, 3), (1, 1))))
        )

    def journal(self) -> Journal:
        return Journal(self.root, self.problems.append)

    def crash(self, journal: Journal) -> None:
        """End the journal as a crash would: everything written so far stays, the lock goes."""
        self.assertTrue(journal.flush())
        journal.close(keep=True)

    def test_sessions_killed_at_random_moments(self) -> None:
        """kill -9 at any moment: every step older than a second is there, and what is there is right."""
        command = [sys.executable, "-m", "tests.model.killed_session", str(self.root), "25"]
        done = subprocess.run(command, capture_output=True, text=True, timeout=240, check=True, env=dict(os.environ))
        rounds = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertEqual(len(rounds), 25)
        for result in rounds:
            self.assertEqual((result["wrong"], result["missing"]), (0, 0), result)
        self.assertGreater(sum(result["kept"] for result in rounds), 500)
        self.assertGreater(sum(result["found"] for result in rounds), 22)

    def test_undo_milestones_and_the_saved_state_come_back(self) -> None:
        journal = self.journal()
        other = self.document.with_tolerance(0.1)
        journal.begin("opened", self.document, "/a/b.arabesque")
        journal.milestone("First", self.document, self.document)
        journal.commit("tolerance", self.document, other)
        journal.saved("/a/b.arabesque", 1)
        journal.commit("deleted", other, other.without("p"))
        journal.move(1)
        self.crash(journal)
        found = leftovers(self.root)[0]
        self.assertEqual((found.project, found.steps, found.label), ("/a/b.arabesque", 3, "deleted"))
        recovered = recover(found)
        history, saved = recovered.history, recovered.saved
        self.assertTrue(recovered.whole)
        self.assertEqual((history.position, len(history.steps)), (1, 3))
        self.assertEqual(history.document.tolerance, 0.1)
        assert saved is not None
        self.assertEqual(saved.tolerance, 0.1)
        self.assertEqual([m.name for m in history.milestones], ["First"])
        np.testing.assert_array_equal(history.document["p"].shape.points, self.document["p"].shape.points)
        # states share what they have in common, so that undo computes nothing anew
        states = [step.document for step in history.steps] + [m.document for m in history.milestones]
        self.assertEqual(len({id(state["s"].shape) for state in states}), 1)

    def test_a_drag_does_not_write_the_scan_again(self) -> None:
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.flush()
        before = sum(path.stat().st_size for path in journal.folder.rglob("*") if path.is_file())
        surface = self.document["p"].shape
        journal.commit("moved", self.document, self.document.with_shape("p", surface.with_points(surface.points + 1)))
        journal.flush()
        grown = sum(path.stat().st_size for path in journal.folder.rglob("*") if path.is_file()) - before
        self.assertLess(grown, 5000)
        self.assertGreater(before, 100_000)
        journal.close()

    def test_several_windows_do_not_disturb_one_another(self) -> None:
        one, two = self.journal(), self.journal()
        for journal in (one, two):
            journal.begin("opened", self.document, None)
            journal.commit("more", self.document, self.document.with_tolerance(0.1))
            journal.flush()
        self.assertEqual(leftovers(self.root), [])
        self.crash(one)
        self.assertEqual([found.folder for found in leftovers(self.root)], [one.folder])
        two.close()
        self.assertFalse(two.folder.exists())
        discard(leftovers(self.root)[0])
        self.assertEqual(list(self.root.iterdir()), [])

    def test_a_full_disk_is_told_and_made_up_for(self) -> None:
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.flush()
        told = threading.Event()
        self.problems = []
        journal._on_problem = lambda problem: (self.problems.append(problem), told.set())
        with mock.patch("arabesque.model.journal.os.fsync", side_effect=OSError(28, "No space left on device")):
            journal.commit("one", self.document, self.document.with_tolerance(0.3))
            self.assertTrue(told.wait(5))
        self.assertIn("No space left", str(self.problems[0]))
        journal.commit("two", self.document.with_tolerance(0.3), self.document.with_tolerance(0.4))
        self.crash(journal)
        history = recover(leftovers(self.root)[0]).history
        self.assertEqual([step.label for step in history.steps], ["opened", "one", "two"])

    def test_a_torn_last_line_is_left_out(self) -> None:
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.commit("one", self.document, self.document.with_tolerance(0.3))
        journal.commit("two", self.document.with_tolerance(0.3), self.document.with_tolerance(0.4))
        self.crash(journal)
        path = journal.folder / "steps.jsonl"
        whole = path.read_bytes()
        for cut in (10, 200):
            path.write_bytes(whole[:-cut])
            history = recover(leftovers(self.root)[0]).history
            self.assertEqual(history.steps[-1].label, "one")

    def test_a_step_writes_only_what_changed(self) -> None:
        """A rename among 300 patches: less than a kilobyte."""
        document = self.document
        for n in range(300):
            document = document.with_item(Item(f"q{n}", f"Patch {n}", self.document["p"].shape))
        journal = self.journal()
        journal.begin("opened", document, None)
        journal.flush()
        before = (journal.folder / "steps.jsonl").stat().st_size
        renamed = document.changed("q7", name="Flank")
        journal.commit("renamed", document, renamed)
        gone = renamed.without("q8")
        journal.commit("deleted", renamed, gone)
        self.crash(journal)
        lines = (journal.folder / "steps.jsonl").read_bytes()[before:].splitlines()
        self.assertEqual([len(json.loads(line)["changes"]["items"]) for line in lines], [1, 0])
        back = recover(leftovers(self.root)[0]).history.document
        self.assertEqual([(i.id, i.name) for i in back], [(i.id, i.name) for i in gone])

    def test_nobody_else_can_read_it(self) -> None:
        journal = self.journal()
        journal.begin("opened", self.document, None)
        self.assertTrue(journal.flush())
        self.assertEqual(stat.S_IMODE(journal.folder.stat().st_mode), 0o700)
        journal.close()

    def test_whatever_keeps_it_from_writing_is_told(self) -> None:
        """Not only a disk that refuses: any fault in its thread, and the next step tries again."""
        journal = self.journal()
        journal.begin("opened", self.document, None)
        self.assertTrue(journal.flush())
        with (
            mock.patch.object(journal, "_put_array", side_effect=RuntimeError("unforeseen")),
            self.assertLogs("arabesque.model.journal", "ERROR"),
        ):
            journal.commit("one", self.document, self.document.changed("p", shape=random_surface((2, 2), (1, 1))))
            self.assertFalse(journal.flush())
        assert journal.problem is not None
        self.assertIn("unforeseen", str(journal.problem))
        self.assertEqual(len(self.problems), 1)
        other = self.document.with_tolerance(0.4)
        journal.commit("two", self.document, other)
        self.assertTrue(journal.flush())
        self.assertIsNone(journal.problem)
        self.crash(journal)
        history = recover(leftovers(self.root)[0]).history
        self.assertEqual([step.label for step in history.steps], ["opened", "one", "two"])

    def test_what_cannot_be_read_is_set_aside(self) -> None:
        journal = self.journal()
        journal.begin("opened", self.document, None)
        self.crash(journal)
        (journal.folder / "steps.jsonl").write_bytes(b"\x00" * 500)
        with self.assertLogs("arabesque.model.journal", "WARNING"):
            self.assertEqual(leftovers(self.root), [])
        (kept,) = unreadable(self.root)
        self.assertTrue((kept / "arrays").exists())
        self.assertEqual(leftovers(self.root), [])
        self.assertEqual(unreadable(self.root), [kept])

    def odd_journals(self) -> None:
        """Whatever may lie among journals besides sound ones."""
        for number, content in enumerate(
            (
                b'{"event": "begin"}\n',
                b'{"event": "begin", "document": 3, "project": null, "label": "x"}\n',
                b'{"event": "begin", "document": {"items": []}, "project": 5, "label": "x"}\n',
                b"[1]\n",
                b"",
                b'{"event": "commit", "label": "x", "time": 1}\n',
                b"[" * 100_000 + b"\n",
                b"\xff\xfe\n",
            )
        ):
            folder = self.root / f"odd-{number}"
            folder.mkdir()
            (folder / "steps.jsonl").write_bytes(content)
        (self.root / "odd-folder" / "steps.jsonl").mkdir(parents=True)
        (self.root / "odd-lock" / "lock").mkdir(parents=True)
        (self.root / "odd-lock" / "steps.jsonl").write_bytes(b"{}\n")
        (self.root / "a file").write_text("not a folder")

    def test_odd_leftovers_are_set_aside_and_hide_nothing(self) -> None:
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.commit("one", self.document, self.document.with_tolerance(0.3))
        self.crash(journal)
        self.odd_journals()
        with self.assertLogs("arabesque.model.journal", "WARNING"):
            (found,) = leftovers(self.root)
        self.assertEqual(recover(found).history.document.tolerance, 0.3)
        self.assertGreaterEqual(len(unreadable(self.root)), 8)
        self.assertEqual(len(leftovers(self.root)), 1)

    def test_a_step_without_its_time_or_words_costs_no_other(self) -> None:
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.commit("one", self.document, self.document.with_tolerance(0.3))
        self.crash(journal)
        with (journal.folder / "steps.jsonl").open("ab") as file:
            file.write(b'{"event": "commit"}\n')
        (found,) = leftovers(self.root)
        self.assertLess(abs(found.written - time.time()), 60)
        with self.assertLogs("arabesque.model.journal", "WARNING"):
            recovered = recover(found)
        self.assertEqual((recovered.history.document.tolerance, recovered.whole), (0.3, False))

    @unittest.skipUnless(shutil.which("setpriv") and os.geteuid() == 0, "only root can leave what others may not read")
    def test_the_journal_of_another_user_is_named_and_left(self) -> None:
        """After a start with sudo: a user's own start sees a folder that it may not even look into."""
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.commit("one", self.document, self.document.with_tolerance(0.3))
        self.crash(journal)
        self.root.chmod(0o777)
        code = (
            "import sys; from pathlib import Path; from arabesque.model import leftovers, unreadable\n"
            "root = Path(sys.argv[1]); print(len(leftovers(root)), [path.name for path in unreadable(root)])"
        )
        command = ["setpriv", "--reuid", "65534", "--regid", "65534", "--clear-groups", sys.executable, "-c", code]
        reachable = subprocess.run([*command[:6], sys.executable, "-c", ""], capture_output=True)
        if reachable.returncode:
            self.skipTest("the interpreter lies where only root may go")
        environment = {**os.environ, "NUMBA_CACHE_DIR": str(self.root / "numba")}
        done = subprocess.run([*command, str(self.root)], capture_output=True, text=True, env=environment)
        self.assertEqual((done.returncode, done.stdout), (0, f"0 ['{journal.folder.name}']\n"), done.stderr)
        self.assertEqual(len(leftovers(self.root)), 1)

    def test_two_windows_do_not_take_one_leftover_from_each_other(self) -> None:
        """One takes it up, the other gives it up: refused, and the living journal goes on."""
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.commit("one", self.document, self.document.with_tolerance(0.3))
        self.crash(journal)
        (seen_by_one,), (seen_by_two,) = leftovers(self.root), leftovers(self.root)
        work = Work(self.root, self.problems.append)
        work.take_up(seen_by_one, recover(seen_by_one))
        with self.assertRaisesRegex(FileProblem, "Another window"):
            discard(seen_by_two)
        other = Work(self.root, self.problems.append)
        with self.assertRaisesRegex(FileProblem, "another window has it"):
            other.take_up(seen_by_two, recover(seen_by_two))
        work.commit("two", work.document.with_tolerance(0.5))
        assert work.journal is not None and other.journal is not None
        self.assertTrue(work.journal.flush())
        other.close()
        work.journal.close(keep=True)
        (found,) = leftovers(self.root)
        self.assertEqual([step.label for step in recover(found).history.steps], ["opened", "one", "two"])
        discard(found)
        with self.assertRaisesRegex(FileProblem, "not there any more"):
            recover(found)

    def test_a_folder_that_is_taken_away_is_made_again(self) -> None:
        """rm -rf under a living window: all of its history is on the disk again, before the next step, too."""
        journal = self.journal()
        journal.begin("opened", self.document, None)
        journal.commit("one", self.document, self.document.with_tolerance(0.3))
        self.assertTrue(journal.flush())
        for label, next_step in (("by itself", False), ("with the next step", True)):
            with self.subTest(label), self.assertLogs("arabesque.model.journal", "WARNING"):
                gone = journal.folder
                shutil.rmtree(gone)
                if next_step:
                    journal.commit("two", self.document.with_tolerance(0.3), self.document.with_tolerance(0.4))
                    self.assertTrue(journal.flush())
                ends = time.monotonic() + 20
                while journal.folder == gone and time.monotonic() < ends:
                    time.sleep(0.05)
                self.assertNotEqual(journal.folder, gone)
                self.assertTrue(journal.flush())
        self.crash(journal)
        history = recover(leftovers(self.root)[0]).history
        self.assertEqual([step.label for step in history.steps], ["opened", "one", "two"])
        np.testing.assert_array_equal(history.document["p"].shape.points, self.document["p"].shape.points)

    def test_a_full_disk_is_told_in_its_own_words(self) -> None:
        """NumPy tells of a short write by counts alone, without an error number."""
        journal = self.journal()
        journal.begin("opened", self.document, None)
        self.assertTrue(journal.flush())
        short = OSError("359511 requested and 0 written")
        with mock.patch("arabesque.model.journal.np.lib.format.write_array", side_effect=short):
            surface = random_surface((2, 2), (1, 1))
            journal.commit("one", self.document, self.document.with_shape("p", surface))
            self.assertFalse(journal.flush())
        self.assertIn(os.strerror(errno.ENOSPC), str(self.problems[-1]))
        self.assertNotIn("requested", str(self.problems[-1]))
        journal.close()

    def test_a_journal_of_an_older_program_is_read(self) -> None:
        """Format 4: every line held the whole document."""
        old = Path(__file__).parent / "formats" / "journal-4"
        shutil.copytree(old, self.root / "old")
        recovered = recover(leftovers(self.root)[0])
        history = recovered.history
        self.assertEqual([step.label for step in history.steps], ["opened", "tolerance"])
        self.assertTrue(recovered.whole)
        self.assertEqual([m.name for m in history.milestones], ["First"])
        self.assertIs(history.steps[0].document["s"].shape, history.steps[1].document["s"].shape)

    def test_what_was_only_looked_at_is_not_offered(self) -> None:
        for document, project in ((Document(), None), (self.document, "/a/b.arabesque")):
            journal = self.journal()
            journal.begin("opened", document, project)
            self.crash(journal)
        self.assertEqual(leftovers(self.root), [])

    def test_a_project_that_was_opened_and_rebuilt_is_not_offered(self) -> None:
        """Its milestones, and what is derived and was built again, are in its file or follow from it."""
        journal = self.journal()
        journal.begin("opened", self.document, "/a/b.arabesque", (Milestone("First", self.document),))
        journal.amend(self.document, self.document.with_shape("p", random_surface((2, 2), (1, 1))))
        self.crash(journal)
        self.assertEqual(leftovers(self.root), [])
        journal = self.journal()
        journal.begin("opened", self.document, "/a/b.arabesque")
        journal.milestone("Mine", self.document, self.document)
        self.crash(journal)
        self.assertEqual(len(leftovers(self.root)), 1)


class KilledSaveTest(unittest.TestCase):
    def test_a_save_killed_in_the_middle_leaves_a_whole_file(self) -> None:
        """SIGKILL at ten random moments of saving over and over: the project opens every time."""
        code = (
            "import sys; from arabesque.model import *; from tests.examples import plane\n"
            "d = Document().with_item(Item('s', 'scan', plane(steps=200)))\n"
            "save_project(sys.argv[1], Project(d)); print('ready', flush=True)\n"
            "while True: save_project(sys.argv[1], Project(d.with_tolerance(0.3)))"
        )
        rng = random.Random(0)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.arabesque"
            for _ in range(10):
                child = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE)
                assert child.stdout is not None
                child.stdout.readline()
                time.sleep(rng.uniform(0, 0.15))
                child.kill()
                child.wait()
                child.stdout.close()
                scan = load_project(path).document.reference_scan
                assert scan is not None
                self.assertEqual(len(scan.triangles), 80_000)


class RescueTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.arabesque"
        self.document = Document()
        for n in range(4):
            self.document = self.document.with_item(Item(str(n), f"Patch {n}", random_surface((3, 3), (2, 2), seed=n)))
        save_project(self.path, Project(self.document))
        self.whole = self.path.read_bytes()

    def test_a_cut_file_gives_back_what_is_there(self) -> None:
        self.path.write_bytes(self.whole[: int(len(self.whole) * 0.6)])
        with self.assertRaises(FileProblem):
            load_project(self.path)
        rescued = rescue_project(self.path)
        self.assertGreater(len(rescued.lost), 0)
        self.assertEqual(len(list(rescued.document)) + len(rescued.lost), 4)
        for item in rescued.document:
            np.testing.assert_array_equal(item.shape.points, self.document[item.id].shape.points)

    def test_headers_that_overlap_take_no_memory(self) -> None:
        """A thousand entries that each claim the rest of the file, 6 MB: 6 GB as copies."""
        entry = struct.Struct("<4sHHHHHIIIHH")
        size = 6_000_000
        heads = []
        for n in range(1000):
            name = f"arrays/{n:064x}.npy".encode()
            rest = size - (n + 1) * (entry.size + len(name)) - 1000
            heads.append(entry.pack(b"PK\x03\x04", 20, 0, 0, 0, 0, 0, rest, rest, len(name), 0) + name)
        content = b"".join(heads)
        self.path.write_bytes(self.whole + content + b"\0" * (size - len(content)))
        tracemalloc.start()
        try:
            rescued = rescue_project(self.path)
            most = tracemalloc.get_traced_memory()[1]
        finally:
            tracemalloc.stop()
        self.assertEqual(rescued.lost, ())
        self.assertLess(most, 5 * size)

    def test_a_flipped_bit_costs_one_item(self) -> None:
        points = self.document["2"].shape.points.tobytes()
        at = self.whole.index(points[:64])
        self.path.write_bytes(self.whole[: at + 8] + b"\x55" + self.whole[at + 9 :])
        with self.assertRaises(FileProblem):
            load_project(self.path)
        rescued = rescue_project(self.path)
        self.assertEqual(rescued.lost, ("Patch 2",))
        self.assertEqual(len(list(rescued.document)), 3)

    def test_what_holds_nothing_is_told(self) -> None:
        for content in (b"", b"hello", self.whole[:100]):
            self.path.write_bytes(content)
            with self.assertRaises(FileProblem):
                rescue_project(self.path)
