"""What every tool has: pointer and key handlers, options, a preview, an apply."""

from __future__ import annotations

from collections.abc import Sequence
from enum import Enum
from typing import Any, ClassVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QKeyEvent

from arabesque.arrays import Floats
from arabesque.desk.facts import Choice, Fact
from arabesque.desk.session import Session
from arabesque.desk.steps import Step
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.drawing import Drawing, PaperPointer
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Discs, Graph, Label, Lines, Loupe, Triangles
from arabesque.recipes import Recipe

AT_WORK = "At work: Esc stops it"
"""What a tool says while something runs that it began."""
Borders = Sequence[tuple[str, int]]
"""Ids of items, with the numbers of borders of theirs."""
Needs = tuple[type | tuple[type, ...], ...]
"""Kinds of shapes that must be there; of a tuple among them, one."""


class DegreeChoice(Enum):
    """How the degree of a new patch is chosen."""

    LIGHTEST = "lightest that suffices"
    FIXED = "as given"


class Tool(QObject):
    """A tool of one work step.

    Class attributes say where it is found; ``Options`` is a dataclass from
    which the Inspector makes the form. Handlers get the pointer in the view;
    key handlers return True for keys they used.
    """

    id: ClassVar[str]
    step: ClassVar[Step]
    also: ClassVar[tuple[Step, ...]] = ()
    """Other steps in which its letter works too, and in which it stays when it is taken up there."""
    label: ClassVar[str]
    hint: ClassVar[str]
    shortcut: ClassVar[str]
    icon: ClassVar[str]
    short: ClassVar[str] = ""
    """What the tool column says, where the label is too long for it."""
    Options: ClassVar[type | None] = None
    needs: ClassVar[Needs] = ()
    """What must be there: until then the tool cannot be taken up."""
    makes: ClassVar[type[Recipe] | None] = None
    """The recipe that the tool makes: a double click on such an item takes the tool up again, with its picks."""
    also_makes: ClassVar[tuple[type[Recipe], ...]] = ()
    """Other recipes that it makes, as its form says."""
    takes_places: ClassVar[bool] = False
    """True for a tool that is given places in the view: the arrows then move a cursor there, Space clicks."""
    told_first: ClassVar[bool] = False
    """True for a tool with so long a form that what it tells stands above it."""
    applies: ClassVar[bool] = True
    """False for a tool whose every move takes effect at once, with nothing left to apply."""

    changed = pyqtSignal()
    left = pyqtSignal()
    place_wanted = pyqtSignal()
    """The tool has something to write: the user is to say where."""
    form_changed = pyqtSignal()
    """The tool itself changed its options: the form is to show them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.options: Any = None if self.Options is None else self.Options()

    @property
    def says(self) -> str:
        """What a click or a key does now, in plain words."""
        return self.hint

    @property
    def subject(self) -> str:
        """Name of the item that it changes, where it could as well make another."""
        return ""

    @property
    def can_apply(self) -> bool:
        """True when Enter would do something."""
        return False

    @property
    def covers(self) -> frozenset[str]:
        """Ids of items that the tool draws itself."""
        return frozenset()

    @property
    def map_tolerance(self) -> float | None:
        """Where the tool shows a distance map of its own: its tolerance, mm."""
        return None

    @property
    def hatched(self) -> str:
        """What places of its distance map are that have no value."""
        return "no scan"

    @property
    def short_of(self) -> tuple[float, str] | None:
        """Where the tool shows what places lack of a limit: that, and its unit."""
        return None

    @property
    def box(self) -> tuple[Floats, Floats] | None:
        """Where the tool draws a picture of its own: the box round that."""
        return None

    @property
    def loupe(self) -> Loupe | None:
        """Close-ups through what is being moved."""
        return None

    @property
    def graphs(self) -> list[Graph]:
        """Values along lines, drawn beside the picture."""
        return []

    @property
    def drawing(self) -> Drawing | None:
        """What the paper beside the picture shows; None leaves the whole view to the picture."""
        return None

    @property
    def facts(self) -> list[Fact]:
        """Live values for the Inspector."""
        return []

    @property
    def choices(self) -> list[Choice]:
        """Lines for the Inspector that can be clicked."""
        return []

    @property
    def apply_word(self) -> str:
        """What the button of Enter says."""
        return "Keep"

    def start(self) -> None:
        """The tool has been taken up."""

    def stop(self) -> None:
        """The tool is laid down; whatever was not applied is dropped."""

    def propose(self, borders: Borders) -> None:
        """Begin with borders that something else proposes."""

    def options_changed(self) -> None:
        """The user changed ``options`` in the Inspector."""

    def looks_changed(self) -> None:
        """The choices of a check were changed elsewhere, by the wheel."""

    def press(self, pointer: Pointer) -> None:
        """The left button went down."""

    def move(self, pointer: Pointer, dragging: bool) -> None:
        """The pointer moved."""

    def release(self, pointer: Pointer) -> None:
        """The left button went up."""

    def paper_press(self, pointer: PaperPointer) -> None:
        """The left button went down over the paper."""

    def paper_move(self, pointer: PaperPointer, dragging: bool) -> None:
        """The pointer moved over the paper."""

    def paper_release(self, pointer: PaperPointer) -> None:
        """The left button went up over the paper."""

    def wheel(self, notches: float, fine: bool) -> bool:
        """The wheel was turned with Alt held, fine with Shift too; True when the tool used it."""
        return False

    def key(self, event: QKeyEvent) -> bool:
        """A key was pressed; True when the tool used it."""
        return False

    def key_up(self, event: QKeyEvent) -> None:
        """A key was let go."""

    def apply(self) -> None:
        """Enter, or its button."""

    def escape(self) -> None:
        """Esc: drop what was begun; with nothing begun, leave."""
        self.left.emit()

    def parts(self, camera: Camera) -> list[Triangles | Lines | Discs | Label]:
        """What the tool adds to the picture."""
        return []
