"""History and milestones: every state in plain words, and the ones with a name."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from arabesque.desk.facts import Choice, Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool


class Timeline(Tool):
    """Goes to any state of the work; gives the present one a name."""

    id = "timeline"
    step = Step.PATCH
    label = "History and milestones"
    hint = "Every state of the work in plain words; name the present one"
    shortcut = "Ctrl+H"
    icon = "ph.clock-counter-clockwise"

    @dataclass
    class Options:
        """name: of the milestone to set."""

        name: str = ""

    def start(self) -> None:
        self.options.name = f"Milestone {len(self.session.history.milestones) + 1}"
        self.session.document_changed.connect(self.changed)

    def stop(self) -> None:
        self.session.document_changed.disconnect(self.changed)

    @property
    def says(self) -> str:
        return "Click a state to go there; Enter names the present one"

    @property
    def can_apply(self) -> bool:
        return bool(self.options.name.strip())

    @property
    def apply_word(self) -> str:
        return "Set milestone"

    @property
    def facts(self) -> list[Fact]:
        return []

    @property
    def choices(self) -> list[Choice]:
        history = self.session.history
        named = [
            Choice(f"◆ {m.name}", partial(self.session.return_to, m), m.document is history.document)
            for m in history.milestones
        ]
        steps = [
            Choice(step.label, partial(self.session.go_to, number), number == history.position)
            for number, step in enumerate(history.steps)
        ]
        return [*named, *reversed(steps)]

    def options_changed(self) -> None:
        self.changed.emit()

    def apply(self) -> None:
        name = self.options.name.strip()
        if name:
            self.session.set_milestone(name)
            self.changed.emit()
