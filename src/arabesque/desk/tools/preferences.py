"""The settings, as a form in the Inspector; every change takes effect at once."""

from __future__ import annotations

from dataclasses import dataclass, fields

from PyQt6.QtCore import pyqtSignal

from arabesque.desk.settings import Colours, Mouse, Settings, ShownUnit, TextSize, Wheel
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool


class Preferences(Tool):
    """Mouse, wheel, colours, text and unit."""

    id = "preferences"
    step = Step.PREPARE
    label = "Settings"
    hint = "Mouse, wheel, colours, text size and unit"
    shortcut = "Ctrl+,"
    icon = "ph.sliders-horizontal"
    applies = False

    edited = pyqtSignal()

    @dataclass
    class Options:
        """One preference a line."""

        colours: Colours = Colours.LIGHT
        text_size: TextSize = TextSize.USUAL
        mouse: Mouse = Mouse.THREE_BUTTONS
        wheel: Wheel = Wheel.FORWARD_IN
        unit: ShownUnit = ShownUnit.MM

    def read(self, settings: Settings) -> None:
        """Take the options from the settings; changes are written there."""
        self._settings = settings
        self.options = self.Options(
            settings.choice(Colours),
            settings.text_size,
            settings.choice(Mouse),
            settings.choice(Wheel),
            settings.choice(ShownUnit),
        )

    @property
    def says(self) -> str:
        return "Every change takes effect at once; Esc leaves"

    def options_changed(self) -> None:
        for field in fields(self.options):
            self._settings.choose(getattr(self.options, field.name))
        self.edited.emit()
