"""./start run: run a Python script with the program's interpreter; see ``arabesque.script``."""

from __future__ import annotations

import argparse
import runpy
import sys

from arabesque.files import readable

WORD = "run"
HELP = "run a Python script that uses arabesque.script"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("script", metavar="SCRIPT.py")
    parser.add_argument("arguments", nargs=argparse.REMAINDER, help="passed on to the script")


def run(options: argparse.Namespace) -> None:
    """Run the script as Python would; its own errors are shown as Python shows them."""
    path = readable(options.script)
    before, place = sys.argv, list(sys.path)
    sys.argv = [str(path), *(argument.removeprefix(" ") for argument in options.arguments)]
    sys.path.insert(0, str(path.resolve().parent))
    try:
        runpy.run_path(str(path), run_name="__main__")
    finally:
        sys.argv, sys.path[:] = before, place
