"""How many threads the work may use."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

from threadpoolctl import threadpool_limits

_allowed = os.cpu_count() or 1


def allowed() -> int:
    """How many threads may work at once."""
    return _allowed


@contextmanager
def at_most(threads: int | None) -> Iterator[None]:
    """Within it no more than so many threads work, those of numerical libraries among them; None leaves it as it is."""
    global _allowed
    before = _allowed
    if threads is not None:
        _allowed = min(threads, before)
    with threadpool_limits(threads):
        try:
            yield
        finally:
            _allowed = before
