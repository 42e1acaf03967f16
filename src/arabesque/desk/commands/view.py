"""Commands about looking: scans, checks, the camera."""

from __future__ import annotations

from functools import partial

from arabesque.desk.checks import CHECKS, Check
from arabesque.desk.commands.command import Command, State
from arabesque.desk.desk import Desk
from arabesque.desk.looks import ScanLook

_LOOKS = {
    "top": ("From the top", "Ctrl+1"),
    "bottom": ("From below", "Ctrl+2"),
    "left side": ("From −y", "Ctrl+3"),
    "right side": ("From +y", "Ctrl+4"),
    "front": ("From +x", "Ctrl+5"),
    "back": ("From −x", "Ctrl+6"),
    "slanted": ("Slanted", "Ctrl+7"),
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


def _show_scans(look: ScanLook, desk: Desk) -> None:
    desk.sight.show_scans(look)


def _scans_are(look: ScanLook, state: State) -> bool:
    return state.scan_look is look


def _toggle(check: Check, desk: Desk) -> None:
    desk.sight.toggle(check.id)


def _lies_over(check: Check, state: State) -> bool:
    return check.id in state.checks


def _look_along(direction: str, desk: Desk) -> None:
    desk.sight.look_along(direction)


COMMANDS = (
    Command("scan-edges", "Triangle edges", "Show or hide the edges of the scan's triangles",
            lambda d: d.sight.toggle_edges(), "View", "E", on=lambda s: s.edges),
    *(
        Command(f"scan-{look.name.lower()}", label, hint, partial(_show_scans, look), "View", icon=sign,
                on=partial(_scans_are, look))
        for look, (label, hint, sign) in _SCANS.items()
    ),
    Command("plain", "0  plain", "Take every check away", lambda d: d.sight.show_plain(), "View", "0",
            on=lambda s: not s.checks),
    *(
        Command(f"glance-{check.id}", f"{check.key}  {check.word}",
                f"{check.word.capitalize()}: tap {check.key} for on or off, hold it for a glance",
                partial(_toggle, check), "View", on=partial(_lies_over, check), short=check.short)
        for check in CHECKS
    ),
    Command("look-fit", "Everything in sight", "Fit the view to what is shown", lambda d: d.sight.fit_view(), "View",
            "Home", "ph.frame-corners"),
    *(
        Command(f"look-{direction}", label, f"Look {label.lower()}", partial(_look_along, direction), "View", keys)
        for direction, (label, keys) in _LOOKS.items()
    ),
    Command("look-form", "Along the form", "Look along the form at an acute angle: dips and bumps of the net stand out",
            lambda d: d.sight.look_along_form(), "View", "A", "ph.eye"),
    Command("perspective", "Perspective", "Switch between perspective and parallel",
            lambda d: d.sight.toggle_perspective(), "View", "P", on=lambda s: s.perspective),
    Command("worst", "Fly to the worst place", "Bring the largest deviation to the middle",
            lambda d: d.sight.fly_to_worst(), "View", "W", "ph.crosshair"),
)  # fmt: skip
