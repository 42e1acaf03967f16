"""The window as a desktop shows it: in a process of its own, framed by a window manager, killed at random moments."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from tools.checks import Screen

from tests.desk.killed_window import WAYS


class Desktop(Screen):
    """A screen of 1280 x 800 with a window manager."""

    size = "1280x800x24"

    def __enter__(self) -> dict[str, str]:
        environment = super().__enter__()
        self._manager = subprocess.Popen(
            ["openbox"], env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        time.sleep(0.5)
        return environment

    def __exit__(self, *reason: object) -> None:
        self._manager.terminate()
        self._manager.wait()
        super().__exit__(*reason)


class DesktopTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def started(self, environment: dict[str, str]) -> dict[str, object]:
        """What a window started as ./start does tells of itself."""
        command = [sys.executable, "-m", "tests.desk.started_window", str(self.folder)]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=120, check=True)
        told: dict[str, object] = json.loads(done.stdout.splitlines()[-1])
        return told

    def run_window(self, environment: dict[str, str], seconds: float) -> tuple[int | None, str]:
        """Exit code and complaints of the program, started as people do; None while it runs on."""
        home = {**environment, "XDG_STATE_HOME": str(self.folder), "XDG_CONFIG_HOME": str(self.folder)}
        log = self.folder / "log"
        with log.open("w") as file:
            process = subprocess.Popen([sys.executable, "-m", "arabesque"], env=home, stdout=file, stderr=file)
            try:
                code: int | None = process.wait(seconds)
            except subprocess.TimeoutExpired:
                code = None
                process.kill()
                process.wait()
        return code, log.read_text()

    def test_without_a_screen_it_is_one_line(self) -> None:
        """No display, and one that is not there: no abort, no core."""
        for display in ({}, {"DISPLAY": ":98765"}):
            environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY")}
            environment |= display
            environment.pop("QT_QPA_PLATFORM", None)
            code, said = self.run_window(environment, 60)
            self.assertEqual(code, 1, said)
            self.assertEqual(said.count("\n"), 1, said)
            self.assertIn("no screen", said)

    def test_without_opengl_it_is_told_and_software_is_tried(self) -> None:
        """One interface of X11 switched off: another is found. No driver at all, or one of version 2.1: it is told,
        with what to install, in a window (it stays open) and in a line."""
        with Desktop() as environment:
            code, said = self.run_window({**environment, "QT_XCB_GL_INTEGRATION": "none"}, 15)
            self.assertIsNone(code, said)
            self.assertIn("QT_XCB_GL_INTEGRATION=xcb_egl", said)
            self.assertNotIn("arabesque:", said)
            for odd, words in (
                ({"LIBGL_DRIVERS_PATH": "/none", "__EGL_VENDOR_LIBRARY_DIRS": "/none"}, "OpenGL is missing"),
                ({"MESA_GL_VERSION_OVERRIDE": "2.1"}, "OpenGL 2.1 is too old"),
            ):
                code, said = self.run_window({**environment, **odd}, 15)
                self.assertIsNone(code, said)
                self.assertIn(words, said)
                self.assertIn("apt-get install", said)

    def test_one_typeface_and_nothing_beyond_the_screen(self) -> None:
        if shutil.which("openbox") is None:
            self.skipTest("openbox is not installed: run ./check")
        with Desktop() as environment:
            first = self.started(environment)
            again = self.started(environment)
        for told in (first, again):
            self.assertEqual(told["families"], ["Inter"])
            left, top, width, height = told["frame"]  # type: ignore[misc]
            self.assertLessEqual((width, height), (1280, 800))
            self.assertGreaterEqual((left, top), (0, 0))
            self.assertLess(told["inside"][3], height)  # type: ignore[index]
        # the size is remembered
        self.assertEqual(first["inside"][2:], again["inside"][2:])  # type: ignore[index]

    def test_windows_killed_at_random_moments(self) -> None:
        """kill -9 from every way of starting: every step older than a second is offered, and what is there is right.

        The same for 200 kills a way: python -m tests.desk.killed_window FOLDER 200.
        """
        kills = 2
        command = [sys.executable, "-m", "tests.desk.killed_window", str(self.folder), str(kills)]
        done = subprocess.run(command, env=dict(os.environ), capture_output=True, text=True, timeout=400, check=True)
        rounds = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertEqual([result["way"] for result in rounds], [way for way in WAYS for _ in range(kills)])
        for result in rounds:
            self.assertTrue(result["began"], result)
            self.assertEqual((result["found"], result["wrong"], result["missing"]), (1, 0, 0), result)


if __name__ == "__main__":
    unittest.main()
