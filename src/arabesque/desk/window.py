"""The main window: puts the parts together, and runs tools and commands."""

from __future__ import annotations

import time
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, QSize, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QMoveEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QSizePolicy,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from arabesque.desk import theme as themes
from arabesque.desk.checks import CHECKS, Check, scaled
from arabesque.desk.commands import COMMANDS
from arabesque.desk.commands.actions import Commands
from arabesque.desk.commands.help import FIRST
from arabesque.desk.desk import Desk
from arabesque.desk.filing import Filing
from arabesque.desk.first_minute import FirstMinute
from arabesque.desk.hand import Hand
from arabesque.desk.kinds import shown_of
from arabesque.desk.looks import ScanLook
from arabesque.desk.panels.chips import Chips
from arabesque.desk.panels.fields import LengthField
from arabesque.desk.panels.finder import Finder
from arabesque.desk.panels.fit_strip import FitStrip
from arabesque.desk.panels.guide_card import GuideCard
from arabesque.desk.panels.inspector import Inspector
from arabesque.desk.panels.outline import Outline
from arabesque.desk.panels.path_bar import PathBar, ToolColumn
from arabesque.desk.panels.start_page import StartPage
from arabesque.desk.pictures import PictureTaker, Wanted
from arabesque.desk.plain import Words, hint
from arabesque.desk.scenery import compose
from arabesque.desk.session import Session
from arabesque.desk.settings import Colours, Mouse, Settings, ShownUnit, Wheel
from arabesque.desk.sight import Sight
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.deliver.delivering import Delivering
from arabesque.desk.tools.preferences import Preferences
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.drawing import Paper
from arabesque.desk.view.navigation import PRESETS
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.view.scene import Scene
from arabesque.desk.view.widget import View
from arabesque.errors import ArabesqueError
from arabesque.model import SUFFIX, Leftover, discard, edits, leftovers, unreadable
from arabesque.scan import MESH_SUFFIXES
from arabesque.solid import MODEL_SUFFIXES

HOLD_MILLISECONDS = 350
FRAME = QSize(8, 40)
"""Pixels that the frame of a window takes at most, on usual desktops."""
MESSAGE_SECONDS = 6


class Window(QMainWindow):
    """Arabesque's main window over one session."""

    def __init__(self, settings: Settings | None = None, journal: Path | None = None) -> None:
        super().__init__()
        self.settings = settings or Settings()
        self.session = Session(journal)
        self._cursor = (0.0, 0.0)
        self._held: tuple[Check, int, bool] | None = None
        self._message = QTimer(self)
        self._message.setSingleShot(True)
        self._message.timeout.connect(self._clear_message)
        self._journal_words = ""
        self.hand = Hand(self.session)
        self.view = View()
        self.sight = Sight(self.session, self.hand, self.view)
        self.minute = FirstMinute(self.session, self.hand)
        self.files = Filing(self.session, self.hand, self.settings, self)
        self.desk = Desk(
            self.session,
            self.hand,
            self.files,
            self.sight,
            self.settings,
            self.minute,
            find=lambda: self.finder.begin(),
            help=self._open_guide,
            menus=self._open_menus,
            rename=lambda: self.outline.rename(),
            close=self.close,
            chosen_version=lambda item: self.outline.chosen_version(item),
        )
        self.commands = Commands(self, self.desk, COMMANDS)
        self._build()
        self.hand.taken.connect(self._taken)
        self.hand.started.connect(self._started)
        self.hand.stepped.connect(self._stepped)
        self.hand.changed.connect(self._changed)
        self.hand.form_changed.connect(self.inspector.make_anew)
        self.session.on_any(self._changed)
        asks = self.session.asks
        asks.begun.connect(self._begun)
        asks.saved.connect(self._saved)
        asks.told.connect(self.tell)
        asks.journal_failed.connect(self._journal_failed)
        asks.fit.connect(self.sight.fit_view)
        asks.fly.connect(self.sight.fly_to)
        asks.propose.connect(self.hand.propose)
        asks.picture.connect(lambda path, size, how: self.pictures.take(Wanted(path, size, *how)))
        self.hand.lay_down()
        self.hand.go_to(Step.PREPARE)
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
        # a desktop puts its frame round the window when it gets round to it: room is left for one
        self.resize(min(1280, room.width() - FRAME.width()), min(800, room.height() - FRAME.height()))

    def moveEvent(self, event: QMoveEvent | None) -> None:
        super().moveEvent(event)
        QTimer.singleShot(0, self._keep_in_sight)

    def _keep_in_sight(self) -> None:
        """Shrink into the free area of the screen, with the frame that the desktop has put round the window."""
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
        self.view.compose = self._compose
        self.view.pivot = self.sight.place_under
        self.view.resized.connect(self._show_start_page)
        self.pictures = PictureTaker(self.session, self.view)
        self.paper = Paper()
        self.view.resized.connect(self._place_paper)
        self.view.resized.connect(lambda: self.chips.fit_into(self.view.width()))
        self.paper.pressed.connect(lambda pointer: self.hand.tool.paper_press(pointer))
        self.paper.moved.connect(lambda pointer, dragging: self.hand.tool.paper_move(pointer, dragging))
        self.paper.released.connect(lambda pointer: self.hand.tool.paper_release(pointer))
        self.view.pressed.connect(self._pressed)
        self.view.moved.connect(self._moved)
        self.view.released.connect(lambda pointer: self.hand.tool.release(pointer))
        self.view.menu_wanted.connect(self._view_menu)
        self.view.scaled.connect(self._scale)
        self.view.key_pressed.connect(self._key)
        self.view.key_released.connect(self._key_up)

        self.path_bar = PathBar()
        self.path_bar.chosen.connect(self.hand.go_to)
        self.tool_column = ToolColumn(self.commands)
        self.outline = Outline(self.session)
        self.outline.menu_wanted.connect(self._outline_menu)
        self.outline.recipe_wanted.connect(self.hand.take_up_again)
        self.inspector = Inspector(
            self.session,
            [
                [self.commands[name] for name in ("raise-u", "lower-u", "raise-v", "lower-v")],
                [self.commands[name] for name in ("refit", "edit-points", "weight-map")],
            ],
        )
        self.inspector.applied.connect(lambda: self.hand.tool.apply())
        self.inspector.left.connect(lambda: self.hand.tool.left.emit())
        self.fit_strip = FitStrip(self.session)
        self.fit_strip.worst_wanted.connect(self.sight.fly_to_worst)
        self.chips = Chips(
            [
                [self.commands[f"scan-{look.name.lower()}"] for look in ScanLook],
                [self.commands["plain"], *(self.commands[f"glance-{check.id}"] for check in CHECKS)],
            ],
            self.view,
        )
        self.chips.move(8, 8)
        self.guide_card = GuideCard(self.minute, self.view)
        self.view.resized.connect(self.guide_card.place)
        self.minute.left.connect(self.settings.end_minute)
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
        actions = [self.commands[name] for name in ("open-scan", "open", "demo")]
        ways = [self.commands[f"begin-{what}"] for what in FIRST]
        self.start_page = StartPage(actions, ways, self.commands["first-minute"], self.view)
        self.start_page.opened.connect(self.files.open_path)
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
        middle.setSpacing(0)
        middle.addWidget(self.tool_column)
        middle.addWidget(self.view, 1)
        middle.addWidget(self.paper)
        middle.addWidget(side)

    def _build_menus(self) -> None:
        self._safety = Words()
        self._safety.setObjectName("faint")
        self._safety.setContentsMargins(0, 6, 12, 6)
        bar = self.menuBar()
        assert bar is not None
        menus = self.commands.fill(bar)
        self._recent = QMenu("Recent", self)
        self._recent.aboutToShow.connect(self._fill_recent)
        menus["File"].insertMenu(self.commands["save"], self._recent)
        bar.setCornerWidget(self._safety)

    # steps and tools

    def _taken(self, tool: Tool) -> None:
        if isinstance(tool, Preferences):
            tool.read(self.settings)
            tool.edited.connect(self._dress)
        if isinstance(tool, Delivering):
            tool.place_wanted.connect(self.files.choose_place)

    def _started(self, tool: Tool) -> None:
        self.pictures.stop()
        self._cursor = (self.view.width() / 2, self.view.height() / 2)
        self.view.overlay.point_at(None)
        self.inspector.take(tool)
        if not self.hand.picks:
            self._clear_message()
        self.view.setFocus()

    def _stepped(self, step: Step) -> None:
        self.path_bar.show_step(step)
        self.commands.show_step(step)
        self.tool_column.show_step(step)

    def _pressed(self, pointer: Pointer) -> None:
        self._clear_message()
        self.hand.tool.press(pointer)

    def _moved(self, pointer: Pointer, dragging: bool) -> None:
        self.view.overlay.point_at(None)
        self.hand.tool.move(pointer, dragging)

    # what is shown

    def _compose(self, camera: Camera) -> Scene:
        moving = self.view.moving
        exact = not (moving and self.view.slow)
        return compose(self.session, self.session.looks, self.hand.tool, camera, moving, exact, self.minute.parts)

    def _changed(self) -> None:
        if self.session.document is self.session.history.document:
            # in the middle of a drag no command comes or goes
            self.commands.refresh()
        self.fit_strip.says.setText(self.hand.tool.says)
        self.paper.show_drawing(self.hand.tool.drawing)
        self._show_start_page()
        self._show_safety()
        self.view.refresh()

    def _open_guide(self) -> None:
        """The guide at the page that belongs to what runs."""
        from arabesque.desk.panels.help import HelpPage, page_of  # not wanted at most starts

        hand = self.hand
        try:
            HelpPage(page_of(hand.tool.id, hand.step.title.lower(), hand.picks), self).show()
        except ArabesqueError as problem:
            self.session.tell_problem(problem)

    def _open_menus(self) -> None:
        """The first menu, for the arrows to go on."""
        bar = self.menuBar()
        assert bar is not None
        bar.setFocus()
        bar.setActiveAction(bar.actions()[0])

    def _place_paper(self) -> None:
        """The paper takes its share of what view and paper have together."""
        self.paper.take_share(self.width() - self.tool_column.width() - self.outline.width())

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in self.settings.recent:
            self._recent.addAction(path.name, partial(self.files.open_path, path)).setToolTip(hint(str(path)))
        if self._recent.isEmpty():
            self._recent.addAction("Nothing yet").setEnabled(False)

    def _offer(self) -> None:
        """Fill the first page with what there is to go on with."""
        root = self.session.work.journal_root
        found = leftovers(root) if root is not None else []
        aside = unreadable(root) if root is not None else []
        self.start_page.fill(found, self.settings.recent, aside, not self.settings.minute_ended)
        self._show_start_page()

    def _show_start_page(self) -> None:
        empty = not self.session.document.items and not self.session.jobs.jobs and self.hand.picks
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
        try:
            discard(leftover)
        except ArabesqueError as problem:
            self.session.tell_problem(problem)
        self._offer()

    def _dress(self) -> None:
        """Show the settings: colours, text, mouse, wheel."""
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        dress(application, self.settings)
        self.view.navigation = PRESETS[self.settings.choice(Mouse)]
        self.view.wheel_forward_out = self.settings.choice(Wheel) is Wheel.FORWARD_OUT
        LengthField.unit = self.settings.choice(ShownUnit).value
        self.tool_column.dress()
        for panel in (self.outline, self.inspector):
            panel.setFixedWidth(themes.scaled(236))
        self.finder.setFixedWidth(themes.scaled(228))
        self.commands.dress()
        self.outline.dress()
        self.fit_strip.dress()
        self._changed()

    def _begun(self) -> None:
        self._saved()
        self.hand.lay_down()
        self.hand.go_to(Step.PATCH if self.session.document.items else Step.PREPARE)
        self.view.fit(self.session.seen.box)

    def _saved(self) -> None:
        if self.session.work.path is not None:
            self.settings.remember(self.session.work.path)
        self._show_safety()

    def _journal_failed(self, problem: ArabesqueError) -> None:
        self._journal_words = str(problem)
        self.session.tell_problem(problem)

    def _show_safety(self) -> None:
        work, journal = self.session.work, self.session.work.journal
        if self._journal_words and (journal is None or journal.problem is None):
            # written again: the line that said otherwise goes
            if self.view.overlay.message == self._journal_words:
                self._clear_message()
            self._journal_words = ""
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

    def _scale(self, notches: float, fine: bool) -> None:
        """Alt and the wheel: the tool's own scale, or that of the check that was switched on last."""
        if self.hand.tool.wheel(notches, fine):
            self.inspector.make_anew()
            return
        looks = scaled(self.session.looks, notches, fine)
        if looks is not None:
            self.session.look(looks)
            self.hand.tool.looks_changed()
            self.inspector.make_anew()

    # keys

    def _key(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.hand.tool.apply()
            event.accept()
        elif event.key() == Qt.Key.Key_Escape:
            self._clear_message()
            self.hand.tool.escape()
            event.accept()
        elif self._glance_key(event) or self.hand.tool.key(event) or self._cursor_key(event):
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
        if not self.hand.tool.takes_places:
            return False
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        pointer = Pointer(*self._cursor, self.view.camera)
        if event.key() in ways:
            dx, dy = ways[Qt.Key(event.key())]
            step = 1 if fine else 12
            x = min(max(self._cursor[0] + step * dx, 0), self.view.width())
            y = min(max(self._cursor[1] + step * dy, 0), self.view.height())
            self._cursor = (x, y)
            self.view.overlay.point_at(QPointF(x, y))
            self.hand.tool.move(Pointer(x, y, self.view.camera), False)
        elif event.key() == Qt.Key.Key_Space:
            self._pressed(pointer)
            self.hand.tool.release(pointer)
        else:
            return False
        return True

    def _glance_key(self, event: QKeyEvent) -> bool:
        """Tap: on or off. Hold: on only while held."""
        keypad = bool(event.modifiers() & Qt.KeyboardModifier.KeypadModifier)
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier or keypad:
            return False
        glance = next((check for check in CHECKS if check.key and event.text() == check.key), None)
        if glance is None:
            return False
        if not event.isAutoRepeat():
            # by the events' own clock: what a slow picture delays is no hold
            self._held = (glance, event.timestamp(), glance.id in self.session.looks.on)
            self.sight.toggle(glance.id)
        return True

    def _key_up(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self.hand.tool.key_up(event)
        if event.isAutoRepeat() or self._held is None or event.text() != self._held[0].key:
            return
        glance, since, before = self._held
        self._held = None
        if event.timestamp() - since > HOLD_MILLISECONDS and (glance.id in self.session.looks.on) != before:
            self.sight.toggle(glance.id)

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
        if self.hand.picks:
            self.hand.tool.press(pointer)
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

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if _dropped(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        for path in _dropped(event.mimeData())[:1]:
            self.files.open_path(path)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.files.may_leave(self.close):
            event.ignore()
            return
        self.hand.tool.stop()
        self.settings.remember_geometry(self.saveGeometry())
        self.session.close()
        event.accept()

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)


def dress(application: QApplication, settings: Settings) -> None:
    """Colours and text of the whole application, as the settings say."""
    chosen = themes.THEMES[settings.choice(Colours).value]
    themes.apply(application, chosen, float(settings.text_size.value))


_ITEM_COMMANDS = ["make-free", "untrim", "park", "bring-back", "rename", "hide", "dim", "alone", "new-layer", "delete"]


def _dropped(data: QMimeData | None) -> list[Path]:
    urls = data.urls() if data is not None else []
    paths = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return [path for path in paths if path.suffix.lower() in (*MESH_SUFFIXES, *MODEL_SUFFIXES, SUFFIX)]


def _ago(seconds: float) -> str:
    if seconds < 60:
        return f"{int(seconds)} s ago"
    return f"{int(seconds / 60)} min ago" if seconds < 3600 else f"{int(seconds / 3600)} h ago"
