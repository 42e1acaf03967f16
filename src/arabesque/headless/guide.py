"""./start guide: the guide as HTML pages."""

from __future__ import annotations

import argparse
from pathlib import Path

WORD = "guide"
SYSTEM = "nothing"
HELP = "write the guide as HTML pages that any browser shows"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("--out", required=True, help="the folder to write; begin at its index.html")


def run(options: argparse.Namespace) -> None:
    """Write the pages."""
    from arabesque.guide import build

    pages = build(options.out)
    print(f"{Path(options.out) / 'index.html'}: {len(pages)} pages")
