"""The Outline: what exists, what it is made from, and whether it is within the tolerance."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

from PyQt6.QtCore import QModelIndex, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QGuiApplication, QIcon, QKeyEvent, QPixmap, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QHeaderView, QTreeView, QVBoxLayout, QWidget

from arabesque.desk import theme
from arabesque.desk.icons import icon
from arabesque.desk.kinds import shown_of
from arabesque.desk.plain import Words, hint
from arabesque.desk.session import Session
from arabesque.model import Document, Item, Layer, edits, kind_of, stale

_ID = Qt.ItemDataRole.UserRole
_LAYER = Qt.ItemDataRole.UserRole + 1
_VERSION = Qt.ItemDataRole.UserRole + 2
_RECIPE = Qt.ItemDataRole.UserRole + 3
NAME, WEIGHT, STATE, EYE = range(4)
WIDTHS = {WEIGHT: 46, STATE: 22, EYE: 24}
"""Of the columns beside the name, pixels at the usual size of text."""


class _Tree(QTreeView):
    """A tree that leaves letters and digits to the glances and tools."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.text().strip() and event.text().isprintable():
            event.ignore()
        else:
            super().keyPressEvent(event)


class Outline(QWidget):
    """One line an item; what an item is made from unfolds below it."""

    menu_wanted = pyqtSignal(QPoint)
    recipe_wanted = pyqtSignal(object)
    """A derived item is to be made otherwise."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self._filling = False
        self._frame: object = None
        """Layers and order of what is shown; None where all is to be shown anew."""
        self._states: dict[str, tuple[object, ...]] = {}
        self._rows: dict[str, QStandardItem] = {}
        self._icon = cache(icon)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 6, 4, 0)
        layout.setSpacing(2)
        heading = Words("Outline")
        heading.setObjectName("heading")
        layout.addWidget(heading)
        self.tree = _Tree()
        self.tree.setAccessibleName("Outline")
        self.tree.setHeaderHidden(True)
        self.tree.setIndentation(12)
        self.tree.setEditTriggers(QTreeView.EditTrigger.EditKeyPressed | QTreeView.EditTrigger.DoubleClicked)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(
            lambda at: self.menu_wanted.emit(self.tree.viewport().mapToGlobal(at))
        )
        self.model = QStandardItemModel(0, 4)
        self.tree.setModel(self.model)
        header = self.tree.header()
        assert header is not None
        header.setStretchLastSection(False)
        header.setMinimumSectionSize(12)
        header.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        for column in WIDTHS:
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
        layout.addWidget(self.tree)
        self.tree.clicked.connect(self._clicked)
        self.tree.doubleClicked.connect(self._opened)
        self.model.itemChanged.connect(self._edited)
        session.on_any(self.refresh)
        selection = self.tree.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(self._current)
        self.refresh()

    def refresh(self) -> None:
        """Show the document as it is: only the lines are made anew of items that show something else than before."""
        document = self._session.document
        if self._rows and document is not self._session.history.document and set(document.items) == set(self._rows):
            return  # in the middle of a drag: signs follow when it is over
        if self._filling:
            return
        states = {item.id: self._state(document, item) for item in document}
        frame = [document.layers, [(item.id, item.layer) for item in document]]
        if frame == self._frame and states == self._states:
            return
        self._filling = True
        if frame == self._frame:
            for key in [key for key, state in states.items() if state != self._states[key]]:
                self._replace(document[key])
        else:
            self._fill(document)
        self._frame, self._states = frame, states
        selected = self._session.selection
        self.tree.setCurrentIndex(QModelIndex() if selected is None else self._rows[selected.id].index())
        self._filling = False

    def _fill(self, document: Document) -> None:
        """Every line anew; what was unfolded stays so."""
        unfolded = [key for key, row in self._rows.items() if self.tree.isExpanded(row.index())]
        self.model.removeRows(0, self.model.rowCount())
        headers = {layer.id: self._layer_row(layer) for layer in document.layers}
        self._rows = {}
        for item in document:
            row = self._row(item)
            (headers[item.layer][NAME] if item.layer in headers else self.model).appendRow(row)
            self._rows[item.id] = row[NAME]
        for layer in headers.values():
            self.model.appendRow(layer)
            self.tree.expand(layer[NAME].index())
        for key in unfolded:
            if key in self._rows:
                self.tree.expand(self._rows[key].index())

    def _replace(self, item: Item) -> None:
        """The line of one item anew, at its place."""
        old = self._rows[item.id]
        place, unfolded = old.row(), self.tree.isExpanded(old.index())
        above = old.parent() or self.model.invisibleRootItem()
        assert above is not None
        row = self._row(item)
        above.removeRow(place)
        above.insertRow(place, row)
        self._rows[item.id] = row[NAME]
        if unfolded:
            self.tree.expand(row[NAME].index())

    def _state(self, document: Document, item: Item) -> tuple[object, ...]:
        """All that an item's line shows."""
        judged = shown_of(item).state(self._session, item)[0]
        recipe = item.recipe
        sources = [*item.origin.made_from, *(() if recipe is None else recipe.inputs)]
        names = [document[key].name for key in sources if key in document]
        derived = recipe, item.trouble, stale(document, item), names
        marks = item.id == document.reference, item in self._session.selected_items
        return item.id, item.name, item.look, item.ties, item.versions, derived, judged, _weight(item), marks

    def _layer_row(self, layer: Layer) -> list[QStandardItem]:
        square = QPixmap(12, 12)
        square.fill(QColor(layer.colour))
        name = QStandardItem(QIcon(square), layer.name)
        name.setToolTip(hint(f"Layer {layer.name}{', dimmed' if layer.dimmed else ''}"))
        eye = QStandardItem(self._icon("ph.eye" if layer.visible else "ph.eye-slash"), "")
        eye.setToolTip("Shown: click to hide the layer" if layer.visible else "Hidden: click to show the layer")
        row = [name, QStandardItem(), QStandardItem("◐" if layer.dimmed else ""), eye]
        row[STATE].setToolTip("Click to dim the layer, or to show it in full")
        eye.setData("shown" if layer.visible else "hidden", Qt.ItemDataRole.AccessibleTextRole)
        row[STATE].setData("dimmed" if layer.dimmed else "in full", Qt.ItemDataRole.AccessibleTextRole)
        row[WEIGHT].setData("layer", Qt.ItemDataRole.AccessibleTextRole)
        for cell in row:
            cell.setData(layer.id, _LAYER)
            cell.setEditable(cell is name)
        return row

    def dress(self) -> None:
        """Draw everything anew in the colours of the theme."""
        self._frame, self._icon = None, cache(icon)
        for column, width in WIDTHS.items():
            self.tree.header().resizeSection(column, theme.scaled(width))
        self.refresh()

    def _row(self, item: Item) -> list[QStandardItem]:
        name = QStandardItem(self._icon(shown_of(item).icon), item.name)
        name.setData(item.id, _ID)
        reference = item.id == self._session.document.reference
        about = ["reference scan" if reference else item.kind, item.origin.words]
        name.setToolTip(hint(f"{item.name}: {', '.join(filter(None, about))}"))
        document, twin = self._session.document, item.ties.twin
        below = self._derived_lines(item)
        below += [] if twin is None else [_below(f"twin: {twin.kind.value}")]
        below += [_below(f"from {document[key].name}") for key in item.origin.made_from if key in document]
        for number, version in enumerate(item.versions):
            line = _below(f"▫ {version.name}")
            line.setToolTip("Parked: kept aside, out of every check. Double-click brings it back")
            line.setData(item.id, _ID)
            line.setData(number, _VERSION)
            below.append(line)
        for line in below:
            name.appendRow(line)
        weight = QStandardItem(_weight(item))
        weight.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        weight.setForeground(QColor(theme.now().faint))
        weight.setToolTip(kind_of(item.shape).counted)
        sign, words, colour = shown_of(item).state(self._session, item)
        if item.trouble:
            sign, words, colour = "✕", f"Keeps its last good shape. {item.trouble}", theme.now().outside
        state = QStandardItem(sign)
        # what is hidden, as all that a body was made from, is no alarm
        hidden = not self._session.seen.shows(item) and not item.trouble
        state.setForeground(QColor(theme.now().faint if hidden else colour))
        state.setToolTip(hint(words))
        state.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
        eye = QStandardItem(self._icon("ph.eye" if item.look.visible else "ph.eye-slash"), "")
        eye.setToolTip("Shown: click to hide" if item.look.visible else "Hidden: click to show")
        row = [name, weight, state, eye]
        state.setData(words, Qt.ItemDataRole.AccessibleTextRole)
        eye.setData("shown" if item.look.visible else "hidden", Qt.ItemDataRole.AccessibleTextRole)
        for cell in row[1:]:
            cell.setEditable(False)
            cell.setData(item.id, _ID)
        if item in self._session.selected_items:
            font = name.font()
            font.setBold(True)
            name.setFont(font)
        if not self._session.seen.shows(item) or self._session.document.dims(item):
            name.setForeground(QColor(theme.now().faint))
        return row

    def _derived_lines(self, item: Item) -> list[QStandardItem]:
        """What a derived item is made from, and how it stands: fresh, being rebuilt, or failed with the reason."""
        document, recipe = self._session.document, item.recipe
        if recipe is None:
            return []
        first = _below(f"⛓ {recipe.word}{', being rebuilt' if stale(document, item) else ''}")
        first.setData(item.id, _ID)
        first.setData(recipe.word, _RECIPE)
        first.setToolTip("Follows what it is made from. A double click takes its tool up again")
        lines = [first]
        if item.trouble:
            failed = _below(f"✕ {item.trouble}")
            failed.setForeground(QColor(theme.now().outside))
            failed.setToolTip(hint(item.trouble))
            lines.append(failed)
        for key in recipe.inputs:
            if key in document:
                source = _below(f"from {document[key].name}")
                source.setData(key, _ID)
                lines.append(source)
        return lines

    def _item(self, index: QModelIndex) -> Item | None:
        key = index.data(_ID)
        return self._session.document.items.get(key) if key else None

    def _current(self, index: QModelIndex, _: QModelIndex) -> None:
        item = self._item(index)
        if not self._filling and item is not None:
            keys = QGuiApplication.keyboardModifiers()
            self._session.select(item.id, add=bool(keys & Qt.KeyboardModifier.ControlModifier))

    def _layer(self, index: QModelIndex) -> Layer | None:
        return next((layer for layer in self._session.document.layers if layer.id == index.data(_LAYER)), None)

    def current_layer(self) -> Layer | None:
        """The layer whose row is chosen."""
        return self._layer(self.tree.currentIndex())

    def rename(self) -> None:
        """Edit the selected item's name in its line."""
        self.tree.setFocus()
        self.tree.edit(self.tree.currentIndex().siblingAtColumn(0))

    def chosen_version(self, item: Item) -> int:
        """The number of the parked version of an item whose line is chosen, else of the latest."""
        index = self.tree.currentIndex()
        number = index.data(_VERSION)
        return int(number) if number is not None and index.data(_ID) == item.id else len(item.versions) - 1

    def _opened(self, index: QModelIndex) -> None:
        number, item = index.data(_VERSION), self._item(index)
        if index.data(_RECIPE) is not None and item is not None:
            self.recipe_wanted.emit(item)
        if number is not None and item is not None:
            # the tree is still handling the click: it is filled anew when that is over
            QTimer.singleShot(0, lambda: self._session.edit(edits.versions.brought_back, item, int(number)))

    def _clicked(self, index: QModelIndex) -> None:
        layer = self._layer(index)
        if layer is not None and index.column() == EYE:
            words = "hidden" if layer.visible else "shown"
            self._session.edit(edits.items.layer_changed, replace(layer, visible=not layer.visible), words)
        elif layer is not None and index.column() == STATE:
            words = "shown in full" if layer.dimmed else "dimmed"
            self._session.edit(edits.items.layer_changed, replace(layer, dimmed=not layer.dimmed), words)
        item = self._item(index)
        if item is not None and index.column() == EYE and index.data(_VERSION) is None:
            self._session.edit(edits.items.shown, item, not item.look.visible)

    def _edited(self, cell: QStandardItem) -> None:
        if self._filling or cell.column() != NAME:
            return
        layer = self._layer(cell.index())
        if layer is not None and cell.text().strip() not in ("", layer.name):
            renamed = replace(layer, name=cell.text().strip())
            words = "is the layer's new name"
            QTimer.singleShot(0, lambda: self._session.edit(edits.items.layer_changed, renamed, words))
        if not cell.data(_ID):
            return
        item = self._session.document[cell.data(_ID)]
        if cell.text() != item.name:
            # the tree is still closing its editor: change the document when it is done
            QTimer.singleShot(0, lambda: self._rename(item, cell.text()))

    def _rename(self, item: Item, name: str) -> None:
        self._frame = None
        self._session.edit(edits.items.renamed, item, name)
        self.refresh()


def _below(words: str) -> QStandardItem:
    """A faint line below an item."""
    line = QStandardItem(words)
    line.setForeground(QColor(theme.now().faint))
    line.setEditable(False)
    return line


def _weight(item: Item) -> str:
    count = kind_of(item.shape).weight(item.shape)
    return f"{count / 1e6:.1f}M" if count >= 1e6 else f"{count / 1000:.0f}k" if count >= 1000 else str(count)
