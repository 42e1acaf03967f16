"""Reading and writing of triangle meshes: STL (binary and ASCII), OBJ and PLY.

The formats themselves are trimesh's work; this module says clearly what is
wrong with a file, brings it to millimetres and makes a Scan of it.
"""

import contextlib
import io
import logging
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.errors import FileProblem, InvalidShape
from arabesque.files import readable, written
from arabesque.progress import Progress, part, silent
from arabesque.scan.cleaning import compact, weld
from arabesque.scan.mesh import Scan
from arabesque.units import scale_to_mm

MESH_SUFFIXES = (".stl", ".obj", ".ply")

LARGEST_MM = 1e8
"""Beyond 100 km from the origin, coordinates are a mistake and rounding spoils what is left of them."""

_EXPORT_AGAIN = "Export it again from its source as STL, OBJ or PLY"


def read_scan(path: str | Path, unit: str = "mm", progress: Progress = silent) -> Scan:
    """The scan in a mesh file whose coordinates are in ``unit``; welded, compacted, in mm.

    Raises FileProblem, with cause and cure, for whatever does not hold a
    usable mesh; Cancelled when ``progress`` asks for it.
    """
    path = Path(path)
    scale = scale_to_mm(unit)
    content = _content(path)
    progress(0.1, f"Reading {path.name}")
    points, triangles = _parse(path, content)
    progress(0.5, "Joining the triangles")
    if not len(triangles):
        raise FileProblem(f"{path.name} holds no triangles", "Export it as a mesh, not as points or lines")
    if not np.isfinite(points).all():
        raise FileProblem(f"{path.name} holds coordinates that are not numbers", _EXPORT_AGAIN)
    if triangles.min() < 0 or triangles.max() >= len(points):
        raise FileProblem(f"{path.name} holds triangles that point to corners it does not have", _EXPORT_AGAIN)
    if np.abs(points).max() * scale > LARGEST_MM:
        raise FileProblem(
            f"{path.name} reaches {np.abs(points).max() * scale / 1e6:.3g} km from its origin",
            "Check the unit, and move the object nearer to the origin",
        )
    points, triangles = weld(points * scale, triangles)
    points, triangles = compact(points, triangles)
    try:
        scan = Scan(points, triangles)
    except InvalidShape as problem:
        raise FileProblem(f"{path.name}: all its triangles have no area", _EXPORT_AGAIN) from problem
    return ready_to_fit(scan, part(progress, 0.7, 1.0))


def ready_to_fit(scan: Scan, progress: Progress = silent) -> Scan:
    """Compute what every fit and every picture of the scan will ask for."""
    progress(0.0, "Smoothing the normals and building the search tree")
    with ThreadPoolExecutor(1) as beside:  # neither needs the other, and both release the GIL
        tree = beside.submit(lambda: scan.tree)
        _ = scan.smoothed_normals
        progress(0.5, "Measuring the noise")
        _ = scan.noise, scan.sag
        tree.result()
    progress(0.9, "Finding the rims")
    scan.closest(scan.points[:1])
    progress(1.0, "Ready")
    return scan


def write_scan(path: str | Path, scan: Scan, unit: str = "mm") -> None:
    """Write a mesh file of the kind its suffix names, in ``unit``.

    Raises FileProblem when the suffix is none of STL, OBJ, PLY or the place
    cannot be written.
    """
    path = Path(path)
    if path.suffix.lower() not in MESH_SUFFIXES:
        raise FileProblem(f"{path.name}: not a kind of mesh file known here", "Use .stl, .obj or .ply")
    with written(path) as beside:
        write_mesh(beside, scan, unit)


def write_mesh(path: Path, scan: Scan, unit: str = "mm") -> None:
    """Write a mesh file in place, for those who see to it that nothing is half written. Raises OSError."""
    import trimesh  # half a second at the start of the window, which needs it only now

    trimesh.Trimesh(scan.points / scale_to_mm(unit), scan.triangles, process=False).export(path)


def _content(path: Path) -> bytes:
    readable(path)
    if path.suffix.lower() not in MESH_SUFFIXES:
        raise FileProblem(f"{path.name}: not a kind of mesh file known here", "Open an .stl, .obj or .ply file")
    try:
        content = path.read_bytes()
    except OSError as problem:
        raise FileProblem(f"{path} cannot be read ({problem.strerror})", "Check its permissions") from problem
    if not content:
        raise FileProblem(f"{path.name} is empty", _EXPORT_AGAIN)
    return content


@contextlib.contextmanager
def _quiet(logger: logging.Logger) -> Iterator[None]:
    """Keep what this thread makes a library log from being told: users hear of it by FileProblem. Other threads, and
    whoever uses the library beside us, go on hearing it."""
    thread = threading.get_ident()

    def heard(record: logging.LogRecord) -> bool:
        return record.thread != thread or record.levelno >= logging.CRITICAL

    logger.addFilter(heard)
    try:
        yield
    finally:
        logger.removeFilter(heard)


def _parse(path: Path, content: bytes) -> tuple[Floats, Ints]:
    kind = path.suffix.lower().lstrip(".")
    if kind == "stl":
        _check_stl_length(path, content)
    if kind == "obj":
        _check_obj(path, content)
    if kind == "ply":
        _check_ply_length(path, content)
    import trimesh  # half a second at the start of the window, which needs it only now

    try:
        # what is not a number, or damaged, is told below, in our words
        with np.errstate(all="ignore"), _quiet(logging.getLogger("trimesh")):
            loaded = trimesh.load(io.BytesIO(content), file_type=kind, process=False, force="mesh", skip_materials=True)
        points = np.asarray(loaded.vertices, dtype=float).reshape(-1, 3)
        triangles = np.asarray(loaded.faces, dtype=np.int64).reshape(-1, 3)
    except MemoryError:
        raise FileProblem(f"{path.name} needs more memory than there is", "Lower its triangle count first") from None
    except Exception as problem:
        raise FileProblem(
            f"{path.name} cannot be read as {kind.upper()}: it is damaged or of another kind", _EXPORT_AGAIN
        ) from problem
    if kind == "stl" and _is_ascii_stl(content):
        written_there = content.lower().count(b"endfacet")
        if len(triangles) < written_there:
            raise _part_only(path, f"{written_there} triangles", len(triangles))
    return points, triangles


def _part_only(path: Path, promised: str, held: int) -> FileProblem:
    return FileProblem(
        f"{path.name} ends in the middle or is damaged: it promises {promised} and holds {held}",
        "Copy or export it again",
    )


def _is_ascii_stl(content: bytes) -> bool:
    return content[:5].lower() == b"solid" and b"facet" in content[:1024]


def _check_ply_length(path: Path, content: bytes) -> None:
    """A PLY says how many corners and faces follow; text has a line for each (Turk, "The PLY polygon file format",
    1994). Of the binary kinds trimesh finds that out."""
    head, end, body = content.partition(b"end_header")
    if not end or b"format ascii" not in head:
        return
    counts = [line.split()[-1] for line in head.splitlines() if line.startswith(b"element ")]
    if not all(count.isdigit() for count in counts):
        raise FileProblem(f"{path.name} cannot be read as PLY: it is damaged", _EXPORT_AGAIN)
    promised = sum(map(int, counts))
    lines = [line for line in body.splitlines()[1:] if line.strip()]
    if len(lines) < promised:
        raise _part_only(path, f"{promised} lines", len(lines))
    last = lines[promised - 1].split() if promised else []
    if counts and counts[-1] != b"0" and b"property list" in head and last[0].isdigit() and len(last) <= int(last[0]):
        raise _part_only(path, f"{promised} whole lines", promised - 1)


def _check_stl_length(path: Path, content: bytes) -> None:
    """A binary STL says how many triangles follow; less than that is a broken transfer."""
    if _is_ascii_stl(content):
        if b"endsolid" not in content[-1024:].lower():
            raise FileProblem(f"{path.name} ends in the middle", "Copy or export it again")
        return
    if len(content) < 84:
        raise FileProblem(f"{path.name} is too short for an STL file", _EXPORT_AGAIN)
    promised = int.from_bytes(content[80:84], "little")
    if 84 + 50 * promised > len(content):
        held = (len(content) - 84) // 50
        raise FileProblem(
            f"{path.name} ends in the middle or is not an STL file: it promises {promised} triangles and holds {held}",
            "Copy or export it again",
        )


def _check_obj(path: Path, content: bytes) -> None:
    """trimesh drops OBJ faces that point nowhere and lines that are cut; here they are an error, as elsewhere."""
    vertices = content.count(b"\nv ") + content.startswith(b"v ")
    highest = 0
    for line in content.splitlines():
        if line[:2] in (b"f ", b"v ", b"f", b"v") and len(line.split()) < 4:
            words = line[:40].decode(errors="replace")
            raise FileProblem(f"{path.name} ends in the middle or is damaged: '{words}'", "Copy or export it again")
        if line.startswith(b"f "):
            for corner in line.split()[1:]:
                try:
                    index = int(corner.partition(b"/")[0])
                except ValueError:
                    raise FileProblem(f"{path.name} cannot be read as OBJ: it is damaged", _EXPORT_AGAIN) from None
                highest = max(highest, abs(index))
    if highest > vertices:
        raise FileProblem(f"{path.name} holds triangles that point to corners it does not have", _EXPORT_AGAIN)
