"""Every field of every kind in a project file given what it must not be: refused as damage, or taken whole."""

import copy
import io
import json
import tempfile
import unittest
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from arabesque.errors import FileProblem
from arabesque.geometry import Manner, Plane
from arabesque.model import (
    DamagedProject,
    Document,
    Item,
    Milestone,
    Project,
    Ties,
    Version,
    edits,
    load_project,
    rescue_project,
    save_project,
    settled,
)
from arabesque.recipes import (
    BlendBetween,
    BorderOf,
    CombinedBody,
    CrossingOf,
    CurveOnScan,
    CutBy,
    ExtendedFace,
    FillOpening,
    FillWith,
    LoftThrough,
    MatchedEdge,
    MatchedTo,
    PatchBetween,
    PatchOfCurves,
    PatchOnScan,
    Putting,
    RecastFace,
    RegionShape,
    RingPiece,
    RoundBetween,
    SectionCurve,
    SetOffSurface,
    SewnBody,
    ThickenedBody,
    Thickness,
    TrimmedBy,
)
from tests.examples import every_kind, random_surface

BAD: tuple[Any, ...] = (
    None, "text", "", True, -1, 7, 10**12, 0.5, float("nan"), float("inf"), -1e300, [], {}, [[]], {"a": 1}, [None],
)  # fmt: skip


def project() -> Project:
    """One item of every kind, with a twin, a version, pins, a layer, recipes of every sort and a milestone."""
    document = every_kind()
    layer = replace(document.new_layer("Post"), plane=Plane(np.array([1.0, 0, 0]), 3.0))
    document = document.with_layer(layer).changed("curve", layer=layer.id)
    document = edits.twins.mirrored_live(document, document["surface"]).document
    shape = document["surface"].shape
    ties = replace(document["surface"].ties, pins=frozenset({(1, 1)}))
    document = document.changed("surface", ties=ties, versions=(Version("version 1", shape, Ties()),))
    corners = np.array([[0.0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 9, 0]])
    ring = (RingPiece("surface", 1), RingPiece(place=np.zeros(3)))
    for key, recipe in (
        ("laid", PatchOnScan(corners, (2, 2))),
        ("between", PatchBetween(ring)),
        ("blend", BlendBetween(BorderOf("surface", 1), BorderOf("laid", 3, 1, (0.2, 0.9), (1.0, 1.2, 0.8)))),
        (
            "to image",
            BlendBetween(BorderOf("surface", -1, line="curve"), BorderOf("laid", 3), mirrored=True, lines=("drawn",)),
        ),
        ("longer", ExtendedFace("trimmed", (0, 2), 1.0, "laid", Manner.STRAIGHT)),
        ("thick", ThickenedBody(("surface",), 2.5, Thickness.BOTH)),
        ("sewn", SewnBody(("surface", "laid"), 0.02)),
        ("together", CombinedBody("body", ("true shape",), Putting.ADD)),
        ("one side", RecastFace("laid", others=("trimmed",), side=2)),
        ("matched", MatchedTo(random_surface((2, 2), (1, 1)), (MatchedEdge(1, BorderOf("surface", 3), 4),))),
        ("set off", SetOffSurface("surface", 2.5)),
        ("trimmed", TrimmedBy("surface", (CutBy("curve", -1, np.eye(3)[2], 1.0),), np.full((1, 2), 0.5))),
        ("round", RoundBetween("surface", "laid", np.zeros(3), (1, -1), (2.0, 3.0, 4.0))),
        ("recast", RecastFace("trimmed", (4, 3), (2, 5))),
        ("fill", FillOpening((BorderOf("surface", 1), BorderOf("laid", 0)), FillWith.FOUR_SIDED, ("curve",), True)),
        ("found", RegionShape("regions", "scan", np.ones(3))),
        ("lofted", LoftThrough(("curve", "drawn"))),
        ("over", PatchOfCurves(("curve", "drawn", "cut", "found"), (3, 2))),
    ):
        document = settled(document.with_item(Item(key, key, random_surface((2, 2), (1, 1)), recipe=recipe)), key)
    curve = document["curve"].shape
    for key, recipe in (
        ("drawn", CurveOnScan(np.eye(3), corners=(1,))),
        ("crossed", CrossingOf("surface", "laid", np.zeros(3), 5)),
        ("cut", SectionCurve(np.eye(3)[0], 5.0, *np.eye(3), side=np.eye(3)[:2])),
    ):
        document = settled(document.with_item(Item(key, key, curve, recipe=recipe)), key)
    return Project(document, (Milestone("First", document),))


def telling(record: Any) -> Iterator[tuple[Any, ...]]:
    """The way to every value in a record, but for the second and later ones in a list within an item."""
    for path in places(record):
        if not any(isinstance(step, int) and step > 0 for step in path[2:]):
            yield path


def places(record: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The way to every value in a record, but for milestones, which hold the same again."""
    inner = record.items() if isinstance(record, dict) else enumerate(record) if isinstance(record, list) else ()
    for key, value in inner:
        if key != "milestones":
            yield (*path, key)
            yield from places(value, (*path, key))


class FieldsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path, self.again = (Path(folder.name) / name for name in ("a.arabesque", "b.arabesque"))
        save_project(self.path, project())
        with zipfile.ZipFile(self.path) as archive:
            self.record = json.loads(archive.read("document.json"))
            self.arrays = {name: archive.read(name) for name in archive.namelist() if name.startswith("arrays/")}

    def write(self, text: str) -> None:
        content = io.BytesIO()
        with zipfile.ZipFile(content, "w") as archive:
            archive.writestr("document.json", text)
            for name, array in self.arrays.items():
                archive.writestr(name, array)
        self.path.write_bytes(content.getvalue())

    def assert_sound(self, document: Document) -> None:
        """What came in can be worked with: told of, saved, and read again as it is."""
        self.assertTrue(0 < document.tolerance < 1e6)
        for item in document:
            for words in (item.id, item.name, item.origin.words, item.trouble, *item.origin.made_from):
                self.assertIsInstance(words, str)
            box = item.shape.box
            self.assertTrue(box is None or np.isfinite(box).all())
            item.shape.moved(np.eye(4))
            document.plane_of(item)
            document.shows(item)
        save_project(self.again, Project(document))
        self.assertEqual([item.name for item in load_project(self.again).document], [item.name for item in document])

    def test_every_field(self) -> None:
        taken = refused = 0
        self.record["milestones"] = []  # which hold the same again
        for number, path in enumerate(telling(self.record)):
            # all bad values for each place would take minutes: they take turns
            bad = BAD[number % len(BAD)]
            record = copy.deepcopy(self.record)
            inner = record
            for key in path[:-1]:
                inner = inner[key]
            inner[path[-1]] = bad
            self.write(json.dumps(record))
            with self.subTest(path=path, bad=bad):
                try:
                    document = load_project(self.path).document
                except FileProblem as problem:
                    refused += 1
                    self.assertTrue(problem.cause and problem.cure)
                    if isinstance(problem, DamagedProject):
                        self.rescue()
                else:
                    taken += 1
                    self.assert_sound(document)
        self.assertGreater(refused, taken)
        self.assertGreater(taken, 20)

    def rescue(self) -> None:
        """What can still be read of it can be worked with too."""
        try:
            rescued = rescue_project(self.path)
        except FileProblem:
            return
        self.assert_sound(rescued.document)

    def test_what_cannot_be_unpacked(self) -> None:
        """Deep nesting, entries that unpack to a thousand times their size, a torus that goes round for ever."""
        self.write("[" * 100_000)
        with self.assertRaises(FileProblem):
            load_project(self.path)
        with zipfile.ZipFile(self.path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("document.json", json.dumps(self.record) + " " * 50_000_000)
        self.assertLess(self.path.stat().st_size, 200_000)
        with self.assertRaises(FileProblem):
            load_project(self.path)
        (shape,) = (item["shape"] for item in self.record["items"] if item["shape"]["is"] == "true shape")
        shape["bounds"] = [[0.0, 1e12], shape["bounds"][1]]
        self.write(json.dumps(self.record))
        with self.assertRaises(FileProblem):
            load_project(self.path)


if __name__ == "__main__":
    unittest.main()
