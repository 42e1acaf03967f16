"""Start the window as ./start does, and print as JSON what a desktop made of it.

Run as a program, in a process of its own: python -m tests.desk.started_window FOLDER.
"""

import json
import sys
from pathlib import Path

from PyQt6.QtGui import QFontInfo
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from arabesque.desk.app import opened
from arabesque.desk.settings import Settings


def main(folder: Path) -> None:
    """The families in which text is drawn, the window with its frame, and the free area of the screen."""
    application = QApplication(sys.argv[:1])
    window = opened(application, Settings(folder / "settings.ini"), folder / "journal")
    QTest.qWait(1500)
    widgets = [widget for widget in window.findChildren(QWidget) if widget.isVisible()]
    screen = window.screen()
    assert screen is not None
    strip = window.fit_strip
    told = {
        "families": sorted({QFontInfo(widget.font()).family() for widget in widgets}),
        "frame": window.frameGeometry().getRect(),
        "inside": window.geometry().getRect(),
        "room": screen.availableGeometry().getRect(),
        "strip_bottom": strip.mapTo(window, strip.rect().bottomLeft()).y(),
    }
    window.close()
    sys.stdout.write(json.dumps(told) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
