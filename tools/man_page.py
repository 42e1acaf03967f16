"""Write the manual page from the commands as they are: python -m tools.man_page."""

from __future__ import annotations

import argparse
from pathlib import Path

from arabesque import __version__
from arabesque.headless import COMMANDS

PAGE = Path(__file__).resolve().parent.parent / "src/arabesque/freedesktop/arabesque.1"


def plain(words: str) -> str:
    """Text as troff takes it."""
    made = words.replace("\\", "\\e").replace("-", "\\-").replace("%%", "%")
    # a line that begins with a dot would be a command
    return f"\\&{made}" if made.startswith((".", "'")) else made


def told(action: argparse.Action) -> str:
    """An argument with its words."""
    name = ", ".join(action.option_strings) or str(action.metavar or action.dest).upper()
    value = "" if not action.option_strings or action.nargs == 0 else f" {_value(action)}"
    return f".TP\n.B {plain(name + value)}\n{plain(action.help or '')}\n"


def _value(action: argparse.Action) -> str:
    if action.choices is not None:
        return "|".join(map(str, action.choices))
    return str(action.metavar if isinstance(action.metavar, str) else action.dest.upper())


def page() -> str:
    """The whole page."""
    parts = [
        f'.TH ARABESQUE 1 "" "Arabesque {__version__}" "User Commands"\n',
        ".SH NAME\narabesque \\- smooth NURBS and subdivision surfaces over 3D scans\n",
        ".SH SYNOPSIS\n.B arabesque\n[\\-\\-demo [NAME] [\\-\\-finished]]\n.br\n.B arabesque\nCOMMAND [ARGUMENTS]\n",
        ".SH DESCRIPTION\nWithout a command the window opens; with \\fB\\-\\-demo\\fR it shows a demo project.\n"
        "The commands work without a window, and their reports are JSON.\n",
        ".SH COMMANDS\n.SS open FILE\nopen the window with a scan, a project or a STEP file\n",
    ]
    for command in COMMANDS:
        parser = argparse.ArgumentParser(add_help=False)
        command.arguments(parser)
        parts.append(f".SS {plain(command.WORD)}\n{plain(command.HELP)}\n")
        parts += [told(action) for action in parser._actions]
    parts.append(".SH EXIT STATUS\n0 on success, 2 on bad usage, 1 with one clear line otherwise.\n")
    parts.append(
        ".SH FILES\n.TP\n.I ~/.local/state/arabesque/journal\nevery step of unsaved work\n"
        ".TP\n.I ~/.config/arabesque\nsettings\n"
    )
    return "".join(parts)


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
