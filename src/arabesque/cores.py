"""How many threads the work may use, and work that is shared among them."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import cache

import numpy as np
from numpy.typing import NDArray
from threadpoolctl import threadpool_limits

WORTH_A_THREAD = 2000
MOST_THREADS = 4
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


def in_runs(work: Callable[[NDArray[np.int64]], None], which: NDArray[np.int64]) -> None:
    """Call ``work`` with runs of ``which``, on as many threads as are worth it; it has to release the GIL."""
    threads = min(MOST_THREADS, allowed(), max(1, len(which) // WORTH_A_THREAD))
    own, *others = np.array_split(which, threads)
    helped = [_helpers().submit(work, run) for run in others]
    work(own)
    for run in helped:
        run.result()


@cache
def _helpers() -> ThreadPoolExecutor:
    """Threads that share work; kept, because starting them anew takes as long as a small query."""
    return ThreadPoolExecutor(MOST_THREADS, "shared")
