"""A row of the table, and how calls are timed."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """ours against a peer or a fixed limit, in ``unit``.

    ratio: ours / peer; limit: what the ratio, or without a peer ours, must not exceed.
    """

    name: str
    ours: float
    peer: float | None
    limit: float
    unit: str
    note: str = ""

    @property
    def ratio(self) -> float | None:
        """ours / peer, where there is a peer."""
        return None if self.peer is None else self.ours / self.peer

    @property
    def holds(self) -> bool:
        """True when the limit is kept."""
        return bool((self.ours if self.ratio is None else self.ratio) <= self.limit)

    def as_record(self) -> dict[str, object]:
        """Plain values for the report."""
        return {
            "name": self.name,
            "ours": float(self.ours),
            "peer": None if self.peer is None else float(self.peer),
            "ratio": None if self.ratio is None else float(self.ratio),
            "limit": float(self.limit),
            "holds": self.holds,
            "unit": self.unit,
            "note": self.note,
        }


def alternately(*calls: Callable[[], object], rounds: int = 7) -> list[float]:
    """Best time of each call, ms; the calls take turns, so that the machine's moods hit all alike."""
    best = [float("inf")] * len(calls)
    for call in calls:
        call()
    for _ in range(rounds):
        for number, call in enumerate(calls):
            began = time.perf_counter()
            call()
            best[number] = min(best[number], 1000 * (time.perf_counter() - began))
    return best
