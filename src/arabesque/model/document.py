"""The document: an immutable mapping of items, and what holds for all of them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any, TypeVar

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.cages.symmetry import kept_alike
from arabesque.errors import ArabesqueError, InvalidShape
from arabesque.geometry import Plane, Surface, Twin
from arabesque.mending import ByHand, Preparing
from arabesque.model.item import Item, Origin, cleaned, new_id
from arabesque.model.remarks import Measure, Note
from arabesque.reading import Regions
from arabesque.recipes import Given, Mirror
from arabesque.scan import Scan
from arabesque.shapes import Shape

K = TypeVar("K", bound=Shape)


@dataclass(frozen=True)
class Layer:
    """A group of items with a colour, shown, dimmed or hidden together.

    colour: #rrggbb. plane: the twin plane of its items, where it is not the
    document's.
    """

    id: str
    name: str
    colour: str
    visible: bool = True
    dimmed: bool = False
    plane: Plane | None = None

    def __post_init__(self) -> None:
        object.__setattr__(self, "name", cleaned(self.name) or "Layer")
        if not re.fullmatch("#[0-9A-Fa-f]{6}", self.colour):
            raise InvalidShape(f"'{self.colour}' is no colour", "Write it as #rrggbb")


LAYER_COLOURS = ("#5B7F95", "#8A6FA8", "#6E8B4E", "#B07A3C", "#A05C6B", "#4F8C86")
"""Colours that new layers take in turn: apart from one another and from the deviation colours."""


@dataclass(frozen=True, eq=False)
class Document:
    """Everything a project holds.

    items:     by id, in the order of the Outline
    tolerance: mm
    unit:      the unit in which lengths are shown and typed
    reference: id of the reference scan, or None
    layers:    in the order of the Outline
    plane:     the twin plane
    notes, measures: that papers show
    """

    items: Mapping[str, Item[Any]] = field(default_factory=dict)
    tolerance: float = 0.2
    unit: str = "mm"
    reference: str | None = None
    layers: tuple[Layer, ...] = ()
    plane: Plane = field(default_factory=lambda: Plane.coordinate(1))
    notes: tuple[Note, ...] = ()
    measures: tuple[Measure, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "items", MappingProxyType(dict(self.items)))

    def __iter__(self) -> Iterator[Item[Any]]:
        return iter(self.items.values())

    def __getitem__(self, item_id: str) -> Item[Any]:
        return self.items[item_id]

    def __contains__(self, item_id: object) -> bool:
        return item_id in self.items

    @property
    def reference_scan(self) -> Scan | None:
        """The scan that fits and checks refer to."""
        item = self.items.get(self.reference or "")
        return item.shape if item is not None and isinstance(item.shape, Scan) else None

    def of(self, kind: type[K]) -> list[Item[K]]:
        """The items whose shape is of a kind, in order."""
        return [item for item in self if isinstance(item.shape, kind)]

    def surfaces(self) -> list[Item[Surface]]:
        """The items that are surfaces, in order."""
        return self.of(Surface)

    def plane_of(self, item: Item[Any]) -> Plane:
        """The twin plane of an item: its layer's, or the document's."""
        layer = self.layer_of(item)
        return self.plane if layer is None or layer.plane is None else layer.plane

    def images_of(self, item: Item[Any]) -> list[Item[Any]]:
        """The live mirror images of an item."""
        return [other for other in self if isinstance(other.recipe, Mirror) and other.recipe.of == item.id]

    def with_images(self, items: list[Item[K]]) -> list[Item[K]]:
        """Items, each followed by its live mirror images; none comes twice."""
        images: dict[str, list[Item[Any]]] = {}
        for other in self:
            if isinstance(other.recipe, Mirror):
                images.setdefault(other.recipe.of, []).append(other)
        found = {one.id: one for item in items for one in (item, *images.get(item.id, ()))}
        return list(found.values())

    def layer_of(self, item: Item[Any]) -> Layer | None:
        """The layer an item lies on."""
        return next((layer for layer in self.layers if layer.id == item.layer), None)

    def shows(self, item: Item[Any]) -> bool:
        """True when neither the item nor its layer is hidden."""
        layer = self.layer_of(item)
        return item.look.visible and (layer is None or layer.visible)

    def dims(self, item: Item[Any]) -> bool:
        """True when the item or its layer is dimmed."""
        layer = self.layer_of(item)
        return item.look.dimmed or (layer is not None and layer.dimmed)

    def with_layer(self, layer: Layer) -> Document:
        """The document with a layer added, or put in place of the one with its id."""
        known = any(old.id == layer.id for old in self.layers)
        layers = tuple(layer if old.id == layer.id else old for old in self.layers)
        return replace(self, layers=layers if known else (*layers, layer))

    def without_layer(self, layer_id: str) -> Document:
        """The document without a layer; its items stay, on no layer."""
        items = {key: replace(i, layer=None) if i.layer == layer_id else i for key, i in self.items.items()}
        return replace(self, items=items, layers=tuple(layer for layer in self.layers if layer.id != layer_id))

    def new_layer(self, name: str = "") -> Layer:
        """A layer with a free name and the next colour, not yet in the document."""
        taken = {layer.name for layer in self.layers}
        name = name or next(f"Layer {n}" for n in range(1, len(taken) + 2) if f"Layer {n}" not in taken)
        return Layer(new_id(), name, LAYER_COLOURS[len(self.layers) % len(LAYER_COLOURS)])

    def with_item(self, item: Item[Any]) -> Document:
        """The document with an item added at the end, or put in place of the one with its id."""
        added = replace(self, items={**self.items, item.id: item})
        if isinstance(item.shape, Scan) and self.reference is None:
            added = replace(added, reference=item.id)
        return added

    def with_shape(self, item_id: str, shape: Shape) -> Document:
        """The document with another shape for one item.

        A patch that follows its mirror image is tied to it again. Pins stay
        while the patch has the same control rows. A derived item is free from
        then on: its shape is no longer what its recipe makes.
        """
        item: Item[Any] = self.items[item_id]
        if item.recipe is not None:
            item = replace(item, recipe=None, made_of=(), trouble="")
        if isinstance(shape, Surface | Cage):
            before: Any = item.shape if type(item.shape) is type(shape) else None
            tied: Any = shape
            if item.ties.twin is not None:
                shape = tied = _tied(shape, item.ties.twin, self.plane_of(item), before)
            if before is not None and before.points.shape != tied.points.shape:
                item = replace(item, ties=replace(item.ties, pins=frozenset()))
        return self.with_item(replace(item, shape=shape))

    def with_twin(self, item_id: str, twin: Twin | None) -> Document:
        """The document with a patch tied to its mirror image, or to none; raises InvalidShape where it cannot be.

        Where the image is another patch it is there, made by ``Mirror``; where not, there is none.
        """
        document = self.tied_again(item_id, twin)
        item = document[item_id]
        if twin is not None and twin.has_image:
            return document.with_image(item_id, twin.axis)
        for image in document.images_of(item):
            document = document.without(image.id)
        return document

    def with_image(self, item_id: str, axis: int = 0) -> Document:
        """The document with a live mirror image of an item behind it; one that is there already is made anew."""
        item = self.items[item_id]
        recipe, plane = Mirror(item_id, axis), self.plane_of(item)
        shape = recipe.build(Given({item_id: item.shape}, plane=plane))
        made: dict[str, Any] = {"shape": shape, "recipe": recipe, "made_of": (item.shape, plane), "trouble": ""}
        known = self.images_of(item)
        if known:
            return self.changed(known[0].id, **made)
        name = self.free_name(f"{item.name}, mirrored")
        image = Item(f"{item_id} image", name, look=item.look, layer=item.layer, **made)
        if image.id in self.items:
            image = replace(image, id=new_id())
        items = {}
        for key, one in self.items.items():
            items[key] = one
            if key == item_id:
                items[image.id] = image
        return replace(self, items=items)

    def tied_again(self, item_id: str, twin: Twin | None) -> Document:
        """The document with the control points of a patch tied, after the twin plane or the patch was changed."""
        item = self.items[item_id]
        if twin is not None and isinstance(item.shape, Surface | Cage):
            item = replace(item, shape=_tied(item.shape, twin, self.plane_of(item)))
        return self.with_item(replace(item, ties=replace(item.ties, twin=twin)))

    def with_plane(self, plane: Plane, layer_id: str | None = None) -> Document:
        """The document with another twin plane, for all or for a layer; every patch is tied to it again."""
        if layer_id is None:
            document = replace(self, plane=plane)
        else:
            layers = (replace(old, plane=plane) if old.id == layer_id else old for old in self.layers)
            document = replace(self, layers=tuple(layers))
        for item in self:
            if item.ties.twin is not None and document.plane_of(item) is not self.plane_of(item):
                document = document.tied_again(item.id, item.ties.twin)
        return document

    def changed(self, item_id: str, **changes: Any) -> Document:
        """The document with other values of one item's fields."""
        return self.with_item(replace(self.items[item_id], **changes))

    def scan_of(self, item: Item[Any]) -> Scan | None:
        """The scan that an item's regions are drawn on, if it is there and has as many triangles."""
        for source in item.origin.made_from:
            shape = self.items[source].shape if source in self.items else None
            if isinstance(shape, Scan) and isinstance(item.shape, Regions):
                return shape if len(shape.triangles) == len(item.shape.labels) else None
        return None

    def prepared(
        self, item_id: str, scan: Scan, words: str, motion: Floats | None = None, step: Preparing | None = None
    ) -> tuple[Document, str]:
        """The document with what was made of a scan, and the id it has.

        A scan as it came in stays, hidden, as the parent of the prepared one;
        a prepared scan that nothing else was made from is replaced. words:
        what was done. step: that does it again; None for what only a hand can do.
        """
        step = ByHand(words) if step is None else step
        item = self.items[item_id]
        origin = item.origin
        others = any(item_id in other.origin.made_from for other in self)
        if origin.made_from and not others:
            total = motion if origin.motion is None else origin.motion if motion is None else motion @ origin.motion
            said = ", ".join(filter(None, (origin.words, words)))
            again = replace(item, shape=scan, origin=Origin(origin.made_from, said, total, None, (*origin.steps, step)))
            return self.with_item(again), item_id
        made = Item(
            new_id(),
            self.free_name("Prepared"),
            scan,
            Origin((item_id,), words, motion, None, (step,)),
            layer=item.layer,
        )
        document = self.changed(item_id, look=replace(item.look, visible=False)).with_item(made)
        if self.reference == item_id:
            document = replace(document, reference=made.id)
        return document, made.id

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


def _tied(shape: Any, twin: Twin, plane: Plane, before: Any = None) -> Any:
    """A patch or cage tied to its mirror image again; raises InvalidShape where it cannot be."""
    return kept_alike(shape, plane, before) if isinstance(shape, Cage) else twin.kept(shape, plane, before)
