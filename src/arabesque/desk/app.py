"""Starts the application: Qt, theme, window."""

import logging
import signal
import sys
import threading
from importlib.resources import files
from pathlib import Path
from types import TracebackType

import platformdirs
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from arabesque.desk.settings import Settings
from arabesque.desk.warm_up import warm_up
from arabesque.desk.window import Window, dress
from arabesque.errors import ArabesqueError
from arabesque.freedesktop import ID

log = logging.getLogger(__name__)


def opened(application: QApplication, settings: Settings, journal: Path | None) -> Window:
    """The window, shown, in the colours and text of the settings."""
    dress(application, settings)  # before the first widget: what is built earlier keeps the system's typeface
    window = Window(settings, journal)
    window.show()
    return window


def outlive_faults(window: Window) -> None:
    """Have a fault in what a key, a click or a signal sets off logged and told: by itself it would end the process."""

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        log.critical("a fault in the window", exc_info=(kind, error, trace))
        words = ArabesqueError(
            f"Something unforeseen went wrong ({error or kind.__name__})",
            "Your work is unharmed: save it, and undo the last step if it looks wrong",
        )
        # a fault in drawing comes back with every picture: it is told once
        if window.view.overlay.message != str(words):
            window.session.tell_problem(words)

    sys.excepthook = tell


def run(application: QApplication, demo: str | None = None, path: str | None = None, finished: bool = False) -> int:
    """Open the window, with a demo or a file; returns when it is closed."""
    application.setApplicationName("Arabesque")
    application.setDesktopFileName(ID)
    application.setWindowIcon(QIcon(str(files("arabesque.freedesktop").joinpath("icons/arabesque-128.png"))))
    signal.signal(signal.SIGINT, lambda *_: application.closeAllWindows())
    window = opened(application, Settings(), platformdirs.user_state_path("arabesque") / "journal")
    outlive_faults(window)
    threading.Thread(target=warm_up, name="arabesque-warm-up", daemon=True).start()
    if demo is not None:
        QTimer.singleShot(0, lambda: window.files.open_demo(demo, finished))
    elif path is not None:
        QTimer.singleShot(0, lambda: window.files.open_path(Path(path)))
    return application.exec()
