"""Files: what may be read, and writing so that at every moment either the old or the new one is there, whole."""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
import stat
import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from arabesque.errors import FileProblem

LONGEST_SHOWN = 120
"""Signs of a path in a message."""
_WRITABLE = stat.S_IWUSR | stat.S_IWGRP | stat.S_IWOTH


def readable(path: str | Path) -> Path:
    """The path of a regular file. Raises FileProblem for a folder, a device, a pipe, or what is not there."""
    path = Path(path)
    try:
        mode = path.stat().st_mode
    except FileNotFoundError:
        raise FileProblem(f"{path} does not exist", "Check the name") from None
    except OSError as problem:
        raise FileProblem(f"{_short(path)} cannot be read ({problem.strerror})", "Check the name") from problem
    if stat.S_ISDIR(mode):
        raise FileProblem(f"{path} is a folder", "Choose a file in it")
    if not stat.S_ISREG(mode):
        raise FileProblem(f"{path} is a device or a pipe", "Write what comes from it to a file first, and open that")
    return path


@dataclass(frozen=True)
class Source:
    """A file that something came from: its name, and the SHA-256 of what it held then."""

    name: str
    checksum: str

    @property
    def stem(self) -> str:
        """The name without its ending."""
        return Path(self.name).stem


def source_of(path: str | Path) -> Source:
    """What a file is and holds now. Raises FileProblem where it cannot be read."""
    path = readable(path)
    try:
        with path.open("rb") as file:
            return Source(path.name, hashlib.file_digest(file, "sha256").hexdigest())
    except OSError as problem:
        raise FileProblem(f"{_short(path)} cannot be read ({problem.strerror})", "Check its permissions") from problem


def _short(path: Path) -> str:
    """A path as far as there is room for it in a message."""
    text = str(path)
    return text if len(text) <= LONGEST_SHOWN else f"{text[: LONGEST_SHOWN // 2]}…{text[-LONGEST_SHOWN // 4 :]}"


@contextlib.contextmanager
def written(path: str | Path, cure: str = "Choose another place") -> Iterator[Path]:
    """A place beside ``path`` to write to; it is flushed and moved there when the block ends without an error.

    A link is followed, the mode of an older file stays, and a file that may not be written is refused. Raises
    FileProblem, with ``cure``, when the place cannot be written; whatever goes wrong leaves the older file.
    """
    path = Path(path)
    beside: Path | None = None
    try:
        if path.is_dir():
            raise FileProblem(f"{path} is a folder", "Give a name for the file")
        target = path.resolve()
        mode = _mode(target)
        beside = target.with_name(f".arabesque-{uuid.uuid4().hex}{path.suffix}")
        beside.touch(exist_ok=False)
        yield beside
        if mode is not None:
            beside.chmod(mode)
        synced(beside)
        beside.replace(target)
        beside = None
        synced(target.parent)
    except OSError as problem:
        raise FileProblem(f"{_short(path)} cannot be written ({reason(problem)})", cure) from problem
    finally:
        if beside is not None:
            with contextlib.suppress(OSError):  # a full or vanished disk has been reported already
                beside.unlink(missing_ok=True)


def reason(problem: OSError) -> str:
    """Why the system refused, in its own words.

    NumPy reports a short write without an error number ("359511 requested and 0 written"): that is a full disk.
    """
    if problem.strerror:
        return problem.strerror
    return os.strerror(errno.ENOSPC) if "requested and" in str(problem) else str(problem) or type(problem).__name__


def check_place(path: str | Path, endings: Sequence[str] = ()) -> None:
    """Check before long work that a file can be written at the end of it.

    Parameters
    ----------
    path : of the file to write.
    endings : that its name may have, with the dot, in lower case; any where there are none.

    Raises
    ------
    FileProblem
        For another ending, a folder, a device, a folder that is not there or may not be written, a protected file.
    """
    path = Path(path)
    try:
        if path.is_dir():
            raise FileProblem(f"{_short(path)} is a folder", "Give a name for the file")
        if endings and path.suffix.lower() not in endings:
            raise FileProblem(f"'{_short(path)}' does not end in {' or '.join(endings)}", "Give it such a name")
        target = path.resolve()
        _mode(target)
        if not target.parent.is_dir():
            raise FileProblem(f"{_short(target.parent)} is no folder that is there", "Make it, or choose another place")
        if not os.access(target.parent, os.W_OK | os.X_OK):
            raise FileProblem(f"{_short(target.parent)} may not be written to", "Choose another place")
    except (OSError, ValueError, RuntimeError) as problem:  # a name too long, with NUL in it, links in a circle
        why = reason(problem) if isinstance(problem, OSError) else str(problem)
        raise FileProblem(f"{_short(path)} cannot be written ({why})", "Choose another place") from problem


def write_text(path: str | Path, text: str) -> None:
    """Write a text file whole. Raises FileProblem."""
    with written(path) as beside:
        beside.write_text(text, encoding="utf-8")


def with_suffix(path: str | Path, suffix: str) -> Path:
    """The path with an ending appended, unless it ends so already: a dot in a name is part of the name."""
    path = Path(path)
    return path if path.name.lower().endswith(suffix) else path.with_name(path.name + suffix)


def synced(path: Path) -> None:
    """Flush a file, or what a folder lists, to the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _mode(target: Path) -> int | None:
    """Permissions of the older file, which stay; None where there is none. Raises FileProblem for a protected one."""
    try:
        found = target.stat().st_mode
    except FileNotFoundError:
        return None
    if not stat.S_ISREG(found):
        raise FileProblem(f"{target} is a device or a pipe", "Give the name of a file")
    mode = stat.S_IMODE(found)
    if not mode & _WRITABLE:
        raise FileProblem(f"{target} is write-protected", "Save under another name, or allow writing to the file first")
    return mode
