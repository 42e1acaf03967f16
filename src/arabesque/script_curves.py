"""Curves from Python that are taken from what is there, and changed: their ends, their degree, in parts."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Manner, curve_feet, reversed_curve
from arabesque.model import edits
from arabesque.recipes import AreaBorder, EndOf, ParameterLine
from arabesque.script_base import AnyItem, Lends
from arabesque.tracing import joined_curves, lengthened, lower_curve, matched, raise_curve, reaching


class ShapesCurves(Lends):
    """Edits of curves; ``script.Project`` is one. A derived curve that is changed is free from then on."""

    def parameter_line(self, patch: AnyItem, axis: str, share: float) -> AnyItem:
        """The line along "u" or "v" of a patch, at a share of the other parameter's range; it follows the patch."""
        if axis not in ("u", "v"):
            raise ArabesqueError(f"'{axis}' is no parameter", "Give u or v")
        recipe = ParameterLine(self.item(patch.id).id, 1 if axis == "u" else 0, share)
        return self._derived(f"line along {axis}", "Curve", recipe)

    def area_border(self, regions: AnyItem, inside: ArrayLike, near: ArrayLike, poles: int | None = None) -> AnyItem:
        """The border of the area of regions that holds a (3,) place, the ring of it that passes near another."""
        found = self.item(regions.id)
        scan = next((key for key in found.origin.made_from if key in self.document), "")
        recipe = AreaBorder(found.id, scan, np.array(inside, dtype=float), np.array(near, dtype=float), poles or 0)
        return self._derived("border of an area", "Curve", recipe)

    def marked_border(self, mask: ArrayLike) -> list[AnyItem]:
        """Curves round the triangles of the reference scan for which ``mask``, (n,), is true."""
        before = set(self.document.items)
        self._do(edits.curves.bordered(self.document, self.scan, np.asarray(mask, dtype=bool)))
        return [item for item in self.items if item.id not in before]

    def reshape(self, item: AnyItem, shape: Any, words: str = "reshaped") -> AnyItem:
        """Another shape for an item. words: what was done."""
        now = self.item(item.id)
        self._do(edits.items.reshaped(self.document, now, words, shape))
        return self.item(item.id)

    def match_end(self, curve: AnyItem, at_end: bool, to: tuple[AnyItem, ArrayLike], order: int = 1) -> AnyItem:
        """Bring an end of a curve to an end of another, or to a patch's edge, with G0, G1 or G2. to: the item, and a
        (3,) place near its end or on its edge."""
        end = EndOf(self.item(to[0].id).id, np.array(to[1], dtype=float))
        there = end.read(self.item(end.of).shape)
        return self.reshape(curve, matched(self._curve(curve), at_end, there, order), "end matched")

    def lengthen(self, curve: AnyItem, at_end: bool, length: float, manner: Manner = Manner.NATURAL) -> AnyItem:
        """Run an end of a curve on by ``length`` mm, or trim it back below 0."""
        return self.reshape(curve, lengthened(self._curve(curve), at_end, length, manner), "end moved")

    def reach(self, curve: AnyItem, at_end: bool, other: AnyItem, manner: Manner = Manner.NATURAL) -> AnyItem:
        """Run an end of a curve on, or trim it back, until it ends where it comes nearest to another curve."""
        made = reaching(self._curve(curve), at_end, self._curve(other), manner)
        return self.reshape(curve, made, "run on to a curve")

    def join(self, one: AnyItem, two: AnyItem, order: int = 1, within: float | None = None) -> AnyItem:
        """One curve from two whose nearest ends meet half-way with G0, G1 or G2. within: mm that they may be apart; the
        project's tolerance if not given."""
        first, second = self._curve(one), self._curve(two)
        made = joined_curves(first, second, order, self.tolerance if within is None else within)
        self._do(edits.curves.joined(self.document, self.item(one.id), self.item(two.id), made, f"G{order}"))
        return self.item(one.id)

    def split(self, curve: AnyItem, place: ArrayLike) -> tuple[AnyItem, AnyItem]:
        """A curve cut in two where it passes nearest to a (3,) place."""
        before = set(self.document.items)
        at = float(curve_feet(self._curve(curve), np.array(place, dtype=float)[None]).parameters[0])
        self._do(edits.curves.split_here(self.document, self.item(curve.id), at))
        (rest,) = (item for item in self.items if item.id not in before)
        return self.item(curve.id), rest

    def turn_round(self, curve: AnyItem) -> AnyItem:
        """Let a curve run the other way."""
        return self.reshape(curve, reversed_curve(self._curve(curve)), "turned round")

    def change_degree(self, curve: AnyItem, up: bool) -> tuple[AnyItem, float]:
        """One degree more or less, and how far that moved the curve, mm."""
        shape = self._curve(curve)
        made, moved = (raise_curve(shape), 0.0) if up else lower_curve(shape)
        return self.reshape(curve, made, f"degree {made.degree}"), moved

    def make_symmetric(self, item: AnyItem, from_end: bool) -> AnyItem:
        """One half of a patch or curve and its image.

        from_end: the half on the side that the twin plane's normal shows to stays.
        """
        self._do(edits.twins.made_symmetric(self.document, self.item(item.id), from_end))
        return self.item(item.id)

    def take_apart(self, network: AnyItem) -> list[AnyItem]:
        """The patches of a network as items of their own."""
        before = set(self.document.items)
        self._do(edits.curves.apart(self.document, self.item(network.id)))
        return [item for item in self.items if item.id not in before]

    def _curve(self, item: AnyItem) -> Curve:
        shape = self.item(item.id).shape
        if not isinstance(shape, Curve):
            raise ArabesqueError(f"{item.name} is no curve", "Give a curve")
        return shape
