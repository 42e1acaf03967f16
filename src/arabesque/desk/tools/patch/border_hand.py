"""The border lines of a patch under way: what each side runs along, and how the hand changes that."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.session import Session
from arabesque.desk.tools.on_guides import guide_under, guides_of
from arabesque.desk.tools.on_patches import NEAR
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, polyline
from arabesque.fitting import BorderLine, Borders, border_lines, sides_after
from arabesque.model.rebuild import given
from arabesque.recipes import PatchOnScan, Side, onto, reordered


class BorderHand:
    """sides: what each of the four runs along. lines: how they run now, (n, 3) places each; none without corners.

    pulled: number of the side that the hand holds, or None.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self.sides: list[Side] = [Side()] * 4
        self.lines: list[Floats] = []
        self.pulled: int | None = None
        self._before: list[Floats] | None = None

    @property
    def four(self) -> tuple[Side, Side, Side, Side]:
        """The sides, for a recipe."""
        one, two, three, four = self.sides
        return one, two, three, four

    @property
    def handles(self) -> list[Floats]:
        """The middle of each line, where it is pulled."""
        return [line[len(line) // 2] for line in self.lines]

    def draw(self, corners: list[Floats]) -> list[BorderLine]:
        """The lines between corners as they are now; raises ArabesqueError where they make no patch, or a side has
        nothing to lie on any more."""
        scan = self._session.scan
        assert scan is not None
        recipe = PatchOnScan(np.array(corners), None, Borders.CALM, self.four)
        lines = border_lines(np.array(corners), scan, recipe.through(given(self._session.document, recipe)))
        self.lines = [line.points for line in lines]
        return lines

    def reorder(self, before: Floats, after: Floats) -> None:
        """The corners were put in another order: the sides, and what is held, follow."""
        self.sides = reordered(self.sides, before, after)
        if self._before is not None:
            self._before = [self._before[int(np.linalg.norm(before - one, axis=1).argmin())] for one in after]
        if self.pulled is not None:
            order = sides_after(before, after)
            self.pulled = next((k for k, (number, _) in enumerate(order) if number == self.pulled), None)

    def take(self, pointer: Pointer) -> bool:
        """The handle under the pointer, if there is one."""
        self.pulled = next((i for i, place in enumerate(self.handles) if pointer.near(place)), None)
        self._before = None
        return self.pulled is not None

    def pull(self, pointer: Pointer, corners: list[Floats], skipped: str | None) -> bool:
        """The held side through where the hand is, or onto a line under it; its corners then go onto that line.

        skipped: id of an item whose lines do not count. Returns whether anything changed.
        """
        number = self.pulled
        assert number is not None
        # corners that went onto a line on the way come back when the hand leaves it
        self._before = list(corners) if self._before is None else self._before
        corners[:] = self._before
        found = self._line_under(pointer, corners, skipped)
        hit = pointer.on_scan(self._session.scan)
        if found is None and hit is None:
            return False
        if found is not None:
            self.sides[number], line = found
            for k in (number, (number + 1) % 4):
                corners[k] = line[int(np.linalg.norm(line - corners[k], axis=1).argmin())]
        elif hit is not None:
            self.sides[number] = Side(through=hit[None])
        return True

    def kept_on(self, corner: int, hit: Floats) -> Floats:
        """Where a corner goes that is dragged: it stays on the line that one of its sides lies on."""
        document, scan = self._session.document, self._session.scan
        for side in (self.sides[corner], self.sides[corner - 1]):
            at = side.at
            if side.plane and scan is not None:
                place: Floats = scan.closest(onto(document.plane, hit[None])).points[0]
                return place
            if side.on in document and at is not None:
                lines = [line.points for line in self._session.kept(guides_of, document[side.on].shape)]
                line = min(lines, key=lambda one: float(np.linalg.norm(one - at, axis=1).min()))
                nearest: Floats = line[int(np.linalg.norm(line - hit, axis=1).argmin())]
                return nearest
        return hit

    def _line_under(self, pointer: Pointer, corners: list[Floats], skipped: str | None) -> tuple[Side, Floats] | None:
        """A line of an item, or else the twin plane's, that the pointer is at."""
        line = guide_under(self._session, pointer, skipped)
        found = None if line is None else (Side(on=line.item.id, at=line.place), line.guide.points)
        scan, plane = self._session.scan, self._session.document.plane
        hit = pointer.on_scan(scan)
        if found is None and hit is not None and scan is not None and pointer.on_plane(plane, hit, NEAR):
            ends = np.array([corners[k] for k in (self.pulled or 0, ((self.pulled or 0) + 1) % 4)])
            return Side(plane=True), scan.closest(onto(plane, np.vstack([ends, hit]))).points
        return found

    def _word(self, side: Side) -> str:
        """What a side runs along, in a word."""
        if side.plane:
            return "twin plane"
        if side.through is not None:
            return "pulled"
        return self._session.document[side.on].name if side.on in self._session.document else ""

    def parts(self) -> list[Lines | Discs | Label]:
        """The lines, the strongest thing in the picture, with their handles and what they run along."""
        if not self.lines:
            return []
        segments = np.concatenate([polyline(line) for line in self.lines])
        states = np.array([2.0 if i == self.pulled else 3.0 for i in range(len(self.lines))])
        words = [(place, self._word(side)) for place, side in zip(self.handles, self.sides, strict=True)]
        return [
            Lines(segments, theme.now().accent, 2.6, on_top=True),
            Discs(np.array(self.handles), states, 3.5),
            *(Label(place, word) for place, word in words if word),
        ]
