"""A picture of the view at any size, with whatever check lies over it; or a turn of the form about z."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum
from pathlib import Path

from arabesque.desk.checks.gloss import Reflection
from arabesque.desk.facts import Fact
from arabesque.desk.looks import Looks
from arabesque.desk.steps import Step
from arabesque.desk.tools.deliver.delivering import Delivering, Written
from arabesque.desk.tools.options import labelled, whole
from arabesque.desk.view.scene import Material

REFLECTION = Reflection()
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


class Finish(Enum):
    """What the form is shown in: words, and the material of the studio."""

    VIEW = ("as the view shows it", None)
    CLAY = ("clay", Material.CLAY)
    PAINTED = ("painted", Material.PAINTED)
    METAL = ("metal", Material.METAL)
    STONE = ("stone", Material.STONE)


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
        """finish: the view shows it, for as long as the tool is in the hand. width, height: pixels, for a size of
        one's own. frames, seconds: of a turn."""

        kind: Kind = labelled(Kind.PNG, "Write")
        finish: Finish = Finish.VIEW
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

    def start(self) -> None:
        self._before: Looks | None = None

    def stop(self) -> None:
        if self._before is not None:
            self.session.look(self._before)
            self._before = None

    def options_changed(self) -> None:
        material = self.options.finish.value[1]
        if material is None:
            self.stop()
        else:
            looks = self._before = self._before or self.session.looks
            studio = replace(looks.of(REFLECTION), material=material)
            # what lies over the form goes: it is to be seen as it will be
            self.session.look(replace(looks.choosing(REFLECTION, studio), on=frozenset({REFLECTION.id})))
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
