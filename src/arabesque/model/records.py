"""Documents as plain records and named arrays: what project files and the journal store."""

import hashlib
import io
import weakref
from collections.abc import Callable
from dataclasses import asdict, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from arabesque.errors import FileProblem
from arabesque.geometry import Curve, Elementary, ElementaryKind, Plane, Seam, Surface, Trim, Twin, TwinKind
from arabesque.model.document import Document, Item, Layer, Look, Shape
from arabesque.reading import LineSet, Region, Regions, TrueShape
from arabesque.scan import Scan

FORMAT = 4

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
        "plane": _plane_record(document.plane),
        "layers": [_layer_record(layer) for layer in document.layers],
        "items": [
            {
                "id": item.id,
                "name": item.name,
                "made_from": list(item.made_from),
                "note": item.note,
                "look": asdict(item.look),
                "layer": item.layer,
                "motion": None if item.motion is None else item.motion.tolist(),
                "twin": None if item.twin is None else _twin_record(item.twin),
                "pins": [list(pin) for pin in sorted(item.pins)],
                "parked": item.parked,
                "trim": None if item.trim is None else [put(loop) for loop in item.trim.loops],
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
            motion=_motion(entry.get("motion")),
            twin=_twin(entry.get("twin")),
            pins=frozenset((int(i), int(j)) for i, j in entry.get("pins", [])),
            parked=bool(entry.get("parked", False)),
            trim=None if entry.get("trim") is None else Trim(tuple(get(name) for name in entry["trim"])),
        )
    layers = tuple(Layer(**{**layer, "plane": _plane(layer.get("plane"))}) for layer in record["layers"])
    plane = _plane(record.get("plane")) or Plane.coordinate(1)
    return Document(items, record["tolerance_mm"], record["unit"], record["reference"], layers, plane)


def _layer_record(layer: Layer) -> dict[str, Any]:
    plain = replace(layer, plane=None)
    return {**asdict(plain), "plane": None if layer.plane is None else _plane_record(layer.plane)}


def _plane_record(plane: Plane) -> dict[str, Any]:
    return {"normal": plane.normal.tolist(), "offset": plane.offset}


def _plane(record: dict[str, Any] | None) -> Plane | None:
    return None if record is None else Plane(np.array(record["normal"], dtype=float), record["offset"])


def _twin_record(twin: Twin) -> dict[str, Any]:
    return {"kind": twin.kind.name, "axis": twin.axis, "at_end": twin.at_end, "seam": twin.seam.name}


def _twin(record: dict[str, Any] | None) -> Twin | None:
    if record is None:
        return None
    return Twin(TwinKind[record["kind"]], record["axis"], record["at_end"], Seam[record["seam"]])


def _shape_record(shape: Shape, put: Put) -> dict[str, Any]:
    if isinstance(shape, Scan):
        return {"kind": "scan", "points": put(shape.points), "triangles": put(shape.triangles)}
    if isinstance(shape, Regions):
        return {"kind": "regions", "labels": put(shape.labels), "areas": [_region_record(area) for area in shape.areas]}
    if isinstance(shape, LineSet):
        return {
            "kind": "lines",
            "points": put(shape.points),
            "starts": put(shape.starts),
            "closed": list(shape.closed),
        }
    if isinstance(shape, Elementary):
        return {
            "kind": "true shape",
            "of": shape.kind.value,
            "frame": shape.frame.tolist(),
            "sizes": list(shape.sizes),
            "bounds": [list(ends) for ends in shape.bounds],
        }
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
    if kind == "regions":
        return Regions(get(record["labels"]), tuple(_region_from(area) for area in record["areas"]))
    if kind == "lines":
        return LineSet(get(record["points"]), get(record["starts"]), tuple(record["closed"]))
    if kind == "true shape":
        u, v = record["bounds"]
        return Elementary.make(
            ElementaryKind(record["of"]),
            np.array(record["frame"]),
            tuple(record["sizes"]),
            ((u[0], u[1]), (v[0], v[1])),
        )
    weights = None if record["weights"] is None else get(record["weights"])
    if kind == "curve":
        return Curve(record["degree"], get(record["knots"]), get(record["points"]), weights)
    u, v = record["knots"]
    return Surface((record["degree"][0], record["degree"][1]), (get(u), get(v)), get(record["points"]), weights)


def _motion(rows: list[list[float]] | None) -> AnyArray | None:
    if rows is None:
        return None
    matrix = np.array(rows, dtype=float).reshape(4, 4)
    matrix.setflags(write=False)
    return matrix


def _region_record(area: Region) -> dict[str, Any]:
    shape = area.shape
    if shape is None:
        return {"of": None, "by_hand": area.by_hand}
    return {
        "of": shape.kind.value,
        "by_hand": area.by_hand,
        "origin": shape.origin.tolist(),
        "axis": shape.axis.tolist(),
        "sizes": list(shape.sizes),
        "figures": [shape.rms, shape.p99, shape.largest, shape.inlier_share],
    }


def _region_from(record: dict[str, Any]) -> Region:
    if record["of"] is None:
        return Region(None, record["by_hand"])
    shape = TrueShape(
        ElementaryKind(record["of"]),
        np.array(record["origin"]),
        np.array(record["axis"]),
        tuple(record["sizes"]),
        *record["figures"],
    )
    return Region(shape, record["by_hand"])
