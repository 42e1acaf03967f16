"""The list of commands: what each is called, where it stands, and its keys."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from arabesque.desk.commands import Command
from arabesque.desk.looks import Glance, ScanLook
from arabesque.desk.tools import TOOLS, OpenScan, Preferences, Timeline, Tool
from arabesque.desk.tools.patch_work import PatchWork
from arabesque.desk.tools.try_keep import ScanTool
from arabesque.model import Item, edits
from arabesque.reading import Regions
from arabesque.scan import Scan

if TYPE_CHECKING:
    from arabesque.desk.window import Window

_LOOKS = {
    "top": ("From the top", "Ctrl+1"),
    "bottom": ("From below", "Ctrl+2"),
    "left side": ("From −y", "Ctrl+3"),
    "right side": ("From +y", "Ctrl+4"),
    "front": ("From +x", "Ctrl+5"),
    "back": ("From −x", "Ctrl+6"),
    "slanted": ("Slanted", "Ctrl+7"),
}
_DEMOS = {
    "heron": "A touring saddle's clay model",
    "pebble": "A trekking-pole grip",
    "juniper": "A water jug with a handle",
}
_SCANS = {
    ScanLook.SOLID: ("Scan solid", "Show the scan as solid clay", "ph.circle"),
    ScanLook.SEE_THROUGH: (
        "See-through",
        "Show the scan see-through, patches behind it stay visible",
        "ph.circle-half",
    ),
    ScanLook.HIDDEN: ("No scan", "Hide the scan; it still counts for every check", "ph.circle-dashed"),
}


def register(window: Window) -> None:
    """Register every command of the window."""
    _files(window)
    _edits(window)
    _outline_edits(window)
    _tools(window)
    _scan_edits(window)
    _patches(window)
    _looks(window)
    _help(window)


def _files(w: Window) -> None:
    add = w.commands.add
    add(Command("new", "New project", "Begin with an empty project", w.new_project, "File", "Ctrl+N", "ph.file-plus"))
    add(
        Command(
            "open", "Open project…", "Open an Arabesque project", w.open_project, "File", "Ctrl+O", "ph.folder-open"
        )
    )
    for name, words in _DEMOS.items():
        add(
            Command(
                "demo" if name == "heron" else f"demo-{name}",
                "Open the demo" if name == "heron" else f"Open the demo {name}",
                f"{words}, scanned",
                partial(w.open_demo, name),
                "File",
                "",
                "ph.bicycle",
            )
        )
    add(
        Command(
            "save",
            "Save",
            "Save the project",
            w.save,
            "File",
            "Ctrl+S",
            "ph.floppy-disk",
            lambda: bool(w.session.document.items),
        )
    )
    add(Command("save-as", "Save as…", "Save the project in another place", w.save_as, "File", "Ctrl+Shift+S"))
    add(
        Command(
            "open-model",
            "Open surfaces…",
            "Bring the faces and curves of a STEP or IGES file in",
            w.choose_model,
            "File",
            "Ctrl+Shift+I",
            "ph.file-arrow-down",
        )
    )
    add(Command("quit", "Quit", "Close the window", lambda: _close(w), "File", "Ctrl+Q"))


def _close(w: Window) -> None:
    w.close()


def _edits(w: Window) -> None:
    add = w.commands.add
    history = lambda: w.session.history  # noqa: E731
    add(
        Command(
            "undo",
            "Undo",
            "Take the last step back",
            w.session.undo,
            "Edit",
            "Ctrl+Z",
            "ph.arrow-u-up-left",
            lambda: history().position > 0,
        )
    )
    add(
        Command(
            "redo",
            "Redo",
            "Do again what was taken back",
            w.session.redo,
            "Edit",
            "Ctrl+Shift+Z",
            "ph.arrow-u-up-right",
            lambda: history().position + 1 < len(history().steps),
        )
    )
    chosen = lambda: w.session.selection is not None  # noqa: E731

    def with_selection(change: Callable[[Item], object]) -> None:
        item = w.session.selection
        if item is not None:
            change(item)

    add(
        Command(
            "rename",
            "Rename",
            "Give the selected item another name",
            w.rename,
            "Edit",
            "F2",
            "ph.pencil-simple",
            chosen,
        )
    )
    add(
        Command(
            "hide",
            "Hide or show",
            "Hide the selected item, or show it again",
            lambda: with_selection(lambda i: w.session.edit(edits.items.shown, i, not i.look.visible)),
            "Edit",
            "H",
            "ph.eye-slash",
            chosen,
        )
    )
    add(
        Command(
            "see-through",
            "See-through or solid",
            "Make the selected item see-through, or solid again",
            lambda: with_selection(lambda i: w.session.edit(edits.items.seen_through, i, not i.look.see_through)),
            "Edit",
            "",
            "ph.circle-half",
            chosen,
        )
    )
    add(
        Command(
            "delete",
            "Delete",
            "Delete the selected item",
            lambda: with_selection(partial(w.session.edit, edits.items.deleted)),
            "Edit",
            "Del",
            "ph.trash",
            chosen,
        )
    )
    add(
        Command(
            "reference",
            "Use as reference scan",
            "Fit to the selected scan and check against it",
            lambda: _refer(w),
            "Edit",
            "",
            "ph.cloud",
            lambda: w.session.selection is not None and isinstance(w.session.selection.shape, Scan),
        )
    )


def _scan_edits(w: Window) -> None:
    add = w.commands.add

    def on_scan() -> bool:
        return w.session.selection is not None and isinstance(w.session.selection.shape, Scan)

    def shown_scans() -> list[Item]:
        return [item for item in w.session.document if isinstance(item.shape, Scan) and item.look.visible]

    def duplicate() -> None:
        if w.session.selection is not None:
            w.session.edit(edits.items.duplicated, w.session.selection)

    def turn_over() -> None:
        if w.session.selection is not None:
            w.session.turn_over(w.session.selection)

    def merge() -> None:
        w.session.merge_scans(shown_scans())

    hint = "A second item of the same shape"
    add(
        Command(
            "duplicate", "Duplicate", hint, duplicate, "Edit", "Ctrl+D", "", lambda: w.session.selection is not None
        )
    )
    hint = "Make one scan of all scans that are shown"
    add(Command("merge-scans", "Merge scans", hint, merge, "Prepare", "", "", lambda: len(shown_scans()) > 1))
    hint = "Let the selected scan look the other way, where its inside is outside"
    add(Command("turn-over", "Turn normals over", hint, turn_over, "Prepare", "", "", on_scan))
    hint = "Show or hide the edges of the scan's triangles"
    add(Command("scan-edges", "Triangle edges", hint, w.toggle_edges, "View", "E", "", checked=lambda: w.looks.edges))


def _outline_edits(w: Window) -> None:
    add = w.commands.add

    def chosen() -> bool:
        return w.session.selection is not None

    def selected(change: Callable[[Item], object]) -> None:
        item = w.session.selection
        if item is not None:
            change(item)

    def dim() -> None:
        selected(lambda item: w.session.edit(edits.items.dimmed, item, not item.look.dimmed))

    def new_layer() -> None:
        selected(partial(w.session.edit, edits.items.on_new_layer))

    add(Command("dim", "Dim or show in full", "Let the selected item step back", dim, "Edit", "D", "", chosen))
    add(
        Command(
            "alone",
            "Only this",
            "Show only the selected item and the scan, or everything again",
            w.show_alone,
            "Edit",
            "O",
            "",
            lambda: chosen() or bool(w.looks.alone),
            lambda: bool(w.looks.alone),
        )
    )
    add(
        Command(
            "new-layer",
            "On a new layer",
            "Put the selected item on a layer of its own",
            new_layer,
            "Edit",
            "L",
            "",
            chosen,
        )
    )
    for tool in (Timeline, Preferences):
        menu = "Edit"
        add(
            Command(
                tool.id,
                tool.label,
                tool.hint,
                partial(w.take_up, tool),
                menu,
                tool.shortcut,
                tool.icon,
                checked=partial(_runs, w, tool),
            )
        )


def _help(w: Window) -> None:
    add = w.commands.add
    add(Command("find", "Find a command", "Type a few letters of its name", w.find_command, "Help", "Ctrl+Space"))
    add(Command("help", "Help", "The order of work, the words, every command and its keys", w.show_help, "Help", "F1"))


def _refer(w: Window) -> None:
    item = w.session.selection
    if item is not None:
        w.session.edit(edits.items.referred_to, item)


def _tools(w: Window) -> None:
    needs_scan = lambda: w.session.scan is not None  # noqa: E731
    needs_patch = lambda: bool(w.session.document.surfaces())  # noqa: E731

    def needs_shape() -> bool:
        return any(not isinstance(item.shape, Scan) for item in w.session.document)

    def needs_both() -> bool:
        return needs_scan() and needs_patch()

    enabled = {"four-corners": needs_scan, "move-points": needs_patch, "export": needs_shape}
    enabled |= {tool.id: needs_scan for tool in TOOLS if issubclass(tool, ScanTool)}
    enabled |= {tool.id: needs_patch for tool in TOOLS if issubclass(tool, PatchWork)}
    enabled |= dict.fromkeys(("by-numbers", "edges", "split"), needs_patch)
    enabled |= {"fit-again": needs_both, "lay-between": needs_scan}
    enabled["correct-regions"] = lambda: any(isinstance(item.shape, Regions) for item in w.session.document)
    for tool in TOOLS:
        w.commands.add(
            Command(
                tool.id,
                tool.label,
                tool.hint,
                w.choose_scan if tool is OpenScan else partial(w.take_up, tool),
                tool.step.title,
                tool.shortcut,
                tool.icon,
                enabled.get(tool.id, lambda: True),
                partial(_runs, w, tool),
                tool.short,
            )
        )


def _runs(w: Window, tool: type[Tool]) -> bool:
    return isinstance(w.tool, tool)


def _scans_are(w: Window, look: ScanLook) -> bool:
    return w.looks.scans is look


def _glances_have(w: Window, glance: Glance) -> bool:
    return glance in w.looks.glances


def _patches(w: Window) -> None:
    add = w.commands.add

    def patch() -> bool:
        return w.session.surface_item is not None

    for axis, name in enumerate("uv"):
        key = name.upper()
        up = partial(w.raise_degree, 1 - axis, axis)
        down = partial(w.lower_degree, axis)
        hint = f"One degree more along {name}; the shape stays exactly the same"
        add(Command(f"raise-{name}", f"Raise degree {name}", hint, up, "Patch", key, "", patch, short=f"{name} +"))
        hint = f"One degree less along {name}, and tell how far the patch moved"
        keys = f"Shift+{key}"
        add(Command(f"lower-{name}", f"Lower degree {name}", hint, down, "Patch", keys, "", patch, short=f"{name} −"))
    hint = "Fit the patch to the scan again, with its degree, its corners held"
    sign = "ph.arrows-in-line-vertical"
    add(
        Command("refit", "Fit again", hint, w.refit, "Patch", "T", sign, lambda: patch() and w.session.scan is not None)
    )
    add(
        Command(
            "weight-map",
            "Weight map",
            "What one or two steps more along u and v would bring, for the selected patch",
            w.toggle_weights,
            "Patch",
            "Q",
            "ph.scales",
            lambda: w.session.scan is not None,
            lambda: w.session.weighing.wanted,
            short="Weights",
        )
    )

    def parked() -> bool:
        return w.session.selection is not None and bool(w.session.selection.versions)

    def park() -> None:
        item = w.session.selection
        if item is not None:
            w.session.edit(edits.versions.parked, item)

    def bring_back() -> None:
        item = w.session.selection
        if item is not None:
            w.session.edit(edits.versions.brought_back, item, w.outline.chosen_version(item))

    hint = "Keep the selected item as it is now aside; the version unfolds below it in the Outline"
    add(
        Command(
            "park",
            "Park a version",
            hint,
            park,
            "Edit",
            "Shift+P",
            "ph.archive",
            lambda: w.session.selection is not None,
        )
    )
    hint = "Put the chosen parked version, or the latest, in its item's place; what stands there is parked instead"
    add(Command("bring-back", "Bring the version back", hint, bring_back, "Edit", "Shift+B", "", parked))
    hint = "Move the control points of the selected patch"
    add(Command("edit-points", "Points", hint, partial(_edit_points, w), "", "", "", patch))


def _edit_points(w: Window) -> None:
    w.commands["move-points"].trigger()


def _looks(w: Window) -> None:
    add = w.commands.add
    for look, (label, hint, sign) in _SCANS.items():
        add(
            Command(
                f"scan-{look.name.lower()}",
                label,
                hint,
                partial(w.show_scans, look),
                "View",
                "",
                sign,
                checked=partial(_scans_are, w, look),
            )
        )
    add(
        Command(
            "plain", "0  plain", "Take every check away", w.show_plain, "View", "0", checked=lambda: not w.looks.glances
        )
    )
    for glance in Glance:
        add(
            Command(
                f"glance-{glance.name.lower()}",
                f"{glance.key}  {glance.word}",
                f"Tap {glance.key} for on or off, hold it for a glance",
                partial(w.toggle_glance, glance),
                "View",
                checked=partial(_glances_have, w, glance),
                short=glance.short,
            )
        )
    add(
        Command(
            "look-fit",
            "Everything in sight",
            "Fit the view to what is shown",
            w.fit_view,
            "View",
            "Home",
            "ph.frame-corners",
        )
    )
    for direction, (label, keys) in _LOOKS.items():
        add(
            Command(f"look-{direction}", label, f"Look {label.lower()}", partial(w.look_along, direction), "View", keys)
        )
    hint = "Look along the form at an acute angle: dips and bumps of the net stand out"
    add(Command("look-form", "Along the form", hint, w.look_along_form, "View", "A", "ph.eye"))
    add(
        Command(
            "perspective",
            "Perspective",
            "Switch between perspective and parallel",
            w.toggle_perspective,
            "View",
            "P",
            checked=lambda: w.view.camera.perspective,
        )
    )
    add(
        Command(
            "worst",
            "Fly to the worst place",
            "Bring the largest deviation to the middle",
            w.fly_to_worst,
            "View",
            "W",
            "ph.crosshair",
        )
    )
