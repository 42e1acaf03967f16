"""How a tool's options say more about themselves than their name and type."""

from dataclasses import field
from typing import Any


def share(value: float, label: str = "") -> Any:
    """An option from 0 to 1 that is shown in percent, with a slider."""
    return field(default=value, metadata={"share": True, **({"label": label} if label else {})})


def whole(value: int, low: int, high: int, label: str = "") -> Any:
    """An option that is a whole number between two ends."""
    return field(default=value, metadata={"range": (low, high), **({"label": label} if label else {})})


def angle(label: str, value: float = 0.0) -> Any:
    """An option that is an angle in degrees."""
    return field(default=value, metadata={"degrees": True, "label": label})


def labelled(value: Any, label: str) -> Any:
    """An option with other words in the form than its name."""
    return field(default=value, metadata={"label": label})
