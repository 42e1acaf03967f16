"""A picture of the view at any size, with whatever check lies over it; or a turn of the form about z."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from pathlib import Path

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.delivering import Delivering, Written
from arabesque.desk.tools.options import labelled, whole

LARGEST = 8192
"""Pixels along a side."""


class Size(Enum):
    """Of the picture: words, and pixels; none for the numbers of the form."""

    SCREEN = ("1920 x 1080", (1920, 1080))
    FOUR = ("3840 x 2160", (3840, 2160))
    EIGHT = ("7680 x 4320", (7680, 4320))
    OWN = ("own", (0, 0))


class Kind(Enum):
    """What is written: words, and ending."""

    PNG = ("picture, PNG", ".png")
    FRAMES = ("turntable, PNG frames", ".png")
    WEBP = ("turntable, animated WebP", ".webp")


class TakePicture(Delivering):
    """The view as it looks, in the shape of the picture; number keys lay checks over it as always."""

    id = "picture"
    step = Step.DELIVER
    label = "Picture"
    hint = "Turn the view and lay checks over it as the picture is to be; Enter asks for the place and writes"
    shortcut = "I"
    icon = "ph.camera"

    @dataclass
    class Options:
        """width, height: pixels, for a size of one's own. frames, seconds: of a turn."""

        kind: Kind = labelled(Kind.PNG, "Write")
        size: Size = Size.FOUR
        width: int = whole(1600, 16, LARGEST, "Width")
        height: int = whole(1200, 16, LARGEST, "Height")
        clear: bool = labelled(False, "Clear ground")
        legend: bool = labelled(True, "Legend")
        frames: int = whole(48, 2, 720, "Frames of a turn")
        seconds: float = labelled(6.0, "Seconds a turn")

        @property
        def idle(self) -> tuple[str, ...]:
            """What the choices have no use for."""
            own = () if self.size is Size.OWN else ("width", "height")
            return own if self.kind is not Kind.PNG else (*own, "frames", "seconds")

    def options_changed(self) -> None:
        self.changed.emit()

    @property
    def pixels(self) -> tuple[int, int]:
        """Width and height."""
        o = self.options
        return (o.width, o.height) if o.size is Size.OWN else o.size.value[1]

    @property
    def can_apply(self) -> bool:
        return bool(self.session.seen.items)

    @property
    def facts(self) -> list[Fact]:
        width, height = self.pixels
        return [Fact("Pixels", f"{width} x {height}"), Fact("Million", f"{width * height / 1e6:.1f}")]

    @property
    def writes(self) -> Written:
        words, suffix = self.options.kind.value
        return Written("Write a picture", f"picture{suffix}", f"{words} (*{suffix})", suffix)

    def write(self, path: Path) -> None:
        o = self.options
        frames = 1 if o.kind is Kind.PNG else o.frames
        self.session.asks.picture.emit(path, self.pixels, (o.clear, o.legend, frames, o.seconds))
