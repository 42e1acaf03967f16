"""Documents as plain records and named arrays: what project files and the journal store.

One general codec over frozen dataclasses of numbers, words, enumerations, tuples and arrays, read and written by
their type hints; a field that is missing has its default, so that newer programs may add some.
"""

from __future__ import annotations

import hashlib
import io
import json
import types
import weakref
from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass, replace
from enum import Enum
from functools import cache
from math import isfinite
from typing import Any, Union, get_args, get_origin, get_type_hints

import numpy as np
from numpy.typing import NDArray

from arabesque.errors import ArabesqueError, FileProblem
from arabesque.geometry import Elementary, Patchwork, Plane
from arabesque.mending import PREPARINGS, Preparing
from arabesque.model.document import Document, Layer
from arabesque.model.formats import FORMAT, IMAGES_ARE_ITEMS, upgraded
from arabesque.model.item import Item
from arabesque.model.kinds import KINDS, kind_of
from arabesque.model.rebuild import order, settled, stale
from arabesque.model.remarks import Measure, Note
from arabesque.recipes import RECIPES, Recipe
from arabesque.shapes import Shape
from arabesque.units import scale_to_mm

AnyArray = NDArray[Any]
Put = Callable[[AnyArray], str]
Get = Callable[[str], AnyArray]
Record = dict[str, Any]

DAMAGE = (
    ArabesqueError, LookupError, ValueError, TypeError, AttributeError, ArithmeticError, EOFError, RecursionError,
)  # fmt: skip
"""What reading a record may raise that is not what it should be."""
INLINE = 16
"""Arrays of so few numbers stand in the record itself."""

_SHAPES = {kind.word: kind.made for kind in KINDS}
_KEPT: dict[type[Any], tuple[str, ...]] = {
    Elementary: ("kind", "frame", "sizes", "bounds"),
    Item: tuple(field.name for field in fields(Item) if field.name != "made_of"),
}
"""Fields from which the others follow."""
_MAKERS: dict[type[Any], Callable[..., Any]] = {Elementary: Elementary.make}
LATER = ("notes", "measures")
"""Of the head of a document, what older files do not have."""
_HEAD = ("tolerance", "unit", "reference", "layers", "plane", *LATER)


def array_name(array: AnyArray) -> str:
    """The name of an array's content: its SHA-256, with type and shape."""
    digest = hashlib.sha256(f"{array.dtype.str}{array.shape}".encode())
    if array.size:
        digest.update(np.ascontiguousarray(array).data.cast("B"))
    return digest.hexdigest()


def stored_array(content: bytes) -> AnyArray:
    """The read-only array of an .npy file's content; raises ValueError when it is damaged in any way."""
    try:
        array: AnyArray = np.load(io.BytesIO(content), allow_pickle=False)
    except Exception as problem:
        raise ValueError("damaged array") from problem
    array.setflags(write=False)
    return array


class ArrayNames:
    """Names of arrays, each computed once for as long as the array lives: scans are large."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[weakref.ref[AnyArray], str]] = {}

    def __call__(self, array: AnyArray) -> str:
        known = self._known.get(id(array))
        if known is not None and known[0]() is array:
            return known[1]
        name = array_name(array)
        if not array.flags.writeable:
            key = id(array)
            self._known[key] = weakref.ref(array, lambda _: self._known.pop(key, None)), name
        return name


# the codec


def encoded(value: Any, put: Put) -> Any:
    """A value as JSON can hold it; ``put`` stores an array and returns its name. Raises TypeError for any other."""
    if isinstance(value, np.generic):
        return value.item()
    if value is None or isinstance(value, bool | int | float | str):
        return value
    if isinstance(value, Enum):
        return value.name
    if isinstance(value, np.ndarray):
        return value.tolist() if 0 < value.size <= INLINE else put(value)
    if isinstance(value, tuple):
        return [encoded(one, put) for one in value]
    if isinstance(value, frozenset):
        return [encoded(one, put) for one in sorted(value)]
    if isinstance(value, Recipe | Preparing):
        return {"is": value.word, **{name: encoded(getattr(value, name), put) for name in _kept(type(value))}}
    if is_dataclass(value) and not isinstance(value, type):
        record = {name: encoded(getattr(value, name), put) for name in _kept(type(value))}
        return {"is": kind_of(value).word, **record} if type(value) in _MADE_AS_SHAPES else record
    raise TypeError(f"a {type(value).__name__} cannot be stored")


def decoded(hint: Any, record: Any, get: Get) -> Any:
    """The value that a record of a hinted type stands for; raises TypeError, KeyError or ValueError for any other."""
    origin, arguments = get_origin(hint), get_args(hint)
    if origin in (Union, types.UnionType):
        if record is None:
            return None
        (hint,) = (one for one in arguments if one is not type(None))
        return decoded(hint, record, get)
    if origin is np.ndarray:
        return get(record) if isinstance(record, str) else _inline(record, get_args(arguments[1])[0])
    if origin is tuple:
        every = arguments[:1] * len(record) if arguments[-1] is ... else arguments
        return tuple(decoded(one, value, get) for one, value in zip(every, record, strict=True))
    if origin is frozenset:
        return frozenset(decoded(arguments[0], value, get) for value in record)
    if hint is Recipe:
        return _dataclass(_RECIPES[record["is"]], record, get)
    if hint is Preparing:
        return _dataclass(_PREPARINGS[record["is"]], record, get)
    if hint is Shape:
        return _dataclass(_SHAPES[record["is"]], record, get)
    if isinstance(hint, type) and issubclass(hint, Enum):
        return hint[record]
    if is_dataclass(hint):
        assert isinstance(hint, type)
        return _dataclass(hint, record, get)
    if hint in (bool, int, float, str):
        return _plain(hint, record)
    raise TypeError(f"a {hint} cannot be read")


def _plain(hint: type[Any], record: Any) -> Any:
    """A truth value, a finite number or a text, as it is hinted and not as it might be taken for."""
    wanted = (int, float) if hint is float else hint
    if not isinstance(record, wanted) or (isinstance(record, bool) and hint is not bool):
        raise TypeError(f"{record!r} is no {hint.__name__}")
    if hint is float and not isfinite(record):
        raise ValueError(f"{record!r} is not finite")
    return hint(record)


def _dataclass(made: type[Any], record: Record, get: Get) -> Any:
    hints = _hints(made)  # type: ignore[arg-type]
    values = {name: decoded(hints[name], record[name], get) for name in _kept(made) if name in record}
    return _MAKERS.get(made, made)(**values)


def _inline(values: list[Any], dtype: Any) -> AnyArray:
    array: AnyArray = np.array(values, dtype=dtype)
    if not np.isfinite(array).all():
        raise ValueError("an array holds what is not finite")
    array.setflags(write=False)
    return array


def _kept(made: type) -> tuple[str, ...]:
    return _KEPT.get(made) or tuple(field.name for field in fields(made))


@cache
def _hints(made: type) -> dict[str, Any]:
    hints = get_type_hints(made)
    if made is Item:
        return {**hints, "shape": Shape}
    # a patch of it may be a true shape
    return {**hints, "surfaces": tuple[Shape, ...]} if issubclass(made, Patchwork) else hints


_MADE_AS_SHAPES = set(_SHAPES.values())
_RECIPES = {recipe.word: recipe for recipe in RECIPES}
_PREPARINGS = {step.word: step for step in PREPARINGS}


# documents


class Reader:
    """Reads records; equal ones give the same value, so that steps, milestones and recoveries share their shapes."""

    def __init__(self, get: Get) -> None:
        self._get = get
        self._known: dict[tuple[Any, str], Any] = {}

    def value(self, hint: Any, record: Any) -> Any:
        """The value of a record, always the same for records of the same content."""
        key = hint, json.dumps(record, sort_keys=True)
        if key not in self._known:
            self._known[key] = decoded(hint, record, self._get)
        return self._known[key]

    def item(self, record: Record) -> Item[Any]:
        """An item; its shape and those of its versions are shared too. A recipe from a newer program is left out."""
        recipe = record.get("recipe")
        if recipe is not None and recipe["is"] not in _RECIPES:
            record = {**record, "recipe": None, "trouble": "Made by a newer Arabesque: it no longer follows"}
        key = Item, json.dumps(record, sort_keys=True)
        if key not in self._known:
            plain = decoded(Item, record, self._get)
            versions = zip(plain.versions, record["versions"], strict=True)
            self._known[key] = replace(
                plain,
                shape=self.value(Shape, record["shape"]),
                versions=tuple(replace(one, shape=self.value(Shape, other["shape"])) for one, other in versions),
            )
        return self._known[key]

    def document(self, record: Record) -> Document:
        """The document of a record of any format; raises FileProblem for a newer one."""
        if record["format"] > FORMAT:
            raise FileProblem("This project was saved by a newer Arabesque", "Open it with that version")
        images_apart = record["format"] < IMAGES_ARE_ITEMS
        record = upgraded(record)
        items = {entry["id"]: self.item(entry) for entry in record["items"]}
        if len(items) != len(record["items"]) or any(key != item.id for key, item in items.items()):
            raise ValueError("two items have one id")
        made = self._settled(_checked(replace(self._head(Document(), record), items=items)), record["items"])
        return _with_images(made) if images_apart else made

    def changed(self, before: Document, changes: Record) -> Document:
        """The document after what ``document_changes`` told."""
        known = {**before.items, **{entry["id"]: self.item(entry) for entry in changes["items"]}}
        images_apart = changes["format"] < IMAGES_ARE_ITEMS
        made = replace(self._head(before, changes), items={key: known[key] for key in changes["order"]})
        made = self._settled(_checked(made), changes["items"])
        return _with_images(made) if images_apart else made

    @staticmethod
    def _settled(document: Document, records: list[Record]) -> Document:
        """The document with the derived items that were not stale when they were written as made of what is there."""
        for record in records:
            if record.get("recipe") is not None and not record.get("stale") and document[record["id"]].recipe:
                document = settled(document, record["id"])
        return document

    def _head(self, document: Document, record: Record) -> Document:
        hints = {"layers": tuple[Layer, ...], "plane": Plane, "reference": str | None, "tolerance": float, "unit": str,
                 "notes": tuple[Note, ...], "measures": tuple[Measure, ...]}  # fmt: skip
        there = [name for name in _HEAD if name in record or name not in LATER]
        return replace(document, **{name: self.value(hints[name], record[name]) for name in there})


def _checked(document: Document) -> Document:
    """The document, if its parts can stand together; raises ValueError or ArabesqueError where they cannot."""
    document.with_tolerance(document.tolerance)
    scale_to_mm(document.unit)
    layers = {layer.id for layer in document.layers}
    if len(layers) != len(document.layers) or any(item.layer not in {None, *layers} for item in document):
        raise ValueError("the layers do not fit")
    if document.reference is not None and document.reference_scan is None:
        raise ValueError("the reference is no scan")
    order(document)
    return document


def _with_images(document: Document) -> Document:
    """A document of an older format with the mirror images of its patches, which did not stand in the file."""
    for item in list(document):
        twin = item.ties.twin
        if twin is not None and twin.has_image:
            document = document.with_image(item.id, twin.axis)
    return document


def document_record(document: Document, put: Put) -> Record:
    """The document without its arrays; ``put`` stores an array and returns its name."""
    return {"format": FORMAT, **_head_record(document, put), "items": _item_records(document, list(document), put)}


def document_changes(before: Mapping[str, Item[Any]], document: Document, put: Put) -> Record:
    """What is to be stored of a document where one with the items ``before`` is stored already."""
    fresh = [item for item in document if before.get(item.id) is not item]
    return {
        "format": FORMAT,
        **_head_record(document, put),
        "order": list(document.items),
        "items": _item_records(document, fresh, put),
    }


def _item_records(document: Document, items: list[Item[Any]], put: Put) -> list[Record]:
    return [{**encoded(item, put), **({"stale": True} if stale(document, item) else {})} for item in items]


def _head_record(document: Document, put: Put) -> Record:
    return {name: encoded(getattr(document, name), put) for name in _HEAD}
