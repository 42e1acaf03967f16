"""Kill the real window at random moments, from every way of starting, and see what its journal gives back.

Run as a program: python -m tests.desk.killed_window FOLDER KILLS [WAY …]. Each kill forks a window that starts in
its way, lays a patch, and nudges a control point with real key events for ever, telling a pipe of every step; the
parent kills it with SIGKILL, and reads the journal as the next start would. Prints one JSON line a kill.
"""

import json
import os
import random
import select
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox

from arabesque.desk.app import opened
from arabesque.desk.jobs import Job
from arabesque.desk.settings import Settings
from arabesque.desk.tools.prepare.open_scan import OpenScan
from arabesque.desk.window import Window
from arabesque.geometry import Elementary, ElementaryKind, motion
from arabesque.layout import Wishes, lay_out
from arabesque.model import Document, Item, Project, leftovers, recover, save_project
from arabesque.scan import ready_to_fit, write_scan
from arabesque.solid import FileKind, KernelWorker, combine, write_step
from tests.examples import box_body, plane, random_surface
from tests.model.killed_session import disk_takes

EXPORTED = "exported.step"
SAFE_WITHIN = 1.0
"""A committed step is on the disk within so many seconds."""


def until(condition: Callable[[], object]) -> None:
    """Let the window run until something holds."""
    while not condition():
        QTest.qWait(5)


def bring_scan(window: Window, folder: Path) -> None:
    """A scan file, through its form."""
    window.files.open_path(folder / "sheet.stl")
    tool = window.hand.tool
    assert isinstance(tool, OpenScan)
    until(lambda: tool.can_apply)
    QTest.keyClick(window.view, Qt.Key.Key_Return)
    until(lambda: window.session.scan is not None)


def empty(window: Window, folder: Path) -> None:
    """The commonest start: an empty window, then a scan."""
    until(window.start_page.isVisible)
    bring_scan(window, folder)


def step(window: Window, folder: Path) -> None:
    """A STEP file."""
    window.files.open_path(folder / "part.step")
    until(lambda: window.session.document.surfaces())


def project(window: Window, folder: Path) -> None:
    """A project file."""
    window.files.open_path(folder / "work.arabesque")
    until(lambda: window.session.work.path is not None)


def demo(window: Window, folder: Path) -> None:
    """The demo."""
    window.files.open_demo("pebble")
    until(lambda: window.session.scan is not None)


def new_after_work(window: Window, folder: Path) -> None:
    """A new project after other work, which is given up."""
    project(window, folder)
    window.session.set_tolerance(0.7)
    QMessageBox.question = staticmethod(lambda *_: QMessageBox.StandardButton.Discard)  # type: ignore[method-assign]
    window.commands["new"].trigger()
    bring_scan(window, folder)


def taken_up(window: Window, folder: Path) -> None:
    """The work of a window that was killed, gone on with."""
    until(lambda: "Go on with it" in window.start_page.buttons)
    QTest.mouseClick(window.start_page.buttons["Go on with it"], Qt.MouseButton.LeftButton)
    until(lambda: len(window.session.history.steps) > 1)


def again_and_again(begin: Callable[[], Job]) -> None:
    """Some work beside the window, for ever."""
    begin().over.connect(lambda: again_and_again(begin))


def layout(window: Window, folder: Path) -> None:
    """While the scan is laid out, over and over."""
    project(window, folder)
    scan = window.session.scan
    assert scan is not None
    wishes = Wishes(quads=40)
    again_and_again(lambda: window.session.run("Laying out", lambda progress: lay_out(scan, wishes, None, progress)))


def bodies(window: Window, folder: Path) -> None:
    """While bodies are cut, over and over."""
    project(window, folder)
    kernel, box = window.session.kernel, box_body()
    rod = Elementary.make(ElementaryKind.CYLINDER, motion(shift=[15, 10, 0]), (4.0,), ((0.0, 2 * np.pi), (-5.0, 15.0)))
    again_and_again(lambda: window.session.jobs.derive("Cutting", lambda _: combine("cut", box, [rod], kernel)))


def export(window: Window, folder: Path) -> None:
    """While a file is written, over and over: it is whole at every moment."""
    step(window, folder)
    items, path = list(window.session.document), folder / EXPORTED
    again_and_again(lambda: window.session.export([(path, items)], FileKind.STEP_AP214, "mm", 0.05))


WAYS = {
    "empty": empty,
    "scan": bring_scan,
    "step": step,
    "project": project,
    "demo": demo,
    "new after work": new_after_work,
    "taken up": taken_up,
    "layout": layout,
    "bodies": bodies,
    "export": export,
    "recovery": taken_up,
}


def window_at_work(root: Path, folder: Path, way: str, pipe: int) -> None:
    """A window that starts in its way and works for ever."""
    application = QApplication(sys.argv[:1])
    settings = Settings(folder / "settings.ini")
    window = opened(application, settings, root)
    QTest.qWaitForWindowExposed(window)
    WAYS[way](window, folder)
    session = window.session
    if WAYS[way] is not taken_up:
        session.add("patch", "Killed", random_surface((2, 2), (1, 1)))
    session.select(next(item.id for item in session.document if item.name.startswith("Killed")))
    window.commands["move-points"].trigger()
    item = session.surface_item
    assert item is not None
    middle = np.zeros((3, 3), dtype=bool)
    middle[1, 1] = True
    session.points.put(item, middle.ravel())
    os.write(pipe, b"ready\n")
    while True:
        QTest.keyClick(window.view, Qt.Key.Key_PageUp)
        height = float(session.history.document[item.id].shape.points[1, 1, 2])
        os.write(pipe, f"{session.history.position} {time.time()} {height!r}\n".encode())
        QTest.qWait(1)


def one_kill(root: Path, folder: Path, way: str, seed: int) -> dict[str, object]:
    """One window, killed at a random moment after it began to work."""
    rng = random.Random(seed)
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(read)
        try:
            window_at_work(root, folder, way, write)
        finally:
            os._exit(1)
    os.close(write)
    told, end, stall = b"", None, 0.0
    while end is None or time.time() < end:
        if told:
            stall = max(stall, disk_takes(folder))
        if select.select([read], [], [], 0.05)[0]:
            chunk = os.read(read, 65536)
            if not chunk:
                break
            told += chunk
        if end is None and told:
            end = time.time() + rng.uniform(0.005, 1.6)
    os.kill(child, signal.SIGKILL)
    killed = time.time()
    os.waitpid(child, 0)
    while chunk := os.read(read, 65536):
        told += chunk
    os.close(read)
    lines = [line.split() for line in told.decode().splitlines() if len(line.split()) == 3]
    result: dict[str, object] = {"way": way, "seed": seed, "began": bool(told), "committed": len(lines)}
    found = leftovers(root)
    result["found"] = len(found)
    kept, wrong = 0, 0
    if found:
        history = recover(found[0]).history
        kept = len(history.steps) - 1
        for number, _, height in lines:
            if int(number) <= kept:
                document = history.steps[int(number)].document
                item = next(item for item in document if item.name.startswith("Killed"))
                wrong += float(item.shape.points[1, 1, 2]) != float(height)
    safe = [int(number) for number, when, _ in lines if float(when) < killed - SAFE_WITHIN - stall]
    result |= {"kept": kept, "wrong": wrong, "missing": max(0, max(safe, default=0) - kept)}
    exported = folder / EXPORTED
    if exported.exists() and not exported.read_bytes().rstrip().endswith(b"END-ISO-10303-21;"):
        result["wrong"] = wrong + 1
    return result


def kill(root: Path, folder: Path, way: str, seed: int) -> dict[str, object]:
    """One kill with a journal folder of its own; work is taken up from a window that was killed before."""
    if WAYS[way] is not taken_up:
        return one_kill(root, folder, way, seed)
    first = one_kill(root, folder, "empty", seed + 1000)
    if not first["found"]:
        return {**first, "way": way}
    if way == "recovery":
        return killed_while_taking_up(root, folder, seed, first)
    return one_kill(root, folder, way, seed)


def killed_while_taking_up(root: Path, folder: Path, seed: int, first: dict[str, object]) -> dict[str, object]:
    """A window killed at a random moment of its start, or while it takes up earlier work: all that is there still."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(read)
        try:
            window_at_work(root, folder, "taken up", write)
        finally:
            os._exit(1)
    os.close(write)
    # until it nudges for the first time, and shortly after
    select.select([read], [], [], random.Random(seed).uniform(0.05, 3.0))
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    os.close(read)
    found = leftovers(root)
    kept = len(recover(found[0]).history.steps) - 1 if found else 0
    missing = max(0, int(str(first["kept"])) - kept)
    return {**first, "way": "recovery", "seed": seed, "found": len(found), "kept": kept, "missing": missing}


def prepare(folder: Path) -> None:
    """The files that windows open."""
    sheet = ready_to_fit(plane(steps=30))
    write_scan(folder / "sheet.stl", sheet)
    worker = KernelWorker()
    write_step(folder / "part.step", [("part", random_surface((3, 3), (1, 1)))], worker)
    worker.close()
    save_project(folder / "work.arabesque", Project(Document().with_item(Item("s", "clay", sheet))))


def main(arguments: list[str]) -> None:
    folder, kills = Path(arguments[0]), int(arguments[1])
    prepare(folder)
    for way in arguments[2:] or WAYS:
        for seed in range(kills):
            root = folder / f"journal {way} {seed}"
            sys.stdout.write(json.dumps(kill(root, folder, way, seed)) + "\n")
            sys.stdout.flush()


if __name__ == "__main__":
    main(sys.argv[1:])
