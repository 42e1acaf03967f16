"""Fields that take lengths, and forms made from a tool's options."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import Field, fields
from enum import Enum
from typing import Any

from PyQt6.QtCore import QLocale, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QSlider,
    QSpinBox,
    QToolTip,
    QWidget,
)

from arabesque.desk import theme
from arabesque.desk.plain import Words, hint
from arabesque.errors import ArabesqueError
from arabesque.geometry import LARGEST_DEGREE
from arabesque.units import parse_length, scale_to_mm

ARROW = 34
"""Pixels of the frame and the arrow of a choice, at the usual size of text."""
ROOM = 200
"""Pixels of a row in the Inspector, at the usual size of text, beside a bar to scroll."""
SHORT_WORDS = 2
"""Letters that the box of a choice has room for, at least: with that it stays beside its label where that has room."""
LONG = 9
"""Rows of a form that are seen at once at 1280 x 800, with the values below them."""


class LengthField(QLineEdit):
    """A length in mm; takes units and arithmetic. A wrong text is marked in place and changes nothing."""

    unit = "mm"
    """The unit of numbers typed without one."""

    entered = pyqtSignal(float)
    refused = pyqtSignal(str)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._value = 0.0
        self.editingFinished.connect(self._finish)

    def show_value(self, value: float) -> None:
        """Show a length, unless the user is typing."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self._show()

    def _show(self) -> None:
        self.setText(f"{self._value / scale_to_mm(self.unit):.6g}")
        self.setModified(False)
        self._mark(False, "")

    def _finish(self) -> None:
        if not self.isModified():
            return
        try:
            value = parse_length(self.text(), self.unit, QLocale().decimalPoint() == ",")
        except ArabesqueError as problem:
            self._mark(True, str(problem))
            self.refused.emit(str(problem))
            return
        self.setModified(False)
        self._mark(False, "")
        self.entered.emit(value)

    def refuse(self, reason: str) -> None:
        """Mark the text as not possible, and say why."""
        self.setModified(True)
        self._mark(True, reason)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self._show()
            self.clearFocus()
            return
        super().keyPressEvent(event)

    def _mark(self, wrong: bool, reason: str) -> None:
        self.setProperty("wrong", "true" if wrong else "false")
        self.setToolTip(hint(reason) or "A length; units and arithmetic are welcome: 0.5 in + 2")
        style = self.style()
        assert style is not None
        style.unpolish(self)
        style.polish(self)
        if wrong and self.isVisible():
            # beside the field, without waiting for the pointer to rest on it
            QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), hint(reason), self)


class ShareField(QWidget):
    """A share of 0 to 100 %: a slider, because a feel for it matters, and a field."""

    entered = pyqtSignal(float)

    def __init__(self, name: str, value: float) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.field = QSpinBox()
        self.field.setSuffix(" %")
        self.field.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.field.setFixedWidth(theme.scaled(58))
        for part in (self.slider, self.field):
            part.setRange(1, 100)
            part.setValue(round(100 * value))
            part.setAccessibleName(name)
            row.addWidget(part)
        self.setFocusProxy(self.field)
        self.slider.valueChanged.connect(self.field.setValue)
        self.field.valueChanged.connect(self._entered)

    def _entered(self, percent: int) -> None:
        self.slider.setValue(percent)
        self.entered.emit(percent / 100)


class OptionsForm(QWidget):
    """A form for a dataclass of options: a list for an Enum, a tick for a bool, a number field for an int, a line
    for a text, a length field for a length in mm.

    ``metadata`` of a field may say more: "range" the ends of an int, "share" a float shown in percent with a
    slider, "degrees" an angle, "label" other words than the field's name.

    Options that have no meaning at the moment are named by the dataclass's ``idle`` property, if it has one.
    """

    edited = pyqtSignal()

    def __init__(self, options: Any) -> None:
        super().__init__()
        self._layout = layout = QFormLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
        self._rows: dict[str, QWidget] = {}
        self._above: dict[str, QWidget] = {}
        letters = QFontMetrics(theme.text_font())
        room = theme.scaled(ROOM) - max(
            (letters.horizontalAdvance(words_of(option)) for option in fields(options)), default=0
        )
        for option in fields(options):
            label = Words(words_of(option))
            widget = self._widget(options, option, getattr(options, option.name))
            label.setBuddy(widget)
            widget.setAccessibleName(words_of(option))
            if isinstance(widget, QComboBox) and _wide(widget, letters) > room:
                # what is chosen is read whole: beside a long label there is no room for it
                layout.addRow(label)
                layout.addRow(widget)
                self._above[option.name] = label
            else:
                layout.addRow(label, widget)
            self._rows[option.name] = widget
        self._options = options
        self._mark_active()
        self.edited.connect(self._mark_active)

    def _mark_active(self) -> None:
        """Grey what the other options leave without meaning; a long form leaves it out, for what counts to be seen."""
        idle = getattr(self._options, "idle", ())
        for name, widget in self._rows.items():
            widget.setEnabled(name not in idle)
            if len(self._rows) > LONG:
                for one in filter(None, (self._above.get(name), widget)):
                    self._layout.setRowVisible(one, name not in idle)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._stand_tall()

    def _stand_tall(self) -> None:
        """No field is lower than its text needs: where there is no room for all of them one scrolls."""
        for widget in self._rows.values():
            widget.ensurePolished()
            widget.setMinimumHeight(widget.sizeHint().height())

    def _widget(self, options: Any, option: Field[Any], value: Any) -> QWidget:
        name = option.name

        def put(new: Any) -> None:
            setattr(options, name, new)
            self.edited.emit()

        if isinstance(value, Enum):
            return _choice(value, put)
        if isinstance(value, bool):
            tick = QCheckBox()
            tick.setChecked(value)
            tick.toggled.connect(put)
            return tick
        if isinstance(value, int):
            return _number(QSpinBox(), value, option.metadata.get("range", (1, LARGEST_DEGREE)), put)
        if isinstance(value, float):
            if "share" in option.metadata:
                share = ShareField(name, value)
                share.entered.connect(put)
                return share
            if "degrees" in option.metadata:
                angle = _number(QDoubleSpinBox(), value, (-360.0, 360.0), put)
                angle.setDecimals(3)
                angle.setSuffix(" °")
                return angle
            length = LengthField(name)
            length.show_value(value)
            length.entered.connect(put)
            return length
        if isinstance(value, str):
            line = QLineEdit(value)
            line.textEdited.connect(put)
            return line
        raise TypeError(f"no field for an option of type {type(value).__name__}")


def words_of(option: Field[Any]) -> str:
    """What the form calls an option."""
    words = option.name.replace("_", " ").capitalize() if len(option.name) > 1 else option.name
    return str(option.metadata.get("label", words))


def _number(box: Any, value: float, ends: tuple[float, float], put: Callable[[Any], None]) -> Any:
    box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    box.setRange(*ends)
    box.setGroupSeparatorShown(True)
    box.setKeyboardTracking(False)
    box.setValue(value)
    box.valueChanged.connect(put)
    return box


def _wide(box: QComboBox, letters: QFontMetrics) -> int:
    """Pixels that the longest words of a choice need."""
    return max(letters.horizontalAdvance(box.itemText(n)) for n in range(box.count())) + theme.scaled(ARROW)


def _choice(value: Enum, put: Callable[[Enum], None]) -> QComboBox:
    box = QComboBox()
    members = list(type(value))
    box.addItems([m.value[0] if isinstance(m.value, tuple) else str(m.value) for m in members])
    box.setCurrentIndex(members.index(value))
    # where its words do not fit beside the label, the form puts it below
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(SHORT_WORDS)
    view = box.view()
    assert view is not None
    view.setMinimumWidth(view.sizeHintForColumn(0) + 24)
    box.currentIndexChanged.connect(lambda index: put(members[index]))
    return box
