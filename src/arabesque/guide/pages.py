"""The pages: where they lie, what they are called, and their HTML."""

from __future__ import annotations

import posixpath
import re
from functools import cache
from pathlib import Path

from markdown import Markdown

from arabesque.errors import FileProblem

FIRST = "README"
"""The page with the contents."""
_LINK = re.compile(r"\]\(([^)\s]+)\)")
_HREF = re.compile(r'(<a href=")([^"#]+)\.md((?:#[^"]*)?")')
_SOURCES = re.compile(r'<a href="[./]*/src/[^"]*">(.*?)</a>')


@cache
def folder() -> Path:
    """Where the pages lie: in the installed package, or in the sources."""
    here = Path(__file__).resolve()
    for place in (here.parent / "pages", here.parents[3] / "docs" / "guide"):
        if (place / f"{FIRST}.md").exists():
            return place
    raise FileProblem("The guide is not there", "Install the program again: its pages come with it")


def names() -> list[str]:
    """All pages: their paths in the folder, without the ending."""
    found = (path.relative_to(folder()).with_suffix("") for path in folder().rglob("*.md"))
    return sorted(path.as_posix() for path in found)


def exists(name: str) -> bool:
    """True for the name of a page."""
    return _inside(name) and (folder() / f"{name}.md").is_file()


def text(name: str) -> str:
    """A page as it was written. Raises FileProblem for a name that is none."""
    if not exists(name):
        raise FileProblem(f"The guide has no page '{name}'", "Begin at its contents")
    return (folder() / f"{name}.md").read_text(encoding="utf-8")


def title(name: str) -> str:
    """The heading of a page."""
    first = next((line for line in text(name).splitlines() if line.startswith("# ")), name)
    return first.removeprefix("# ")


def body(name: str, ending: str = ".html") -> str:
    """A page as HTML, without head and foot. ending: of links to other pages; ".md" leaves them as they are.

    Links into the sources of the program lead nowhere from an installed guide: their words stay.
    """
    made = Markdown(extensions=["tables", "toc", "sane_lists"]).convert(text(name))
    made = _SOURCES.sub(r"\1", made)
    return made if ending == ".md" else _HREF.sub(rf"\g<1>\g<2>{ending}\g<3>", made)


def find(words: str) -> list[str]:
    """The pages that hold all these words; those that are called so come first."""
    wanted = words.lower().split()
    known = {name: text(name).lower() for name in names()}
    found = [name for name, page in known.items() if wanted and all(word in page for word in wanted)]
    return sorted(found, key=lambda name: (not all(word in title(name).lower() for word in wanted), name))


def links(name: str) -> list[str]:
    """Where a page leads: names of other pages, as paths in the folder."""
    found = [link.split("#")[0] for link in _LINK.findall(text(name))]
    inside = [link.removesuffix(".md") for link in found if link.endswith(".md")]
    return [posixpath.normpath(posixpath.join(posixpath.dirname(name), link)) for link in inside]


def _inside(name: str) -> bool:
    parts = Path(name).parts
    return bool(parts) and ".." not in parts and not Path(name).is_absolute()
