"""Scan a demo master shape with the simulated scanner: a stand-in for a real device."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from arabesque.desk.facts import Fact
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.tools.options import whole
from arabesque.progress import Progress, part
from arabesque.scan import Scan, ready_to_fit


class Piece(Enum):
    """A clay piece to scan."""

    HERON = ("heron, a touring saddle", "heron")
    PEBBLE = ("pebble, a pole grip", "pebble")
    JUNIPER = ("juniper, a water jug", "juniper")
    DIPPER = ("dipper, a lobed hand wheel", "dipper")


class SimulateScan(Tool):
    """The simulated scanner looks at an invented piece whose true surface is known."""

    id = "simulate"
    step = Step.PREPARE
    label = "Simulate a scan"
    short = "Simulate"
    hint = "Choose a piece, how fine and how noisy, then Enter"
    shortcut = ""
    icon = "ph.aperture"

    @dataclass
    class Options:
        """noise: standard deviation, mm. seed: another one gives another noise."""

        piece: Piece = Piece.HERON
        triangles: int = whole(120_000, 1000, 4_000_000)
        noise: float = 0.03
        seed: int = whole(7, 0, 9999)

    @property
    def can_apply(self) -> bool:
        return True

    @property
    def apply_word(self) -> str:
        return "Scan"

    @property
    def facts(self) -> list[Fact]:
        return [Fact("Piece", self.options.piece.value[0])]

    def options_changed(self) -> None:
        self.changed.emit()

    def apply(self) -> None:
        from arabesque.demo import master, simulate  # not wanted at most starts

        o = self.options
        name, triangles, noise, seed = o.piece.value[1], o.triangles, o.noise, o.seed

        def run(progress: Progress) -> Scan:
            scan = simulate(master(name), triangles, noise, seed, part(progress, 0.0, 0.7)).scan
            return ready_to_fit(scan, part(progress, 0.7, 1.0))

        def finish(scan: Scan) -> None:
            note = f"simulated, noise {noise:g} mm, seed {seed}"
            self.session.add(f"{name} scanned", f"{name} clay", scan, words=note)
            self.session.asks.fit.emit()
            self.left.emit()

        job = self.session.run(f"Scanning {name}", run)
        job.done.connect(finish)
