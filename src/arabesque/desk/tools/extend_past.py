"""A border that falls short, moved out beside the window until it passes what it is to meet."""

from __future__ import annotations

from collections.abc import Callable

from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.geometry import Face, Manner, Surface
from arabesque.model import Item, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import ExtendedFace

PAST = 1.0
"""mm by which it passes."""


def extend_past(
    session: Session, item: Item, border: int, past: str, then: Callable[[str], object] = lambda key: None
) -> None:
    """Move a border of an item until it passes the surface with the id ``past``; a trimmed face gets an item that
    stands for it. then: is given the id of what was extended, once it was."""
    document = session.history.document
    recipe = ExtendedFace(item.id, (border,), PAST, past, Manner.CURVED)
    source, made_of = given(document, recipe), ingredients(document, recipe)
    job = session.run(f"Extend {item.name}", lambda progress: recipe.build(source, progress))

    def finish(shape: Surface) -> None:
        now = session.history.document.items.get(item.id)
        if now is None or now.shape is not item.shape:
            session.tell_problem(ArabesqueError(f"{item.name} was changed meanwhile", "Extend it once more"))
            return
        if isinstance(item.shape, Face):
            done = session.edit(edits.items.derived_in_place, "extended", [(item.id, shape, recipe, made_of)])
        else:
            done = session.edit(edits.items.reshaped, now, "edge moved", shape)
        if done and session.selection is not None:
            then(session.selection.id)

    job.done.connect(finish)
