"""Borders that fall short, moved out beside the window until they pass what they are to meet."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from arabesque.desk.jobs import Job
from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.geometry import Face, Manner, Surface
from arabesque.model import Item, edits
from arabesque.model.rebuild import given, ingredients
from arabesque.recipes import ExtendedFace

PAST = 1.0
"""mm by which they pass."""


def extend_past(
    session: Session,
    item: Item,
    borders: Sequence[int],
    past: str,
    then: Callable[[str], object] = lambda key: None,
    by: float = PAST,
    manner: Manner = Manner.CURVED,
) -> Job:
    """Move borders of an item until they pass the surface with the id ``past`` by so many mm; a trimmed face gets an
    item that stands for it. then: is given the id of what was extended, once it was. Returns the work, which can be
    dropped."""
    document = session.history.document
    recipe = ExtendedFace(item.id, tuple(borders), by, past, manner)
    source, made_of = given(document, recipe), ingredients(document, recipe)
    job = session.run(f"Extend {item.name}", lambda progress: recipe.build(source, progress))

    def finish(shape: Surface) -> None:
        now = session.history.document.items.get(item.id)
        if job.dropped:
            return
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
    return job
