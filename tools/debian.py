"""Build a Debian package of the program, with all that it needs from Python in it: python -m tools.debian FOLDER.

The package holds the wheel and the pinned packages of requirements.lock under /opt/arabesque, the command, and what
the desktop is told. It is for the Debian release, or one of its children, whose Python it is built with.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from arabesque import __version__
from arabesque.freedesktop import install

ROOT = Path(__file__).resolve().parent.parent
HOME = "opt/arabesque"
LIBRARIES = (ROOT / "tools/system-window.txt", ROOT / "tools/system-kernel.txt")
COMMAND = f"""#!/bin/sh
# only what the package brings, and one thread for each small matrix
export PYTHONPATH=/{HOME} OPENBLAS_NUM_THREADS="${{OPENBLAS_NUM_THREADS:-1}}"
exec /usr/bin/python3 -s -m arabesque "$@"
"""
BEFORE_REMOVAL = f"""#!/bin/sh
set -e
# what Python and numba keep of the package beside it
find /{HOME} -name __pycache__ -prune -exec rm -rf {{}} +
"""


def needed() -> list[str]:
    """The packages of the distribution that it needs at run time."""
    lines = (line.split("#")[0].split() for path in LIBRARIES for line in path.read_text(encoding="utf-8").splitlines())
    return list(dict.fromkeys(word for words in lines for word in words))


def control(size: int, architecture: str, python: tuple[int, int] = sys.version_info[:2]) -> str:
    """The control file, as section 5.3 of the Debian Policy Manual asks for it. size: kB, installed."""
    low, high = f"{python[0]}.{python[1]}", f"{python[0]}.{python[1] + 1}"
    depends = [f"python3 (>= {low})", f"python3 (<< {high})", *needed()]
    return (
        "Package: arabesque\n"
        f"Version: {__version__}\n"
        "Section: graphics\n"
        "Priority: optional\n"
        f"Architecture: {architecture}\n"
        f"Depends: {', '.join(depends)}\n"
        f"Installed-Size: {size}\n"
        "Maintainer: The developers of Arabesque <arabesque@localhost>\n"
        "Description: smooth NURBS and subdivision surfaces over 3D scans\n"
        " Lays patches and cages over scans of styled and organic shapes, keeps them\n"
        " within a set distance of the scan, and controls flow, continuity and symmetry.\n"
    )


def build(out: Path) -> Path:
    """Build the package into a folder; returns it. Raises CalledProcessError where pip or dpkg-deb fail."""
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "root"
        home = root / HOME
        pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
        put = [*pip, "install", "--no-compile", "--target", str(home)]
        subprocess.run([*put, "-r", str(ROOT / "requirements.lock")], check=True)
        subprocess.run([*put, "--no-deps", "--no-build-isolation", str(ROOT)], check=True)
        shutil.rmtree(home / "bin", ignore_errors=True)
        command = root / "usr/bin/arabesque"
        command.parent.mkdir(parents=True)
        command.write_text(COMMAND, encoding="utf-8")
        command.chmod(0o755)
        install(root / "usr/share")
        for cache in ("applications/mimeinfo.cache", "mime"):  # what the desktop makes of them is made where they land
            _only_ours(root / "usr/share" / cache)
        notes = root / "usr/share/doc/arabesque"
        notes.mkdir(parents=True)
        shutil.copy(ROOT / "LICENSE", notes / "copyright")
        size = sum(path.lstat().st_size for path in root.rglob("*")) // 1024
        said = ["dpkg", "--print-architecture"]
        architecture = subprocess.run(said, check=True, capture_output=True, text=True).stdout.strip()
        debian = root / "DEBIAN"
        debian.mkdir()
        (debian / "control").write_text(control(size, architecture), encoding="utf-8")
        before = debian / "prerm"
        before.write_text(BEFORE_REMOVAL, encoding="utf-8")
        before.chmod(0o755)
        package = out / f"arabesque_{__version__}_{architecture}.deb"
        pack = ["dpkg-deb", "--root-owner-group", "-Zgzip", "--build", str(root), str(package)]
        subprocess.run(pack, check=True, env={**os.environ, "LC_ALL": "C"})
    return package


def _only_ours(place: Path) -> None:
    if place.is_file():
        place.unlink()
    for path in sorted(place.rglob("*"), reverse=True) if place.is_dir() else []:
        if path.is_file() and path.parent.name != "packages":
            path.unlink()
        elif path.is_dir() and not any(path.iterdir()):
            path.rmdir()


if __name__ == "__main__":
    print(build(Path(sys.argv[1] if len(sys.argv) > 1 else ".")))
