"""The work at hand: every way of beginning is in the journal, and what is saved is what was saved."""

import stat
import tempfile
import unittest
from dataclasses import dataclass
from pathlib import Path
from unittest import mock

import numpy as np

from arabesque.errors import ArabesqueError, FileProblem
from arabesque.fitting import Borders
from arabesque.model import (
    KINDS,
    Document,
    Item,
    Work,
    any_stale,
    leftovers,
    load_project,
    rebuilt,
    recover,
    save_project,
    unreadable,
)
from arabesque.recipes import LoftThrough, Mirror, PatchOnScan
from tests.examples import plane, random_surface


@dataclass(frozen=True, eq=False)
class Unknown:
    """A shape that is in no table."""

    points: object = None


class WorkTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.root = self.folder / "journal"
        self.scan = Document().with_item(Item("s", "clay", plane(steps=10)))
        self.patch = self.scan.with_item(Item("p", "Patch", random_surface((2, 2), (1, 1)), layer=None))

    def work(self) -> Work:
        return Work(self.root, lambda problem: None)

    def crash(self, work: Work) -> None:
        """The end of a window that did not close."""
        assert work.journal is not None and work.journal.flush()
        work.journal.close(keep=True)

    def taken_up(self) -> Work:
        """A new window that goes on."""
        (found,) = leftovers(self.root)
        work = self.work()
        work.take_up(found, recover(found))
        return work

    def test_work_that_began_empty_comes_back(self) -> None:
        """The commonest start: an empty window, a scan brought in, a patch laid, no project file."""
        work = self.work()
        work.commit("scan opened", self.scan)
        work.commit("patch", self.patch)
        self.crash(work)
        again = self.taken_up()
        self.assertEqual([s.label for s in again.history.steps], ["Start", "scan opened", "patch"])
        self.assertTrue(again.unsaved)
        # it goes on in the same journal, and a second crash loses nothing either
        again.undo()
        again.commit("tolerance", self.scan.with_tolerance(0.1))
        self.crash(again)
        third = self.taken_up()
        self.assertEqual([s.label for s in third.history.steps], ["Start", "scan opened", "tolerance"])
        third.close()
        self.assertEqual(list(self.root.iterdir()), [])

    def test_nothing_done_leaves_nothing(self) -> None:
        work = self.work()
        self.crash(work)
        self.assertEqual(leftovers(self.root), [])
        self.assertEqual(list(self.root.iterdir()), [])

    def test_a_step_during_a_save_does_not_count_as_saved(self) -> None:
        work = self.work()
        work.commit("scan opened", self.scan)
        project = work.project()
        save_project(self.folder / "a.arabesque", project)
        work.commit("patch", self.patch)
        work.set_milestone("First")
        work.saved(self.folder / "a.arabesque", project)
        self.assertTrue(work.unsaved)
        self.crash(work)
        again = self.taken_up()
        self.assertTrue(again.unsaved)
        self.assertEqual(len(list(load_project(self.folder / "a.arabesque").document)), 1)
        again.undo()
        self.assertIs(again.document, again._saved)
        again.close()

    def test_taking_up_on_a_full_disk_loses_nothing(self) -> None:
        work = self.work()
        work.commit("scan opened", self.scan)
        self.crash(work)
        (found,) = leftovers(self.root)
        other = self.work()
        with mock.patch("arabesque.model.journal.os.fsync", side_effect=OSError(28, "No space left on device")):
            other.take_up(found, recover(found))
            other.commit("patch", other.document.with_tolerance(0.1))
            assert other.journal is not None
            self.assertFalse(other.journal.flush())
        self.assertIn("No space left", str(other.journal.problem))
        other.journal.close(keep=True)
        self.assertEqual([s.label for s in self.taken_up().history.steps], ["Start", "scan opened"])

    def test_a_journal_that_another_window_holds_is_left_alone(self) -> None:
        work = self.work()
        work.commit("scan opened", self.scan)
        self.crash(work)
        (found,) = leftovers(self.root)
        recovered = recover(found)
        first, second = self.work(), self.work()
        first.take_up(found, recovered)
        with self.assertRaises(FileProblem):
            second.take_up(found, recovered)
        self.assertEqual(len(list(second.document)), 0)
        self.assertTrue(found.folder.exists())
        first.close()
        second.close()

    def test_what_is_readable_of_a_damaged_journal_goes_on_and_the_rest_is_kept(self) -> None:
        work = self.work()
        work.commit("scan opened", self.scan)
        work.commit("patch", self.patch)
        work.commit("tolerance", self.patch.with_tolerance(0.1))
        self.crash(work)
        (found,) = leftovers(self.root)
        array = max((found.folder / "arrays").iterdir(), key=lambda path: path.stat().st_mtime_ns)
        array.write_bytes(b"damaged")
        with self.assertLogs("arabesque.model.journal", "WARNING"):
            again = self.taken_up()
        self.assertEqual([s.label for s in again.history.steps], ["Start", "scan opened"])
        (kept,) = unreadable(self.root)
        self.assertIn("tolerance", (kept / "steps.jsonl").read_text())
        self.crash(again)
        self.assertEqual([s.label for s in self.taken_up().history.steps], ["Start", "scan opened"])

    def test_unknown_shapes_are_refused(self) -> None:
        work = self.work()
        with self.assertRaisesRegex(ArabesqueError, "no kind of shape"):
            work.commit("what", Document().with_item(Item("x", "What", Unknown())))  # type: ignore[type-var]
        self.assertEqual(len(work.history.steps), 1)
        work.close()


class FilesTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "saddle 1.5.arabesque"
        self.work = Work()
        self.work.commit("scan", Document().with_item(Item("s", "clay", plane(steps=4))))
        save_project(self.path, self.work.project())

    def test_the_mode_of_a_file_stays(self) -> None:
        self.path.chmod(0o664)
        save_project(self.path, self.work.project())
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), 0o664)

    def test_a_new_file_has_the_usual_mode(self) -> None:
        usual = self.folder / "usual"
        usual.touch()
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), stat.S_IMODE(usual.stat().st_mode))

    def test_a_link_is_followed(self) -> None:
        link = self.folder / "link.arabesque"
        link.symlink_to(self.path)
        before = self.path.read_bytes()
        self.work.commit("tolerance", self.work.document.with_tolerance(0.1))
        save_project(link, self.work.project())
        self.assertTrue(link.is_symlink())
        self.assertNotEqual(self.path.read_bytes(), before)
        self.assertEqual(load_project(link).document.tolerance, 0.1)

    def test_a_protected_file_is_refused_with_a_cure(self) -> None:
        self.path.chmod(0o444)
        before = self.path.read_bytes()
        with self.assertRaisesRegex(FileProblem, "write-protected.*another name"):
            save_project(self.path, self.work.project())
        self.assertEqual(self.path.read_bytes(), before)
        self.assertEqual(len(list(self.folder.iterdir())), 1)


class FormatsTest(unittest.TestCase):
    """One real file of every format, written by the program of its time."""

    FORMATS = Path(__file__).parent / "formats"

    def test_every_format_opens_with_all_it_holds(self) -> None:
        kinds = {
            1: ["scan", "surface", "surface", "curve"],
            2: ["scan", "surface", "surface", "curve", "cylinder", "regions", "lines", "scan"],
        }
        # up to format 5 a live mirror image did not stand in the file: it comes as an item of its own
        kinds[3] = [*kinds[2], "surface", "surface", "surface"]
        kinds[4] = [*kinds[3], "face"]
        kinds[5] = ["scan", "surface", *kinds[4][1:]]
        for number, wanted in kinds.items():
            with self.subTest(format=number):
                project = load_project(self.FORMATS / f"{number}.arabesque")
                document = project.document
                self.assertEqual([item.kind for item in document], wanted)
                self.assertEqual((document.tolerance, document.unit, document.reference), (0.15, "inch", "s"))
                self.assertEqual(document["p"].origin.made_from, ("s",))
                self.assertEqual(document["s"].origin.words, "clay.stl, mm")
                self.assertEqual((document["p"].layer, document.layers[0].dimmed), ("top", True))
                self.assertFalse(document["q"].look.visible)
                first = project.milestones[0].document
                images = sum(isinstance(item.recipe, Mirror) for item in document)
                self.assertEqual(images, {3: 1, 4: 1, 5: 2}.get(number, 0))
                of_first = sum(isinstance(item.recipe, Mirror) for item in first)
                self.assertEqual(len(list(first)) - of_first, len(wanted) - images - 1)
                self.assertFalse(any_stale(document))
                self.assertIs(first["s"].shape, document["s"].shape)

    def test_patches_laid_before_borders_were_held_stay_as_they_were_laid(self) -> None:
        """Format 6: a patch through four corners, and its image; nothing is stale, and it is rebuilt as it was."""
        document = load_project(self.FORMATS / "6.arabesque").document
        self.assertFalse(any_stale(document))
        laid = next(item for item in document if isinstance(item.recipe, PatchOnScan))
        assert isinstance(laid.recipe, PatchOnScan)
        self.assertIs(laid.recipe.borders, Borders.NATURAL)
        self.assertTrue(all(side.calm for side in laid.recipe.sides))
        again = rebuilt(document.with_tolerance(0.3))[laid.id]
        self.assertIs(again.recipe, laid.recipe)
        np.testing.assert_allclose(again.shape.points, laid.shape.points, atol=1e-6)

    def test_curves_and_what_stands_on_them_still_follow(self) -> None:
        """Format 7: curves drawn and taken, sections, a loft and a patch over four: none is stale, all are rebuilt."""
        document = load_project(self.FORMATS / "7.arabesque").document
        self.assertFalse(any_stale(document))
        words = sorted({item.recipe.word for item in document if item.recipe is not None})
        self.assertEqual(words, ["curve on the scan", "line taken", "loft", "patch of curves", "section"])
        loft = next(item for item in document if isinstance(item.recipe, LoftThrough))
        self.assertEqual((loft.recipe.before, loft.recipe.after, loft.recipe.guides), (1.0, 2.0, ()))
        again = rebuilt(document.with_tolerance(0.6))
        self.assertEqual({item.trouble for item in again}, {""})
        np.testing.assert_allclose(again[loft.id].shape.points, loft.shape.points, atol=1e-6)

    def test_the_kinds_before_there_were_cages(self) -> None:
        """Format 8: one item of each."""
        document = load_project(self.FORMATS / "8.arabesque").document
        wanted = [kind.word for kind in KINDS if kind.word not in ("cage", "body")]
        self.assertEqual([item.id for item in document], wanted)
        self.assertFalse(any_stale(document))

    def test_cages_before_their_borders_could_bend(self) -> None:
        """Format 9."""
        document = load_project(self.FORMATS / "9.arabesque").document
        self.assertEqual({item.id for item in document}, {kind.word for kind in KINDS} - {"body"})
        self.assertEqual((document["cage"].shape.count, len(document["cage"].shape.quads.bent)), (20, 0))
        self.assertFalse(any_stale(document))

    def test_the_kinds_before_there_were_bodies(self) -> None:
        """Format 10: one item of each."""
        document = load_project(self.FORMATS / "10.arabesque").document
        self.assertEqual({item.id for item in document}, {kind.word for kind in KINDS} - {"body"})
        self.assertFalse(any_stale(document))

    def test_true_shapes_twins_versions_and_trims(self) -> None:
        document = load_project(self.FORMATS / "4.arabesque").document
        self.assertEqual(document["rod"].shape.sizes, (8.0,))
        self.assertAlmostEqual(float(np.linalg.norm(document["m"].origin.motion[:3, 3])), 29**0.5)
        seated = document["t"]
        assert seated.ties.twin is not None
        self.assertTrue(seated.ties.twin.holds(seated.shape, document.plane_of(seated)))
        self.assertEqual((document.plane_of(seated).offset, seated.ties.pins), (4.0, {(1, 2), (0, 0)}))
        # a parked version stands below what it was parked from; one without it becomes an item, hidden
        self.assertEqual([version.name for version in seated.versions], ["Seated parked"])
        self.assertFalse(document.shows(document["w"]))
        self.assertEqual(len(document["f"].shape.trim.loops), 2)

    def test_the_present_format_keeps_all_of_it(self) -> None:
        project = load_project(self.FORMATS / "4.arabesque")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.arabesque"
            save_project(path, project)
            once = path.read_bytes()
            again = load_project(path)
            save_project(path, again)
            self.assertEqual(len(path.read_bytes()), len(once))
        for old, new in zip(project.document, again.document, strict=True):
            self.assertEqual(
                (old.id, old.name, old.kind, old.ties, old.look), (new.id, new.name, new.kind, new.ties, new.look)
            )
            self.assertEqual([v.name for v in old.versions], [v.name for v in new.versions])
            if hasattr(old.shape, "points"):
                np.testing.assert_array_equal(old.shape.points, new.shape.points)


if __name__ == "__main__":
    unittest.main()
