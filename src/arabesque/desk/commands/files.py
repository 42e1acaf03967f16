"""Commands about files."""

from functools import partial

from arabesque.desk.commands.command import Command
from arabesque.desk.desk import Desk

_DEMOS = {
    "heron": "A touring saddle's clay model",
    "pebble": "A trekking-pole grip",
    "juniper": "A water jug with a handle",
    "dipper": "A lobed hand wheel",
}


def _open_demo(name: str, desk: Desk) -> None:
    desk.files.open_demo(name)


def _open_finished(name: str, desk: Desk) -> None:
    desk.files.open_demo(name, finished=True)


def _finished(name: str, words: str) -> Command:
    return Command(
        f"finished-{name}",
        f"Open the finished {name}",
        f"{words}, from its scan to a closed solid; building it takes about a minute the first time",
        partial(_open_finished, name),
        "File",
    )


def _demo(name: str, words: str) -> Command:
    first = name == "heron"
    return Command(
        "demo" if first else f"demo-{name}",
        "Open the demo" if first else f"Open the demo {name}",
        f"{words}, scanned",
        partial(_open_demo, name),
        "File",
        icon="ph.bicycle",
    )


COMMANDS = (
    Command("new", "New project", "Begin with an empty project", lambda d: d.files.new_project(), "File", "Ctrl+N",
            "ph.file-plus"),
    Command("open", "Open project…", "Open an Arabesque project", lambda d: d.files.open_project(), "File", "Ctrl+O",
            "ph.folder-open"),
    *(_demo(name, words) for name, words in _DEMOS.items()),
    *(_finished(name, words) for name, words in _DEMOS.items()),
    Command("save", "Save", "Save the project", lambda d: d.files.save(), "File", "Ctrl+S", "ph.floppy-disk",
            when=lambda s: bool(s.kinds)),
    Command("save-as", "Save as…", "Save the project in another place", lambda d: d.files.save_as(), "File",
            "Ctrl+Shift+S"),
    Command("open-model", "Open surfaces…", "Bring the faces and curves of a STEP or IGES file in",
            lambda d: d.files.choose_model(), "File", "Ctrl+Shift+I", "ph.file-arrow-down"),
    Command("open-bodies", "Open bodies…", "Bring the solids and shells of a STEP file in as bodies",
            lambda d: d.files.choose_bodies(), "File", icon="ph.package"),
    Command("open-cage", "Open a cage…", "Bring an OBJ file of quads in as a cage, its numbers in the project's unit",
            lambda d: d.files.choose_cage(), "File", icon="ph.cube"),
    Command("quit", "Quit", "Close the window", lambda d: d.close(), "File", "Ctrl+Q"),
)  # fmt: skip
