"""The program as a package: a wheel in an environment of its own, and what the desktop is told of it."""

import configparser
import email
import json
import os
import re
import site
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from xml.etree import ElementTree

from tools.debian import control
from tools.man_page import PAGE, page

from arabesque.errors import FileProblem
from arabesque.freedesktop import ID, PLACES, SIZES, install, remove
from arabesque.headless import COMMANDS

ROOT = Path(__file__).resolve().parent.parent


class WheelTest(unittest.TestCase):
    """Built from the sources, put into an empty environment that sees the pinned packages only."""

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
        build = [*pip, "wheel", "--no-deps", "--no-build-isolation", "-w", str(cls.folder), str(ROOT)]
        subprocess.run(build, check=True, capture_output=True)
        (cls.wheel,) = cls.folder.glob("*.whl")
        subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(cls.folder / "env")], check=True)
        (packages,) = (cls.folder / "env").glob("lib/python*/site-packages")
        (packages / "pinned.pth").write_text("\n".join(site.getsitepackages()))
        python = str(cls.folder / "env/bin/python")
        put = [*pip, "--python", python, "install", "--no-deps", "--ignore-installed", str(cls.wheel)]
        subprocess.run(put, check=True, capture_output=True)
        cls.clean = {key: value for key, value in os.environ.items() if key != "PYTHONPATH"}

    def arabesque(self, *arguments: str) -> str:
        command = [str(self.folder / "env/bin/arabesque"), *arguments]
        done = subprocess.run(command, cwd=self.folder, env=self.clean, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout

    def test_the_whole_path(self) -> None:
        """Scan, patch, sheet, from the installed command, with all that it ships."""
        self.assertIn("Arabesque", self.arabesque("--version"))
        self.assertTrue(self.arabesque("--help").startswith("usage: arabesque"))
        self.arabesque("simulate", "heron", "--triangles", "20000", "--out", "heron.ply")
        corners = ["40,-61,3.1", "190,-61,-18.2", "190,-16,-1.7", "40,-16,13.4"]
        self.arabesque("patch", "heron.ply", "--corners", *corners, "--out", "flank.step", "--report", "p.json")
        self.assertIn("verdict", json.loads((self.folder / "p.json").read_text()))
        self.arabesque("sheet", "flank.step", "--out", "sheet.svg")
        self.assertIn("<svg", (self.folder / "sheet.svg").read_text())
        self.arabesque("guide", "--out", "guide")
        self.assertIn("An hour with the heron", (self.folder / "guide/index.html").read_text(encoding="utf-8"))
        self.assertTrue((self.folder / "guide/pictures/blend.webp").exists())
        where = subprocess.run(
            [str(self.folder / "env/bin/python"), "-c", "import arabesque; print(arabesque.__file__)"],
            env=self.clean, capture_output=True, text=True, check=True,
        ).stdout  # fmt: skip
        self.assertIn(str(self.folder), where)

    def test_the_desktop_and_away_again(self) -> None:
        into = self.folder / "share"
        self.assertIn(f"{len(PLACES)} files", self.arabesque("desktop", "--install", "--into", str(into)))
        self.assertTrue((into / f"applications/{ID}.desktop").exists())
        self.arabesque("desktop", "--remove", "--into", str(into))
        left = [path for path in into.rglob("*") if path.is_file() and "cache" not in path.name]
        # what update-mime-database makes is the desktop's own
        self.assertFalse([path for path in left if "mime" not in path.parts])


class DesktopTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.into = Path(folder.name)
        install(self.into)

    def test_entry_icons_and_kinds_of_files(self) -> None:
        """By the keys that the Desktop Entry and Icon Theme specifications ask for."""
        entry = configparser.ConfigParser(interpolation=None)
        entry.optionxform = str  # type: ignore[assignment,method-assign]
        entry.read(self.into / f"applications/{ID}.desktop", encoding="utf-8")
        main = entry["Desktop Entry"]
        self.assertEqual((main["Type"], main["Name"], main["Icon"]), ("Application", "Arabesque", "arabesque"))
        self.assertTrue(main["MimeType"].endswith(";") and "application/x-arabesque-project" in main["MimeType"])
        for action in filter(None, main["Actions"].split(";")):
            self.assertIn("Exec", entry[f"Desktop Action {action}"])
        for n in SIZES:
            head = (self.into / f"icons/hicolor/{n}x{n}/apps/arabesque.png").read_bytes()[:24]
            self.assertEqual(int.from_bytes(head[16:20], "big"), n)
        mime = ElementTree.parse(self.into / f"mime/packages/{ID}.xml").getroot()
        globs = [glob.get("pattern") for glob in mime.iter() if glob.tag.endswith("glob")]
        self.assertIn("*.arabesque", globs)

    def test_appstream(self) -> None:
        done = subprocess.run(
            ["appstreamcli", "validate", "--no-net", str(self.into / f"metainfo/{ID}.metainfo.xml")],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_the_manual_page_is_that_of_the_commands(self) -> None:
        self.assertEqual(PAGE.read_text(encoding="utf-8"), page(), "run: python -m tools.man_page")
        text = (self.into / "man/man1/arabesque.1").read_text(encoding="utf-8")
        for command in COMMANDS:
            self.assertIn(f".SS {command.WORD}".replace("-", "\\-"), text)

    def test_nothing_stays_and_nothing_else_goes(self) -> None:
        other = self.into / "applications/other.desktop"
        other.write_text("[Desktop Entry]\n")
        gone = remove(self.into)
        self.assertEqual(len(gone), len(PLACES))
        self.assertTrue(other.exists())
        self.assertFalse((self.into / "man").exists())
        self.assertEqual(remove(self.into), [])
        blocked = self.into / "blocked"
        blocked.write_text("a file")
        with self.assertRaisesRegex(FileProblem, "cannot be made"):
            install(blocked)

    def test_versions_agree(self) -> None:
        from arabesque import __version__

        text = (self.into / f"metainfo/{ID}.metainfo.xml").read_text()
        self.assertEqual(re.search(r'release version="([^"]+)"', text).group(1), __version__)  # type: ignore[union-attr]


class DebianTest(unittest.TestCase):
    def test_what_the_package_says_of_itself(self) -> None:
        """The fields that section 5.3 of the Debian Policy Manual (version 4.6) makes obligatory, read as RFC 822."""
        fields = email.message_from_string(control(1000, "amd64", (3, 11)))
        for name in ("Package", "Version", "Architecture", "Maintainer", "Description"):
            self.assertTrue(fields[name], name)
        depends = [one.strip() for one in fields["Depends"].split(",")]
        self.assertEqual(depends[:2], ["python3 (>= 3.11)", "python3 (<< 3.12)"])
        self.assertIn("libgl1", depends)
        self.assertEqual(len(depends), len(set(depends)))
        self.assertFalse([one for one in depends if "#" in one])
        self.assertTrue(all(line.startswith(" ") for line in fields["Description"].splitlines()[1:]))
