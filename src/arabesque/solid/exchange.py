"""Files for other systems: surfaces and curves out, faces and curves in."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum
from pathlib import Path
from typing import Any, NamedTuple, Protocol, cast, runtime_checkable

import numpy as np

from arabesque.arrays import Bytes, Floats, leaders, tree_of
from arabesque.cages import Cage, Skin, deliver_cage, side_places
from arabesque.cages.edits import merged
from arabesque.cages.files import write_cage
from arabesque.cages.mesh import cage_triangles
from arabesque.errors import FileProblem
from arabesque.files import readable, written
from arabesque.geometry import (
    Curve,
    Elementary,
    ElementaryKind,
    Face,
    Patchwork,
    Sketch,
    Surface,
    Trim,
    edge_curve,
    loop_rims,
    split_surface,
    tessellate,
)
from arabesque.progress import Progress, silent
from arabesque.scan import Scan, write_mesh
from arabesque.scan.cleaning import compact, has_three_corners
from arabesque.shapes import Sampled, Shape, can
from arabesque.solid.drawing import write_drawing
from arabesque.solid.three_mf import Printed, write_3mf
from arabesque.solid.worker import KernelWorker


class Tag(NamedTuple):
    """What a file says of a shape besides its name: the layer, and the colour as #rrggbb; "" for none."""

    layer: str = ""
    colour: str = ""


TaggedPart = tuple[str, Surface | Curve | Cage | Patchwork, Tag]
FULL_SHARE = 1 - 1e-6
BESIDE_IT = 1e-6
"""Of a parameter: borders of a loop that are further apart do not join there."""
ONE_PLACE = 1e-6
"""mm: places of a body's triangles so near to each other are one."""
STEP_SUFFIXES = (".step", ".stp")
IGES_SUFFIXES = (".iges", ".igs")
MODEL_SUFFIXES = (*STEP_SUFFIXES, *IGES_SUFFIXES)


@runtime_checkable
class Held(Protocol):
    """A body that the kernel holds, as bytes, with a (4, 4) motion."""

    @property
    def brep(self) -> Bytes: ...

    @property
    def motion(self) -> Floats: ...


class FileKind(Enum):
    """A kind of file to deliver: what the user reads, and its suffix."""

    STEP_AP214 = ("STEP AP214", ".step")
    STEP_AP242 = ("STEP AP242", ".step")
    IGES = ("IGES", ".igs")
    STL = ("STL triangles", ".stl")
    OBJ = ("OBJ triangles", ".obj")
    CAGE = ("OBJ quads of cages", ".obj")
    PLY = ("PLY triangles", ".ply")
    THREE_MF = ("3MF for printing", ".3mf")
    DXF = ("DXF drawing of flat curves", ".dxf")
    SVG = ("SVG drawing of flat curves", ".svg")

    @property
    def suffix(self) -> str:
        """Ending of the file's name."""
        return self.value[1]

    @property
    def is_mesh(self) -> bool:
        """True for triangles, which need a chord tolerance."""
        return self in (FileKind.STL, FileKind.OBJ, FileKind.PLY, FileKind.THREE_MF)

    @property
    def is_flat(self) -> bool:
        """True for drawings, which hold curves in one plane only."""
        return self in (FileKind.DXF, FileKind.SVG)


@dataclass(frozen=True, eq=False)
class Model:
    """What a STEP or IGES file holds, in mm: named surfaces (a Face where it is trimmed), curves, and in ``skipped``
    names and reasons."""

    faces: list[tuple[str, Surface]]
    curves: list[tuple[str, Curve]]
    skipped: list[tuple[str, str]]


def deliver(
    path: str | Path,
    items: Sequence[tuple[str, Shape]],
    kind: FileKind,
    worker: KernelWorker,
    unit: str = "mm",
    chord: float = 0.05,
    progress: Progress = silent,
    tags: Sequence[Tag] = (),
    triangles: bool = False,
) -> list[str]:
    """Write named shapes (curves, and what consists of patches) to a file, in ``unit``; chord: mm, for triangles.

    tags: layer and colour of each, which STEP, IGES and 3MF hold. triangles: beside the exact shapes, in STEP AP242.

    Returns what had to be written otherwise than it is, in words. A failure leaves an older file as it was. Raises
    FileProblem or KernelProblem.
    """
    if not items or (kind.is_mesh and not any(can(shape, Sampled) for _, shape in items)):
        raise FileProblem("There is no surface to write", "Make or show a patch first")
    if kind is FileKind.CAGE:
        cages = [shape for _, shape in items if isinstance(shape, Cage)]
        if not cages:
            raise FileProblem("There is no cage to write", "Select one, or write surfaces as STEP")
        write_cage(path, merged(cages), unit)
        left = len(items) - len(cages)
        return [f"{left} items that are no cages were left out"] if left else []
    if kind.is_flat:
        curves = [(name, part) for name, shape in items for part in parts_of(shape) if isinstance(part, Curve)]
        write_drawing(path, curves, kind is FileKind.SVG, unit)
        return []
    tagged = list(tags) or [Tag()] * len(items)
    with written(path) as beside:
        if kind.is_mesh:
            _write_triangles(beside, items, tagged, kind, worker, unit, chord, progress)
            return []
        parts = [
            (name, part, tag) for (name, shape), tag in zip(items, tagged, strict=True) for part in parts_of(shape)
        ]
        notes: list[str] = []
        if kind is FileKind.IGES:
            parts, notes = fit_for_iges(parts)
        records = [(name, record_of(part)) for name, part, _ in parts]
        told = [tuple(tag) for _, _, tag in parts] if tags else None
        if kind is FileKind.IGES:
            worker.call("write_iges", str(beside), records, unit, told, progress=progress)
        else:
            schema = "AP242DIS" if kind is FileKind.STEP_AP242 else "AP214IS"
            beside_them = chord if triangles and kind is FileKind.STEP_AP242 else 0.0
            worker.call("write_step", str(beside), records, unit, schema, told, beside_them, progress=progress)
        return notes


def deliverable(shape: Shape) -> bool:
    """True for what can be written: curves, sketches, and what consists of patches."""
    return isinstance(shape, Curve | Sketch) or can(shape, Sampled)


def parts_of(shape: Any) -> Sequence[Any]:
    """What a shape crosses to the kernel as: a cage, body or patchwork whole, else its curves or patches."""
    if isinstance(shape, Cage | Held | Patchwork):
        return (shape,)
    if isinstance(shape, Sketch):
        return shape.curves
    return shape.patches() if can(shape, Sampled) else (cast(Curve, shape),)


def curves_of(shape: Any) -> Sequence[Curve]:
    """The curves that a shape consists of; none of one with a surface."""
    return [part for part in parts_of(shape) if isinstance(part, Curve)]


def fit_for_iges(parts: Sequence[TaggedPart]) -> tuple[list[TaggedPart], list[str]]:
    """Named parts as IGES 5.3 can hold them, and in words what had to change.

    Its texts are ASCII ("IGES/PDES 5.3", section 2.2.2.3), so that other letters would be lost or come back as wrong
    ones; and a torus that is closed both ways comes back as an invalid face.
    """
    made: list[TaggedPart] = []
    notes = []
    for number, (name, part, tag) in enumerate(parts, 1):
        plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().strip()
        if plain != name:
            plain = plain or f"{'Curve' if isinstance(part, Curve) else 'Surface'} {number}"
            notes.append(f"IGES holds plain Latin letters only: '{name}' is written as '{plain}'")
        halves = _halves(part) if isinstance(part, Elementary) and part.kind is ElementaryKind.TORUS else None
        if halves is None:
            made.append((plain, part, tag))
        else:
            made += [(plain, half, tag) for half in halves]
            notes.append(f"IGES has no torus that is closed both ways: '{plain}' is written as two halves")
    return made, list(dict.fromkeys(notes))


def _halves(torus: Elementary) -> list[Elementary] | None:
    """A torus cut in two along its ring; None where it is not closed both ways."""
    (u0, u1), v = torus.bounds
    if min(u1 - u0, v[1] - v[0]) < 2 * np.pi * FULL_SHARE:
        return None
    middle = (u0 + u1) / 2
    return [Elementary.make(torus.kind, torus.frame, torus.sizes, (u, v)) for u in ((u0, middle), (middle, u1))]


def write_step(
    path: str | Path, items: list[tuple[str, Surface]], worker: KernelWorker, progress: Progress = silent
) -> None:
    """Write named surfaces to a STEP AP214 file in millimetres. Raises FileProblem or KernelProblem."""
    if Path(path).suffix.lower() not in STEP_SUFFIXES:
        raise FileProblem(f"{path} is not the name of a STEP file", "Choose a name that ends in .step")
    deliver(path, list(items), FileKind.STEP_AP214, worker, progress=progress)


def read_model(path: str | Path, worker: KernelWorker, progress: Progress = silent) -> Model:
    """Faces and free curves of a STEP or IGES file, in mm. Raises FileProblem or KernelProblem."""
    path = readable(path)
    try:
        with path.open("rb") as file:
            head = file.read(4096)
    except OSError as problem:
        raise FileProblem(f"{path} cannot be read ({problem.strerror})", "Check its permissions") from problem
    iges = path.suffix.lower() in IGES_SUFFIXES
    if not (head[72:73] == b"S" if iges else b"ISO-10303-21" in head):
        raise FileProblem(
            f"{path.name} is not {'an IGES' if iges else 'a STEP'} file", "Export it again from its source"
        )
    found = worker.call("read_model", str(path), "IGES" if iges else "STEP", progress=progress)
    return Model(
        [face_of(record) for record in found["faces"]],
        [(record["name"], Curve(**record["curve"])) for record in found["curves"]],
        [(record["name"], record["why"]) for record in found["skipped"]],
    )


def read_step(path: str | Path, worker: KernelWorker, progress: Progress = silent) -> list[tuple[str, Surface]]:
    """Every face of a STEP or IGES file with its name; raises FileProblem when it holds none."""
    model = read_model(path, worker, progress)
    if not model.faces:
        raise FileProblem(f"{Path(path).name} holds no faces that can be used", "Export surfaces or a body to it")
    return model.faces


def shown_part(surface: Surface) -> Surface:
    """A face's surface cut exactly to the box round its trim, so that nothing sticks out far."""
    if not isinstance(surface, Face):
        return surface
    corners = np.concatenate(surface.trim.loops)
    part = surface.whole
    for axis in (0, 1):
        low, high = part.domain[axis]
        slack = 1e-9 * (high - low)
        start, end = corners[:, axis].min(), corners[:, axis].max()
        if end < high - slack:
            part = split_surface(part, axis, float(end))[0]
        if start > low + slack:
            part = split_surface(part, axis, float(start))[1]
    return Face(part.degree, part.knots, part.points, part.weights, surface.trim)


def _write_triangles(
    path: Path,
    items: Sequence[tuple[str, Shape]],
    tags: Sequence[Tag],
    kind: FileKind,
    worker: KernelWorker,
    unit: str,
    chord: float,
    progress: Progress,
) -> None:
    things = []
    for number, ((name, shape), tag) in enumerate(zip(items, tags, strict=True)):
        progress(number / len(items), "Making triangles")
        if can(shape, Sampled):
            things.append(Printed(name, triangles_of(shape, chord, worker), tag.colour))
    if kind is FileKind.THREE_MF:
        write_3mf(path, things, unit)
    else:
        write_mesh(path, joined([thing.mesh for thing in things]), unit)


def triangles_of(shape: Any, chord: float, worker: KernelWorker) -> Scan:
    """Triangles of a shape within ``chord`` mm of it: of bodies and cages closed where these are."""
    if isinstance(shape, Cage):
        return Scan(*cage_triangles(shape, chord))
    if isinstance(shape, Held):
        points, triangles, _ = worker.call("body_mesh", record_of(shape), chord)
        close = tree_of(points).query_pairs(ONE_PLACE, output_type="ndarray")
        first = leaders(len(points), close)
        corners = first[triangles]
        return Scan(*compact(points, corners[has_three_corners(corners)]))
    return joined([Scan(*tessellate(patch, chord)) for patch in shape.patches()])


def joined(meshes: Sequence[Scan]) -> Scan:
    """Several meshes as one."""
    starts = np.cumsum([0, *(len(mesh.points) for mesh in meshes)])
    triangles = [mesh.triangles + start for mesh, start in zip(meshes, starts[:-1], strict=True)]
    return Scan(np.concatenate([mesh.points for mesh in meshes]), np.concatenate(triangles))


def record_of(shape: Any) -> dict[str, Any]:
    """A patch, curve, cage or body as the kernel's worker takes it."""
    if isinstance(shape, Held):
        return {"of": "body", "brep": shape.brep, "motion": shape.motion}
    if isinstance(shape, Cage):
        return skin_record(deliver_cage(shape).skin)
    if isinstance(shape, Patchwork):
        return {"of": "patchwork", "patches": [record_of(patch) for patch in shape.patches()]}
    if isinstance(shape, Face):
        return _trimmed_record(shape)
    if isinstance(shape, Elementary):
        return {"of": shape.kind.value, "frame": shape.frame, "sizes": shape.sizes, "bounds": shape.bounds}
    return {"degree": shape.degree, "knots": shape.knots, "points": shape.points, "weights": shape.weights}


def _trimmed_record(face: Face) -> dict[str, Any]:
    """A trimmed face as the kernel's worker takes it: its patch, and of each part that shows the loops round it, the
    outer one first; of each loop the borders in the patch's parameters, each with the next one beginning at its end."""
    loops = loop_rims(face)
    outer = [_inside_others(face.trim, number) % 2 == 0 for number in range(len(loops))]
    parts: list[list[Any]] = []
    for number, rims in enumerate(loops):
        if outer[number]:
            lies = Trim((face.trim.loops[number],)).contains
            holes = [loops[k] for k in range(len(loops)) if not outer[k] and bool(lies(face.trim.loops[k][:1])[0])]
            parts.append([_closed_in_parameters([rim.flat_curve for rim in loop]) for loop in (rims, *holes)])
    return {"of": "trimmed", "surface": record_of(face.whole), "parts": parts}


def _closed_in_parameters(loop: list[Any]) -> list[Any]:
    """The borders of a loop, each going on where the one before ends: along a pole, which has none, by a line."""
    found: list[Any] = []
    for number, curve in enumerate(loop):
        start, end = loop[number - 1][2][-1], curve[2][0]
        if np.abs(end - start).max() > BESIDE_IT:
            found.append((1, np.array([0.0, 0.0, 1.0, 1.0]), np.array([start, end])))
        found.append(curve)
    return found


def _inside_others(trim: Trim, number: int) -> int:
    """In how many of the other loops one lies."""
    place = trim.loops[number][:1]
    return sum(bool(Trim((loop,)).contains(place)[0]) for k, loop in enumerate(trim.loops) if k != number)


def skin_record(skin: Skin, solid: bool = True) -> dict[str, Any]:
    """Faces with their shared edges as the kernel's worker takes them; where it is closed, a solid if asked for."""
    lines = [edge_curve(skin.surfaces[number], side) for number, side in skin.lines]
    flat = []
    for (number, side, edge), (start, end) in zip(skin.uses, skin.ways, strict=True):
        low, high = skin.spans[edge]
        sign = 1.0 if end > start else -1.0
        # where the line is at parameter 0 of the edge, and which way it goes
        (at,) = side_places(skin.surfaces[number], int(side), np.array([start - sign * low]))
        way = (sign, 0.0) if side in (0, 2) else (0.0, sign)
        assert np.isclose(abs(end - start), high - low)
        flat.append((*at, *way))
    return {
        "of": "shell",
        "surfaces": [record_of(surface) for surface in skin.surfaces],
        "curves": [record_of(line) for line in lines],
        "corners": skin.corners,
        "edges": skin.edges,
        "spans": skin.spans,
        "uses": skin.uses,
        "flat": np.array(flat),
        "turned": skin.turned,
        "closed": skin.closed,
        "solid": solid,
    }


def face_of(record: dict[str, Any]) -> tuple[str, Surface]:
    surface = Surface(**record["surface"])
    # a loop of two places encloses nothing
    loops = [(loop, corners) for loop, corners in zip(record["loops"], record["corners"], strict=True) if len(loop) > 2]
    trim = Trim(tuple(loop for loop, _ in loops), tuple(corners for _, corners in loops))
    (u0, u1), (v0, v1) = surface.domain
    full = trim.area >= FULL_SHARE * (u1 - u0) * (v1 - v0)
    if not full and trim.loops:
        surface = Face(surface.degree, surface.knots, surface.points, surface.weights, trim)
    return record["name"], surface
