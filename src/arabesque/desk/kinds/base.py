"""What the window asks of every kind of shape, with answers that suit most."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar

from arabesque.checking import FormKind
from arabesque.desk import theme
from arabesque.desk.facts import Fact
from arabesque.desk.looks import Looks
from arabesque.desk.scan_views import CurvatureKind
from arabesque.desk.session import Session
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Label, Lines, Part, Scene, Triangles
from arabesque.model import Item, kind_of, stale

MARK_LIFT = 0.0015
"""How far what lies on a scan is pulled towards the eye, as a share of the scan's size."""
NEAR = 7.0
"""Pixels within which a line is meant."""


@dataclass
class Pen:
    """Draws items into a scene.

    moving: the camera moves, scans may be coarser. exact: stripes by the
    exact normals; not where pictures take long and one moves. covered: ids of
    items that the tool draws itself. form: the curvature that colours
    patches; curvature: the one that colours scans, full at so many 1/mm (None:
    at their own range).
    """

    session: Session
    looks: Looks
    scene: Scene
    moving: bool = False
    exact: bool = True
    covered: frozenset[str] = frozenset()
    form: FormKind | None = None
    curvature: CurvatureKind | None = None
    curvature_full: float | None = None

    def add(self, part: Part) -> None:
        """Add one part to the list of its kind."""
        scene = self.scene
        kinds: dict[type, list] = {
            Triangles: scene.triangles, Lines: scene.lines, Discs: scene.discs, Label: scene.labels,
        }  # fmt: skip
        kinds[type(part)].append(part)

    def set(self, **fields: Any) -> None:
        """Other values of the scene's own fields."""
        self.scene = replace(self.scene, **fields)

    def dims(self, item: Item) -> bool:
        """True for what is drawn faintly: dimmed items, and derived ones that are not yet what they would be."""
        document = self.session.document
        return document.dims(item) or stale(document, item)

    def ink(self, item: Item) -> tuple[str, float]:
        """Colour and width of an item's edges: accent when selected, else its layer's colour."""
        if any(selected.id == item.id for selected in self.session.selected_items):
            return theme.now().accent, 2.4
        layer = self.session.document.layer_of(item)
        return (theme.now().view_ink, 1.4) if layer is None else (layer.colour, 2.2)


class Shown:
    """How items of one kind show: one class a kind, listed in ``SHOWN``.

    icon: its sign in the Outline. actions: commands in its menu, besides those of every item.
    """

    made: ClassVar[type]
    icon: ClassVar[str]
    actions: ClassVar[tuple[str, ...]] = ()

    def draw(self, pen: Pen, item: Item) -> None:
        """Add the item to the picture."""
        raise NotImplementedError

    def hit(self, session: Session, item: Item, pointer: Pointer) -> float | None:
        """How deep along the pointer's ray the item is hit, mm; None where it is not."""
        raise NotImplementedError

    def facts(self, session: Session, item: Item) -> list[Fact]:
        """What the Inspector tells of it."""
        kind = kind_of(item.shape)
        return [Fact(kind.counted, str(kind.weight(item.shape)))]

    def state(self, session: Session, item: Item) -> tuple[str, str, str]:
        """Sign, words and colour of how the item stands to the scan; empty where that says nothing."""
        return "", "", ""
