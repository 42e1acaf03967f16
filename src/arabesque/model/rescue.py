"""What can still be read of a damaged project file."""

from __future__ import annotations

import json
import struct
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from arabesque.errors import FileProblem
from arabesque.model.document import Document
from arabesque.model.formats import FORMAT, IMAGES_ARE_ITEMS, upgraded
from arabesque.model.item import cleaned
from arabesque.model.records import DAMAGE, LATER, AnyArray, Reader, array_name, document_record, stored_array
from arabesque.model.store import most_held

_SIGNATURE = b"PK\x03\x04"
_HEADER = struct.Struct("<4sHHHHHIIIHH")
_LARGE = 0xFFFFFFFF


@dataclass(frozen=True)
class Rescued:
    """document: what could be read; lost: names of the items that could not."""

    document: Document
    lost: tuple[str, ...]


def rescue_project(path: str | Path) -> Rescued:
    """Read whatever is whole in a damaged project file.

    The entries are found by walking the local headers (PKWARE APPNOTE 6.3.9,
    section 4.3.7), so that a file whose end is missing can be read up to
    there; every array is checked against its name, which is its SHA-256.
    Raises FileProblem when not even the list of items is there.
    """
    path = Path(path)
    try:
        content = path.read_bytes()
    except OSError as problem:
        raise FileProblem(f"{path} cannot be read ({problem.strerror})", "Check its permissions") from problem
    entries = _entries(content)
    try:
        record = json.loads(bytes(entries["document.json"]))
        items = list(record["items"])
    except DAMAGE:
        raise FileProblem(f"{path.name} is damaged or not an Arabesque project", "Open an older copy of it") from None
    reader = Reader(_Arrays(entries, most_held(len(content))))
    head, lost = _sound_head(record, reader)
    kept: list[dict[str, Any]] = []
    for entry in items:
        try:
            reader.document({**head, "items": _of_today(record, [_laid(entry, head)])})
            kept.append(_laid(entry, head))
        except DAMAGE:  # whatever is wrong with it, it is named as lost
            lost.append(str(entry.get("name", "?")) if isinstance(entry, dict) else "?")
    reference = record.get("reference")
    for head["reference"] in (reference, None):
        try:
            document = reader.document({**head, "items": _of_today(record, kept)})
        except DAMAGE as problem:  # each is sound by itself: together they are not
            wrong = problem
            continue
        return Rescued(document, tuple(cleaned(name) for name in lost))
    raise FileProblem(f"{path.name} is damaged beyond help", "Open an older copy of it") from wrong


def _sound_head(record: dict[str, Any], reader: Reader) -> tuple[dict[str, Any], list[str]]:
    """What holds for all items, as far as it is sound, else as in a new document; and what was lost of it."""
    head, lost = document_record(Document(), array_name), []
    given = {}
    try:
        given = upgraded({**record, "items": []})
        # all records are brought to the present format below; only whether images are among them is told by the old one
        head["format"] = FORMAT if record["format"] >= IMAGES_ARE_ITEMS else IMAGES_ARE_ITEMS - 1
    except DAMAGE:  # not even the format is there: all of it is named as lost below
        lost.append("format")
    for name in ("tolerance", "unit", "layers", "plane", *(name for name in LATER if name in given)):
        try:
            reader.document({**head, name: given[name]})
            head[name] = given[name]
        except DAMAGE:  # named as lost
            lost.append(name)
    return head, lost


def _of_today(record: dict[str, Any], items: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Items in the present format."""
    found: list[dict[str, Any]] = upgraded({**record, "items": items})["items"]
    return found


def _laid(entry: dict[str, Any], head: dict[str, Any]) -> dict[str, Any]:
    """An item on its layer, where that is there."""
    layers = [layer["id"] for layer in head["layers"]]
    return entry if entry["layer"] in layers else {**entry, "layer": None}


class _Arrays:
    """The arrays by name, each read once; raises ValueError for a damaged one, and where all together are too many:
    headers that overlap let a small file stand for any amount."""

    def __init__(self, entries: dict[str, memoryview], most: int) -> None:
        self._entries, self._left = entries, most
        self._known: dict[str, AnyArray] = {}

    def __call__(self, name: str) -> AnyArray:
        if name not in self._known:
            content = self._entries[f"arrays/{name}.npy"]
            if len(content) > self._left:
                raise ValueError("the arrays are larger than the file can hold")
            self._left -= len(content)
            array = stored_array(bytes(content))
            if array_name(array) != name:
                raise ValueError(f"array {name} is damaged")
            self._known[name] = array
        return self._known[name]


def _entries(content: bytes) -> dict[str, memoryview]:
    """The stored entries that are there, by name: parts of the content, so that headers that overlap cost nothing."""
    entries: dict[str, memoryview] = {}
    whole = memoryview(content)
    at = content.find(_SIGNATURE)
    while 0 <= at <= len(content) - _HEADER.size:
        _, _, _, method, _, _, _, size, _, name_length, extra_length = _HEADER.unpack_from(content, at)
        start = at + _HEADER.size + name_length + extra_length
        name = content[at + _HEADER.size : at + _HEADER.size + name_length].decode("utf-8", "replace")
        if size == _LARGE and extra_length >= 20 and start <= len(content):
            size = struct.unpack_from("<Q", content, at + _HEADER.size + name_length + 12)[0]
        ours = name == "document.json" or name.startswith("arrays/")
        if ours and method == zipfile.ZIP_STORED and start + size <= len(content):
            entries.setdefault(name, whole[start : start + size])
        at = content.find(_SIGNATURE, at + 4)
    return entries
