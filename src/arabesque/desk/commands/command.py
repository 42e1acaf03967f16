"""A command as data, and the state that says whether it can be used."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from arabesque.desk.desk import Desk
from arabesque.desk.looks import CageLook, ScanLook
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Needs, Tool


@dataclass(frozen=True)
class State:
    """What commands go by. Two moments with equal states have the same commands.

    kinds: of the shapes in the document. chosen: that of the selected item.
    scans: how many show. versions: the selected item has parked ones; derived:
    it follows what it is made from; stands: it is shown in the place of that.
    """

    kinds: frozenset[type] = frozenset()
    reference: bool = False
    chosen: type | None = None
    scans: int = 0
    versions: bool = False
    derived: bool = False
    stands: bool = False
    back: bool = False
    forth: bool = False
    tool: type[Tool] | None = None
    checks: frozenset[str] = frozenset()
    scan_look: ScanLook = ScanLook.SOLID
    edges: bool = False
    cages: CageLook = CageLook.BOTH
    alone: bool = False
    weighing: bool = False
    perspective: bool = False

    @classmethod
    def of(cls, desk: Desk) -> State:
        """The state as it is now."""
        session, looks = desk.session, desk.session.looks
        document, history, item = session.document, session.history, session.selection
        return cls(
            frozenset(type(one.shape) for one in document),
            document.reference_scan is not None,
            None if item is None else type(item.shape),
            sum(one.kind == "scan" and document.shows(one) for one in document),
            item is not None and bool(item.versions),
            item is not None and item.recipe is not None,
            item is not None and item.recipe is not None and bool(item.recipe.stands_for),
            history.position > 0,
            history.position + 1 < len(history.steps),
            type(desk.hand.tool),
            looks.on,
            looks.scans,
            looks.edges,
            looks.cages,
            bool(looks.alone),
            session.weighing.wanted,
            desk.sight.perspective,
        )

    def has(self, needs: Needs) -> bool:
        """True when of every kind that is needed there is one."""
        return all(any(issubclass(kind, need) for kind in self.kinds) for need in needs)

    def is_chosen(self, *kinds: type) -> bool:
        """True when an item of one of the kinds is selected; of any kind where none is given."""
        return self.chosen is not None and (not kinds or issubclass(self.chosen, kinds))


def always(state: State) -> bool:
    """For commands that can always be used."""
    return True


def chosen(state: State) -> bool:
    """For commands about the selected item."""
    return state.is_chosen()


@dataclass(frozen=True)
class Command:
    """Something the user can do.

    menu: where it stands, "" to leave it out of the menus. there: kinds that
    must be in the document. when: whether it can be used otherwise. on: for
    commands that switch something, whether it is on. short: the label for a
    small button. step: the work step that its key belongs to; None for keys
    that always work.
    """

    id: str
    label: str
    hint: str
    run: Callable[[Desk], Any]
    menu: str = ""
    shortcut: str = ""
    icon: str = ""
    there: Needs = ()
    when: Callable[[State], bool] = always
    on: Callable[[State], bool] | None = None
    short: str = ""
    step: Step | None = None
    also: tuple[Step, ...] = ()
    """Other steps in which the key works too."""

    def possible(self, state: State) -> bool:
        """True when it can be used."""
        return state.has(self.there) and self.when(state)
