"""What is written for people: links lead somewhere, pictures are there, commands that are named exist."""

import re
import unittest
from pathlib import Path

from arabesque.headless import COMMANDS

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


if __name__ == "__main__":
    unittest.main()
