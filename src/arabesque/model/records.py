"""Documents as plain records and named arrays: what project files and the journal store."""

import hashlib
import io
import weakref
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arabesque.errors import FileProblem
from arabesque.geometry import Curve, Surface
from arabesque.model.document import Document, Item, Layer, Look, Shape
from arabesque.scan import Scan

FORMAT = 1

AnyArray = NDArray[Any]
Put = Callable[[AnyArray], str]
Get = Callable[[str], AnyArray]


def array_name(array: AnyArray) -> str:
    """The name of an array's content: its SHA-256, with type and shape."""
    digest = hashlib.sha256(f"{array.dtype.str}{array.shape}".encode())
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


def document_record(document: Document, put: Put) -> dict[str, Any]:
    """The document without its arrays; ``put`` stores an array and returns its name."""
    return {
        "format": FORMAT,
        "tolerance_mm": document.tolerance,
        "unit": document.unit,
        "reference": document.reference,
        "layers": [asdict(layer) for layer in document.layers],
        "items": [
            {
                "id": item.id,
                "name": item.name,
                "made_from": list(item.made_from),
                "note": item.note,
                "look": asdict(item.look),
                "layer": item.layer,
                "shape": _shape_record(item.shape, put),
            }
            for item in document
        ],
    }


def document_from(record: dict[str, Any], get: Get) -> Document:
    """The document of a record; ``get`` returns the array of a name.

    Raises FileProblem for a record of a newer format.
    """
    if record["format"] > FORMAT:
        raise FileProblem("This project was saved by a newer Arabesque", "Open it with that version")
    items = {}
    for entry in record["items"]:
        items[entry["id"]] = Item(
            id=entry["id"],
            name=entry["name"],
            shape=_shape_from(entry["shape"], get),
            made_from=tuple(entry["made_from"]),
            note=entry["note"],
            look=Look(**entry["look"]),
            layer=entry["layer"],
        )
    layers = tuple(Layer(**layer) for layer in record["layers"])
    return Document(items, record["tolerance_mm"], record["unit"], record["reference"], layers)


def _shape_record(shape: Shape, put: Put) -> dict[str, Any]:
    if isinstance(shape, Scan):
        return {"kind": "scan", "points": put(shape.points), "triangles": put(shape.triangles)}
    weights = None if shape.weights is None else put(shape.weights)
    if isinstance(shape, Curve):
        return {
            "kind": "curve",
            "degree": shape.degree,
            "knots": put(shape.knots),
            "points": put(shape.points),
            "weights": weights,
        }
    return {
        "kind": "surface",
        "degree": list(shape.degree),
        "knots": [put(k) for k in shape.knots],
        "points": put(shape.points),
        "weights": weights,
    }


def _shape_from(record: dict[str, Any], get: Get) -> Shape:
    kind = record["kind"]
    if kind == "scan":
        return Scan(get(record["points"]), get(record["triangles"]))
    weights = None if record["weights"] is None else get(record["weights"])
    if kind == "curve":
        return Curve(record["degree"], get(record["knots"]), get(record["points"]), weights)
    u, v = record["knots"]
    return Surface((record["degree"][0], record["degree"][1]), (get(u), get(v)), get(record["points"]), weights)
