"""Every kind in the window: drawn, hit, listed, told of; what shows is the same for picture, picking and checks."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel, QWidget

from arabesque.cages import Cage
from arabesque.desk.kept import Kept
from arabesque.desk.kinds import SHOWN, item_under, shown_of
from arabesque.desk.looks import ScanLook
from arabesque.desk.plain import hint
from arabesque.desk.tools.check.judge import JoinsCheck
from arabesque.desk.view.pointer import Pointer
from arabesque.geometry import Curve, Elementary, Patchwork, Sketch, split_surface
from arabesque.model import KINDS, Document, Item, Origin, edits
from arabesque.reading import LineSet, Regions
from tests.desk.support import WindowTest
from tests.examples import every_kind, random_surface


class EveryKindTest(WindowTest):
    drawn = True

    def setUp(self) -> None:
        super().setUp()
        self.session.start(every_kind(), None, "opened")
        self.window.sight.look_along("top")
        self.idle()

    def place(self, item: Item) -> np.ndarray:
        """A place of an item that nothing hides, seen from the top."""
        shape = item.shape
        if isinstance(shape, Curve):
            return shape.at([0.5 * sum(shape.domain)])[0]
        if isinstance(shape, LineSet):
            return shape.points[1]
        if isinstance(shape, Regions):
            return np.array([70.0, 90.0, 0.0])
        if item.id == "scan":
            return np.array([70.0, 90.0, 0.0])
        if isinstance(shape, Sketch):
            return shape.curve(0).at([0.5])[0]
        if isinstance(shape, Cage):
            return shape.at(np.array([2]), np.array([[0.5, 0.5]]))[0]
        shape = shape.surfaces[0] if isinstance(shape, Patchwork) else shape
        (u0, u1), (v0, v1) = shape.domain
        return shape.at([[(u0 + u1) / 2, (v0 + v1) / 2]])[0]

    def test_words_from_a_file_are_never_read_as_markup(self) -> None:
        """A name such as this one, read as markup, takes all memory."""
        bad = '<img src="/dev/zero"> &amp; <b>bold</b>'
        document = self.session.document
        layer = document.new_layer(bad)
        document = document.with_layer(layer)
        for item in document:
            document = document.changed(item.id, name=bad, origin=Origin((), bad), layer=layer.id, trouble=bad)
        self.session.start(document, None, "opened")
        self.window.sight.toggle("net")
        for item in document:
            self.session.select(item.id)
            self.session.tell(bad, True)
            self.idle()
            for widget in self.window.findChildren(QWidget):
                self.assertNotIn("<img", widget.toolTip())
                if isinstance(widget, QLabel) and "<img" in widget.text():
                    self.assertEqual(widget.textFormat(), Qt.TextFormat.PlainText, widget.objectName())
        model = self.window.outline.model
        rows = [model.item(row) for row in range(model.rowCount())]
        while rows:
            row = rows.pop()
            self.assertNotIn("<img", row.toolTip())
            rows += [row.child(k) for k in range(row.rowCount())]
        self.assertEqual(hint("a < b"), "<qt>a &lt; b</qt>")

    def test_both_tables_match(self) -> None:
        self.assertEqual({shown.made for shown in SHOWN}, {kind.made for kind in KINDS})
        self.assertEqual(len({shown.icon for shown in SHOWN}), len(SHOWN))
        known = {command.id for command in self.window.commands.all()}
        for shown in SHOWN:
            self.assertLessEqual(set(shown.actions), known)

    def test_each_is_drawn_and_taken_away_by_hiding(self) -> None:
        def drawn() -> int:
            scene = self.window._compose(self.view.camera)
            return len(scene.triangles) + len(scene.lines)

        whole = drawn()
        for item in every_kind():
            self.session.edit(edits.items.shown, item, False)
            self.assertLess(drawn(), whole, item.id)
            self.session.undo()

    def test_a_click_selects_whatever_it_meets_first(self) -> None:
        self.session.edit(edits.items.shown, self.session.document["surface"], False)
        for item in self.session.document:
            if item.id in ("surface", "scan", "true shape"):
                continue
            self.click(self.place(item))
            chosen = self.session.selection
            assert chosen is not None
            self.assertEqual(chosen.id, item.id)
            self.assertTrue(shown_of(chosen).facts(self.session, chosen))
        # the true shape from its side, for it is a tube; the scan where its regions are hidden
        self.session.edit(edits.items.shown, self.session.document["regions"], False)
        self.click(self.place(self.session.document["scan"]))
        assert self.session.selection is not None
        self.assertEqual(self.session.selection.id, "scan")
        self.window.sight.look_along("left side")
        self.session.edit(edits.items.shown, self.session.document["face"], False)
        rod = self.session.document["true shape"]
        self.click(self.place(rod))
        assert self.session.selection is not None
        self.assertIsInstance(self.session.selection.shape, Elementary)
        self.assertIn("8.0000 mm", [fact.value for fact in shown_of(rod).facts(self.session, rod)])
        self.click(QPoint(20, self.view.height() - 120))
        self.assertIsNone(self.session.selection)

    def test_what_does_not_show_is_not_hit(self) -> None:
        """Hidden, on a hidden layer, put aside by only-this, or a scan that is not drawn."""
        at = self.pixel(self.place(self.session.document["face"]))
        pointer = Pointer(at.x(), at.y(), self.view.camera)

        def hit() -> str | None:
            found = item_under(self.session, pointer)
            return None if found is None else found[0].id

        self.assertEqual(hit(), "face")
        self.session.edit(edits.items.dimmed, self.session.document["face"], True)
        self.assertEqual(hit(), "face")
        self.session.edit(edits.items.on_new_layer, self.session.document["face"])
        layer = self.session.document.layers[0]
        self.session.edit(edits.items.layer_changed, replace(layer, visible=False), "hidden")
        self.assertEqual(hit(), "surface")
        self.session.select("curve")
        self.window.sight.show_alone()
        self.assertEqual(hit(), "scan")
        self.window.sight.show_scans(ScanLook.HIDDEN)
        self.assertIsNone(hit())

    def test_each_is_listed_with_its_weight(self) -> None:
        model = self.window.outline.model
        for item in every_kind():
            (cell,) = model.findItems(item.name)
            weight = model.item(cell.row(), 1)
            assert weight is not None
            self.assertTrue(weight.text())
            self.assertTrue(weight.toolTip())


class SeenTest(WindowTest):
    def test_joins_figures_and_picture_agree_on_only_this(self) -> None:
        whole = random_surface((3, 3), (2, 2))
        one, two = split_surface(whole, 0, 0.5)
        document = Document().with_item(Item("a", "One", one)).with_item(Item("b", "Two", two))
        self.session.start(document, None, "opened")
        self.idle()
        tool = self.window.hand.take_up(JoinsCheck)
        self.assertEqual(len(tool.choices), 1)
        self.session.select("a")
        self.window.sight.show_alone()
        self.assertEqual(len(tool.choices), 0)
        self.assertEqual([item.id for item in self.session.patches], ["a"])
        self.session.select(None)
        self.assertIn("1 patch", self.window.fit_strip.item.value.text())
        self.key(Qt.Key.Key_Escape)
        np.testing.assert_allclose(self.session.seen.ends[1], one.box[1])
        self.window.sight.show_alone()
        self.assertEqual(len(self.session.patches), 2)
        self.assertIn("joins", self.session.looks.on)


class KeptTest(WindowTest):
    def test_what_is_kept_goes_with_what_it_was_computed_of(self) -> None:
        kept = Kept()
        calls: list[str] = []

        def weigh(surface: object, word: str, others: tuple[object, ...] = ()) -> str:
            calls.append(word)
            return word

        first, second = random_surface((2, 2), (1, 1)), random_surface((2, 2), (1, 1), seed=1)
        self.assertEqual(kept(weigh, first, "a"), "a")
        kept(weigh, first, "a")
        kept(weigh, first, "b", (second, None))
        kept(weigh, second, "a")
        self.assertEqual((calls, len(kept)), (["a", "b", "a"], 3))
        del second
        self.assertEqual(len(kept), 1)
        del first
        self.assertEqual(len(kept), 0)

    def test_a_drag_leaves_nothing_behind(self) -> None:
        """What was computed for the states of a drag goes with them."""
        self.patched()
        for glance in ("distance", "combs", "net", "form"):
            self.window.sight.toggle(glance)
        self.idle()
        item, base = self.session.surface_item, self.surface()
        assert item is not None

        def drag() -> int:
            for step in range(30):
                shape = base.with_points(base.points + 0.001 * step)
                document = self.session.document.with_shape(item.id, shape)
                self.session.show(self.session.moving(document))
                self.view.repaint()
            self.session.drop_shown()
            self.idle()
            return len(self.session.kept)

        first = drag()
        self.assertLessEqual(drag(), first + 3)
