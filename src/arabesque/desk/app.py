"""Starts the application: Qt, theme, window."""

import signal
import sys
import threading
from importlib.resources import files
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from arabesque.desk.settings import Settings
from arabesque.desk.warm_up import warm_up
from arabesque.desk.window import Window, dress
from arabesque.freedesktop import ID


def opened(application: QApplication, settings: Settings, journal: Path | None) -> Window:
    """The window, shown, in the colours and text of the settings."""
    dress(application, settings)  # before the first widget: what is built earlier keeps the system's typeface
    window = Window(settings, journal)
    window.show()
    return window


def run(demo: str | None = None, path: str | None = None, finished: bool = False) -> int:
    """Open the window, with a demo or a file; returns when it is closed."""
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Arabesque")
    application.setDesktopFileName(ID)
    application.setWindowIcon(QIcon(str(files("arabesque.freedesktop").joinpath("icons/arabesque-128.png"))))
    signal.signal(signal.SIGINT, lambda *_: application.closeAllWindows())
    window = opened(application, Settings(), platformdirs.user_state_path("arabesque") / "journal")
    threading.Thread(target=warm_up, name="arabesque-warm-up", daemon=True).start()
    if demo is not None:
        QTimer.singleShot(0, lambda: window.files.open_demo(demo, finished))
    elif path is not None:
        QTimer.singleShot(0, lambda: window.files.open_path(Path(path)))
    return application.exec()
