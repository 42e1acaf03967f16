"""Commands about finding one's way."""

from arabesque.desk.commands.command import Command

COMMANDS = (
    Command("find", "Find a command", "Type a few letters of its name", lambda d: d.find(), "Help", "Ctrl+Space"),
    Command("help", "Help", "The order of work, the words, every command and its keys", lambda d: d.help(), "Help",
            "F1"),
)  # fmt: skip
