"""Commands about scans that need no tool."""

from arabesque.desk.commands.command import Command
from arabesque.desk.desk import Desk
from arabesque.scan import Scan


def _merge(desk: Desk) -> None:
    desk.session.merge_scans(desk.session.seen.of(Scan))


def _turn_over(desk: Desk) -> None:
    if desk.chosen is not None:
        desk.session.turn_over(desk.chosen)


COMMANDS = (
    Command("merge-scans", "Merge scans", "Make one scan of all scans that are shown", _merge, "Prepare",
            when=lambda s: s.scans > 1),
    Command("turn-over", "Turn normals over", "Let the selected scan look the other way, where its inside is outside",
            _turn_over, "Prepare", when=lambda s: s.is_chosen(Scan)),
)  # fmt: skip
