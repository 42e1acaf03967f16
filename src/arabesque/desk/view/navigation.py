"""Which buttons and keys move the camera: presets of our own."""

from dataclasses import dataclass

from PyQt6.QtCore import Qt

from arabesque.desk.settings import Mouse

_L, _M, _R = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton
_NONE, _SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier


@dataclass(frozen=True)
class Navigation:
    """turn, and with Shift pan: the button held. work: the button that picks and drags.

    menu: the button whose click opens the menu. scroll_turns: two fingers turn, with Ctrl they zoom.
    """

    turn: Qt.MouseButton
    work: Qt.MouseButton
    menu: Qt.MouseButton
    scroll_turns: bool = False


PRESETS = {
    Mouse.THREE_BUTTONS: Navigation(turn=_M, work=_L, menu=_R),
    Mouse.TWO_BUTTONS: Navigation(turn=_R, work=_L, menu=_R),
    Mouse.LEFT_HAND: Navigation(turn=_L, work=_R, menu=_M),
    Mouse.TRACKPAD: Navigation(turn=_M, work=_L, menu=_R, scroll_turns=True),
}
"""Where turning and the menu share a button, a click without a drag opens the menu."""
