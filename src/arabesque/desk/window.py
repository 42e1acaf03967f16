"""The main window: puts the parts together, and runs tools and commands."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QSizePolicy,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from arabesque.arrays import Floats
from arabesque.desk import theme as themes
from arabesque.desk.commands import Commands
from arabesque.desk.edits import refit_patch
from arabesque.desk.jobs import Job
from arabesque.desk.kinds import item_under, shown_of
from arabesque.desk.looks import Glance, ScanLook, scaled
from arabesque.desk.menus import register
from arabesque.desk.panels.chips import Chips
from arabesque.desk.panels.fields import LengthField
from arabesque.desk.panels.finder import Finder
from arabesque.desk.panels.fit_strip import FitStrip
from arabesque.desk.panels.help import HelpPage
from arabesque.desk.panels.inspector import Inspector
from arabesque.desk.panels.outline import Outline
from arabesque.desk.panels.path_bar import PathBar, ToolColumn
from arabesque.desk.panels.start_page import StartPage
from arabesque.desk.scenery import compose
from arabesque.desk.session import Session
from arabesque.desk.settings import Colours, Mouse, Settings, ShownUnit, Wheel
from arabesque.desk.steps import Step
from arabesque.desk.tools import TOOLS, Export, OpenScan, Pick, Preferences, Tool
from arabesque.desk.tools.on_patches import committed_patch
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.navigation import PRESETS
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Scene
from arabesque.desk.view.widget import View
from arabesque.errors import ArabesqueError
from arabesque.files import with_suffix
from arabesque.geometry import Surface
from arabesque.model import SUFFIX, Change, Document, Leftover, discard, edits, leftovers, unreadable
from arabesque.scan import MESH_SUFFIXES
from arabesque.solid import MODEL_SUFFIXES

HOLD_MILLISECONDS = 350
SETTLING = (0, 150, 600)
"""ms after showing: a desktop frames a window when it gets round to it."""
MESSAGE_SECONDS = 6
GRAZING = 0.16
"""Rise of the sight over a form that is looked along."""
PREPARE_GROUPS = (
    ("open-scan", "simulate", "scan-look"),
    ("tidy", "mark", "openings", "cut"),
    ("symmetry", "lay-square", "turn-and-move", "same-sides"),
    ("calm", "triangles"),
    ("regions", "correct-regions", "true-shape", "feature-lines"),
)
"""The tools of the first step, in the order in which a scan is prepared."""
PATCH_GROUPS = (
    ("four-corners", "lay-between"),
    ("move-points", "by-numbers", "edges", "twins"),
    ("refit", "fit-again", "degrees", "weight-map"),
    ("split", "join"),
)
"""The tools of the third step: lay, sculpt, weigh, divide."""


class Window(QMainWindow):
    """Arabesque's main window over one session."""

    def __init__(self, settings: Settings | None = None, journal: Path | None = None) -> None:
        super().__init__()
        self.settings = settings or Settings()
        self.session = Session(journal)
        self.looks = self.session.looks
        self.step = Step.PATCH
        self._cursor = (0.0, 0.0)
        self._held: tuple[Glance, int, bool] | None = None
        self._message = QTimer(self)
        self._message.setSingleShot(True)
        self._message.timeout.connect(self._clear_message)
        self.tool: Tool = Pick(self.session)
        self.commands = Commands(self)
        register(self)
        self._build()
        self.session.changed.connect(self._changed)
        self.session.selected.connect(self._changed)
        self.session.filed.connect(self._filed)
        self.session.saved.connect(self._saved)
        self.session.told.connect(self.tell)
        self.session.fit_wanted.connect(self.fit_view)
        self.session.fly_wanted.connect(self.fly_to)
        self.take_up(Pick)
        self.go_to(Step.PREPARE)
        self._changed()
        self._dress()
        self._offer()
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._show_safety)
        self._clock.start(1000)
        self.setAcceptDrops(True)
        self.setMinimumSize(1000, 620)
        self._place()

    # size and place

    def _place(self) -> None:
        """Where the last window was, or as large as it should be and the screen allows."""
        geometry = self.settings.geometry
        if geometry is not None and self.restoreGeometry(geometry):
            return
        screen = self.screen()
        assert screen is not None
        room = screen.availableGeometry().size()
        # what is framed needs room for its frame; a bare one takes it all
        self.resize(min(1280, room.width()), min(800, room.height()))

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        for wait in SETTLING:
            QTimer.singleShot(wait, self._keep_in_sight)

    def _keep_in_sight(self) -> None:
        """Shrink into the free area of the screen, once the desktop has put its frame round the window."""
        screen = self.screen()
        if screen is None or self.isMaximized() or self.isFullScreen():
            return
        room, frame = screen.availableGeometry(), self.frameGeometry()
        width = self.width() - max(0, frame.width() - room.width())
        height = self.height() - max(0, frame.height() - room.height())
        if (width, height) != (self.width(), self.height()):
            self.resize(width, height)
            self.move(max(room.left(), min(frame.left(), room.right() - frame.width())), room.top())

    # building

    def _build(self) -> None:
        self.view = View()
        self.view.compose = self._compose
        self.view.pivot = self._place_under
        self.view.resized.connect(self._show_start_page)
        self.view.resized.connect(lambda: self.chips.fit_into(self.view.width()))
        self.view.pressed.connect(self._pressed)
        self.view.moved.connect(lambda pointer, dragging: self.tool.move(pointer, dragging))
        self.view.released.connect(lambda pointer: self.tool.release(pointer))
        self.view.menu_wanted.connect(self._view_menu)
        self.view.scaled.connect(self._scale)
        self.view.key_pressed.connect(self._key)
        self.view.key_released.connect(self._key_up)

        self.path_bar = PathBar()
        self.path_bar.chosen.connect(self.go_to)
        self.tool_column = ToolColumn(self._tools_of)
        self.tool_column.setFixedWidth(114)
        self.outline = Outline(self.session)
        self.outline.menu_wanted.connect(self._outline_menu)
        self.inspector = Inspector(
            self.session,
            [
                [self.commands[name] for name in ("raise-u", "lower-u", "raise-v", "lower-v")],
                [self.commands[name] for name in ("refit", "edit-points", "weight-map")],
            ],
        )
        self.inspector.applied.connect(lambda: self.tool.apply())
        self.inspector.left.connect(lambda: self.tool.left.emit())
        self.fit_strip = FitStrip(self.session)
        self.fit_strip.worst_wanted.connect(self.fly_to_worst)
        self.chips = Chips(
            [
                [self.commands[f"scan-{look.name.lower()}"] for look in ScanLook],
                [self.commands["plain"], *(self.commands[f"glance-{g.name.lower()}"] for g in Glance)],
            ],
            self.view,
        )
        self.chips.move(8, 8)
        self._build_side(middle := QHBoxLayout())
        self._build_start()
        body = QWidget()
        body.setObjectName("body")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.path_bar)
        column.addLayout(middle, 1)
        column.addWidget(self.fit_strip)
        self.setCentralWidget(body)
        self._build_menus()
        self.view.setFocus()

    def _build_start(self) -> None:
        self.start_page = StartPage([self.commands[name] for name in ("open-scan", "open", "demo")], self.view)
        self.start_page.opened.connect(self.open_path)
        self.start_page.taken_up.connect(self.take_up_work)
        self.start_page.given_up.connect(self.give_up_work)
        self.finder = Finder(self.commands, self)
        self.path_bar.add(self.finder)

    def _build_side(self, middle: QHBoxLayout) -> None:
        side = QSplitter(Qt.Orientation.Vertical)
        side.addWidget(self.outline)
        side.addWidget(self.inspector)
        side.setSizes([200, 460])
        side.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        for panel in (self.outline, self.inspector):
            panel.setFixedWidth(236)
        middle.setSpacing(0)
        middle.addWidget(self.tool_column)
        middle.addWidget(self.view, 1)
        middle.addWidget(side)

    def _build_menus(self) -> None:
        self._safety = QLabel()
        self._safety.setObjectName("faint")
        self._safety.setContentsMargins(0, 6, 12, 6)
        bar = self.menuBar()
        assert bar is not None
        menus = self.commands.fill(bar)
        self._recent = QMenu("Recent", self)
        self._recent.aboutToShow.connect(self._fill_recent)
        menus["File"].insertMenu(self.commands["save"], self._recent)
        bar.setCornerWidget(self._safety)

    def _tools_of(self, step: Step) -> list[list[QAction]]:
        if step is Step.PREPARE:
            return [[self.commands[name] for name in group] for group in PREPARE_GROUPS]
        if step is Step.PATCH:
            return [[self.commands[name] for name in group] for group in PATCH_GROUPS]
        tools = [self.commands[tool.id] for tool in TOOLS if tool.step is step]
        return [tools] if tools else []

    # steps and tools

    def go_to(self, step: Step) -> None:
        """Show the tools of another step."""
        self.step = step
        self.path_bar.show_step(step)
        self.tool_column.show_step(step)

    def take_up(self, kind: type[Tool]) -> Tool:
        """Run another tool."""
        self.tool.stop()
        self.tool.blockSignals(True)
        tool = kind(self.session)
        tool.changed.connect(self._changed)
        tool.left.connect(lambda: self._lay_down(tool))
        tool.form_changed.connect(self.inspector.make_anew)
        if isinstance(tool, Preferences):
            tool.read(self.settings)
            tool.edited.connect(self._dress)
        if isinstance(tool, Export):
            tool.place_wanted.connect(self.choose_export)
        tool.start()
        self.tool = tool
        self._cursor = (self.view.width() / 2, self.view.height() / 2)
        if kind in TOOLS:
            self.go_to(kind.step)
        self.inspector.take(tool)
        if kind is not Pick:
            self._clear_message()
        self.view.setFocus()
        self._changed()
        return tool

    def _lay_down(self, tool: Tool) -> None:
        if self.tool is tool:
            self.take_up(Pick)

    def _pressed(self, pointer: Pointer) -> None:
        self._clear_message()
        self.tool.press(pointer)

    # what is shown

    def _compose(self, camera: Camera) -> Scene:
        moving = self.view.moving
        return compose(self.session, self.looks, self.tool, camera, moving, exact=not (moving and self.view.slow))

    def _changed(self) -> None:
        if self.session.document is self.session.history.document:
            # in the middle of a drag no command comes or goes
            self.commands.refresh()
        self.fit_strip.says.setText(self.tool.says)
        self._show_start_page()
        self._show_safety()
        self.view.refresh()

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in self.settings.recent:
            self._recent.addAction(path.name, partial(self.open_path, path)).setToolTip(str(path))
        if self._recent.isEmpty():
            self._recent.addAction("Nothing yet").setEnabled(False)

    def _offer(self) -> None:
        """Fill the first page with what there is to go on with."""
        root = self.session.work.journal_root
        found = leftovers(root) if root is not None else []
        aside = unreadable(root) if root is not None else []
        self.start_page.fill(found, self.settings.recent, aside)
        self._show_start_page()

    def _show_start_page(self) -> None:
        empty = not self.session.document.items and not self.session.jobs.jobs and isinstance(self.tool, Pick)
        self.start_page.setVisible(empty)
        if empty:
            self.start_page.adjustSize()
            room, card = self.view.size(), self.start_page.size()
            self.start_page.move((room.width() - card.width()) // 2, max(48, (room.height() - card.height()) // 2 - 20))

    def take_up_work(self, leftover: Leftover) -> None:
        """Go on with the work of a window that did not close."""
        self.session.take_up(leftover)
        self._changed()

    def give_up_work(self, leftover: Leftover) -> None:
        """Throw the work of a window that did not close away."""
        discard(leftover)
        self._offer()

    def _dress(self) -> None:
        """Show the settings: colours, text, mouse, wheel."""
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        dress(application, self.settings)
        self.view.navigation = PRESETS[self.settings.choice(Mouse)]
        self.view.wheel_forward_out = self.settings.choice(Wheel) is Wheel.FORWARD_OUT
        LengthField.unit = self.settings.choice(ShownUnit).value
        self.commands.dress()
        self.outline.dress()
        self.fit_strip.dress()
        self._changed()

    def _filed(self) -> None:
        self._saved()
        self.take_up(Pick)
        self.go_to(Step.PATCH if self.session.document.items else Step.PREPARE)
        self.view.fit(self.session.seen.box)

    def _saved(self) -> None:
        if self.session.work.path is not None:
            self.settings.remember(self.session.work.path)
        self._show_safety()

    def _show_safety(self) -> None:
        work, journal = self.session.work, self.session.work.journal
        name = work.path.name if work.path else "untitled"
        if not self.session.unsaved:
            ago = "" if work.saved_at is None else f" · saved {_ago(time.time() - work.saved_at)}"
        elif journal is not None and journal.problem is not None:
            ago = " · NOT safe on disk: save it now"
        elif journal is not None and journal.safe_at is not None:
            ago = f" · not in its file yet, safe on disk {_ago(time.time() - journal.safe_at)}"
        else:
            ago = " · not saved yet" if work.saved_at is None else " · changed since it was saved"
        text = f"{name}{ago}"
        if self._safety.text() != text:
            self._safety.setText(text)
            self.setWindowTitle(f"{name} – Arabesque")
            bar = self.menuBar()
            assert bar is not None
            bar.setCornerWidget(self._safety)

    def tell(self, text: str, problem: bool) -> None:
        """Write a line over the view; problems stay until the next click or tool."""
        self.view.overlay.message, self.view.overlay.is_problem = text, problem
        self.view.overlay.update()
        self._message.stop()
        if not problem:
            self._message.start(MESSAGE_SECONDS * 1000)

    def _clear_message(self) -> None:
        self.view.overlay.message = ""
        self.view.overlay.update()

    # glances

    def toggle_glance(self, glance: Glance) -> None:
        """Lay a check over the picture, or take it away."""
        self.looks.glances = self.looks.glances ^ {glance}
        self.looks.latest = glance if glance in self.looks.glances else None
        self._changed()

    def _scale(self, notches: float, fine: bool) -> None:
        """Alt and the wheel: the tool's own scale, or that of the check that was switched on last."""
        if self.tool.wheel(notches, fine) or scaled(self.looks, notches, fine):
            self.inspector.make_anew()
            self._changed()

    def show_plain(self) -> None:
        """Take every check away."""
        self.looks.glances = frozenset()
        self._changed()

    def toggle_edges(self) -> None:
        """Show the edges of the scans' triangles, or hide them."""
        self.looks.edges = not self.looks.edges
        self._changed()

    def show_scans(self, look: ScanLook) -> None:
        """Show scans in another way."""
        self.looks.scans = look
        self._changed()

    # keys

    def show_alone(self) -> None:
        """Show only the selected item besides the reference scan, or everything again."""
        item = self.session.selection
        self.looks.alone = frozenset() if self.looks.alone or item is None else frozenset({item.id})
        self._changed()

    def find_command(self) -> None:
        """Type the name of a command."""
        self.finder.begin()

    def show_help(self) -> None:
        """The help page."""
        HelpPage(self.commands.all(), self).show()

    def _key(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.tool.apply()
            event.accept()
        elif event.key() == Qt.Key.Key_Escape:
            self._clear_message()
            self.tool.escape()
            event.accept()
        elif self._glance_key(event) or self.tool.key(event) or self._cursor_key(event):
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        # keys that no field wanted go to the tool and the glances, wherever the focus is
        assert event is not None
        if not self.view.hasFocus():
            self._key(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self.view.hasFocus():
            self._key_up(event)

    def _cursor_key(self, event: QKeyEvent) -> bool:
        """The arrows move a cursor over the view, Space clicks there: places without a mouse."""
        ways = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        if not self.tool.takes_places:
            return False
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        pointer = Pointer(*self._cursor, self.view.camera)
        if event.key() in ways:
            dx, dy = ways[Qt.Key(event.key())]
            step = 1 if fine else 12
            x = min(max(self._cursor[0] + step * dx, 0), self.view.width())
            y = min(max(self._cursor[1] + step * dy, 0), self.view.height())
            self._cursor = (x, y)
            self.tool.move(Pointer(x, y, self.view.camera), False)
        elif event.key() == Qt.Key.Key_Space:
            self._pressed(pointer)
            self.tool.release(pointer)
        else:
            return False
        return True

    def _glance_key(self, event: QKeyEvent) -> bool:
        """Tap: on or off. Hold: on only while held."""
        keypad = bool(event.modifiers() & Qt.KeyboardModifier.KeypadModifier)
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier or keypad:
            return False
        glance = next((g for g in Glance if event.text() == g.key), None)
        if glance is None:
            return False
        if not event.isAutoRepeat():
            # by the events' own clock: what a slow picture delays is no hold
            self._held = (glance, event.timestamp(), glance in self.looks.glances)
            self.toggle_glance(glance)
        return True

    def _key_up(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self.tool.key_up(event)
        if event.isAutoRepeat() or self._held is None or event.text() != self._held[0].key:
            return
        glance, since, before = self._held
        self._held = None
        if event.timestamp() - since > HOLD_MILLISECONDS and (glance in self.looks.glances) != before:
            self.toggle_glance(glance)

    # menus under the pointer

    def _outline_menu(self, at: QPoint) -> None:
        layer = self.outline.current_layer()
        if layer is None:
            self._item_menu().exec(at)
            return
        menu = QMenu(self)
        remove = partial(self.session.edit, edits.items.layer_removed, layer)
        menu.addAction(f"Remove {layer.name}, keep its items", remove)
        menu.exec(at)

    def _view_menu(self, pointer: Pointer, at: QPointF) -> None:
        if isinstance(self.tool, Pick):
            self.tool.press(pointer)
        self._item_menu().exec(at.toPoint())

    def _item_menu(self) -> QMenu:
        menu = QMenu(self)
        chosen = self.session.selection
        names = ["look-fit", "undo"] if chosen is None else [*shown_of(chosen).actions, *_ITEM_COMMANDS]
        for name in names:
            menu.addAction(self.commands[name])
        if chosen is not None and self.session.document.layers:
            layers = menu.addMenu("Put on layer")
            assert layers is not None
            for layer in self.session.document.layers:
                layers.addAction(layer.name, partial(self.session.edit, edits.items.on_layer, chosen, layer.id))
            layers.addAction("none", partial(self.session.edit, edits.items.on_layer, chosen, None))
        return menu

    def _place_under(self, pointer: Pointer) -> Floats | None:
        """Where the camera turns about: what the pointer's ray hits first."""
        found = item_under(self.session, pointer)
        if found is None:
            return None
        origin, direction = pointer.camera.ray(pointer.x, pointer.y)
        return origin + found[1] * direction

    # commands

    def look_along(self, direction: str) -> None:
        """Look along an axis, everything in sight."""
        self.view.look(self.view.camera.looking(direction))
        self.fit_view()

    def fit_view(self) -> None:
        """Everything in sight."""
        self.view.fit(self.tool.box or self.session.seen.box)

    def toggle_perspective(self) -> None:
        """Switch between perspective and parallel."""
        self.view.look(replace(self.view.camera, perspective=not self.view.camera.perspective))

    def fly_to_worst(self) -> None:
        """Bring the place with the largest deviation to the middle of the view."""
        item = self.session.surface_item
        items = self.session.patches if item is None else self.session.document.with_images([item])
        grids = [grid for i in items if (grid := self.session.grid(i)) is not None and grid.valid.any()]
        if not grids:
            return
        sizes = [np.where(grid.valid, np.abs(grid.distance), -1.0) for grid in grids]
        grid, size = max(zip(grids, sizes, strict=True), key=lambda pair: pair[1].max())
        at = np.unravel_index(size.argmax(), size.shape)
        span = np.linalg.norm(grid.points.reshape(-1, 3).max(axis=0) - grid.points.reshape(-1, 3).min(axis=0))
        self.fly_to(grid.points[at], grid.normals[at], 0.18 * float(span))

    def fly_to(self, place: Floats, normal: Floats, size: float) -> None:
        """Bring a place to the middle of the view, seen from a side, with so many mm round it."""
        self.view.look(self.view.camera.looking_at(place, normal, size))

    def look_along_form(self) -> None:
        """Look along the selected patch, or along all: an acute angle shows bumps and dips of the net."""
        items = [i for i in self.session.selected_items if isinstance(i.shape, Surface)] or self.session.patches
        shapes = [item.shape for item in items if isinstance(item.shape, Surface)]
        if shapes:
            points = np.concatenate([shape.points.reshape(-1, 3) for shape in shapes])
            middle, size = points.mean(axis=0), float(np.linalg.norm(np.ptp(points, axis=0)))
            sides = np.linalg.svd(points - middle, full_matrices=False)[2]
            up = sides[2] if sides[2][2] >= 0 else -sides[2]
            self.view.look(self.view.camera.seen_from(middle, GRAZING * up - sides[0], up, 0.35 * size))

    def raise_degree(self, u: int, v: int) -> None:
        """Raise the selected patch's degree; its shape stays exactly."""
        self._edit_patch(edits.patches.degree_raised, u, v)

    def lower_degree(self, axis: int) -> None:
        """Lower the selected patch's degree; tells how far that moved it."""
        self._edit_patch(edits.patches.degree_lowered, axis)

    def toggle_weights(self) -> None:
        """Weigh the selected patch, or stop that; the table is in the Inspector."""
        self.session.weighing.wanted = not self.session.weighing.wanted
        if self.session.weighing.wanted and not isinstance(self.tool, Pick):
            self.take_up(Pick)
        self.inspector.make_anew()
        self._changed()

    def refit(self) -> None:
        """Fit the selected patch to the scan again."""
        try:
            refit_patch(self.session)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)

    def _edit_patch(self, edit: Callable[..., Change | None], *arguments: object) -> None:
        item = committed_patch(self.session)
        if item is not None:
            self.session.edit(edit, item, *arguments)

    def rename(self) -> None:
        """Edit the selected item's name in the Outline."""
        self.outline.tree.setFocus()
        index = self.outline.tree.currentIndex()
        self.outline.tree.edit(index.siblingAtColumn(0))

    # files

    def new_project(self) -> None:
        """Begin with an empty document."""
        if self._may_leave(self.new_project):
            self.session.start(Document(), None, "Start")

    def _chosen(self, words: str, kinds: str) -> Path | None:
        """A file that the user chooses, beginning where the last one lay; None for none."""
        name, _ = QFileDialog.getOpenFileName(self, words, self.settings.folder, kinds)
        return Path(name) if name else None

    def _place_for(self, words: str, start: str, kinds: str, suffix: str) -> Path | None:
        """A place to write to, beginning where the last file lay; None for none.

        The suffix is appended where it is missing; whether the file of that
        name may be replaced is asked then, for the dialog asked about another.
        """
        folder = self.settings.folder
        name, _ = QFileDialog.getSaveFileName(self, words, str(Path(folder, start)) if folder else start, kinds)
        if not name:
            return None
        path = with_suffix(name, suffix)
        if path != Path(name) and path.exists():
            buttons = QMessageBox.StandardButton
            question = f"{path.name} is there already. Replace it?"
            if QMessageBox.question(self, words, question, buttons.Yes | buttons.No) != buttons.Yes:
                return None
        self.settings.remember_folder(path)
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
        self.settings.remember_folder(path)
        if path.suffix.lower() == SUFFIX:
            if self._may_leave(partial(self.session.open_project, path)):
                self.session.open_project(path)
        elif path.suffix.lower() in MODEL_SUFFIXES:
            self.session.open_model(path)
        else:
            self.read_scan(path)

    def read_scan(self, path: Path) -> None:
        """Bring a mesh file in; its unit is asked for in the Inspector."""
        tool = self.take_up(OpenScan)
        assert isinstance(tool, OpenScan)
        tool.read(path)

    def open_demo(self, name: str = "heron") -> None:
        """Open a demo project."""
        from arabesque.demo import demo_project, master  # not wanted at most starts

        if not self._may_leave(partial(self.open_demo, name)):
            return
        try:
            shape = master(name)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
            return
        job = self.session.run("Scanning the demo", lambda progress: demo_project(shape, progress))
        job.done.connect(lambda document: self.session.start(document, None, f"demo {name} opened"))
        self._changed()

    def save(self) -> Job | None:
        """Save the project where it is, or ask where."""
        path = self.session.work.path
        return self.save_as() if path is None else self.session.save(path)

    def save_as(self) -> Job | None:
        """Ask for a place and save the project there."""
        known = self.session.work.path
        start = f"untitled{SUFFIX}" if known is None else known.name
        path = self._place_for("Save the project", start, f"Arabesque projects (*{SUFFIX})", SUFFIX)
        return None if path is None else self.session.save(path)

    def choose_export(self) -> None:
        """Ask for a place and write there what the running tool offers."""
        tool = self.tool
        assert isinstance(tool, Export)
        kind = tool.options.kind
        path = self._place_for("Export", f"patches{kind.suffix}", f"{kind.value[0]} (*{kind.suffix})", kind.suffix)
        if path is not None:
            self.session.export(path, tool.items(), kind, tool.options.unit.value, tool.options.chord)
            tool.left.emit()

    def choose_model(self) -> None:
        """Choose a STEP or IGES file and bring its shapes in."""
        kinds = " ".join(f"*{suffix}" for suffix in MODEL_SUFFIXES)
        path = self._chosen("Open surfaces", f"STEP and IGES ({kinds})")
        if path is not None:
            self.open_path(path)

    def _may_leave(self, then: Callable[[], object]) -> bool:
        """True when there is nothing to lose, or the user gives it up; after a save, ``then`` is done."""
        if not self.session.unsaved or not self.session.document.items:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            "Unsaved work",
            "The work has changes that are not in its project file.",
            buttons.Save | buttons.Discard | buttons.Cancel,
        )
        if answer == buttons.Save:
            job = self.save()
            if job is not None:
                job.done.connect(lambda _: then())
        return answer == buttons.Discard

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if _dropped(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        for path in _dropped(event.mimeData())[:1]:
            self.open_path(path)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self._may_leave(self.close):
            event.ignore()
            return
        self.tool.stop()
        self.settings.remember_geometry(self.saveGeometry())
        self.session.close()
        event.accept()

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)


def dress(application: QApplication, settings: Settings) -> None:
    """Colours and text of the whole application, as the settings say."""
    chosen = themes.THEMES[settings.choice(Colours).value]
    themes.apply(application, chosen, float(settings.text_size.value))


_ITEM_COMMANDS = ["park", "bring-back", "rename", "hide", "dim", "alone", "new-layer", "delete"]


def _dropped(data: QMimeData | None) -> list[Path]:
    urls = data.urls() if data is not None else []
    paths = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return [path for path in paths if path.suffix.lower() in (*MESH_SUFFIXES, *MODEL_SUFFIXES, SUFFIX)]


def _ago(seconds: float) -> str:
    if seconds < 60:
        return f"{int(seconds)} s ago"
    return f"{int(seconds / 60)} min ago" if seconds < 3600 else f"{int(seconds / 3600)} h ago"
