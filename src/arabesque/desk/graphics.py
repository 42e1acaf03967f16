"""Whether this machine can draw the view, and what to try where it cannot: told in words instead of a black window."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Callable

from PyQt6.QtCore import Qt, QtMsgType, qInstallMessageHandler
from PyQt6.QtGui import QOffscreenSurface, QOpenGLContext, QSurfaceFormat
from PyQt6.QtWidgets import QApplication, QLabel

from arabesque.errors import ArabesqueError

LEAST = (3, 3)
"""Version of OpenGL that the shaders of the view are written for."""
TRIED = "ARABESQUE_GRAPHICS"
"""Variable that counts the ways tried so far, over the starts of the program that try the next one."""
WAYS: tuple[dict[str, str], ...] = (
    {},
    {"LIBGL_ALWAYS_SOFTWARE": "1"},
    {"LIBGL_ALWAYS_SOFTWARE": "1", "QT_XCB_GL_INTEGRATION": "xcb_egl"},
    {"LIBGL_ALWAYS_SOFTWARE": "1", "QT_XCB_GL_INTEGRATION": "xcb_glx"},
)
"""Ways to a context, each by variables that Qt and Mesa read at the start: the card's own, then software, over both
interfaces of X11."""
PACKAGES = "libgl1-mesa-dri libglx-mesa0 libegl1 libopengl0"

log = logging.getLogger(__name__)


def surface_format(samples: int = 4) -> QSurfaceFormat:
    """Return the format of every context of the view."""
    form = QSurfaceFormat()
    form.setVersion(*LEAST)
    form.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    form.setDepthBufferSize(24)
    form.setSamples(samples)
    form.setSwapInterval(0)
    return form


def missing_graphics() -> ArabesqueError | None:
    """Return what keeps the view from being drawn, with the cure; None where it can be. Wants an application."""
    context, surface = QOpenGLContext(), QOffscreenSurface()
    context.setFormat(surface_format())
    surface.setFormat(surface_format())
    surface.create()
    if not context.create() or not context.makeCurrent(surface):
        return ArabesqueError(
            "OpenGL is missing, and the form cannot be drawn without it",
            f"Install the driver of your graphics card, or software drawing: sudo apt-get install {PACKAGES}",
        )
    version = context.format().version()
    context.doneCurrent()
    if version < LEAST:
        return ArabesqueError(
            f"OpenGL {version[0]}.{version[1]} is too old: {LEAST[0]}.{LEAST[1]} is needed",
            f"Install a newer driver of your graphics card, or software drawing: sudo apt-get install {PACKAGES}",
        )
    return None


def next_way(begin: Callable[[dict[str, str]], None]) -> bool:
    """Begin the program again with the next way to a context; False where all have been tried.

    begin: starts it anew with an environment, in the place of this process.
    """
    number = int(os.environ.get(TRIED, "0")) + 1
    if number >= len(WAYS):
        return False
    log.warning("The view cannot be drawn so; trying %s", " ".join(f"{k}={v}" for k, v in WAYS[number].items()))
    begin({**os.environ, **WAYS[number], TRIED: str(number)})
    return True


def begin_again(environment: dict[str, str]) -> None:
    """Start the same command in the place of this process."""
    os.execve(sys.executable, [sys.executable, *sys.orig_argv[1:]], environment)


def told_in_a_window(problem: ArabesqueError) -> QLabel:
    """Return a plain window, shown, with words that can be copied: all that can be drawn without OpenGL."""
    window = QLabel(f"{problem.cause}.\n\n{problem.cure}.")
    window.setWindowTitle("Arabesque")
    window.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    window.setWordWrap(True)
    window.setMargin(32)
    window.resize(560, 180)
    window.show()
    return window


def drawing_application() -> QApplication | None:
    """Return the application, on a screen that the view can be drawn on.

    Without a screen the process ends with a line. Without OpenGL the next way to it is tried; where there is none, it
    is told in a window and in a line, and None is returned once that is closed.
    """
    with ScreenWanted():
        application = QApplication(sys.argv[:1])
    problem = missing_graphics()
    if problem is None:
        return application
    if not next_way(begin_again):
        sys.stderr.write(f"arabesque: {problem}\n")
        words = told_in_a_window(problem)
        application.exec()
        words.deleteLater()
    return None


class ScreenWanted:
    """While an application is made: Qt ends the process where there is no screen, with a line instead of an abort."""

    def __enter__(self) -> None:
        qInstallMessageHandler(self._tell)

    def __exit__(self, *_: object) -> None:
        qInstallMessageHandler(None)

    @staticmethod
    def _tell(kind: QtMsgType, _: object, words: str | None) -> None:
        if kind is QtMsgType.QtFatalMsg:
            sys.stderr.write(
                "arabesque: There is no screen to open the window on. Start it from a desktop, or name one with "
                "DISPLAY; commands without a window: --help.\n"
            )
            sys.stderr.flush()
            os._exit(1)  # Qt aborts once this returns
        if kind is QtMsgType.QtCriticalMsg:
            log.error("%s", words)
