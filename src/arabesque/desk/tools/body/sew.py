"""Patches and faces sewn to a body: where it is open, its free borders are drawn with their widths."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from arabesque.desk.facts import Choice
from arabesque.desk.tools.body.skin import FromSkin
from arabesque.desk.tools.options import labelled
from arabesque.geometry import Surface
from arabesque.model import Item
from arabesque.recipes import SewnBody
from arabesque.solid import Body

ALONG = 33
"""Places along a border."""
NEARLY = 100.0
"""Times the width that is sewn: what is further apart is no gap but an opening."""


class SewFaces(FromSkin):
    """What is selected is taken at once; or all that shows, by a line of the form."""

    makes = SewnBody
    id = "sew"
    label = "Sew to a body"
    hint = "Click the patches that are to be one body, or take all that show"
    shortcut = "S"
    icon = "ph.stack"
    short = "Sew"
    at_work = "Sewing"

    @dataclass
    class Options:
        """within: mm up to which borders are one. cap: openings are closed. merge: faces of one surface become one."""

        within: float = labelled(0.01, "Borders within")
        cap: bool = labelled(False, "Close openings")
        merge: bool = labelled(False, "Faces of one surface are one")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, SewnBody)
        self.options.within, self.options.cap, self.options.merge = recipe.within, recipe.cap, recipe.merge

    def draft(self) -> SewnBody | None:
        o = self.options
        return SewnBody(tuple(self.picked), o.within, o.cap, o.merge) if self.picked else None

    @property
    def choices(self) -> list[Choice]:
        """What would close it, one click each; then all that shows."""
        made: Any = self.made
        return [*([] if made is None or made.told.closed else self._closing(made)), *super().choices]

    def _closing(self, made: Body) -> list[Choice]:
        borders = self._free_borders(made)
        found = [Choice("→ close the openings with faces", self._close)] if not self.options.cap else []
        near = [width for width in made.told.widths if self.options.within < width <= NEARLY * self.options.within]
        if near:
            wide = float(f"{1.05 * max(near):.2g}")
            found.append(Choice(f"→ sew borders within {wide:g} mm", partial(self._within, wide)))
        propose = self.session.asks.propose.emit
        if len(borders) > 1:
            found.append(Choice("→ fill them with a patch …", partial(propose, "fill-opening", borders)))
        found.append(Choice("→ match or extend what does not meet …", partial(propose, "check-joins", ())))
        return found

    def _free_borders(self, made: Body) -> tuple[tuple[str, int], ...]:
        """Of each free border the item, and the number of its border."""
        document = self.session.history.document
        known = [(key, k, rim.surface.at(rim.places(np.linspace(0, 1, ALONG))))
                 for key in self.picked if key in document and isinstance(document[key].shape, Surface)
                 for k, rim in enumerate(document[key].shape.rims())]  # fmt: skip
        found = []
        for line in made.told.free if known else ():
            middle = line[len(line) // 2]
            key, number, _ = min(known, key=lambda one: float(np.linalg.norm(one[2] - middle, axis=1).min()))
            found.append((key, number))
        return tuple(dict.fromkeys(found))

    def _close(self) -> None:
        self.options.cap = True
        self.form_changed.emit()
        self.try_it()

    def _within(self, wide: float) -> None:
        self.options.within = wide
        self.form_changed.emit()
        self.try_it()

    def words(self, made: Body) -> str:
        return "sewn"
