"""The guide as a folder of HTML pages, readable in any browser without a network."""

from __future__ import annotations

import shutil
from importlib.resources import files
from pathlib import Path

from jinja2 import Environment

from arabesque import __version__
from arabesque.errors import FileProblem
from arabesque.guide.pages import FIRST, body, exists, folder, links, names, title

GENERATOR = '<meta name="generator" content="Arabesque">'
"""By this line of its head a page tells that it belongs to a guide."""
PICTURES = ("*.png", "*.webp", "*.svg")


def build(out: str | Path) -> list[Path]:
    """Write every page and picture into a folder; returns the pages.

    The page with the contents is ``index.html``. Raises FileProblem where it cannot be written, and for a folder that
    holds other things than a guide.
    """
    out = Path(out)
    _check_folder(out)
    template = Environment(autoescape=True).from_string(
        files("arabesque.guide").joinpath("page.html").read_text(encoding="utf-8")
    )
    written, contents = [], chapters()
    try:
        for name in names():
            path = out / ("index.html" if name == FIRST else f"{name}.html")
            path.parent.mkdir(parents=True, exist_ok=True)
            up = "../" * (len(Path(name).parts) - 1)
            html = body(name).replace(f'{FIRST}.html"', 'index.html"')
            page = template.render(
                title=title(name), body=html, up=up, version=__version__, chapters=contents, name=name
            )
            path.write_text(page, encoding="utf-8")
            written.append(path)
        for pattern in PICTURES:
            for picture in folder().rglob(pattern):
                to = out / picture.relative_to(folder())
                to.parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(picture, to)
    except OSError as problem:
        raise FileProblem(
            f"The guide cannot be written to {out} ({problem.strerror})", "Choose another folder"
        ) from None
    return written


def _check_folder(out: Path) -> None:
    """Refuse a folder with anything in it but an earlier guide: its pages would replace others of their names."""
    try:
        index = out / "index.html"
        guide = index.is_file() and GENERATOR in index.read_text(encoding="utf-8", errors="replace")
        if out.is_dir() and any(out.iterdir()) and not guide:
            raise FileProblem(f"{out} holds other files already", "Choose a new or empty folder")
    except OSError as problem:
        raise FileProblem(f"{out} cannot be read ({problem.strerror})", "Choose another folder") from problem


def chapters() -> list[tuple[str, str]]:
    """What the contents lead to, in order: name and title of each page."""
    return [(name, title(name)) for name in dict.fromkeys(links(FIRST)) if exists(name)]
