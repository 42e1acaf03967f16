"""The hand: which tool is in it, and which work step is in sight."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.desk.session import Session
from arabesque.desk.steps import Step
from arabesque.desk.tools import TOOLS, Tool
from arabesque.desk.tools.base import Borders
from arabesque.desk.tools.pick import Pick
from arabesque.model import Item


class Hand(QObject):
    """Takes tools up and lays them down; with nothing in it, it picks."""

    taken = pyqtSignal(object)
    """Another tool is in the hand; it has not started yet."""
    started = pyqtSignal(object)
    stepped = pyqtSignal(object)
    """Another work step is in sight."""
    changed = pyqtSignal()
    form_changed = pyqtSignal()
    """The form of the tool, or of the selection, is to be made anew."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.tool: Tool = Pick(session)
        self.step = Step.PREPARE

    @property
    def picks(self) -> bool:
        """True when no tool is in the hand."""
        return isinstance(self.tool, Pick)

    def go_to(self, step: Step) -> None:
        """Bring the tools of another step in sight."""
        self.step = step
        self.stepped.emit(step)

    def take_up(self, kind: type[Tool]) -> Tool:
        """Run another tool."""
        self.tool.stop()
        self.tool.blockSignals(True)
        tool = kind(self._session)
        tool.changed.connect(self.changed)
        tool.left.connect(lambda: self._lay_down(tool))
        tool.form_changed.connect(self.form_changed)
        self.taken.emit(tool)
        tool.start()
        self.tool = tool
        if kind in TOOLS and self.step not in kind.also:
            self.go_to(kind.step)
        self.started.emit(tool)
        self.changed.emit()
        return tool

    def take_up_again(self, item: Item) -> None:
        """Take up the tool that made a derived item, with the item selected."""
        made = type(item.recipe)
        kind = next((tool for tool in TOOLS if made is tool.makes or made in tool.also_makes), None)
        if kind is not None:
            self._session.select(item.id)
            self.take_up(kind)

    def propose(self, tool_id: str, borders: Borders) -> None:
        """Take a tool up by its id, with borders picked."""
        self._session.select(None)
        self.take_up(next(tool for tool in TOOLS if tool.id == tool_id)).propose(borders)

    def lay_down(self) -> None:
        """Nothing is in the hand any more."""
        self.take_up(Pick)

    def _lay_down(self, tool: Tool) -> None:
        if self.tool is tool:
            self.lay_down()
