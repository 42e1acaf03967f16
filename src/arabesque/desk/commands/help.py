"""Commands about finding one's way."""

from functools import partial

from arabesque.desk.commands.command import Command
from arabesque.desk.desk import Desk

FIRST = {
    "scan": (
        "Begin with a scan",
        "The demo's clay model as it came from the scanner: find its symmetry, lay it square",
    ),
    "shape": ("Begin with a shape", "The demo's scan, four clicks away from its first patch"),
    "deliver": ("Begin with delivering", "The demo with a patch on it, one Enter away from its report"),
}
"""Ways into the program for a first look: their names and hints."""


def _begin(what: str, desk: Desk) -> None:
    desk.files.begin(what)


def _first_minute(desk: Desk) -> None:
    from arabesque.demo import master  # not wanted at most starts

    desk.files.begin("shape", lambda: desk.minute.begin(next(iter(master("heron").corners.values()))))


COMMANDS = (
    *(Command(f"begin-{what}", label, hint, partial(_begin, what), "Help") for what, (label, hint) in FIRST.items()),
    Command("first-minute", "First minute", "Be led on the demo: lay a patch, pull a point, see the distance, export",
            _first_minute, "Help"),
    Command("menus", "Go through the menus", "Arrows and Enter go on there", lambda d: d.menus(), "Help", "F10"),
    Command("find", "Find a command", "Type a few letters of its name", lambda d: d.find(), "Help", "Ctrl+Space"),
    Command("help", "Guide", "The page of what runs; the order of work, the words, all keys", lambda d: d.help(),
            "Help", "F1"),
)  # fmt: skip
