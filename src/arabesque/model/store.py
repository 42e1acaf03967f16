"""The ``.arabesque`` project file: a zip of ``document.json`` and arrays named by their content."""

import io
import json
import zipfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from arabesque import __version__
from arabesque.errors import ArabesqueError, FileProblem
from arabesque.files import readable, written
from arabesque.model.document import Document
from arabesque.model.history import Milestone
from arabesque.model.records import AnyArray, Reader, array_name, document_record, stored_array
from arabesque.progress import Cancelled, Progress, silent

SUFFIX = ".arabesque"
_DOCUMENT = "document.json"
_MOST_TIMES, _ANYWAY = 20, 1 << 20
"""What a file's entries may hold together: so many times its size, and so many bytes anyway."""


class DamagedProject(FileProblem):
    """A project file that is not whole; some of it may still be readable."""


@dataclass(frozen=True, eq=False)
class Project:
    """What a project file holds."""

    document: Document
    milestones: tuple[Milestone, ...] = ()


def save_project(path: str | Path, project: Project, progress: Progress = silent) -> None:
    """Write a document and its milestones to a project file.

    At every moment either the old or the new file is there, whole. Raises
    FileProblem when the place cannot be written; Cancelled leaves the old file.
    """
    path = Path(path)
    with written(path, "Your work is unharmed: save to another place") as beside, beside.open("wb") as file:
        _write(file, project, progress)


def load_project(path: str | Path, progress: Progress = silent) -> Project:
    """What a project file holds. Raises FileProblem, with cause and cure, when it cannot be read."""
    path = readable(path)
    try:
        with zipfile.ZipFile(path) as archive:
            _check_sizes(archive, path.stat().st_size)
            record = json.loads(archive.read(_DOCUMENT))
            names = [n for n in archive.namelist() if n.startswith("arrays/")]
            arrays: dict[str, AnyArray] = {}

            def get(name: str) -> AnyArray:
                if name not in arrays:
                    progress(len(arrays) / max(len(names), 1), f"Reading {path.name}")
                    arrays[name] = stored_array(archive.read(f"arrays/{name}.npy"))
                return arrays[name]

            reader = Reader(get)
            document = reader.document(record)
            milestones = [Milestone(m["name"], reader.document(m["document"])) for m in record["milestones"]]
            return Project(document, tuple(milestones))
    except OSError as problem:
        raise FileProblem(f"{path} cannot be read ({problem.strerror})", "Check its permissions") from problem
    except (FileProblem, Cancelled):
        raise
    except ArabesqueError as problem:
        raise DamagedProject(f"{path.name} is damaged: {problem.cause}", "Open an older copy of it") from problem
    except MemoryError:
        raise FileProblem(f"{path.name} needs more memory than there is", "Open it on a larger machine") from None
    except Exception as problem:  # a file from anywhere can go wrong in any way: all of them are damage
        raise DamagedProject(
            f"{path.name} is damaged or not an Arabesque project", "Open an older copy of it"
        ) from problem


def most_held(size: int) -> int:
    """Return how many bytes the entries of a project file of so many may hold together."""
    return _MOST_TIMES * size + _ANYWAY


def _check_sizes(archive: zipfile.ZipFile, size: int) -> None:
    """Refuse a small file that unpacks to a huge one, by what its entries say of themselves, which zipfile keeps to."""
    held = sum(entry.file_size for entry in archive.infolist())
    if held > most_held(size):
        raise ValueError(f"{size} bytes would unpack to {held}")


def _write(file: io.BufferedWriter, project: Project, progress: Progress) -> None:
    arrays: dict[str, AnyArray] = {}

    def put(array: AnyArray) -> str:
        name = array_name(array)
        arrays[name] = array
        return name

    milestones = [{"name": m.name, "document": document_record(m.document, put)} for m in project.milestones]
    record = {
        "program": f"Arabesque {__version__}",
        **document_record(project.document, put),
        "milestones": milestones,
    }
    # stored, not packed: scans hardly shrink, and saving must be quick
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr(_DOCUMENT, json.dumps(record, indent=1))
        for number, (name, array) in enumerate(arrays.items()):
            progress(number / len(arrays), "Saving")
            with archive.open(f"arrays/{name}.npy", "w", force_zip64=True) as entry:
                np.lib.format.write_array(entry, np.ascontiguousarray(array), allow_pickle=False)
