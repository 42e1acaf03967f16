"""Derived items: stale by identity, rebuilt in order, right after undo, stored, and free when changed by hand."""

import tempfile
import unittest
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Elementary, ElementaryKind, Plane, Surface, motion
from arabesque.model import (
    Document,
    Item,
    Project,
    Work,
    any_stale,
    edits,
    leftovers,
    load_project,
    rebuilt,
    recover,
    save_project,
    settled,
    stale,
)
from arabesque.model.records import document_record
from arabesque.progress import Cancelled, Progress, silent
from arabesque.reading import Region, Regions, TrueShape
from arabesque.recipes import RECIPES, Given, Mirror, PatchBetween, PatchOnScan, Recipe, RegionShape, RingPiece
from arabesque.scan import ready_to_fit
from tests.examples import plane, random_surface

BUILT: list[str] = []


@dataclass(frozen=True, eq=False)
class Shifted(Recipe):
    """A toy: the input moved up by a millimetre."""

    word = "shifted"
    source: str
    fails: bool = False

    @property
    def inputs(self) -> tuple[str, ...]:
        return (self.source,)

    def build(self, given: Given, progress: Progress = silent) -> Any:
        BUILT.append(self.source)
        progress(0.5, "half way")
        if self.fails:
            raise ArabesqueError("It cannot be shifted", "Do not")
        return given.shapes[self.source].moved(motion(shift=[0, 0, 1.0]))


def chain(length: int, failing: int = -1) -> Document:
    """A patch and a chain of items, each made from the one before; listed backwards, so that order must be found."""
    base = random_surface((2, 2), (1, 1))
    document = Document().with_item(Item("0", "base", base))
    for number in range(length, 0, -1):
        recipe = Shifted(str(number - 1), number == failing)
        document = document.with_item(Item(str(number), f"item {number}", base, recipe=recipe))
    return document


def height(document: Document, key: int) -> float:
    """How far an item lies above the base patch."""
    return float((document[str(key)].shape.points - document["0"].shape.points)[..., 2].mean())


class MirrorTest(unittest.TestCase):
    """The live mirror image of anything: an item of its own, that follows at once and exactly."""

    def setUp(self) -> None:
        self.work = Work()
        patch = random_surface((3, 2), (2, 1), seed=4)
        curve = Curve.bezier([[0, 1, 0], [1, 2, 0], [2, 1, 3.0]])
        document = Document()
        for key, shape in (("p", patch), ("c", curve), ("s", ready_to_fit(plane()))):
            document = document.with_item(Item(key, key, shape))
        self.work.begin(document, None, "opened")
        for key in "pcs":
            self.do(edits.twins.mirrored_live, key)

    def do(self, edit: Callable[..., Any], key: str, *arguments: object) -> None:
        change = edit(self.work.document, self.work.document[key], *arguments)
        self.work.commit(change.label, change.document)

    def assert_follows(self, key: str) -> None:
        document = self.work.document
        (image,) = document.images_of(document[key])
        self.assertFalse(stale(document, image))
        self.assertEqual(image.trouble, "")
        ours, theirs = (np.array(one.shape.points).reshape(-1, 3) for one in (document[key], image))
        ends = document.plane_of(document[key]).mirrored(ours)
        np.testing.assert_array_equal(np.sort(ends, axis=0), np.sort(theirs, axis=0))

    def test_anything_has_one_and_it_stands_behind_what_it_follows(self) -> None:
        names = [item.name for item in self.work.document]
        self.assertEqual(names, ["p", "p, mirrored", "c", "c, mirrored", "s", "s, mirrored"])
        for key in "pcs":
            self.assert_follows(key)
        self.do(edits.twins.mirrored_live, "p")
        self.assertEqual(len(self.work.document.images_of(self.work.document["p"])), 1)

    def test_it_follows_shapes_and_planes_within_the_same_step(self) -> None:
        document = self.work.document
        moved = document["p"].shape.with_points(document["p"].shape.points + np.array([1.0, 2, 3]))
        self.work.commit("moved", document.with_shape("p", moved))
        self.assert_follows("p")
        self.work.commit("plane", self.work.document.with_plane(Plane(np.array([0, 1.0, 0]), 2.5)))
        for key in "pcs":
            self.assert_follows(key)
        layer = self.work.document.new_layer()
        on_it = self.work.document.with_layer(replace(layer, plane=Plane.coordinate(0))).changed("c", layer=layer.id)
        self.work.commit("layer", on_it)
        self.assert_follows("c")
        self.assertIs(self.work.document["p image"], self.work.history.steps[-2].document["p image"])
        for _ in range(3):
            self.work.undo()
            self.assertFalse(any_stale(self.work.document))
        self.assertEqual(len(self.work.history.steps), 7)

    def test_it_goes_with_the_twin_and_stays_when_it_is_made_free(self) -> None:
        self.do(edits.twins.image_freed, "p")
        free = self.work.document["p image"]
        self.assertEqual((free.recipe, free.origin.made_from, self.work.document["p"].ties.twin), (None, ("p",), None))
        self.do(edits.twins.mirrored_live, "p")
        self.assert_follows("p")
        self.do(edits.items.duplicated, "p")
        self.assertEqual(sum(isinstance(item.recipe, Mirror) for item in self.work.document), 4)
        self.do(edits.twins.let_go, "p")
        self.assertEqual(self.work.document.images_of(self.work.document["p"]), [])
        self.do(edits.twins.mirrored_live, "p")
        self.do(edits.patches.split_at, "p", 0, 0.4, "along u")
        self.assertEqual(self.work.document.images_of(self.work.document["p"]), [])

    def test_what_it_follows_is_deleted(self) -> None:
        before = self.work.document["c image"].shape
        self.do(edits.items.deleted, "c")
        image = self.work.document["c image"]
        self.assertIs(image.shape, before)
        self.assertIn("deleted", image.trouble)
        self.work.undo()
        self.assertEqual(self.work.document["c image"].trouble, "")

    def test_an_image_pulled_by_hand_is_free(self) -> None:
        shape = self.work.document["p image"].shape
        pulled = self.work.document.with_shape("p image", shape.with_points(shape.points + 1))
        self.work.commit("pulled", pulled)
        self.assertIsNone(self.work.document["p image"].recipe)
        self.assertEqual(self.work.document.images_of(self.work.document["p"]), [])

    def test_it_is_stored(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            save_project(Path(folder) / "a.arabesque", Project(self.work.document))
            again = load_project(Path(folder) / "a.arabesque").document
        self.assertFalse(any_stale(again))
        self.assertEqual([i.id for i in again], [i.id for i in self.work.document])
        moved = again.with_shape("p", again["p"].shape.with_points(again["p"].shape.points + 1))
        self.assertEqual([i.id for i in moved if stale(moved, i)], ["p image"])


class ChainTest(unittest.TestCase):
    def setUp(self) -> None:
        BUILT.clear()

    def test_fifty_in_order_each_once(self) -> None:
        done = rebuilt(chain(50))
        self.assertEqual(BUILT, [str(n) for n in range(50)])
        self.assertAlmostEqual(height(done, 50), 50.0)
        self.assertFalse(any_stale(done))
        self.assertIs(rebuilt(done), done)

    def test_only_what_hangs_on_a_change_is_built_again(self) -> None:
        done = rebuilt(chain(50))
        BUILT.clear()
        renamed = done.changed("3", name="renamed")
        self.assertFalse(any_stale(renamed))
        moved = done.with_shape("30", done["30"].shape.moved(motion(shift=[0, 0, 5.0])))
        self.assertIsNone(moved["30"].recipe)  # changed by hand: free
        again = rebuilt(moved)
        self.assertEqual(BUILT, [str(n) for n in range(30, 50)])
        self.assertAlmostEqual(height(again, 50), 55.0)
        self.assertIs(again["29"].shape, done["29"].shape)

    def test_one_that_fails_keeps_its_shape_and_all_others_go_on(self) -> None:
        document = chain(50, failing=20)
        good = document["20"].shape
        done = rebuilt(document)
        self.assertIs(done["20"].shape, good)
        self.assertIn("cannot be shifted", done["20"].trouble)
        self.assertEqual(len(BUILT), 50)
        self.assertAlmostEqual(height(done, 50), 30.0)
        self.assertFalse(any_stale(done))  # it is not tried again until something changes
        mended = rebuilt(done.changed("20", recipe=Shifted("19"), made_of=()))
        self.assertEqual((mended["20"].trouble, height(mended, 50)), ("", 50.0))

    def test_a_deleted_input_leaves_the_shape_with_trouble(self) -> None:
        done = rebuilt(chain(2))
        gone = rebuilt(done.without("1"))
        self.assertIs(gone["2"].shape, done["2"].shape)
        self.assertIn("deleted", gone["2"].trouble)

    def test_circles_are_refused_at_commit(self) -> None:
        work = Work()
        work.commit("chain", chain(3))
        circle = work.document.changed("1", recipe=Shifted("3"))
        with self.assertRaisesRegex(ArabesqueError, "made from each other"):
            work.commit("circle", circle)
        self.assertEqual(len(work.history.steps), 2)

    def test_it_can_be_cancelled(self) -> None:
        def stop(fraction: float, message: str) -> None:
            if fraction > 0.5:
                raise Cancelled

        with self.assertRaises(Cancelled):
            rebuilt(chain(50), stop)

    def test_undo_brings_back_what_is_right_already(self) -> None:
        work = Work()
        work.commit("chain", chain(5))
        work.amend(rebuilt(work.document))
        base = work.document["0"].shape
        work.commit("moved", work.document.with_shape("0", base.moved(motion(shift=[9.0, 0, 0]))))
        work.amend(rebuilt(work.document))
        self.assertEqual(len(work.history.steps), 3)  # a rebuild is no step of its own
        BUILT.clear()
        work.undo()
        self.assertFalse(any_stale(work.document))
        self.assertAlmostEqual(height(work.document, 5), 5.0)
        self.assertEqual(BUILT, [])


def regions_document() -> Document:
    """A flat scan whose two halves are a plane, and a free form."""
    scan = ready_to_fit(plane(steps=20))
    left = scan.points[scan.triangles].mean(axis=1)[:, 0] < 50
    shape = TrueShape(ElementaryKind.PLANE, np.zeros(3), np.array([0.0, 0, 1]), (), 0.01, 0.02, 0.03, 1.0)
    regions = Regions(np.where(left, 0, 1), (Region(shape), Region()))
    return Document().with_item(Item("s", "scan", scan)).with_item(Item("r", "Regions", regions))


class RecipesTest(unittest.TestCase):
    def test_words_are_apart(self) -> None:
        self.assertEqual(len({recipe.word for recipe in RECIPES}), len(RECIPES))

    def derived(self, document: Document, recipe: Recipe) -> Document:
        """The document with a derived item, built."""
        return rebuilt(document.with_item(Item("d", "derived", random_surface((1, 1), (1, 1)), recipe=recipe)))

    def test_a_patch_follows_tolerance_and_scan(self) -> None:
        """A paraboloid of 1 mm rise: 4 points suffice at 2 mm, more are needed at 0.02 mm."""
        scan = plane(steps=40)
        away = ((scan.points[:, :2] - 50) ** 2).sum(axis=1)
        scan = ready_to_fit(replace(scan, points=scan.points + np.outer(away / 2500, [0, 0, 1.0])))
        corners = np.array([(20, 20, 0.7), (80, 20, 0.7), (80, 80, 0.7), (20, 80, 0.7)])
        document = Document(tolerance=2.0).with_item(Item("s", "scan", scan))
        rough = self.derived(document, PatchOnScan(corners))
        self.assertEqual(rough["d"].shape.count, 4)
        fine = rough.with_tolerance(0.02)
        self.assertTrue(stale(fine, fine["d"]))
        fine = rebuilt(fine)
        self.assertGreater(fine["d"].shape.count, 4)
        sunk = ready_to_fit(scan.moved(motion(shift=[0, 0, -0.05])))
        lower = rebuilt(fine.with_item(replace(fine["s"], shape=sunk)))
        self.assertEqual(lower["d"].trouble, "")
        place = [[0.5, 0.5]]
        self.assertAlmostEqual(float((lower["d"].shape.at(place) - fine["d"].shape.at(place))[0, 2]), -0.05, delta=0.01)
        gone = rebuilt(fine.without("s"))
        self.assertIn("no scan", gone["d"].trouble)

    def test_a_true_shape_follows_its_region_however_it_is_numbered(self) -> None:
        document = self.derived(regions_document(), RegionShape("r", "s", np.array([25.0, 50, 0])))
        first = document["d"].shape
        self.assertIsInstance(first, Elementary)
        np.testing.assert_allclose(np.mean(first.box, axis=0), [25, 50, 0], atol=6)
        regions = document["r"].shape
        turned = Regions(1 - regions.labels, regions.areas[::-1])
        again = rebuilt(document.with_item(replace(document["r"], shape=turned)))
        np.testing.assert_allclose(again["d"].shape.box[1], first.box[1], atol=1e-9)
        free = Regions(regions.labels, (Region(), Region()))
        failed = rebuilt(document.with_item(replace(document["r"], shape=free)))
        self.assertIn("free form", failed["d"].trouble)
        self.assertIs(failed["d"].shape, first)

    def test_a_patch_between_two_others_goes_with_them(self) -> None:
        """Both inner edges are shared to the last bit, before and after a neighbour is lifted."""
        scan = ready_to_fit(plane(steps=40))
        left = Surface.bezier([[[10.0, 20, 0], [10, 80, 0]], [[40, 20, 0], [40, 80, 0]]]).elevated(2, 2)
        right = Surface.bezier([[[60.0, 20, 0], [60, 80, 0]], [[90, 20, 0], [90, 80, 0]]]).elevated(2, 2)
        document = Document().with_item(Item("s", "scan", scan))
        document = document.with_item(Item("a", "left", left)).with_item(Item("b", "right", right))
        recipe = PatchBetween((RingPiece("a", 1), RingPiece("b", 3)), (3, 3))
        laid = self.derived(document, recipe)
        self.assertEqual(laid["d"].trouble, "")

        def shared(made: Document) -> float:
            border = made["d"].shape.points
            rims = np.concatenate([border[[0, -1]].reshape(-1, 3), border[:, [0, -1]].reshape(-1, 3)])
            rows = np.concatenate([made["a"].shape.points[-1], made["b"].shape.points[0]])
            return max(float(np.linalg.norm(rims - row, axis=1).min()) for row in rows)

        self.assertEqual(shared(laid), 0.0)
        with tempfile.TemporaryDirectory() as folder:
            save_project(Path(folder) / "a.arabesque", Project(laid))
            back = load_project(Path(folder) / "a.arabesque").document
        self.assertFalse(any_stale(back))
        self.assertEqual(back["d"].recipe.inputs, ("a", "b"))
        points = right.points.copy()
        points[0, 1:3, 2] += 0.4
        lifted = laid.with_shape("b", right.with_points(points))
        self.assertGreater(shared(lifted), 0.3)
        lifted = rebuilt(lifted)
        self.assertEqual((lifted["d"].trouble, shared(lifted)), ("", 0.0))
        self.assertIn("deleted", rebuilt(lifted.without("a"))["d"].trouble)

    def test_stored_and_read_again_as_fresh_or_stale_as_it_was(self) -> None:
        fresh = self.derived(regions_document(), RegionShape("r", "s", np.array([25.0, 50, 0])))
        moved = replace(fresh["s"], shape=ready_to_fit(fresh["s"].shape.moved(motion(shift=[0, 0, 1.0]))))
        for document, is_stale in ((fresh, False), (fresh.with_item(moved), True)):
            with tempfile.TemporaryDirectory() as folder:
                save_project(Path(folder) / "a.arabesque", Project(document))
                back = load_project(Path(folder) / "a.arabesque").document
            self.assertEqual(stale(back, back["d"]), is_stale)
            assert isinstance(back["d"].recipe, RegionShape)
            np.testing.assert_array_equal(back["d"].recipe.place, [25.0, 50, 0])

    def test_a_recipe_of_a_newer_program_is_read_as_free(self) -> None:
        document = self.derived(regions_document(), RegionShape("r", "s", np.array([25.0, 50, 0])))
        from arabesque.model.records import Reader

        arrays: dict[str, np.ndarray] = {}

        def put(array: np.ndarray) -> str:
            arrays[str(len(arrays))] = array
            return str(len(arrays) - 1)

        record = document_record(document, put)
        record["items"][2]["recipe"] = {"is": "blend of the year 2040", "pull": 3}
        back = Reader(arrays.__getitem__).document(record)
        self.assertIsNone(back["d"].recipe)
        self.assertIn("newer Arabesque", back["d"].trouble)
        np.testing.assert_array_equal(back["d"].shape.points, document["d"].shape.points)

    def test_a_crash_brings_back_what_was_rebuilt(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            work = Work(Path(folder))
            start = regions_document()
            work.commit("regions", start)
            item = Item(
                "d", "derived", random_surface((1, 1), (1, 1)), recipe=RegionShape("r", "s", np.array([25.0, 50, 0]))
            )
            work.commit("derived", start.with_item(item))
            work.amend(rebuilt(work.document))
            assert work.journal is not None and work.journal.flush()
            work.journal.close(keep=True)
            history = recover(leftovers(Path(folder))[0]).history
        self.assertEqual(len(history.steps), 3)
        self.assertFalse(any_stale(history.document))
        self.assertIsInstance(history.document["d"].shape, Elementary)

    def test_edits_by_hand_make_free_and_motions_do_not(self) -> None:
        document = self.derived(regions_document(), RegionShape("r", "s", np.array([25.0, 50, 0])))
        plain: list[tuple[str, Callable[[Document, Item[Any]], Any]]] = [
            ("raised", lambda d, i: edits.patches.degree_raised(d, i, 1, 1)),
            ("split", lambda d, i: edits.patches.split_at(d, i, 0, 0.5, "along v")),
            ("free", edits.items.made_free),
        ]
        for words, edit in plain:
            with self.subTest(words):
                made = edit(document, document["d"]).document
                self.assertTrue(all(item.recipe is None for item in made))
        shift = motion(shift=[0, 0, 2.0])
        moved = edits.scans.others_moved(document, shift)
        assert isinstance(moved["d"].recipe, RegionShape)
        self.assertEqual(moved["d"].recipe.place[2], 2.0)
        back = edits.versions.brought_back(
            edits.versions.parked(document, document["d"]).document,
            edits.versions.parked(document, document["d"]).document["d"],
            0,
        ).document
        self.assertIsNone(back["d"].recipe)
        copy = edits.items.duplicated(document, document["d"])
        assert copy.select is not None
        self.assertFalse(stale(copy.document, copy.document[copy.select]))
        self.assertIs(settled(document, "d")["d"].shape, document["d"].shape)


if __name__ == "__main__":
    unittest.main()
