"""What the Inspector shows: live values, and lines that can be clicked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from arabesque.arrays import Floats


@dataclass(frozen=True)
class Fact:
    """A live value in the Inspector. state: "good", "bad" or "" for neither."""

    label: str
    value: str
    state: str = ""


@dataclass(frozen=True)
class Choice:
    """A line in the Inspector that can be clicked. current: it is where one is."""

    label: str
    run: Callable[[], object]
    current: bool = False


def number(count: int) -> str:
    """A count with narrow gaps between thousands, which do not break."""
    return f"{count:,}".replace(",", "\u202f")


def area(value: float) -> str:
    """mm² with narrow gaps between thousands."""
    return f"{value:,.1f} mm²".replace(",", "\u202f")


def volume(value: float) -> str:
    """mm³ with narrow gaps between thousands."""
    return f"{value:,.1f} mm³".replace(",", "\u202f")


def three(values: Floats, digits: int = 4) -> str:
    """Three numbers in a row, without negative zeros."""
    return "  ".join(f"{round(float(value), digits) + 0.0:.{digits}f}" for value in values)
