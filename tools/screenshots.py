"""Make docs/screenshots anew from the demo, by mouse and keys in the real window.

Run with a screen, for example: xvfb-run -s "-screen 0 1400x900x24" .venv/bin/python -m tools.screenshots
"""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arabesque.demo import Heron
from arabesque.desk import theme
from arabesque.desk.looks import ScanLook
from arabesque.desk.settings import Colours, Settings
from arabesque.desk.tools import Timeline
from arabesque.desk.window import Window
from arabesque.geometry import Surface

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
NO, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
LEFT = Qt.MouseButton.LeftButton


def until(condition: Callable[[], object]) -> None:
    """Let the window run until something holds."""
    end = time.monotonic() + 120
    while not condition():
        if time.monotonic() > end:
            raise TimeoutError
        QTest.qWait(10)


class Photographer:
    """Drives a window and keeps pictures of it."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.view = window.view

    def idle(self) -> None:
        """Wait for all background work and a fresh picture."""
        until(lambda: self.window.session.jobs.idle)
        QTest.qWait(300)

    def pixel(self, point: object) -> QPoint:
        """Where a place in space is drawn."""
        x, y, _ = self.view.camera.project(point)[0]  # type: ignore[arg-type]
        return QPoint(round(x), round(y))

    def key(self, key: Qt.Key) -> None:
        """Strike a key in the view."""
        QTest.keyClick(self.view, key)
        QTest.qWait(50)

    def drag(self, start: QPoint, end: QPoint) -> None:
        """Press at a place and move along the normal; the button stays down."""
        QTest.mousePress(self.view, LEFT, SHIFT, start)
        place = QPointF(end)
        none = Qt.MouseButton.NoButton
        QApplication.sendEvent(
            self.view, QMouseEvent(QEvent.Type.MouseMove, place, self.view.mapToGlobal(place), none, LEFT, SHIFT)
        )

    def shoot(self, name: str) -> None:
        """Keep a picture."""
        self.idle()
        self.window.grab().save(str(FOLDER / f"{name}.png"))


def main() -> None:
    """Take every picture."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    application = QApplication(sys.argv[:1])
    theme.apply(application, theme.LIGHT)
    window = Window(Settings(Path(tempfile.mkdtemp()) / "settings.ini"))
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    at = Photographer(window)
    at.shoot("first-start")
    window.open_demo()
    at.idle()
    at.shoot("demo")
    corners = Heron().corners["flank"]
    at.key(Qt.Key.Key_N)
    for corner in corners:
        QTest.mouseClick(at.view, LEFT, NO, at.pixel(corner))
    at.shoot("patch-from-four-corners")
    at.key(Qt.Key.Key_Return)
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_1)
    at.shoot("distance")
    at.key(Qt.Key.Key_0)
    at.key(Qt.Key.Key_6)
    at.shoot("scan-curvature")
    at.key(Qt.Key.Key_6)
    at.key(Qt.Key.Key_1)
    at.key(Qt.Key.Key_M)
    window.show_scans(ScanLook.SEE_THROUGH)
    item = window.session.surface_item
    assert item is not None and isinstance(item.shape, Surface)
    start = at.pixel(item.shape.points[2, 1])
    at.drag(start, start + QPoint(-1, -4))
    at.shoot("move-control-points")
    QTest.mouseRelease(at.view, LEFT, SHIFT, start + QPoint(-1, -4))
    at.key(Qt.Key.Key_Escape)
    at.key(Qt.Key.Key_L)
    at.key(Qt.Key.Key_U)
    window.show_scans(ScanLook.SOLID)
    window.settings.choose(Colours.DARK)
    window._dress()
    window.take_up(Timeline)
    at.key(Qt.Key.Key_Return)
    at.shoot("history-dark")
    window.session._unsaved_milestones = False
    window.session._saved = window.session.history.document
    window.close()


if __name__ == "__main__":
    main()
