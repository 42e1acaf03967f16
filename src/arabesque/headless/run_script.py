"""./start run: run a Python script with the program's interpreter; see ``arabesque.script``."""

from __future__ import annotations

import argparse
import runpy
import sys
import traceback

from arabesque.errors import ArabesqueError
from arabesque.files import readable

WORD = "run"
SYSTEM = "kernel"
HELP = "run a Python script that uses arabesque.script"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("script", metavar="SCRIPT.py")
    parser.add_argument("arguments", nargs=argparse.REMAINDER, help="passed on to the script")


def run(options: argparse.Namespace) -> int:
    """Run the script as Python would; its own errors are shown as Python shows them, from its own first line on."""
    path = readable(options.script)
    before, place = sys.argv, list(sys.path)
    sys.argv = [str(path), *(argument.removeprefix(" ") for argument in options.arguments)]
    sys.path.insert(0, str(path.resolve().parent))
    try:
        runpy.run_path(str(path), run_name="__main__")
    except (ArabesqueError, KeyboardInterrupt, SystemExit):
        raise
    except BaseException as error:  # noqa: BLE001  # a script may raise whatever it likes: it is shown as Python does
        trace = error.__traceback__
        while trace is not None and trace.tb_frame.f_code.co_filename != str(path):
            trace = trace.tb_next
        traceback.print_exception(type(error), error, trace)
        return 1
    finally:
        sys.argv, sys.path[:] = before, place
    return 0
