"""The command line: joins the headless commands, and opens the window without one.

Exit codes: 0 success, 2 bad usage, 1 anything else, with one clear line.
"""

import argparse
import logging
import re
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from arabesque import __version__
from arabesque.errors import ArabesqueError
from arabesque.headless import COMMANDS
from arabesque.headless.common import check_outputs

_NEGATIVE = re.compile(r"^-[\d.]")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; without one, open the window. Returns the exit code."""
    logging.basicConfig(level=logging.WARNING, format="%(message)s")
    given = list(sys.argv[1:] if arguments is None else arguments)
    options = _parser().parse_args([_shielded(a) for a in given])
    try:
        check_outputs(options)
        return int(options.run(options) or 0)
    except ArabesqueError as problem:
        print(f"arabesque: {problem}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("arabesque: stopped", file=sys.stderr)
        return 1


def _shielded(argument: str) -> str:
    """A leading space keeps argparse from taking "-1,2,3" for an option."""
    return f" {argument}" if _NEGATIVE.match(argument) else argument


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        print(f"arabesque: {message}. See '{_called()} --help'.", file=sys.stderr)
        raise SystemExit(2)


def _called() -> str:
    """What one types to start it: the command of an installation, or the script of the sources."""
    return "arabesque" if Path(sys.argv[0]).name == "arabesque" else "./start"


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog=_called(), description="Smooth surfaces over 3D scans. Without a command, the window opens.")
    parser.add_argument("--version", action="version", version=f"Arabesque {__version__}")
    parser.add_argument("--demo", nargs="?", const="heron", metavar="NAME", help="open the window with a demo project")
    parser.add_argument(
        "--finished", action="store_true", help="with --demo: its worked model, from scan to closed solid"
    )
    parser.set_defaults(run=_open_window, open=None)
    words = parser.add_subparsers(title="commands", metavar="COMMAND", parser_class=_Parser)
    window = words.add_parser("open", help="open the window with a scan or project")
    window.add_argument("open", metavar="FILE")
    for command in COMMANDS:
        own = words.add_parser(command.WORD, help=command.HELP)
        command.arguments(own)
        own.set_defaults(run=command.run)
    return parser


def _open_window(options: argparse.Namespace) -> int:
    from arabesque.desk.graphics import drawing_application  # headless commands need no Qt

    application = drawing_application()
    if application is None:
        return 1
    from arabesque.desk.app import run  # takes seconds, which a start without a screen is told before

    return run(application, demo=options.demo, path=options.open, finished=options.finished)
