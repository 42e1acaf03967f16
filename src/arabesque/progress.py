"""Progress and cancellation of long work, without any user interface."""

from collections.abc import Callable

Progress = Callable[[float, str], None]
"""Called with the fraction done (0 to 1) and a few words; raises Cancelled to stop the work."""


class Cancelled(Exception):
    """Raised inside long work when the user no longer wants it."""


def silent(fraction: float, message: str) -> None:
    """Progress for callers that do not watch."""


def part(progress: Progress, start: float, end: float) -> Progress:
    """Progress of a sub-task that fills ``start`` to ``end`` of the whole."""

    def report(fraction: float, message: str) -> None:
        progress(start + (end - start) * fraction, message)

    return report


def saying(progress: Progress, words: str) -> Progress:
    """Progress of a sub-task that speaks of itself in words that mean nothing for the whole."""
    return lambda fraction, _: progress(fraction, words)
