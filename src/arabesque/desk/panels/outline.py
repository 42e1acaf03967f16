"""The Outline: what exists, what it is made from, and whether it is within the tolerance."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QHeaderView, QLabel, QTreeView, QVBoxLayout, QWidget

from arabesque.desk.commands import icon
from arabesque.desk.session import Session
from arabesque.desk.theme import Theme
from arabesque.geometry import Curve, Surface
from arabesque.model import Item

_ID = Qt.ItemDataRole.UserRole
NAME, WEIGHT, STATE, EYE = range(4)
_SIGNS = {"scan": "ph.cloud", "curve": "ph.path", "surface": "ph.polygon"}


class Outline(QWidget):
    """One line an item; what an item is made from unfolds below it."""

    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self._theme = theme
        self._filling = False
        self._shown: list[object] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 6, 4, 0)
        layout.setSpacing(2)
        heading = QLabel("Outline")
        heading.setObjectName("heading")
        layout.addWidget(heading)
        self.tree = QTreeView()
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
        for column, width in ((WEIGHT, 46), (STATE, 22), (EYE, 24)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(column, width)
        layout.addWidget(self.tree)
        self.tree.clicked.connect(self._clicked)
        self.model.itemChanged.connect(self._edited)
        session.changed.connect(self.refresh)
        selection = self.tree.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(self._current)
        self.refresh()

    def refresh(self) -> None:
        """Show the document as it is; nothing is touched when nothing here changed."""
        document = self._session.document
        states = [(item.id, item.name, item.look, self._state(item)[0], _weight(item)) for item in document]
        shown: list[object] = [states, document.reference, self._session.selection and self._session.selection.id]
        if shown == self._shown or self._filling:
            return
        self._shown = shown
        self._filling = True
        self.model.removeRows(0, self.model.rowCount())
        for item in document:
            self.model.appendRow(self._row(item))
        selected = self._session.selection
        index = next((self.model.index(r, NAME) for r, i in enumerate(document) if i is selected), QModelIndex())
        self.tree.setCurrentIndex(index)
        self._filling = False

    def _row(self, item: Item) -> list[QStandardItem]:
        name = QStandardItem(icon(_SIGNS[item.kind], self._theme), item.name)
        name.setData(item.id, _ID)
        reference = item.id == self._session.document.reference
        name.setToolTip(
            f"{item.name}: {'reference scan' if reference else item.kind}{', ' + item.note if item.note else ''}"
        )
        for source in item.made_from:
            if source in self._session.document:
                below = QStandardItem(f"from {self._session.document[source].name}")
                below.setForeground(QColor(self._theme.faint))
                below.setEditable(False)
                name.appendRow(below)
        weight = QStandardItem(_weight(item))
        weight.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        weight.setForeground(QColor(self._theme.faint))
        weight.setToolTip("Triangles" if item.kind == "scan" else "Control points")
        sign, words, colour = self._state(item)
        state = QStandardItem(sign)
        state.setForeground(QColor(colour))
        state.setToolTip(words)
        state.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
        eye = QStandardItem(icon("ph.eye" if item.look.visible else "ph.eye-slash", self._theme), "")
        eye.setToolTip("Shown: click to hide" if item.look.visible else "Hidden: click to show")
        row = [name, weight, state, eye]
        for cell in row[1:]:
            cell.setEditable(False)
            cell.setData(item.id, _ID)
        if not item.look.visible:
            name.setForeground(QColor(self._theme.faint))
        return row

    def _state(self, item: Item) -> tuple[str, str, str]:
        """Sign, words and colour of how an item stands to the scan."""
        if not isinstance(item.shape, Surface):
            return (
                ("◆", "Reference scan", self._theme.faint)
                if item.id == self._session.document.reference
                else ("", "", "")
            )
        grid = self._session.grid(item)
        if grid is None or self._session.scan is None or not grid.valid.any():
            return "○", "Not checked", self._theme.faint
        if grid.figures(self._session.document.tolerance).within(self._session.document.tolerance):
            return "●", "Within the tolerance", self._theme.inside
        return "▲", "Outside the tolerance", self._theme.outside

    def _item(self, index: QModelIndex) -> Item | None:
        key = index.data(_ID)
        return self._session.document.items.get(key) if key else None

    def _current(self, index: QModelIndex, _: QModelIndex) -> None:
        item = self._item(index)
        if not self._filling and item is not None:
            self._session.select(item.id)

    def _clicked(self, index: QModelIndex) -> None:
        item = self._item(index)
        if item is not None and index.column() == EYE:
            self._session.set_visible(item, not item.look.visible)

    def _edited(self, cell: QStandardItem) -> None:
        if self._filling or cell.column() != NAME or not cell.data(_ID):
            return
        item = self._session.document[cell.data(_ID)]
        if cell.text() != item.name:
            # the tree is still closing its editor: change the document when it is done
            QTimer.singleShot(0, lambda: self._rename(item, cell.text()))

    def _rename(self, item: Item, name: str) -> None:
        self._shown = []
        self._session.rename(item, name)
        self.refresh()


def _weight(item: Item) -> str:
    if isinstance(item.shape, Surface | Curve):
        return str(item.shape.count)
    count = len(item.shape.triangles)
    return f"{count / 1e6:.1f}M" if count >= 1e6 else f"{count / 1000:.0f}k" if count >= 1000 else str(count)
