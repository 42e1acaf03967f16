"""./start desktop: tell the desktop of the program (menu, icons, kinds of files, manual page), or take it back."""

from __future__ import annotations

import argparse
from pathlib import Path

WORD = "desktop"
SYSTEM = "nothing"
HELP = "add the program to the desktop's menu, with icons, kinds of files and manual page; or take it away"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    what = parser.add_mutually_exclusive_group(required=True)
    what.add_argument("--install", action="store_true", help="add it")
    what.add_argument("--remove", action="store_true", help="take all of it away")
    parser.add_argument("--into", type=Path, help="the folder; your own ~/.local/share if not given")
    parser.add_argument("--command", default="arabesque", help="what the menu entry starts")


def run(options: argparse.Namespace) -> None:
    """Put the files there, or take them away."""
    import platformdirs

    from arabesque.freedesktop import install, remove

    into = options.into or Path(platformdirs.user_data_path("arabesque")).parent
    done = install(into, options.command) if options.install else remove(into)
    print(f"{len(done)} files {'put under' if options.install else 'taken away from'} {into}")
