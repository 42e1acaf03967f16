"""Older project formats: records are brought to the present one before anything is read of them.

1: scans, curves, surfaces. 2: regions, lines, true shapes, motions. 3: twins, pins, parked versions, twin planes.
4: trims. 5: one codec for all; origin, ties and versions of items, faces. 6: mirror images are items. 7: patches on the
scan say how their sides run. 8: sketches and patchworks are kinds of their own. 9: cages are a kind.
10: borders of cages may bend. 11: bodies are a kind.
"""

from __future__ import annotations

from typing import Any

FORMAT = 11
IMAGES_ARE_ITEMS = 6
"""The format from which on live mirror images stand in the file."""

Record = dict[str, Any]


def upgraded(record: Record) -> Record:
    """The record of a document in the present format."""
    if record["format"] >= FORMAT:
        return record
    if record["format"] >= 5:
        return {**record, "format": FORMAT, "items": [_as_it_was_laid(entry) for entry in record["items"]]}
    # an item without its shape is left as it is: whoever reads it finds that out and says so
    items = {entry["id"]: _item(entry) for entry in record["items"]}
    parked = {entry["id"]: entry for entry in record["items"] if entry.get("parked")}
    for key, entry in parked.items():
        source = next((items[name] for name in entry["made_from"] if name in items and name not in parked), None)
        if source is not None:
            version = items.pop(key)
            source["versions"].append({part: version[part] for part in ("name", "shape", "ties")})
        else:
            items[key]["look"]["visible"] = False
    return {
        "format": FORMAT,
        "tolerance": record["tolerance_mm"],
        "unit": record["unit"],
        "reference": record["reference"],
        "layers": record["layers"],
        "plane": record.get("plane") or {"normal": [0.0, 1.0, 0.0], "offset": 0.0},
        "items": list(items.values()),
    }


def _as_it_was_laid(item: Record) -> Record:
    """Before sides were held to lines, patches were held at their corners only: they stay as they were laid."""
    recipe = item.get("recipe")
    if not recipe or recipe.get("is") != "patch on the scan" or "borders" in recipe:
        return item
    return {**item, "recipe": {**recipe, "borders": "NATURAL"}}


def _item(old: Record) -> Record:
    twin = old.get("twin")
    return {
        "id": old["id"],
        "name": old["name"],
        "shape": _shape(old["shape"], old.get("trim")),
        "origin": {"made_from": old["made_from"], "words": old["note"], "motion": old.get("motion")},
        "ties": {"twin": twin, "pins": old.get("pins", [])},
        "look": dict(old["look"]),
        "layer": old["layer"],
        "versions": [],
    }


def _shape(old: Record, trim: list[str] | None) -> Record:
    kind = old["kind"]
    shape: Record = {"is": kind, **{name: value for name, value in old.items() if name != "kind"}}
    if kind == "true shape":
        shape["kind"] = shape.pop("of").upper()
    elif kind == "regions":
        shape["areas"] = [_area(area) for area in old["areas"]]
    elif kind == "surface" and trim is not None:
        shape |= {"is": "face", "trim": {"loops": trim}}
    return shape


def _area(old: Record) -> Record:
    if old["of"] is None:
        return {"shape": None, "by_hand": old["by_hand"]}
    rms, p99, largest, share = old["figures"]
    shape = {"kind": old["of"].upper(), **{name: old[name] for name in ("origin", "axis", "sizes")}}
    return {
        "shape": {**shape, "rms": rms, "p99": p99, "largest": largest, "inlier_share": share},
        "by_hand": old["by_hand"],
    }
