"""The document: an immutable mapping of items, and what holds for all of them."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Surface
from arabesque.scan import Scan

Shape = Scan | Curve | Surface


@dataclass(frozen=True)
class Look:
    """How an item is shown."""

    visible: bool = True
    see_through: bool = False


@dataclass(frozen=True, eq=False)
class Item:
    """One line of the Outline.

    made_from: ids of the items it was made from. note: a few words on where
    it comes from.
    """

    id: str
    name: str
    shape: Shape
    made_from: tuple[str, ...] = ()
    note: str = ""
    look: Look = field(default_factory=Look)

    @property
    def kind(self) -> str:
        """ "scan", "curve" or "surface"."""
        return type(self.shape).__name__.lower()


def new_id() -> str:
    """An id that no other item has."""
    return uuid.uuid4().hex[:12]


@dataclass(frozen=True, eq=False)
class Document:
    """Everything a project holds.

    items:     by id, in the order of the Outline
    tolerance: mm
    unit:      the unit in which lengths are shown and typed
    reference: id of the reference scan, or None
    """

    items: Mapping[str, Item] = field(default_factory=dict)
    tolerance: float = 0.2
    unit: str = "mm"
    reference: str | None = None

    def __post_init__(self) -> None:
        object.__setattr__(self, "items", MappingProxyType(dict(self.items)))

    def __iter__(self) -> Iterator[Item]:
        return iter(self.items.values())

    def __getitem__(self, item_id: str) -> Item:
        return self.items[item_id]

    def __contains__(self, item_id: object) -> bool:
        return item_id in self.items

    @property
    def reference_scan(self) -> Scan | None:
        """The scan that fits and checks refer to."""
        item = self.items.get(self.reference or "")
        return item.shape if item is not None and isinstance(item.shape, Scan) else None

    def surfaces(self, visible_only: bool = False) -> list[Item]:
        """The items that are surfaces, in order."""
        return [i for i in self if isinstance(i.shape, Surface) and (i.look.visible or not visible_only)]

    def with_item(self, item: Item) -> Document:
        """The document with an item added at the end, or put in place of the one with its id."""
        added = replace(self, items={**self.items, item.id: item})
        if isinstance(item.shape, Scan) and self.reference is None:
            added = replace(added, reference=item.id)
        return added

    def with_shape(self, item_id: str, shape: Shape) -> Document:
        """The document with another shape for one item."""
        return self.with_item(replace(self.items[item_id], shape=shape))

    def changed(self, item_id: str, **changes: Any) -> Document:
        """The document with other values of one item's fields."""
        return self.with_item(replace(self.items[item_id], **changes))

    def without(self, item_id: str) -> Document:
        """The document without one item; what was made from it stays."""
        items = {key: item for key, item in self.items.items() if key != item_id}
        reference = self.reference
        if reference == item_id:
            reference = next((i.id for i in items.values() if isinstance(i.shape, Scan)), None)
        return replace(self, items=items, reference=reference)

    def with_tolerance(self, tolerance: float) -> Document:
        """The document with another tolerance, mm; raises ArabesqueError unless it is above 0."""
        if not 0 < tolerance < 1e6:
            raise ArabesqueError("The tolerance must be above 0", "Write for example 0.2")
        return replace(self, tolerance=tolerance)

    def free_name(self, wanted: str) -> str:
        """``wanted``, with a number behind it when an item has that name already."""
        taken = {item.name for item in self}
        if wanted not in taken:
            return wanted
        return next(name for n in range(2, len(taken) + 3) if (name := f"{wanted} {n}") not in taken)
