"""The checks as glances in the real window."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication

from arabesque.checking import way_figures
from arabesque.desk.checks import CHECKS
from arabesque.desk.checks.combs import Combs, CombsOn
from arabesque.desk.checks.gloss import GlossLook, Stripes
from arabesque.desk.checks.sections import CutKind, Sections, spacing_of
from arabesque.desk.facts import Choice
from arabesque.desk.looks import Along
from arabesque.desk.tools.check.judge import GlossCheck, JoinsCheck
from arabesque.desk.tools.check.judge_form import Against, DistanceCheck, FormCheck, NetCheck
from arabesque.desk.tools.check.judge_lines import CombsCheck, SectionsCheck
from arabesque.desk.tools.patch.blend_edges import BlendEdges
from arabesque.desk.tools.patch.fill_opening import FillBetween
from arabesque.desk.tools.patch.trim import TrimSurface
from arabesque.desk.view.scene import GlossKind
from arabesque.geometry import Surface, foot_points, split_surface, uniform_knots
from arabesque.model import Document, Item
from arabesque.recipes import INSIDE, MatchedTo
from tests.desk.support import SHIFT, WindowTest


class GlanceTest(WindowTest):
    drawn = True

    def test_every_glance_by_its_number(self) -> None:
        self.patched()
        for check in CHECKS:
            self.key(check.key)
            self.idle()
            self.assertIn(check.id, self.session.looks.on)
            self.key(check.key)
            self.assertNotIn(check.id, self.session.looks.on)

    def test_all_at_once_and_plain(self) -> None:
        """Checks never exclude each other."""
        self.patched()
        for check in CHECKS:
            self.key(check.key)
        self.idle()
        self.assertEqual(self.session.looks.on, {check.id for check in CHECKS})
        self.key("0")
        self.assertEqual(self.session.looks.on, frozenset())

    def test_sections_follow_their_form(self) -> None:
        self.patched()
        tool = self.window.hand.take_up(SectionsCheck)
        self.idle()
        self.assertIn("sections", self.session.looks.on)
        before = sum(len(lines.segments) for lines in self.view.scene.lines)
        tool.options.along, tool.options.spacing = Along.Y, 5.0
        tool.options_changed()
        self.idle()
        after = sum(len(lines.segments) for lines in self.view.scene.lines)
        self.assertNotEqual(before, after)
        self.assertEqual(self.session.looks.of(Sections()).spacing, 5.0)

    def test_sections_and_both_ways_follow_a_drag(self) -> None:
        """Editing and checking never exclude each other: section and figures move while a point is dragged."""
        self.patched()
        self.key("2")
        self.idle()
        self.key(Qt.Key.Key_M)
        point = self.surface().points[1, 1]
        start = self.pixel(point)
        self.press(start)

        def drawn() -> np.ndarray:
            strong = [lines for lines in self.view.scene.lines if lines.width == 2.0 and len(lines.segments) > 50]
            return strong[0].segments

        self.idle()
        still = drawn()
        self.drag_to(start, start + QPoint(12, -9))
        moved = drawn()
        self.assertTrue(still.shape != moved.shape or np.abs(still - moved).max() > 1e-3)
        item, scan = self.session.surface_item, self.session.scan
        assert item is not None and scan is not None
        way = self.session.back(item)
        assert way is not None
        feet = foot_points(self.surface(), way.points[way.counts])
        true = np.linalg.norm(feet.points - way.points[way.counts], axis=1)
        np.testing.assert_allclose(np.abs(way.distances), true, atol=1e-3)
        p99 = way_figures([way], self.session.document.tolerance).inlier_p99
        # the figure now, and behind it the ghost of the one before the drag
        shown = self.window.fit_strip.back.value.text()
        self.assertTrue(shown.startswith(f"{p99:.3f} <span"), shown)
        self.key(Qt.Key.Key_Escape)
        self.idle()
        self.assertNotIn("<span", self.window.fit_strip.back.value.text())

    def test_combs_tell_their_flaws(self) -> None:
        self.patched()
        self.window.hand.take_up(CombsCheck)
        self.idle()
        facts = {fact.label: fact.value for fact in self.window.hand.tool.facts}
        self.assertEqual(facts["Lines"], "10")

    def test_stripes_are_dark_and_light_and_cross_a_split_unbroken(self) -> None:
        """Sampled pixels: only patches are striped, and both sides of an exact split show the same stripe."""
        self.patched()
        surface = self.surface()
        halves = split_surface(surface, 0, 0.5)
        item = self.session.surface_item
        assert item is not None
        document = self.session.document.without(item.id)
        for number, half in enumerate(halves):
            document = document.with_item(Item(f"h{number}", f"Half {number}", half))
        self.session.commit("split", document)
        self.session.select(None)
        self.idle()
        plain = self.picture().astype(int)
        tool = self.window.hand.take_up(GlossCheck)
        tool.options.stripes = GlossKind.LIGHT
        tool.options_changed()
        self.idle()
        picture = self.picture().astype(int)
        differs = np.abs(picture - plain).max(axis=2) > 8
        self.assertGreater(differs.sum(), 5000)
        striped = picture[differs]
        self.assertGreater((striped.mean(axis=1) > 200).mean(), 0.15)
        self.assertGreater((striped.mean(axis=1) < 60).mean(), 0.15)
        same = 0

        def shown(place: np.ndarray) -> float:
            at = self.pixel(place)
            return float(picture[at.y(), at.x()].mean())

        for v in np.linspace(0.1, 0.9, 17):
            sides = []
            for half, share in zip(halves, (0.96, 0.04), strict=True):
                (u0, u1), (v0, v1) = half.domain
                sides.append(half.at(np.array([[u0 + share * (u1 - u0), v0 + v * (v1 - v0)]]))[0])
            one, two = (shown(side) for side in sides)
            same += abs(one - two) < 60
        self.assertGreaterEqual(same, 13)

    def test_reflection_differs_from_stripes_and_moves_with_the_bars(self) -> None:
        self.patched()
        self.key("5")
        self.idle()
        studio = self.picture().astype(int)
        self.session.choose(Stripes(), replace(self.session.looks.of(Stripes()), turn=120.0))
        self.idle()
        turned = self.picture().astype(int)
        self.assertGreater((np.abs(studio - turned).max(axis=2) > 20).sum(), 300)

    def test_joins_are_listed(self) -> None:
        self.patched()
        first, second = split_surface(self.surface(), 0, 0.43)  # between two knots
        document = self.session.document.with_item(Item("a", "Front", first)).with_item(Item("b", "Rear", second))
        item = self.session.surface_item
        assert item is not None
        self.session.commit("split", document.without(item.id))
        self.idle()
        self.window.hand.take_up(JoinsCheck)
        self.idle()
        words = [choice.label for choice in self.window.hand.tool.choices]
        self.assertEqual(len(words), 1)
        self.assertIn("Front – Rear: G3", words[0])
        self.assertTrue(any("G3" in label.text for label in self.view.scene.labels))
        bent = second.points.copy()
        bent[1] += [0, 0, 0.8]
        self.session.commit("bent", self.session.document.with_shape("b", second.with_points(bent)))
        self.idle()
        self.assertIn("G0", self.window.hand.tool.choices[0].label)
        # the join is gone to, and one click repairs it; the edge that moved back follows from then on
        tool = self.window.hand.tool
        assert isinstance(tool, JoinsCheck)
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Below G1"], "1")
        self.assertTrue(tool.choices[0].label.startswith("▲"))
        tool.choices[0].run()
        self.idle()
        repairs = [choice for choice in tool.choices if choice.label.startswith("→")]
        self.assertEqual(
            [r.label for r in repairs],
            [
                "→ match Front to Rear with G1",
                "→ match Rear to Front with G1",
                "→ match both half way",
                "→ blend them …",
            ],
        )
        steps = len(self.session.history.steps)
        repairs[1].run()
        self.idle()
        self.assertIsInstance(self.session.document["b"].recipe, MatchedTo)
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Below G1"], "0")
        self.assertEqual(len(self.session.history.steps), steps + 1)
        self.session.undo()
        self.idle()
        self.assertTrue(self.window.fit_strip.joins.isVisible())
        self.assertIn("G0", self.window.fit_strip.joins.value.text())
        self.window.sight.show_plain()
        self.assertFalse(self.window.fit_strip.joins.isVisible())

    def wall_and_floor(self) -> JoinsCheck:
        """A floor that ends 0.3 mm before a wall, and a lid 0.4 mm from its other edge; the join with the wall is gone
        to."""
        x, y = np.meshgrid(np.linspace(0, 40, 4), np.linspace(0, 60, 4), indexing="ij")
        floor = Surface.bezier(np.stack([x, y, 0 * x], -1))
        wall = Surface.bezier(np.stack([0 * x + 40.3, y, x - 20], -1))
        lid = Surface.bezier(np.stack([x - 40.4, y, 0.2 * (x - 40)], -1))
        document = Document()
        for key, shape in (("floor", floor), ("wall", wall), ("lid", lid)):
            document = document.with_item(Item(key, key.capitalize(), shape))
        self.session.start(document, None, "opened")
        self.idle()
        self.window.hand.take_up(JoinsCheck)
        tool = self.window.hand.tool
        assert isinstance(tool, JoinsCheck)
        tool.options.reach = 1.0
        tool.options_changed()
        self.idle()
        next(choice for choice in tool.choices if "Wall" in choice.label).run()
        self.idle()
        return tool

    def repair(self, words: str) -> Choice:
        """The line of a repair."""
        return next(choice for choice in self.window.hand.tool.choices if choice.label.startswith(f"→ {words}"))

    def test_what_falls_short_is_extended_and_then_trimmed(self) -> None:
        """An edge before the inside of a wall: extended it passes by 1 mm, and the trim tool begins with both."""
        self.wall_and_floor()
        self.repair("extend Floor until it passes Wall").run()
        self.idle()
        floor = self.session.document["floor"].shape
        self.assertAlmostEqual(float(floor.box[1][0]), 41.3, places=4)
        # what crosses is not listed as a join: it is trimmed from the trim tool, to which the list proposes it before
        self.session.undo()
        self.idle()
        self.repair("trim Floor by Wall").run()
        self.idle()
        tool = self.window.hand.tool
        assert isinstance(tool, TrimSurface)
        self.assertEqual((tool.of, [one.key for one in tool.cutters]), ("floor", ["wall"]))

    def test_edges_apart_are_blended_filled_or_matched_inside(self) -> None:
        tool = self.wall_and_floor()
        self.repair("match Floor to the inside of Wall with G").run()
        self.idle()
        recipe = self.session.document["floor"].recipe
        assert isinstance(recipe, MatchedTo)
        self.assertEqual(recipe.edges[0].to.rim, INSIDE)
        self.session.undo()
        self.idle()
        next(choice for choice in tool.choices if "Lid" in choice.label).run()
        self.idle()
        for words, kind in (("blend them", BlendEdges), ("fill between", FillBetween)):
            self.window.hand.take_up(JoinsCheck)
            next(choice for choice in self.window.hand.tool.choices if "Lid" in choice.label).run()
            self.idle()
            self.repair(words).run()
            self.idle()
            proposed = self.window.hand.tool
            assert isinstance(proposed, kind)
            self.assertEqual({border.key for border in proposed.picked}, {"floor", "lid"})

    def test_an_edge_before_a_surface_is_measured_while_it_is_dragged(self) -> None:
        """In the middle of a drag, before anything is kept, the list and the picture tell the gap as it is then."""
        tool = self.wall_and_floor()
        floor = self.session.document["floor"].shape
        nearer = self.session.document.with_shape("floor", floor.with_points(floor.points + np.array([0.2, 0, 0])))
        self.session.show(self.session.moving(nearer))
        self.assertEqual({fact.label: fact.value for fact in tool.facts}["Widest gap"], "0.6000 mm")
        labels = [choice.label for choice in tool.choices if "Wall" in choice.label]
        self.assertIn("open, 0.100 mm", labels[0])
        self.session.drop_shown()

    def test_stripes_are_exact_in_every_pixel(self) -> None:
        """Dark or light by the formula: the angle between the exact normal and the axis in units of a stripe."""
        knots = uniform_knots(4, 2)
        x, y = np.meshgrid(np.linspace(0, 90, 6), np.linspace(0, 60, 6), indexing="ij")
        bent = Surface((4, 4), (knots, knots), np.stack([x, y, 14 * np.sin(x / 25) * np.cos(y / 30)], -1))
        self.session.start(Document().with_item(Item("p", "Patch", bent)), None, "opened")
        self.window.sight.look_along("slanted")
        self.session.choose(Stripes(), GlossLook(stripes=GlossKind.LIGHT))
        self.key("4")
        self.idle()
        # a camera that has just moved may leave the exact normals out where pictures take long
        self.until(lambda: not self.view.moving and self.view.scene.triangles[0].form is not None)
        picture = self.picture().astype(int)
        uv = 0.02 + 0.96 * np.random.default_rng(0).random((600, 2))
        seen = np.round(self.view.camera.project(bent.at(uv))[:, :2]).astype(int)
        # the place that the middle of the pixel shows is a little beside: those near a border of stripes do not count
        place = np.arccos(bent.normals(uv) @ [0, 0, 1]) * self.session.looks.of(Stripes()).count / np.pi
        wave = np.abs(place - np.floor(place) - 0.5) - 0.25
        clear = np.abs(wave) > 0.06
        # folded forms hide some of their places: look only where the form faces the eye
        back = bent.at(uv) - self.view.camera.eye
        clear &= np.einsum("nc,nc->n", back / np.linalg.norm(back, axis=1)[:, None], bent.normals(uv)) < -0.2
        shown = picture[seen[:, 1], seen[:, 0]].mean(axis=1)
        right = (shown > 128) == (wave > 0)
        self.assertGreater(clear.sum(), 200)
        self.assertGreater(right[clear].mean(), 0.99)


class CheckFormsTest(WindowTest):
    """The forms of the Check step over one patch of the demo."""

    drawn = True

    def setUp(self) -> None:
        super().setUp()
        self.patched()

    def facts(self) -> dict[str, str]:
        return {fact.label: fact.value for fact in self.window.hand.tool.facts}

    def wheel(self, notches: int, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """The wheel over the view, with Alt held."""
        middle = QPointF(self.view.rect().center())
        event = QWheelEvent(
            middle,
            self.view.mapToGlobal(middle),
            QPoint(),
            QPoint(0, 120 * notches),
            Qt.MouseButton.NoButton,
            keys | Qt.KeyboardModifier.AltModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(self.view, event)
        self.idle()

    def planes(self) -> Any:
        """The planes of the sections as they are now."""
        return self.session.looks.of(Sections()).planes

    def test_planes_of_every_kind(self) -> None:
        tool = self.window.hand.take_up(SectionsCheck)
        surface = self.surface()
        # one free plane, dragged along its normal by hand and moved by keys
        tool.options.kind = CutKind.FREE
        tool.options_changed()
        self.idle()
        before = self.planes().planes[0]
        middle = self.view.rect().center()
        self.drag(middle, middle + QPoint(60, 10))
        moved = self.planes().planes[0]
        self.assertGreater(abs(moved.offset - before.offset), 5.0)
        np.testing.assert_array_equal(moved.normal, before.normal)
        self.key(Qt.Key.Key_PageUp)
        self.assertAlmostEqual(self.planes().planes[0].offset - moved.offset, 1.0)
        cut = self.planes().planes[0]
        self.idle()
        strong = [lines for lines in self.view.scene.lines if lines.width in (1.4, 2.0) and lines.lift >= 1.0]
        for lines in strong:
            np.testing.assert_allclose(cut.height(lines.segments.reshape(-1, 3)), 0.0, atol=1e-6)
        self.drag(middle, middle + QPoint(40, 0), SHIFT)
        self.assertLess(self.planes().planes[0].normal @ cut.normal, 0.999)
        # round an axis, square to a clicked edge, across the picture
        tool.options.kind, tool.options.step = CutKind.ROUND, 30.0
        tool.options_changed()
        self.assertEqual(len(self.planes().planes), 6)
        tool.options.kind = CutKind.CURVE
        tool.options_changed()
        self.click(surface.at([[0.5, 0.0]])[0])
        length = np.linalg.norm(
            np.diff(surface.at(np.column_stack([np.linspace(0, 1, 99), np.zeros(99)])), axis=0), axis=1
        )
        self.assertEqual(len(self.planes().planes), int(length.sum() / 10) + 1)
        tool.options.kind = CutKind.SIGHT
        tool.options_changed()
        self.idle()
        self.key(Qt.Key.Key_Return)
        np.testing.assert_allclose(self.planes().direction, self.view.camera.axes[0], atol=1e-12)

    def test_combs_graph_wobble_and_the_wheel(self) -> None:
        self.window.hand.take_up(CombsCheck)
        self.key("3")
        self.key("3")
        self.idle()
        teeth = self.session.looks.of(Combs()).teeth
        self.wheel(2)
        self.assertAlmostEqual(self.session.looks.of(Combs()).teeth / teeth, 1.2)
        self.wheel(1, SHIFT)
        self.assertEqual(self.session.looks.of(Combs()).lines, 6)
        self.wheel(-1, SHIFT)
        self.click(self.surface().at([[0.5, 0.5]])[0])
        self.idle()
        graph = self.view.scene.graphs[0]
        self.assertEqual(len(graph.along), len(graph.curves[0][1]))
        self.assertEqual([word for word, _ in self.view.scene.graphs[1].curves], ["patch", "scan"])
        # the patch is smooth and the scan is noisy: the wave is not the patch's
        facts = self.facts()
        self.assertLess(float(facts["Wave, patch"].split()[0]), float(facts["Wave, scan"].split()[0]))
        self.assertIn("scan", facts["Wobble"])
        tool = self.window.hand.tool
        tool.options.on = CombsOn.SECTIONS
        tool.options_changed()
        self.idle()
        self.assertTrue(any(lines.width == 1.6 and len(lines.segments) > 100 for lines in self.view.scene.lines))

    def test_curvature_colours_nets_and_the_worst_places(self) -> None:
        tool = self.window.hand.take_up(FormCheck)
        self.idle()
        mesh = next(mesh for mesh in self.view.scene.triangles if mesh.values is not None)
        self.assertAlmostEqual(self.view.scene.curvature_range, float(np.percentile(np.abs(mesh.values), 95)))
        self.assertLess(np.median(mesh.values), 0)  # the flank bulges
        colour = self.colour(self.surface().at([[0.5, 0.5]])[0])
        self.assertGreater(int(colour.max()) - int(colour.min()), 6)
        islands = [choice.label for choice in tool.choices]
        self.assertEqual(self.facts()["Hollow islands"], str(len(islands)))
        self.assertTrue((mesh.values > 1e-5).any() if islands else (mesh.values <= 1e-5).all())
        self.key("0")
        tool = self.window.hand.take_up(NetCheck)
        self.assertEqual(self.facts()["Control points"], str(self.surface().count))
        before = self.view.camera.axes[2]
        self.key(Qt.Key.Key_A)
        self.assertLess(abs(self.view.camera.axes[2] @ self.surface().normals([[0.5, 0.5]])[0]), 0.35)
        self.assertLess(before @ self.view.camera.axes[2], 0.99)
        self.key("0")
        tool = self.window.hand.take_up(DistanceCheck)
        self.until(lambda: "Scan to patch" in self.facts())
        self.assertGreater(float(self.facts()["Scan to patch"].split()[0]), 0.01)
        self.assertGreaterEqual(len(tool.choices), 2)
        sizes = [abs(float(choice.label.split()[0])) for choice in tool.choices]
        self.assertEqual(sizes, sorted(sizes, reverse=True))
        grid = self.session.distances(self.session.patches[0])
        assert grid is not None
        self.assertAlmostEqual(sizes[0], float(np.abs(grid.distance[grid.valid]).max()), places=3)
        tool.choices[0].run()
        worst = np.where(grid.valid, np.abs(grid.distance), -1).argmax()
        self.assertLess((self.pixel(grid.samples.points[worst]) - self.view.rect().center()).manhattanLength(), 4)
        # a second scan right under the patch, half a millimetre higher: distances to all of them differ
        scan = self.session.scan
        assert scan is not None
        higher = type(scan)(scan.points + np.array([0, 0, 0.5]), scan.triangles)
        self.session.commit("second scan", self.session.document.with_item(Item("high", "Higher", higher)))
        tool.options.against = Against.ALL
        tool.options_changed()
        self.until(lambda: self.session.checked_scan is not self.session.scan)
        self.idle()
        both = self.session.distances(self.session.patches[0])
        assert both is not None
        np.testing.assert_array_less(np.abs(both.distance[both.valid]).max(), 0.5)

    def test_light_bars_turn_by_hand(self) -> None:
        self.window.hand.take_up(GlossCheck)
        turn = self.session.looks.of(Stripes()).turn
        middle = self.view.rect().center()
        self.drag(middle, middle + QPoint(50, 0))
        self.assertAlmostEqual(self.session.looks.of(Stripes()).turn, (turn + 20.0) % 360, delta=0.5)
        count = self.session.looks.of(Stripes()).count
        self.key("4")
        self.key("4")
        self.wheel(1)
        self.assertGreater(self.session.looks.of(Stripes()).count, count)
        light = self.picture().mean()
        for _ in range(4):
            self.wheel(1, SHIFT)
        self.assertAlmostEqual(self.session.looks.of(Stripes()).dark, 0.7)
        self.assertLess(self.picture().mean(), light)
        # small parts are cut more closely by themselves
        small = Surface.bezier([[[0, 0, 0], [0, 30, 0]], [[40, 0, 0], [40, 30, 5]]])
        self.session.start(Document().with_item(Item("p", "Small", small)), None, "small")
        self.assertEqual(spacing_of(self.session, self.session.looks.of(Sections())), 3.0)
