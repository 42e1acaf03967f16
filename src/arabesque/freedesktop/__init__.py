"""What a Linux desktop is told of the program: menu entry, icons, kinds of files, AppStream record, manual page.

Each goes where the XDG specifications say, under one folder such as ``~/.local/share``, and away again.
"""

from __future__ import annotations

import shutil
import subprocess
from importlib.resources import files
from pathlib import Path

from arabesque.errors import FileProblem
from arabesque.files import written

ID = "org.arabesque.Arabesque"
SIZES = (16, 24, 32, 48, 64, 128, 256, 512)
PLACES = {
    f"{ID}.desktop": f"applications/{ID}.desktop",
    f"{ID}.mime.xml": f"mime/packages/{ID}.xml",
    f"{ID}.metainfo.xml": f"metainfo/{ID}.metainfo.xml",
    "arabesque.1": "man/man1/arabesque.1",
    "icons/arabesque.svg": "icons/hicolor/scalable/apps/arabesque.svg",
    **{f"icons/arabesque-{n}.png": f"icons/hicolor/{n}x{n}/apps/arabesque.png" for n in SIZES},
}
"""Files of this package, and where they go."""
_INDEXES = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))
"""Programs of the desktop that read anew what lies in a folder; it works without them, after the next login."""


def install(into: Path, command: str = "arabesque") -> list[Path]:
    """Put everything under a folder; returns where. command: what the menu entry starts. Raises FileProblem."""
    made = []
    for name, place in PLACES.items():
        content = files("arabesque.freedesktop").joinpath(name).read_bytes()
        if name.endswith(".desktop"):
            content = content.replace(b"Exec=arabesque", b"Exec=" + command.encode())
        target = into / place
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
        except OSError as problem:
            raise FileProblem(
                f"{target.parent} cannot be made ({problem.strerror})", "Choose another folder"
            ) from problem
        with written(target) as beside:
            beside.write_bytes(content)
        made.append(target)
    _read_anew(into)
    return made


def remove(into: Path) -> list[Path]:
    """Take it all away again, with the folders that are empty then; returns what was there. Raises
    FileProblem."""
    gone = []
    for place in PLACES.values():
        target = into / place
        if target.exists():
            try:
                target.unlink()
            except OSError as problem:
                raise FileProblem(
                    f"{target} cannot be taken away ({problem.strerror})", "Check who owns it"
                ) from problem
            gone.append(target)
        folder = target.parent
        while folder != into and folder.is_dir() and not any(folder.iterdir()):
            folder.rmdir()
            folder = folder.parent
    _read_anew(into)
    return gone


def _read_anew(into: Path) -> None:
    for program, folder in _INDEXES:
        there = shutil.which(program)
        if there is not None and (into / folder).is_dir():
            subprocess.run([there, str(into / folder)], check=False, capture_output=True)
