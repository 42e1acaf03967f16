"""Commands about the selected patch that need no tool."""

from __future__ import annotations

from functools import partial

from arabesque.desk.commands.command import Command, State
from arabesque.desk.desk import Desk
from arabesque.desk.edits import refit_patch
from arabesque.desk.steps import Step
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.errors import ArabesqueError
from arabesque.geometry import Surface
from arabesque.model.edits import patches


def _patch(state: State) -> bool:
    return state.is_chosen(Surface)


def _raise(u: int, v: int, desk: Desk) -> None:
    desk.edit_chosen(patches.degree_raised, u, v)


def _lower(axis: int, desk: Desk) -> None:
    desk.edit_chosen(patches.degree_lowered, axis)


def _refit(desk: Desk) -> None:
    try:
        refit_patch(desk.session)
    except ArabesqueError as problem:
        desk.session.tell_problem(problem)


def _weigh(desk: Desk) -> None:
    weighing = desk.session.weighing
    weighing.wanted = not weighing.wanted
    if weighing.wanted and not desk.hand.picks:
        desk.hand.lay_down()
    desk.hand.form_changed.emit()
    desk.hand.changed.emit()


def _degrees(axis: int, name: str) -> tuple[Command, Command]:
    key = name.upper()
    up = f"One degree more along {name}; the shape stays exactly the same"
    down = f"One degree less along {name}, and tell how far the patch moved"
    return (
        Command(f"raise-{name}", f"Raise degree {name}", up, partial(_raise, 1 - axis, axis), "Patch", key,
                when=_patch, short=f"{name} +", step=Step.PATCH),
        Command(f"lower-{name}", f"Lower degree {name}", down, partial(_lower, axis), "Patch", f"Shift+{key}",
                when=_patch, short=f"{name} −", step=Step.PATCH),
    )  # fmt: skip


COMMANDS = (
    *_degrees(0, "u"),
    *_degrees(1, "v"),
    Command("refit", "Fit again", "Fit the patch to the scan again, with its degree, its corners held", _refit,
            "Patch", "T", "ph.arrows-in-line-vertical", when=lambda s: _patch(s) and s.reference, step=Step.PATCH),
    Command("weight-map", "Weight map",
            "What one or two steps more along u and v would bring, for the selected patch", _weigh, "Patch", "Q",
            "ph.scales", when=lambda s: s.reference, on=lambda s: s.weighing, short="Weights", step=Step.PATCH),
    Command("edit-points", "Points", "Move the control points of the selected patch",
            lambda d: d.hand.take_up(MovePoints), when=_patch),
)  # fmt: skip
