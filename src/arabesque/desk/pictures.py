"""Pictures of the view at any size: drawn tile by tile between the window's own work, and put together."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage, QPainter

from arabesque.desk.session import Session
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.renderer import Tile
from arabesque.desk.view.widget import View
from arabesque.errors import FileProblem
from arabesque.files import written

TILE = 1024
"""Pixels along a side that are drawn at once: the window answers in between."""
MOST_TURNING = 600_000_000
"""Pixels of all frames of an animated picture together: they are in memory at once."""


@dataclass(frozen=True)
class Wanted:
    """A picture: (width, height) pixels; clear: nothing behind the form; legend: of the colours, where there are such.
    frames: of a turntable about z, 1 for a picture that stands still; seconds: of the whole turn."""

    path: Path
    size: tuple[int, int]
    clear: bool = False
    legend: bool = True
    frames: int = 1
    seconds: float = 6.0


class PictureTaker(QObject):
    """Takes one picture after the other; leaving the tool ends it."""

    def __init__(self, session: Session, view: View) -> None:
        super().__init__(view)
        self._session, self._view = session, view
        self._work: Iterator[str] | None = None

    @property
    def busy(self) -> bool:
        """True while one is being taken."""
        return self._work is not None

    def take(self, wanted: Wanted) -> None:
        """Begin; what it does is told in the view."""
        self._work = self._steps(wanted)
        QTimer.singleShot(0, self._step)

    def stop(self) -> None:
        """Write nothing more."""
        self._work = None

    def _step(self) -> None:
        if self._work is None:
            return
        try:
            self._session.tell(next(self._work))
        except StopIteration:
            self._work = None
        except FileProblem as problem:
            self._work = None
            self._session.tell_problem(problem)
        else:
            QTimer.singleShot(0, self._step)

    def _steps(self, wanted: Wanted) -> Iterator[str]:
        turning = wanted.frames > 1 and wanted.path.suffix.lower() == ".webp"
        if turning and wanted.frames * wanted.size[0] * wanted.size[1] > MOST_TURNING:
            raise FileProblem(
                "So many large frames do not fit into one file", "Write PNG frames, fewer or smaller ones"
            )
        still = wanted.frames > 1 and not turning
        names = [_frame(wanted.path, frame) for frame in range(wanted.frames)] if still else []
        there = next((name for name in names if name.exists()), None)
        if there is not None:  # the dialog asked about another name
            raise FileProblem(f"{there.name} is there already", "Give the frames another name")
        camera = self._framed(self._view.camera, wanted.size)
        taken: list[QImage] = []
        for frame in range(wanted.frames):
            turned = camera if not frame else _turned(camera, 360.0 * frame / wanted.frames)
            image = QImage(*wanted.size, QImage.Format.Format_RGBA8888_Premultiplied)
            yield from self._draw(
                image, turned, wanted, f"picture {frame + 1} of {wanted.frames}" if wanted.frames > 1 else "picture"
            )
            if still:
                _save(image, names[frame])
            else:
                taken.append(image)
        if turning:
            _save_turning(taken, wanted)
        elif wanted.frames == 1:
            _save(taken[0], wanted.path)
        yield f"{wanted.path.name} written: {wanted.size[0]} x {wanted.size[1]}"

    @staticmethod
    def _framed(camera: Camera, size: tuple[int, int]) -> Camera:
        """The look of the view in the shape of the picture, nothing of it cut off."""
        wide, high = camera.size
        shape = size[0] / size[1]
        return replace(
            camera,
            size=(max(round(high * shape), 1), high) if shape >= wide / high else (wide, max(round(wide / shape), 1)),
        )

    def _draw(self, image: QImage, camera: Camera, wanted: Wanted, what: str) -> Iterator[str]:
        width, height = wanted.size
        scale = width / camera.size[0]
        tiles = [
            Tile(x, y, min(TILE, width - x), min(TILE, height - y))
            for y in range(0, height, TILE)
            for x in range(0, width, TILE)
        ]
        scene = self._view.compose(camera)
        painter = QPainter(image)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
        try:
            for number, tile in enumerate(tiles, start=1):
                pixels = self._view.tile(camera, scale, scene, tile, wanted.clear)
                part = QImage(
                    pixels, tile.width, tile.height, 4 * tile.width, QImage.Format.Format_RGBA8888_Premultiplied
                )
                painter.drawImage(tile.x, tile.y, part)
                if number < len(tiles):
                    yield f"Taking the {what}: part {number} of {len(tiles)}. Esc ends it"
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
            if wanted.legend:
                before = self._view.scene
                self._view.scene = scene
                # as large as in the view, in the upper right corner
                painter.translate(width - scale * self._view.width(), 0)
                painter.scale(scale, scale)
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                self._view.overlay.paint_legends(painter, scene)
                self._view.scene = before
        finally:
            painter.end()


def _frame(path: Path, number: int) -> Path:
    """The file of one frame of a turntable, counted from 0."""
    return path.with_name(f"{path.stem}-{number + 1:03d}{path.suffix}")


def _turned(camera: Camera, degrees: float) -> Camera:
    """The look after a turn of what is seen about z, through the place that is looked at."""
    turn = np.radians(degrees)
    around = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    return replace(camera, axes=camera.axes @ around)


def _save(image: QImage, path: Path) -> None:
    with written(path) as beside:
        if not image.save(str(beside), path.suffix.lstrip(".").upper()):
            raise FileProblem(f"{path.name} cannot be written as a picture", "Give a name that ends in .png or .webp")


def _save_turning(images: list[QImage], wanted: Wanted) -> None:
    """An animated WebP, through Pillow."""
    from PIL import Image

    frames = []
    for image in images:
        plain = image.convertToFormat(QImage.Format.Format_RGBA8888)
        bits = plain.constBits()
        assert bits is not None
        frames.append(Image.frombytes("RGBA", wanted.size, bits.asstring(plain.sizeInBytes())))
    with written(wanted.path) as beside:
        pause = round(1000 * wanted.seconds / len(frames))
        frames[0].save(beside, "WEBP", save_all=True, append_images=frames[1:], duration=pause, loop=0, quality=85)
