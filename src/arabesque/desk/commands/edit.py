"""Commands about steps, items, layers and versions."""

from __future__ import annotations

from arabesque.desk.commands.command import Command, chosen
from arabesque.desk.commands.tools import of_tool
from arabesque.desk.desk import Desk
from arabesque.desk.tools.preferences import Preferences
from arabesque.desk.tools.timeline import Timeline
from arabesque.model.edits import items, versions
from arabesque.scan import Scan


def _hide(desk: Desk) -> None:
    if desk.chosen is not None:
        desk.edit_chosen(items.shown, not desk.chosen.look.visible)


def _see_through(desk: Desk) -> None:
    if desk.chosen is not None:
        desk.edit_chosen(items.seen_through, not desk.chosen.look.see_through)


def _dim(desk: Desk) -> None:
    if desk.chosen is not None:
        desk.edit_chosen(items.dimmed, not desk.chosen.look.dimmed)


def _bring_back(desk: Desk) -> None:
    if desk.chosen is not None:
        desk.edit_chosen(versions.brought_back, desk.chosen_version(desk.chosen))


def _like_first(desk: Desk) -> None:
    first, *others = desk.session.selected_items
    desk.session.edit(items.like, first, others)


COMMANDS = (
    Command("undo", "Undo", "Take the last step back", lambda d: d.session.undo(), "Edit", "Ctrl+Z",
            "ph.arrow-u-up-left", when=lambda s: s.back),
    Command("redo", "Redo", "Do again what was taken back", lambda d: d.session.redo(), "Edit", "Ctrl+Shift+Z",
            "ph.arrow-u-up-right", when=lambda s: s.forth),
    Command("rename", "Rename", "Give the selected item another name", lambda d: d.rename(), "Edit", "F2",
            "ph.pencil-simple", when=chosen),
    Command("hide", "Hide or show", "Hide the selected item, or show it again", _hide, "Edit", "H", "ph.eye-slash",
            when=chosen),
    Command("see-through", "See-through or solid", "Make the selected item see-through, or solid again",
            _see_through, "Edit", icon="ph.circle-half", when=chosen),
    Command("delete", "Delete", "Delete the selected item", lambda d: d.edit_chosen(items.deleted), "Edit", "Del",
            "ph.trash", when=chosen),
    Command("reference", "Use as reference scan", "Fit to the selected scan and check against it",
            lambda d: d.edit_chosen(items.referred_to), "Edit", icon="ph.cloud", when=lambda s: s.is_chosen(Scan)),
    Command("dim", "Dim or show in full", "Let the selected item step back", _dim, "Edit", "D", when=chosen),
    Command("alone", "Only this", "Show only the selected item and the scan, or everything again",
            lambda d: d.sight.show_alone(), "Edit", "O", when=lambda s: chosen(s) or s.alone, on=lambda s: s.alone),
    Command("new-layer", "On a new layer", "Put the selected item on a layer of its own",
            lambda d: d.edit_chosen(items.on_new_layer), "Edit", "L", when=chosen),
    Command("like-first", "Make like the first",
            "Give all that is selected the layer, look and name of what was selected first", _like_first, "Edit",
            icon="ph.eyedropper", when=chosen),
    of_tool(Timeline, "Edit"),
    of_tool(Preferences, "Edit"),
    Command("duplicate", "Duplicate", "A second item of the same shape", lambda d: d.edit_chosen(items.duplicated),
            "Edit", "Ctrl+D", when=chosen),
    Command("make-free", "Make free", "Let the selected item keep its shape and no longer follow what it is made from",
            lambda d: d.edit_chosen(items.made_free), "Edit", icon="ph.link-break", when=lambda s: s.derived),
    Command("untrim", "Untrim",
            "Show what the selected face was cut, extended or recast from again, in its place",
            lambda d: d.edit_chosen(items.stood_down), "Edit", icon="ph.arrow-counter-clockwise",
            when=lambda s: s.stands),
    Command("park", "Park a version",
            "Keep the selected item as it is now aside; the version unfolds below it in the Outline",
            lambda d: d.edit_chosen(versions.parked), "Edit", "Shift+P", "ph.archive", when=chosen),
    Command("bring-back", "Bring the version back",
            "Put the chosen parked version, or the latest, in its item's place; what stands there is parked instead",
            _bring_back, "Edit", "Shift+B", when=lambda s: s.versions),
)  # fmt: skip
