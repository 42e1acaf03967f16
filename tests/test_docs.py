"""What is written for people: links lead somewhere, pictures are there, commands that are named exist."""

import contextlib
import io
import re
import tempfile
import unittest
from html.parser import HTMLParser
from pathlib import Path

from tools.guide_pages import blocks, filled

from arabesque import guide
from arabesque.errors import FileProblem
from arabesque.headless import COMMANDS
from arabesque.scan import write_scan
from tests.examples import heron

ROOT = Path(__file__).resolve().parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").rglob("*.md"))]
LINK = re.compile(r"!?\[[^\]]*\]\(([^)\s]+)\)")


class DocsTest(unittest.TestCase):
    def test_links_lead_somewhere(self) -> None:
        found = 0
        for page in PAGES:
            for link in LINK.findall(page.read_text(encoding="utf-8")):
                with self.subTest(page=page.name, link=link):
                    self.assertFalse(link.startswith("http"), "nothing here needs a network")
                    self.assertTrue((page.parent / link.split("#")[0]).exists())
                    found += 1
        self.assertGreater(found, 30)

    def test_every_picture_is_shown_and_there_are_few(self) -> None:
        pictures = sorted((ROOT / "docs" / "screenshots").iterdir())
        text = PAGES[0].read_text(encoding="utf-8")
        self.assertLess(len(pictures), 20)
        for picture in pictures:
            self.assertIn(f"docs/screenshots/{picture.name}", text)

    def test_commands_that_are_named_exist(self) -> None:
        known = {command.WORD for command in COMMANDS} | {"open", "bench", "--demo", "--help", "COMMAND"}
        for page in PAGES:
            for word in re.findall(r"\./start ([a-z-]+)", page.read_text(encoding="utf-8")):
                self.assertIn(word, known, page.name)


class GuideTest(unittest.TestCase):
    def test_forms_and_keys_are_those_of_the_program(self) -> None:
        told = 0
        for name, parts in blocks():
            page = guide.text(name)
            self.assertEqual(filled(page, parts), page, "run: python -m tools.guide_pages")
            told += 1
        self.assertGreater(told, 100)

    def test_every_page_is_led_to(self) -> None:
        reached, waiting = set(), [guide.FIRST]
        while waiting:
            name = waiting.pop()
            if name not in reached:
                reached.add(name)
                waiting += guide.links(name)
        self.assertEqual(sorted(reached), guide.names())

    def test_html_leads_nowhere_outside(self) -> None:
        """Every link and picture of the site is a file in it: the pages need no network and no sources."""
        with tempfile.TemporaryDirectory() as folder:
            pages = guide.build(folder)
            self.assertEqual(len(pages), len(guide.names()))
            root = Path(folder).resolve()
            for page in pages:
                reader = Leads()
                reader.feed(page.read_text(encoding="utf-8"))
                self.assertEqual(reader.open, [], page)
                for link in reader.found:
                    target = (page.parent / link.split("#")[0]).resolve()
                    self.assertTrue(target.is_file() and target.is_relative_to(root), f"{page.name}: {link}")

    def test_what_is_no_page(self) -> None:
        for name in ("none", "../README", "/etc/passwd", ""):
            self.assertFalse(guide.exists(name))
            with self.assertRaises(FileProblem):
                guide.text(name)
        with tempfile.NamedTemporaryFile() as file, self.assertRaisesRegex(FileProblem, "another folder"):
            guide.build(Path(file.name) / "guide")

    def test_scripts_in_it_run(self) -> None:
        """Each as it stands there, on a coarser scan."""
        ran = 0
        for name in guide.names():
            for script in re.findall(r"```python\n(.*?)```", guide.text(name), re.DOTALL):
                with self.subTest(page=name), tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
                    write_scan("heron.ply", heron(25_000).scan)
                    with contextlib.redirect_stdout(io.StringIO()) as told:
                        exec(compile(script, name, "exec"), {})
                    self.assertIn("True", told.getvalue())
                    self.assertTrue({"shell.step", "shell.pdf"} <= {path.name for path in Path().iterdir()})
                    ran += 1
        self.assertGreater(ran, 0)


class Leads(HTMLParser):
    """Where a page leads, and which of its tags were not closed."""

    single = frozenset({"meta", "img", "br", "hr", "link"})

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self.open: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.found += [value for key, value in attrs if key in ("href", "src") and value and not value.startswith("#")]
        if tag not in self.single:
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        if self.open and self.open[-1] == tag:
            self.open.pop()


if __name__ == "__main__":
    unittest.main()
