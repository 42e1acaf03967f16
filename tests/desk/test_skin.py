"""The saddle's top as one skin, by clicks: big patches, blends with rows on the scan, fills, one half mirrored."""

import numpy as np
from PyQt6.QtCore import Qt

from arabesque.arrays import Floats
from arabesque.checking import find_joins, measure_both_ways
from arabesque.demo import Heron
from arabesque.desk.tools.patch.blend_edges import BlendEdges
from arabesque.desk.tools.patch.fill_opening import FillBetween
from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.patch.match_edges import MatchEdges
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.tools.patch.picked_border import rim_of
from arabesque.geometry import Plane, Surface
from arabesque.joining.border import nearest_shares
from arabesque.model import Item, any_stale
from tests.desk.support import CTRL, NO, SHIFT, WindowTest

FORM = Heron()
TAIL, BACK, FRONT, NOSE, TIP = 36.0, 80.0, 182.0, 210.0, 238.0
"""Where the patches begin and end along the saddle, mm; the sharp edge lies at 62."""
SHARP, INSIDE, FLOOR = 62.0, 62.7, 4.0
"""The sharp edge; the floor is laid beside it, and matched to it."""
RIM, LOWEST = 1.06, 1.2
"""The rim's borders as ``rolled`` counts."""


def top(x: float, y: float) -> Floats:
    """The place of the top above (x, -y)."""
    return np.array(FORM.at_plan(x, -y))


def rolled(x: float, rho: float) -> Floats:
    """The place of the near half at x on the line rho = const. of the form: 1 is where the rim has rolled half."""
    low, high = 0.05, np.pi - 0.05
    for _ in range(60):
        middle = (low + high) / 2
        place = FORM.evaluate(np.array([[rho * np.cos(middle), -rho * np.sin(middle)]]))[0]
        low, high = (middle, high) if place[0] > x else (low, middle)
    return place


class SkinTest(WindowTest):
    """Every step by clicks and keys; 120,000 triangles."""

    def test_the_top_of_the_saddle(self) -> None:
        self.open_heron(120_000)
        self.window.resize(1280, 800)
        patches = self.big_patches()
        made = self.between()
        tail, floor, _, nose, rim, _ = patches
        self.filled(tail, floor, nose, rim, made)
        halves = [item for item in self.session.document if isinstance(item.shape, Surface)]
        self.mirrored(halves)
        faces = self.faces()
        self.assertGreaterEqual(len(faces), 14)
        self.judged(faces)
        steps = len(self.session.history.steps)
        self.pulled(patches[2])
        self.assertEqual(len(self.session.history.steps), steps + 1)
        self.assertFalse(any_stale(self.session.document))
        self.assertEqual([item.trouble for item in self.session.document if item.trouble], [])
        self.assertTrue(all(self.session.document[item.id].shape is not item.shape for item in made[:1]))
        self.smooth(self.faces())
        self.symmetric()

    # the steps

    def big_patches(self) -> list[Item]:
        """Tail, channel floor, flank, nose, and the rim along flank and nose: what is calm, apart from each other."""
        self.session.set_tolerance(0.17)
        self.look("top")
        tail = self.laid([top(TAIL, 0), top(SHARP, 0), rolled(SHARP, 0.84), rolled(TAIL, 0.84)], True)
        self.look("top", top((SHARP + FRONT) / 2, FLOOR), 70)
        floor = self.laid([top(INSIDE, 0), top(FRONT, 0), top(FRONT, FLOOR), top(INSIDE, FLOOR)], True)
        for item in (tail, floor):
            self.seated(item)
        self.matched(top(INSIDE, 2), top(SHARP, 12))
        self.look("top")
        self.session.set_tolerance(0.1)
        self.idle()
        flank = self.laid([top(BACK, 18), top(FRONT, 16), rolled(FRONT, 0.84), rolled(BACK, 0.84)])
        nose = self.laid([top(NOSE, 0), top(TIP, 0), rolled(TIP, 0.84), rolled(NOSE, 0.84)], True)
        self.seated(nose)
        self.look("left side")
        rim, tip = (
            self.laid(
                [rolled(x, rho) for x, rho in ((low, RIM), (high, RIM), (high, LOWEST), (low, LOWEST))],
                onto=[rolled((low + high) / 2, RIM), rolled((low + high) / 2, LOWEST)],
            )
            for low, high in ((TAIL, FRONT), (NOSE, TIP))
        )
        return [tail, floor, flank, nose, rim, tip]

    def between(self) -> list[Item]:
        """Blends along the channel, to tail, nose and rim; what is left between them filled."""
        self.look("top")
        made = [
            self.blended(top(SHARP, 40), rolled(SHARP, 0.84), top(SHARP, 18), top(BACK, 40)),
            self.blended(top(120, FLOOR), top(FRONT, FLOOR), top(BACK, FLOOR), top(120, 17), True),
            self.blended(top(NOSE, 30), rolled(NOSE, 0.84), top(NOSE, 16), top(FRONT, 40)),
            self.blended(top(NOSE, 30), top(NOSE, FLOOR), top(NOSE, 0), top(FRONT, 2)),
        ]
        self.look("left side")
        made += [
            self.blended(rolled(120, RIM), rolled(FRONT, RIM), rolled(BACK, RIM), rolled(120, 0.84)),
            self.blended(rolled(50, RIM), rolled(SHARP, RIM), rolled(TAIL, RIM), rolled(50, 0.84)),
            self.blended(rolled(225, RIM), rolled(TIP, RIM), rolled(NOSE, RIM), rolled(225, 0.84)),
            self.blended(rolled(FRONT, 1.13), rolled(FRONT, RIM), rolled(FRONT, LOWEST), rolled(NOSE, 1.13)),
        ]
        return made

    def filled(self, tail: Item, floor: Item, nose: Item, rim: Item, blends: list[Item]) -> None:
        """The four openings that the blends leave, by clicks on their borders."""
        back, channel, front, end, roll, tail_roll, nose_roll, along = blends
        self.look("top")
        self.fill((tail, top(SHARP, 10)), (back, top(70, 18)), (channel, top(BACK, 10)), (floor, top(70, FLOOR)),
                  sharp=True)  # fmt: skip
        self.fill((channel, top(FRONT, 10)), (front, top(196, 16)), (nose, top(NOSE, 10)), (end, top(196, FLOOR)))
        self.look("left side")
        self.fill(
            (back, rolled(70, 0.84)), (roll, rolled(BACK, 0.95)), (rim, rolled(70, RIM)),
            (tail_roll, rolled(SHARP, 0.95)),
        )  # fmt: skip
        self.fill(
            (front, rolled(196, 0.84)), (roll, rolled(FRONT, 0.95)), (along, rolled(196, RIM)),
            (nose_roll, rolled(NOSE, 0.95)),
        )  # fmt: skip

    def mirrored(self, items: list[Item]) -> None:
        """All of one half at once."""
        for number, item in enumerate(items):
            self.session.select(item.id, number > 0)
        self.key(Qt.Key.Key_S)
        self.choose("Mirror all")
        self.idle()

    # one step each

    def look(self, direction: str, at: Floats | None = None, radius: float = 0.0) -> None:
        """From a side: everything, or what lies round a place."""
        self.window.sight.look_along(direction)
        if at is not None:
            axes = self.view.camera.axes
            self.view.look(self.view.camera.seen_from(at, axes[2], axes[1], radius))
        self.idle()

    def newest(self) -> Item:
        return list(self.session.document)[-1]

    def laid(self, corners: list[Floats], plane: bool = False, onto: list[Floats] | None = None) -> Item:
        """A patch from four corners, its first side on the twin plane, or sides on lines that pass places."""
        before = {item.id for item in self.session.document}
        self.key(Qt.Key.Key_Escape)
        self.session.select(None)
        self.key(Qt.Key.Key_N)
        tool = self.window.hand.tool
        assert isinstance(tool, FourCornerPatch)
        for corner in corners:
            self.click(corner)
        self.idle()
        for k, place in enumerate([(corners[0] + corners[1]) / 2 * [1, 0, 1]] if plane else onto or []):
            ends = np.array(corners[2 * k : 2 * k + 2])
            away = [min(np.abs(line[[0, -1]] - run).sum() for run in (ends, ends[::-1])) for line in tool.borders.lines]
            self.drag(self.pixel(tool.borders.handles[int(np.argmin(away))]), self.pixel(place))
            self.idle()
        self.key(Qt.Key.Key_Return)
        self.key(Qt.Key.Key_Escape)
        self.idle()
        (item,) = [item for item in self.session.document if item.id not in before]
        return item

    def seated(self, item: Item) -> None:
        self.session.select(item.id)
        self.key(Qt.Key.Key_S)
        self.choose("Seat the nearest edge")
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_T)
        self.idle()

    def matched(self, moves: Floats, to: Floats) -> None:
        """G0 only: the sharp edge."""
        self.key(Qt.Key.Key_K, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, MatchEdges)
        tool.options.order, tool.options.rows = 0, 6
        tool.options_changed()
        self.click(moves)
        self.click(to)
        self.idle()
        self.key(Qt.Key.Key_Return)
        self.key(Qt.Key.Key_Escape)

    def blended(self, long: Floats, high: Floats, low: Floats, whole: Floats, best: bool = False) -> Item:
        """From a part of one border, between two places, to another one, with rows on the scan; best: with the best
        pulls."""
        before = {item.id for item in self.session.document}
        if not isinstance(self.window.hand.tool, BlendEdges):
            self.session.select(None)
            self.key(Qt.Key.Key_K)
        tool = self.window.hand.tool
        assert isinstance(tool, BlendEdges)
        self.click(long)
        self.click(whole)
        self.idle()
        tool.options.middle = 2
        rim = rim_of(self.session, tool.picked[0])
        assert rim is not None
        shares = np.sort(nearest_shares(rim, np.array([low, high])))
        for field, share in zip(("one_from", "one_to"), shares, strict=True):
            handle = next(handle for handle in tool._handles() if handle.field == field)
            if abs(share - getattr(tool.options, field)) > 0.01:
                self.drag(self.pixel(tool._place(handle)), self.pixel(rim.surface.at(rim.places(share[None]))[0]))
                self.idle()
        tool.options_changed()
        self.idle()
        if best:
            next(choice for choice in tool.choices if choice.label.startswith("Find the nearest pulls")).run()
            self.idle()
        self.key(Qt.Key.Key_Return)
        self.idle()
        (item,) = [item for item in self.session.document if item.id not in before]
        return item

    def fill(self, *borders: tuple[Item, Floats], sharp: bool = False) -> None:
        """Borders are clicked at the middle of the part that is meant; the scan leads inside. sharp: the first one is
        met with its place only."""
        if not isinstance(self.window.hand.tool, FillBetween):
            self.session.select(None)
            self.key(Qt.Key.Key_Escape)
            self.key(Qt.Key.Key_F, SHIFT)
        tool = self.window.hand.tool
        assert isinstance(tool, FillBetween)
        tool.options.scan = True
        for number, (item, near) in enumerate(borders):
            rims = self.session.document[item.id].shape.rims()
            lines = [rim.surface.at(rim.places(np.linspace(0, 1, 201))) for rim in rims]
            line = min(lines, key=lambda one: float(np.linalg.norm(one - near, axis=1).min()))
            place = line[int(np.linalg.norm(line - near, axis=1).argmin())]
            self.click(place, CTRL if sharp and not number else NO)
            self.assertEqual(tool.picked[-1].key, item.id)
        self.idle()
        self.assertIsNotNone(tool.made)
        self.key(Qt.Key.Key_Return)
        self.idle()

    def choose(self, words: str) -> None:
        """A line of the Inspector."""
        self.idle()
        next(choice for choice in self.window.hand.tool.choices if words in choice.label).run()
        self.idle()

    # what it is judged by

    def faces(self) -> list[Surface]:
        return [item.shape for item in self.session.document if isinstance(item.shape, Surface)]

    def judged(self, faces: list[Surface]) -> None:
        """Within 0.2 mm both ways for 99 %, and symmetric to the bit."""
        scan = self.session.scan
        assert scan is not None
        both = measure_both_ways(faces, scan, 0.2)
        self.assertLess(max(both.surface_to_scan.inlier_p99, both.scan_to_surface.inlier_p99), 0.2)
        self.smooth(faces)
        self.symmetric()

    def smooth(self, faces: list[Surface]) -> None:
        """Every join is G2 within 5 %, but for the sharp edge at the channel's beginning."""
        joins = find_joins(faces)
        sharp = [join for join in joins if np.abs(join.points[:, 0] - SHARP).max() < 1 and join.grade() == 0]
        self.assertEqual(len(sharp), 4)
        self.assertGreater(min(float(join.angle.max()) for join in sharp), 10)
        self.assertEqual([join.word() for join in joins if join not in sharp and join.grade() < 2], [])
        self.assertGreaterEqual(len(joins), 2 * 32)

    def symmetric(self) -> None:
        """The image of every face is another face, or itself, to the last bit."""
        nets = {face.points.tobytes() for face in self.faces()}
        for face in self.faces():
            images = [face.mirrored(Plane.coordinate(1), axis).points.tobytes() for axis in (0, 1)]
            self.assertTrue(nets & set(images))

    def pulled(self, item: Item) -> None:
        """A point in the middle of a patch is dragged by about a millimetre, along the normal."""
        self.key(Qt.Key.Key_Escape)
        before = self.session.document[item.id].shape
        self.session.select(item.id)
        self.window.hand.take_up(MovePoints)
        row, column = before.points.shape[0] // 2, before.points.shape[1] // 2
        place = before.points[row, column]
        self.look("left side", place, 30)
        self.drag(self.pixel(place), self.pixel(place + np.array([0, 0, 1.0])), SHIFT)
        self.idle()
        moved = np.linalg.norm(self.session.document[item.id].shape.points - before.points, axis=2).max()
        self.assertAlmostEqual(float(moved), 1.0, delta=0.35)
