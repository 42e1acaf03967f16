"""What the user prefers, kept between starts."""

from __future__ import annotations

from enum import Enum
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QByteArray, QSettings

MOST_RECENT = 8


class Mouse(Enum):
    """How the hand moves the camera; the value is what the user reads."""

    THREE_BUTTONS = "middle button turns"
    TWO_BUTTONS = "right button turns"
    LEFT_HAND = "left turns, right picks"
    TRACKPAD = "two fingers turn"


class Wheel(Enum):
    """Which way the wheel zooms."""

    FORWARD_IN = "forward is nearer"
    FORWARD_OUT = "forward is further"


class Colours(Enum):
    """Light or dark."""

    LIGHT = "light"
    DARK = "dark"


class TextSize(Enum):
    """Size of the typeface, in points."""

    SMALL = "9"
    USUAL = "10"
    LARGE = "12"
    LARGEST = "15"


class ShownUnit(Enum):
    """The unit in which lengths are typed without a unit."""

    MM = "mm"
    CM = "cm"
    M = "m"
    INCH = "inch"


_E = TypeVar("_E", bound=Enum)


class Settings:
    """Reads and writes the preferences; path: an .ini file, by default the user's own."""

    def __init__(self, path: Path | None = None) -> None:
        if path is None:
            self._store = QSettings("arabesque", "arabesque")
        else:
            self._store = QSettings(str(path), QSettings.Format.IniFormat)

    def choice(self, kind: type[_E]) -> _E:
        """The preferred member of an enumeration; the first one when none was chosen."""
        name = self._store.value(kind.__name__, "")
        return next((member for member in kind if member.name == name), next(iter(kind)))

    def choose(self, member: Enum) -> None:
        """Prefer a member of an enumeration."""
        self._store.setValue(type(member).__name__, member.name)
        self._store.sync()

    @property
    def text_size(self) -> TextSize:
        """The preferred text size; the usual one when none was chosen."""
        name = self._store.value(TextSize.__name__, "")
        return next((size for size in TextSize if size.name == name), TextSize.USUAL)

    @property
    def folder(self) -> str:
        """The folder of the last file that was opened or written; "" when there is none yet."""
        name = str(self._store.value("folder", "") or "")
        return name if Path(name).is_dir() else ""

    def remember_folder(self, path: Path) -> None:
        """Begin the next file dialog where this file lies."""
        self._store.setValue("folder", str(path.resolve().parent))
        self._store.sync()

    @property
    def geometry(self) -> QByteArray | None:
        """Size and place of the window when it was closed last."""
        value = self._store.value("geometry")
        return value if isinstance(value, QByteArray) and not value.isEmpty() else None

    def remember_geometry(self, geometry: QByteArray) -> None:
        """Open the next window with this size and place."""
        self._store.setValue("geometry", geometry)
        self._store.sync()

    @property
    def minute_ended(self) -> bool:
        """True once the guided path was gone to its end or left: it is no longer offered by itself."""
        return self._store.value("minute", "") == "ended"

    def end_minute(self) -> None:
        """Offer the guided path no longer."""
        self._store.setValue("minute", "ended")
        self._store.sync()

    @property
    def recent(self) -> list[Path]:
        """Files opened lately that are still there, newest first."""
        names = self._store.value("recent", []) or []
        names = [names] if isinstance(names, str) else names
        return [path for name in names if (path := Path(name)).exists()]

    def remember(self, path: Path) -> None:
        """Put a file at the head of the recent ones."""
        path = path.resolve()
        others = [old for old in self.recent if old != path]
        self._store.setValue("recent", [str(p) for p in [path, *others][:MOST_RECENT]])
        self._store.sync()
