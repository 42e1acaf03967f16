"""Everything that commands act on: session, hand, files, sight, settings, and what the panels can be asked for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from arabesque.desk.filing import Filing
from arabesque.desk.first_minute import FirstMinute
from arabesque.desk.hand import Hand
from arabesque.desk.session import Session
from arabesque.desk.settings import Settings
from arabesque.desk.sight import Sight
from arabesque.model import Item


@dataclass
class Desk:
    """The parts of the window without the window.

    find, help, menus, rename, close: what the panels do. chosen_version: number of
    the parked version of an item that is chosen in the Outline.
    """

    session: Session
    hand: Hand
    files: Filing
    sight: Sight
    settings: Settings
    minute: FirstMinute
    find: Callable[[], object]
    help: Callable[[], object]
    menus: Callable[[], object]
    rename: Callable[[], object]
    close: Callable[[], object]
    chosen_version: Callable[[Item], int]

    @property
    def chosen(self) -> Item | None:
        """The selected item, as committed."""
        item, document = self.session.selection, self.session.history.document
        return None if item is None else document.items.get(item.id)

    def edit_chosen(self, edit: Callable[..., object], *arguments: object) -> None:
        """Edit the selected item."""
        item = self.chosen
        if item is not None:
            self.session.edit(edit, item, *arguments)  # type: ignore[arg-type]
