"""Lengths: everything inside is in millimetres, people may write what they like."""

from functools import cache
from typing import Any

from arabesque.errors import ArabesqueError

MILLIMETRES = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4, "foot": 304.8}
"""Length of each unit that a file may be in, in mm (international inch and foot, 1959 agreement)."""


@cache
def _registry() -> Any:
    import pint  # a sixth of a second at the start of the window, where nothing has been typed yet

    return pint.UnitRegistry()


def scale_to_mm(unit: str) -> float:
    """Millimetres in one ``unit``; raises ArabesqueError for an unknown one."""
    try:
        return MILLIMETRES[unit]
    except KeyError:
        raise ArabesqueError(
            f"'{unit}' is not a unit of length known here", f"Use one of {', '.join(MILLIMETRES)}"
        ) from None


def parse_length(text: str, unit: str = "mm") -> float:
    """The length in mm that ``text`` means; plain numbers are in ``unit``.

    Takes units and arithmetic ("0.5 in + 2"): plain numbers beside a length
    are in ``unit`` too. Raises ArabesqueError when it is not a length.
    """
    registry = _registry()
    from pint import PintError

    try:
        terms = _with_units(text.replace(",", "."), unit)
        length = registry.parse_expression(terms)
        return float(length.to("mm").magnitude)
    except (
        PintError,
        ValueError,
        TypeError,
        AttributeError,
        ArithmeticError,
        SyntaxError,
        AssertionError,
    ) as problem:
        raise ArabesqueError(f"'{text}' is not a length", "Write for example 0.2, 5 cm or 0.5 in + 2") from problem


def _with_units(text: str, unit: str) -> str:
    """Add ``unit`` to every summand that has none, so that "0.5 in + 2" adds lengths."""
    parts: list[str] = []
    depth = 0
    current = ""
    for index, sign in enumerate(text):
        depth += (sign == "(") - (sign == ")")
        before = text[:index].rstrip()[-1:]
        exponent = before in ("e", "E") and text[:index].rstrip()[-2:-1].isdigit()
        if sign in "+-" and depth == 0 and before and before not in "*/+-(" and not exponent:
            parts += [current, sign]
            current = ""
        else:
            current += sign
    parts.append(current)
    return " ".join(
        part
        if part in ("+", "-") or any(letter.isalpha() and letter not in "eE" for letter in part) or not part.strip()
        else f"({part}) * {unit}"
        for part in parts
    )
