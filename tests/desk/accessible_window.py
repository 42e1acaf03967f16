"""A window for assistive tools: takes up the tools whose ids come in, one a line, and says when each shows."""

import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import QSocketNotifier
from PyQt6.QtTest import QTest

from arabesque.desk.settings import Settings
from arabesque.desk.tools import TOOLS
from arabesque.desk.tools.preferences import Preferences
from arabesque.desk.tools.timeline import Timeline
from arabesque.desk.window import Window
from arabesque.model import Document, Item
from tests.desk.support import application
from tests.examples import heron, random_surface

KINDS = {kind.id: kind for kind in [*TOOLS, Preferences, Timeline]}


def main() -> None:
    """Until the input ends."""
    app = application()
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Settings(Path(folder) / "settings.ini"))
        window.show()
        QTest.qWaitForWindowExposed(window)

        def take() -> None:
            word = sys.stdin.readline().strip()
            if not word:
                notifier.setEnabled(False)
                app.quit()
                return
            if word == "demo":
                document = Document().with_item(Item("scan", "heron clay", heron(25_000).scan))
                document = document.with_item(Item("patch", "Patch", random_surface((3, 3), (2, 2))))
                window.session.start(document, None, "opened")
                window.session.select("patch")
            elif word == "guide":
                window.desk.help()
            elif word in KINDS:
                window.hand.take_up(KINDS[word])
            QTest.qWait(20)
            print(word, flush=True)

        notifier = QSocketNotifier(sys.stdin.fileno(), QSocketNotifier.Type.Read, window)
        notifier.activated.connect(take)
        print("ready", flush=True)
        app.exec()
        window.session.work.give_up()
        window.close()


if __name__ == "__main__":
    main()
