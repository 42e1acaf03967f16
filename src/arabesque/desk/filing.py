"""Files from the window: what is opened, saved and exported, and what is asked before anything could be lost."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from arabesque.desk.hand import Hand
from arabesque.desk.jobs import Job
from arabesque.desk.plain import hint
from arabesque.desk.session import Session
from arabesque.desk.settings import Settings
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.deliver.delivering import Delivering
from arabesque.desk.tools.deliver.report import WriteReport
from arabesque.desk.tools.patch.four_corners import FourCornerPatch
from arabesque.desk.tools.prepare.find_symmetry import FindSymmetry
from arabesque.desk.tools.prepare.open_scan import OpenScan
from arabesque.errors import ArabesqueError
from arabesque.files import with_suffix
from arabesque.model import SUFFIX, Document
from arabesque.progress import Progress
from arabesque.scan import MESH_SUFFIXES
from arabesque.solid import MODEL_SUFFIXES, STEP_SUFFIXES

_FIRST: dict[str, type[Tool]] = {"scan": FindSymmetry, "shape": FourCornerPatch, "deliver": WriteReport}
"""What lies in the hand where a first look begins."""


class Filing(QObject):
    """Asks for places and files; everything long runs beside the window."""

    def __init__(self, session: Session, hand: Hand, settings: Settings, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._hand, self._settings, self._parent = session, hand, settings, parent

    def new_project(self) -> None:
        """Begin with an empty document."""
        if self.may_leave(self.new_project):
            self._session.start(Document(), None, "Start")

    def _chosen(self, words: str, kinds: str) -> Path | None:
        """A file that the user chooses, beginning where the last one lay; None for none."""
        name, _ = QFileDialog.getOpenFileName(self._parent, words, self._settings.folder, kinds)
        return Path(name) if name else None

    def _place_for(self, words: str, start: str, kinds: str, suffix: str) -> Path | None:
        """A place to write to, beginning where the last file lay; None for none.

        The suffix is appended where it is missing; whether the file of that
        name may be replaced is asked then, for the dialog asked about another.
        """
        folder = self._settings.folder
        name, _ = QFileDialog.getSaveFileName(self._parent, words, str(Path(folder, start)) if folder else start, kinds)
        if not name:
            return None
        path = with_suffix(name, suffix)
        if path != Path(name) and path.exists():
            buttons = QMessageBox.StandardButton
            question = hint(f"{path.name} is there already. Replace it?")
            if QMessageBox.question(self._parent, words, question, buttons.Yes | buttons.No) != buttons.Yes:
                return None
        self._settings.remember_folder(path)
        return path

    def open_project(self) -> None:
        """Choose a project file and open it."""
        path = self._chosen("Open a project", f"Arabesque projects (*{SUFFIX})")
        if path is not None:
            self.open_path(path)

    def choose_scan(self) -> None:
        """Choose a mesh file and bring it in."""
        kinds = " ".join(f"*{suffix}" for suffix in MESH_SUFFIXES)
        path = self._chosen("Open a scan", f"Scans ({kinds})")
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> None:
        """Open a project or scan, whichever the file is."""
        self._settings.remember_folder(path)
        if path.suffix.lower() == SUFFIX:
            if self.may_leave(partial(self._session.open_project, path)):
                self._session.open_project(path)
        elif path.suffix.lower() in MODEL_SUFFIXES:
            self._session.open_model(path)
        else:
            self.read_scan(path)

    def read_scan(self, path: Path) -> None:
        """Bring a mesh file in; its unit is asked for in the Inspector."""
        tool = self._hand.take_up(OpenScan)
        assert isinstance(tool, OpenScan)
        tool.read(path)

    def open_demo(self, name: str = "heron", finished: bool = False) -> None:
        """Open a demo project; finished: with its worked model, which is built once and kept for the next time."""
        from arabesque.demo import demo_project, master  # not wanted at most starts

        if not self.may_leave(partial(self.open_demo, name, finished)):
            return
        try:
            shape = master(name)
        except ArabesqueError as problem:
            self._session.tell_problem(problem)
            return
        if finished:
            from arabesque.worked import finished_project

            cache = platformdirs.user_cache_path("arabesque")
            job = self._session.run("Building the demo", lambda progress: finished_project(name, cache, progress))
        else:
            job = self._session.run("Scanning the demo", lambda progress: demo_project(shape, progress))
        job.done.connect(lambda document: self._session.start(document, None, f"demo {name} opened"))
        self._hand.changed.emit()

    def begin(self, what: str, then: Callable[[], object] = lambda: None) -> None:
        """Open the demo where a first look goes on: "scan", "shape" or "deliver"; the tool for it lies in the hand.

        then: what is done when it is there.
        """
        from arabesque.demo import demo_project, master
        from arabesque.worked import patched_project

        if not self.may_leave(partial(self.begin, what, then)):
            return
        kind = _FIRST[what]

        def work(progress: Progress) -> Document:
            if what == "deliver":
                return patched_project("heron", progress)
            return demo_project(master("heron"), progress)

        def opened(document: Document) -> None:
            self._session.start(document, None, "demo heron opened")
            self._hand.take_up(kind)
            then()

        job = self._session.run("Scanning the demo", work)
        job.done.connect(opened)
        self._hand.changed.emit()

    def save(self) -> Job | None:
        """Save the project where it is, or ask where."""
        path = self._session.work.path
        return self.save_as() if path is None else self._session.save(path)

    def save_as(self) -> Job | None:
        """Ask for a place and save the project there."""
        known = self._session.work.path
        start = f"untitled{SUFFIX}" if known is None else known.name
        path = self._place_for("Save the project", start, f"Arabesque projects (*{SUFFIX})", SUFFIX)
        return None if path is None else self._session.save(path)

    def choose_place(self) -> None:
        """Ask for a place and have the running tool write there."""
        tool = self._hand.tool
        assert isinstance(tool, Delivering)
        path = self._place_for(*tool.writes)
        if path is not None:
            tool.write(path)

    def choose_model(self) -> None:
        """Choose a STEP or IGES file and bring its shapes in."""
        kinds = " ".join(f"*{suffix}" for suffix in MODEL_SUFFIXES)
        path = self._chosen("Open surfaces", f"STEP and IGES ({kinds})")
        if path is not None:
            self.open_path(path)

    def choose_bodies(self) -> None:
        """Choose a STEP file and bring its solids and shells in as bodies."""
        path = self._chosen("Open bodies", f"STEP ({' '.join(f'*{suffix}' for suffix in STEP_SUFFIXES)})")
        if path is not None:
            self._settings.remember_folder(path)
            self._session.open_bodies(path)

    def choose_cage(self) -> None:
        """Choose an OBJ file of quads and bring it in as a cage."""
        path = self._chosen("Open a cage", "OBJ of quads (*.obj)")
        if path is not None:
            self._settings.remember_folder(path)
            self._session.open_cage(path)

    def may_leave(self, then: Callable[[], object]) -> bool:
        """True when there is nothing to lose, or the user gives it up; after a save, ``then`` is done."""
        if not self._session.unsaved or not self._session.document.items:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._parent,
            "Unsaved work",
            "The work has changes that are not in its project file.",
            buttons.Save | buttons.Discard | buttons.Cancel,
        )
        if answer == buttons.Save:
            job = self.save()
            if job is not None:
                job.done.connect(lambda _: then())
        return answer == buttons.Discard
