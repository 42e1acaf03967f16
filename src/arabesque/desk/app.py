"""Starts the application: Qt, theme, window."""

import signal
import sys
import threading
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from arabesque.desk.settings import Settings
from arabesque.desk.warm_up import warm_up
from arabesque.desk.window import Window


def run(demo: str | None = None, path: str | None = None) -> int:
    """Open the window, with a demo or a file; returns when it is closed."""
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Arabesque")
    application.setDesktopFileName("arabesque")
    signal.signal(signal.SIGINT, lambda *_: application.closeAllWindows())
    window = Window(Settings(), platformdirs.user_state_path("arabesque") / "journal")
    window.show()
    threading.Thread(target=warm_up, name="arabesque-warm-up", daemon=True).start()
    if demo is not None:
        QTimer.singleShot(0, lambda: window.open_demo(demo))
    elif path is not None:
        QTimer.singleShot(0, lambda: window.open_path(Path(path)))
    return application.exec()
