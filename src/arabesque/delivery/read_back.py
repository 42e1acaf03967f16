"""Files that are read back and compared with what they were to hold, before anybody is told that they are done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from arabesque.arrays import Floats, enclosed
from arabesque.cages import Cage
from arabesque.cages.files import read_cage
from arabesque.errors import FileProblem
from arabesque.model import Document, Item
from arabesque.progress import Progress, part, silent
from arabesque.scan import Scan, examine, read_scan
from arabesque.shapes import Sampled, Shape, can
from arabesque.solid import Body, FileKind, KernelWorker, Tag, bodies_in, curves_of, deliver, read_3mf, read_model

ALONG = 40
"""Samples along a face, for its area."""
AREA, VOLUME, BODY_AREA = 0.01, 1e-5, 1e-3
"""Of an area as sampled, of the volume of a body, and of its area, up to which what comes back is the same."""
CHORDS = 4.0
"""Chord tolerances by which triangles may stand in; exact shapes: a thousandth of the size."""


@dataclass(frozen=True)
class ReadBack:
    """What a file was found to hold. notes: what had to be written otherwise than it is."""

    words: str
    notes: tuple[str, ...] = ()


def deliver_checked(
    path: str | Path,
    items: Sequence[tuple[str, Shape]],
    kind: FileKind,
    worker: KernelWorker,
    unit: str = "mm",
    chord: float = 0.05,
    progress: Progress = silent,
    tags: Sequence[Tag] = (),
    triangles: bool = False,
) -> ReadBack:
    """Write named shapes as ``deliver`` does, and read the file back.

    Raises FileProblem or KernelProblem; and FileProblem, with what differs, where the file does not hold what it was
    to.
    """
    notes = deliver(path, items, kind, worker, unit, chord, part(progress, 0.0, 0.6), tags, triangles)
    progress(0.6, "Reading it back")
    words = read_back(path, items, kind, worker, unit, chord)
    return ReadBack(words, tuple(notes))


def read_back(
    path: str | Path,
    items: Sequence[tuple[str, Shape]],
    kind: FileKind,
    worker: KernelWorker,
    unit: str = "mm",
    chord: float = 0.05,
) -> str:
    """What a file of named shapes holds, in words. Raises FileProblem where it is not those."""
    name = Path(path).name
    if kind.is_flat:
        return _drawn(Path(path), _curves(items), name)
    if kind is FileKind.CAGE:
        wanted = sum(shape.count for _, shape in items if isinstance(shape, Cage))
        found = read_cage(path, unit).count
        _same(found == wanted, name, f"{found} instead of {wanted} quads came back")
        return f"{found} quads"
    shapes = [shape for _, shape in items if can(shape, Sampled)]
    if kind is FileKind.THREE_MF:
        things = read_3mf(path)
        _same([thing.name for thing in things] == [name for name, shape in items if can(shape, Sampled)], name,
              "its objects have other names")  # fmt: skip
        return _triangles([thing.mesh for thing in things], shapes, chord, name)
    if kind.is_mesh:
        return _triangles([read_scan(path, unit)], shapes, chord, name)
    return _exact(Path(path), items, worker, kind)


def _exact(path: Path, items: Sequence[tuple[str, Shape]], worker: KernelWorker, kind: FileKind) -> str:
    shapes = [shape for _, shape in items if can(shape, Sampled)]
    curves = _curves(items)
    closed = [shape for shape in shapes if isinstance(shape, Body) and shape.told.closed]
    if closed and kind is not FileKind.IGES:
        # faces of bodies may be of degrees that only the kernel reads
        found = bodies_in(path, worker)
        _alike(_measured(shapes), _measured(found), 1e-3, path.name)
        volume = sum(body.told.volume for body in closed)
        back = sum(body.told.volume for body in found if body.told.closed)
        _same(abs(back - volume) <= VOLUME * volume, path.name, f"{back:.8g} instead of {volume:.8g} mm³ came back")
        if len(closed) == len(shapes):
            # what the kernel integrates; samples of faces that are cut otherwise differ by more
            area, areas = (sum(body.told.area for body in bodies) for bodies in (closed, found))
            _same(abs(areas - area) <= BODY_AREA * area, path.name, f"{areas:.6g} instead of {area:.6g} mm² came back")
            if all(body.told.valid for body in closed):
                _same(all(body.told.valid for body in found), path.name, "a face came back that is not valid")
        return f"{sum(len(body.surfaces) for body in found)} faces, {len(closed)} closed"
    model = read_model(path, worker)
    _same(not model.skipped, path.name, f"{len(model.skipped)} of its shapes cannot be read")
    _same(len(model.curves) == curves, path.name, f"{len(model.curves)} instead of {curves} curves came back")
    _alike(_measured(shapes), _measured([face for _, face in model.faces]), 1e-3, path.name)
    return f"{len(model.faces)} faces and {len(model.curves)} curves"


def _triangles(meshes: Sequence[Scan], shapes: Sequence[Any], chord: float, name: str) -> str:
    areas = sum(mesh.area for mesh in meshes)
    low = np.min([mesh.bounds[0] for mesh in meshes], axis=0)
    high = np.max([mesh.bounds[1] for mesh in meshes], axis=0)
    wanted = _measured(shapes)
    size = float(np.linalg.norm(wanted[2] - wanted[1])) or 1.0
    _alike(wanted, (areas, low, high), max(1e-3, CHORDS * chord / size), name)
    closed = [shape for shape in shapes if isinstance(shape, Body) and shape.told.closed]
    if len(closed) == len(shapes):
        _same(all(examine(mesh).watertight for mesh in meshes), name, "its triangles are not closed")
        volume = sum(enclosed(mesh.points, mesh.triangles) for mesh in meshes)
        return f"{sum(len(mesh.triangles) for mesh in meshes)} triangles, closed, {volume:.6g} mm³"
    return f"{sum(len(mesh.triangles) for mesh in meshes)} triangles"


def _drawn(path: Path, curves: int, name: str) -> str:
    """A drawing's curves, counted by a reader of its own kind."""
    if path.suffix.lower() == ".svg":
        from xml.etree import ElementTree

        found = sum(1 for element in ElementTree.parse(path).iter() if element.tag.endswith("path"))
    else:
        import ezdxf

        found = len(ezdxf.readfile(path).modelspace())
    _same(
        found >= 1 if path.suffix.lower() == ".svg" else found == curves, name, f"{found} of {curves} curves came back"
    )
    return f"{curves} curves"


def _measured(shapes: Sequence[Any]) -> tuple[float, Floats, Floats]:
    """Area as sampled, and the ends of the box, of some shapes together."""
    if not shapes:
        return 0.0, np.zeros(3), np.zeros(3)
    samples = [shape.sampler(_along(shape)).read(shape) for shape in shapes]
    points = np.concatenate([one.points for one in samples])
    return sum(float(one.areas.sum()) for one in samples), points.min(axis=0), points.max(axis=0)


def _along(shape: Any) -> int:
    """Samples along a shape: those of a cage are spread over all of its faces."""
    return round(ALONG / 2 * shape.count**0.5) if isinstance(shape, Cage) else ALONG


def _alike(wanted: tuple[float, Floats, Floats], found: tuple[float, Floats, Floats], share: float, name: str) -> None:
    size = float(np.linalg.norm(wanted[2] - wanted[1]))
    off = float(np.abs([wanted[1] - found[1], wanted[2] - found[2]]).max())
    _same(off <= share * size, name, f"what came back reaches {off:.3g} mm elsewhere")
    most = max(AREA, 2 * share)
    _same(
        abs(found[0] - wanted[0]) <= most * wanted[0], name, f"{found[0]:.6g} instead of {wanted[0]:.6g} mm² came back"
    )


def _same(held: bool, name: str, words: str) -> None:
    if not held:
        raise FileProblem(f"{name} was written, but {words}", "Export the items one by one to find the cause")


def _curves(items: Sequence[tuple[str, Shape]]) -> int:
    """How many curves are written by themselves."""
    found = 0
    for _, shape in items:
        found += 0 if can(shape, Sampled) else len(curves_of(shape))
    return found


def tag_of(document: Document, item: Item[Any]) -> Tag:
    """The layer on which an item lies, with its colour."""
    layer = document.layer_of(item)
    return Tag() if layer is None else Tag(layer.name, layer.colour)
