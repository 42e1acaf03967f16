"""The checks as glances in the real window."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, Qt

from arabesque.desk.looks import Along, Glance
from arabesque.desk.tools import CombsCheck, GlossCheck, JoinsCheck, SectionsCheck
from arabesque.desk.view.scene import GlossKind
from arabesque.geometry import split_surface
from arabesque.model import Item
from tests.desk.support import WindowTest


class GlanceTest(WindowTest):
    def test_every_glance_by_its_number(self) -> None:
        self.patched()
        for glance in Glance:
            self.key(glance.key)
            self.idle()
            self.assertIn(glance, self.session.looks.glances)
            self.key(glance.key)
            self.assertNotIn(glance, self.session.looks.glances)

    def test_all_at_once_and_plain(self) -> None:
        """Checks never exclude each other."""
        self.patched()
        for glance in Glance:
            self.key(glance.key)
        self.idle()
        self.assertEqual(self.session.looks.glances, frozenset(Glance))
        self.key("0")
        self.assertEqual(self.session.looks.glances, frozenset())

    def test_sections_follow_their_form(self) -> None:
        self.patched()
        tool = self.window.take_up(SectionsCheck)
        self.idle()
        self.assertIn(Glance.SECTIONS, self.session.looks.glances)
        before = sum(len(lines.segments) for lines in self.view.scene.lines)
        tool.options.along, tool.options.spacing = Along.Y, 5.0
        tool.options_changed()
        self.idle()
        after = sum(len(lines.segments) for lines in self.view.scene.lines)
        self.assertNotEqual(before, after)
        self.assertEqual(self.session.looks.sections.spacing, 5.0)

    def test_sections_follow_a_drag(self) -> None:
        """Editing and checking never exclude each other: the section moves while a point is dragged."""
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

    def test_combs_tell_their_flaws(self) -> None:
        self.patched()
        self.window.take_up(CombsCheck)
        self.idle()
        facts = {fact.label: fact.value for fact in self.window.tool.facts}
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
        plain = self.view.picture().astype(int)
        tool = self.window.take_up(GlossCheck)
        tool.options.stripes = GlossKind.LIGHT
        tool.options_changed()
        self.idle()
        picture = self.view.picture().astype(int)
        differs = np.abs(picture - plain).max(axis=2) > 8
        self.assertGreater(differs.sum(), 5000)
        striped = picture[differs]
        self.assertGreater((striped.mean(axis=1) > 200).mean(), 0.15)
        self.assertGreater((striped.mean(axis=1) < 60).mean(), 0.15)
        same = 0
        for v in np.linspace(0.1, 0.9, 17):
            sides = []
            for half, share in zip(halves, (0.96, 0.04), strict=True):
                (u0, u1), (v0, v1) = half.domain
                sides.append(half.at(np.array([[u0 + share * (u1 - u0), v0 + v * (v1 - v0)]]))[0])
            one, two = (self.colour(side).mean() for side in sides)
            same += abs(one - two) < 60
        self.assertGreaterEqual(same, 13)

    def test_reflection_differs_from_stripes_and_moves_with_the_bars(self) -> None:
        self.patched()
        self.key("5")
        self.idle()
        studio = self.view.picture().astype(int)
        self.session.looks.gloss.turn = 120.0
        self.session.changed.emit()
        self.idle()
        turned = self.view.picture().astype(int)
        self.assertGreater((np.abs(studio - turned).max(axis=2) > 20).sum(), 300)

    def test_joins_are_listed(self) -> None:
        self.patched()
        first, second = split_surface(self.surface(), 0, 0.5)
        document = self.session.document.with_item(Item("a", "Front", first)).with_item(Item("b", "Rear", second))
        item = self.session.surface_item
        assert item is not None
        self.session.commit("split", document.without(item.id))
        self.idle()
        self.window.take_up(JoinsCheck)
        self.idle()
        words = [choice.label for choice in self.window.tool.choices]
        self.assertEqual(len(words), 1)
        self.assertIn("Front – Rear: G3", words[0])
        self.assertTrue(any("G3" in label.text for label in self.view.scene.labels))
        bent = second.points.copy()
        bent[1] += [0, 0, 0.8]
        self.session.commit("bent", self.session.document.with_shape("b", second.with_points(bent)))
        self.idle()
        self.assertIn("G0", self.window.tool.choices[0].label)
