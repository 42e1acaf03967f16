"""The commands, in the order of the menus: each is data in the file of its subject."""

from arabesque.desk.commands import cage, edit, files, help, patch, prepare, tools, trace, view
from arabesque.desk.commands.command import Command

COMMANDS: tuple[Command, ...] = (
    *files.COMMANDS,
    *edit.COMMANDS,
    *tools.COMMANDS,
    *prepare.COMMANDS,
    *trace.COMMANDS,
    *patch.COMMANDS,
    *cage.COMMANDS,
    *view.COMMANDS,
    *help.COMMANDS,
)
