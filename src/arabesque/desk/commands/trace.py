"""Commands about curves and networks that need no tool."""

from __future__ import annotations

import numpy as np

from arabesque.desk.commands.command import Command, State
from arabesque.desk.desk import Desk
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve, Patchwork, reversed_curve
from arabesque.model import edits
from arabesque.tracing import lower_curve, raise_curve


def _curve(state: State) -> bool:
    return state.is_chosen(Curve)


def _reshape(desk: Desk, words: str, made: Curve, said: str = "") -> None:
    desk.edit_chosen(edits.items.reshaped, words, made)
    if said:
        desk.session.tell(said)


def _turn_round(desk: Desk) -> None:
    item = desk.chosen
    if item is not None:
        _reshape(desk, "turned round", reversed_curve(item.shape))


def _degree(desk: Desk, up: bool) -> None:
    item = desk.chosen
    if item is None:
        return
    try:
        made, moved = (raise_curve(item.shape), 0.0) if up else lower_curve(item.shape)
    except ArabesqueError as problem:
        desk.session.tell_problem(problem)
        return
    said = "" if up else f"Degree {made.degree}: the curve moved by at most {moved:.3g} mm"
    _reshape(desk, f"degree {made.degree}", made, said)


def _symmetric(desk: Desk) -> None:
    item = desk.chosen
    if item is not None:
        heights = desk.session.history.document.plane_of(item).height(item.shape.points[[0, -1]])
        # the half that reaches further from the plane stays
        desk.edit_chosen(edits.twins.made_symmetric, bool(heights[np.abs(heights).argmax()] > 0))


def _apart(desk: Desk) -> None:
    desk.edit_chosen(edits.curves.apart)


def _border(desk: Desk) -> None:
    document, marks = desk.session.history.document, desk.session.marks
    scan = document.reference_scan
    mask = None if scan is None else marks.of(scan)
    if scan is None or mask is None:
        desk.session.tell_problem(ArabesqueError("Nothing is marked on the reference scan", "Mark a part of it first"))
        return
    desk.session.edit(edits.curves.bordered, scan, mask)


COMMANDS = (
    Command("turn-round", "Turn the curve round", "Let the curve run the other way", _turn_round, "Trace", when=_curve),
    Command("curve-degree-up", "Raise the degree of the curve", "One degree more; the curve stays exactly the same",
            lambda d: _degree(d, True), "Trace", when=_curve),
    Command("curve-degree-down", "Lower the degree of the curve", "One degree less, and tell how far the curve moved",
            lambda d: _degree(d, False), "Trace", when=_curve),
    Command("make-symmetric", "Make the curve symmetric",
            "Replace one half of a curve that spans the twin plane by the image of the other", _symmetric, "Trace",
            when=_curve),
    Command("patches-apart", "Take the network apart", "Let each patch of a network be an item of its own", _apart,
            "Trace", when=lambda s: s.is_chosen(Patchwork)),
    Command("mark-border", "Border of what is marked",
            "The border of the marked triangles as curves of few poles", _border, "Trace", when=lambda s: s.reference),
)  # fmt: skip
