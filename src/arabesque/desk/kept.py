"""What was computed of values, kept for as long as these live: the one cache of the window."""

from __future__ import annotations

import weakref
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")


class Kept:
    """Calls functions of shapes and other values once.

    Values that have an identity (shapes, grids) are known by it and held
    weakly: when one of them goes, for instance in a drag, what was computed
    of it goes too. Everything else is known by what it equals. A result must
    not hold on to the values it was computed of.
    """

    def __init__(self) -> None:
        self._results: dict[Hashable, tuple[list[weakref.ref[Any]], Any]] = {}

    def __len__(self) -> int:
        return len(self._results)

    def __call__(self, make: Callable[..., T], *arguments: Any) -> T:
        """``make(*arguments)``, computed unless it is known. Tuples among the arguments are known one by one."""
        objects: list[Any] = []
        key = make, *(_named(argument, objects) for argument in arguments)
        known = self._results.get(key)
        if known is not None:
            return known[1]
        result = make(*arguments)
        if not objects:
            return result  # nothing would ever let it go
        here = weakref.ref(self)

        def forget(_: object) -> None:
            cache = here()
            if cache is not None:
                cache._results.pop(key, None)

        self._results[key] = [weakref.ref(one, forget) for one in objects], result
        return result


def _named(argument: Any, objects: list[Any]) -> Hashable:
    """What an argument is known by; those that are known by their identity are added to ``objects``."""
    if isinstance(argument, tuple):
        return tuple(_named(one, objects) for one in argument)
    of_type: Any = type(argument)
    if argument is not None and of_type.__hash__ is object.__hash__ and not callable(argument):
        objects.append(argument)
        return type(argument), id(argument)
    return argument
