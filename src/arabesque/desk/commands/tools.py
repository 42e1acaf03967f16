"""Commands that take tools up: one for each tool, made from what it says of itself."""

from __future__ import annotations

from functools import partial

from arabesque.desk.commands.command import Command, State
from arabesque.desk.desk import Desk
from arabesque.desk.tools import TOOLS, Tool
from arabesque.desk.tools.making import Making
from arabesque.desk.tools.prepare.open_scan import OpenScan


def _take_up(tool: type[Tool], desk: Desk) -> None:
    if tool is OpenScan:
        desk.files.choose_scan()
    elif not _waits(desk.hand.tool, tool):
        desk.hand.take_up(tool)


def _waits(held: Tool, kind: type[Tool]) -> bool:
    """True for a tool that is in the hand already and waits for picks: taken up anew it would change the item that it
    has just made."""
    return type(held) is kind and isinstance(held, Making) and not held.begun and held.target is None


def _runs(tool: type[Tool], state: State) -> bool:
    return state.tool is not None and issubclass(state.tool, tool)


def of_tool(tool: type[Tool], menu: str = "") -> Command:
    """The command that takes a tool up; a letter without Ctrl belongs to the tool's step."""
    keys = tool.shortcut
    return Command(
        tool.id,
        tool.label,
        tool.hint,
        partial(_take_up, tool),
        menu or tool.step.title,
        keys,
        tool.icon,
        tool.needs,
        on=partial(_runs, tool),
        short=tool.short,
        step=None if menu or not keys or "Ctrl" in keys else tool.step,
        also=tool.also,
    )


COMMANDS = tuple(of_tool(tool) for tool in TOOLS)
