"""Lengths: everything inside is in millimetres, people may write what they like."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from arabesque.errors import ArabesqueError

MILLIMETRES = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4, "foot": 304.8}
"""Length of each unit that a file may be in, in mm (international inch and foot, 1959 agreement)."""
LONGEST = 80
"""Signs of a length that is typed."""

_FEET, _INCHES = ("'", "’", "′", "ft", "foot", "feet"), ('"', "”", "″", "in", "inch", "inches")
_UNITS = {
    **MILLIMETRES, **dict.fromkeys(_FEET, 304.8), **dict.fromkeys(_INCHES, 25.4),
    "km": 1e6, "dm": 100.0, "µm": 1e-3, "μm": 1e-3, "um": 1e-3, "thou": 0.0254, "mil": 0.0254, "yd": 914.4,
}  # fmt: skip
_SIGNS = str.maketrans({"−": "-", "–": "-", "×": "*", "·": "*", "÷": "/", "\N{NO-BREAK SPACE}": " "})
_TOKEN = re.compile(r"\s*(?:([\d.,]+(?:[eE][+-]?\d+)?)|([a-zA-Zµμ]+|['\"’′”″])|(\S))")
_DIGITS = re.compile(r"(\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d+)?")
_GROUPED = re.compile(r"[1-9]\d{0,2},\d{3}")
"""As a thousand is written where the point parts decimals."""


def scale_to_mm(unit: str) -> float:
    """Millimetres in one ``unit``; raises ArabesqueError for an unknown one."""
    try:
        return MILLIMETRES[unit]
    except KeyError:
        raise ArabesqueError(
            f"'{unit}' is not a unit of length known here", f"Use one of {', '.join(MILLIMETRES)}"
        ) from None


def parse_length(text: str, unit: str = "mm", comma: bool = False) -> float:
    """Return the length in mm that a typed text means.

    Numbers with or without units, + - * / and brackets: ``0.5 in + 2``, ``(1 + 2) * 2 cm``, ``3/4 in``, ``5' 6 1/2"``.
    Plain numbers beside a length are in ``unit`` too. Both 0.2 and 0,2 are a fifth.

    Parameters
    ----------
    text : at most ``LONGEST`` signs.
    unit : of numbers without one, a key of ``MILLIMETRES``.
    comma : whether the comma parts decimals where the user lives. Elsewhere 1,000 is refused: it may be a thousand.

    Raises
    ------
    ArabesqueError
        When it is no length, ambiguous, or not finite.
    """
    scale = scale_to_mm(unit)
    if len(text) > LONGEST:
        raise _refused(text[:20] + "…", f"is longer than {LONGEST} signs")
    length = _Parser(text, scale, comma).whole()
    if not math.isfinite(length):
        raise _refused(text, "is too large")
    return length


def _refused(text: str, why: str) -> ArabesqueError:
    return ArabesqueError(f"'{text}' {why}", "Write for example 0.2, 5 cm or 0.5 in + 2")


@dataclass(frozen=True)
class _Value:
    """A number, or a length in mm."""

    number: float
    is_length: bool = False


class _Parser:
    """Recursive descent over the tokens of a length.

    sum = product {("+" | "-") product}; product = factor {("*" | "/") factor}; factor = {"+" | "-"} measure;
    measure = "(" sum ")" [unit] | number [fraction] [unit [number [fraction] inches]].
    """

    def __init__(self, text: str, scale: float, comma: bool) -> None:
        self._text, self._scale, self._comma = text.strip(), scale, comma
        self._tokens = [match.groups("") for match in _TOKEN.finditer(text.translate(_SIGNS)) if match.group().strip()]
        self._at = 0

    def whole(self) -> float:
        """The length, mm."""
        if not self._tokens:
            raise ArabesqueError("There is no length", "Write for example 0.2, 5 cm or 0.5 in + 2")
        value = self._sum()
        if self._at < len(self._tokens):
            raise self._wrong(f"has '{''.join(self._tokens[self._at])}' where it should end")
        return self._mm(value)

    def _mm(self, value: _Value) -> float:
        return value.number if value.is_length else value.number * self._scale

    def _wrong(self, why: str) -> ArabesqueError:
        return _refused(self._text, f"is not a length: it {why}")

    def _sign(self, signs: str) -> str:
        """The next token, taken, if it is one of some signs, else ""."""
        if self._at < len(self._tokens) and self._tokens[self._at][2] and self._tokens[self._at][2] in signs:
            self._at += 1
            return self._tokens[self._at - 1][2]
        return ""

    def _sum(self) -> _Value:
        value = self._product()
        while sign := self._sign("+-"):
            other, way = self._product(), 1.0 if sign == "+" else -1.0
            if value.is_length or other.is_length:
                value = _Value(self._mm(value) + way * self._mm(other), True)
            else:
                value = _Value(value.number + way * other.number)
        return value

    def _product(self) -> _Value:
        value = self._factor()
        while sign := self._sign("*/"):
            other = self._factor()
            if other.is_length and (value.is_length or sign == "/"):
                raise self._wrong("multiplies or divides by a length")
            if sign == "/" and not other.number:
                raise self._wrong("divides by zero")
            number = value.number * other.number if sign == "*" else value.number / other.number
            value = _Value(number, value.is_length or other.is_length)
        return value

    def _factor(self) -> _Value:
        way = 1.0
        while sign := self._sign("+-"):
            way = -way if sign == "-" else way
        value = self._measure()
        return _Value(way * value.number, value.is_length)

    def _measure(self) -> _Value:
        if self._sign("("):
            value = self._sum()
            if not self._sign(")"):
                raise self._wrong("has a bracket that is not closed")
            unit = self._unit()
            if unit and value.is_length:
                raise self._wrong(f"has '{unit}' behind what is a length already")
            return _Value(value.number * _UNITS[unit], True) if unit else value
        number = self._number()
        unit = self._unit()
        if not unit:
            return _Value(number)
        length = number * _UNITS[unit]
        if unit in _FEET and self._at < len(self._tokens) and self._tokens[self._at][0]:
            length += self._number() * 25.4
            if self._unit() not in _INCHES:
                raise self._wrong("has a number behind feet that is not marked as inches")
        return _Value(length, True)

    def _number(self) -> float:
        """A number, a fraction that a unit follows, or both: 6 1/2."""
        number = self._plain()
        following = self._tokens[self._at : self._at + 4]
        if len(following) > 2 and following[0][0].isdigit() and following[1][2] == "/" and following[2][0].isdigit():
            # a whole number and a fraction beside it
            return number + self._fraction(self._plain())
        if len(following) > 2 and following[0][2] == "/" and following[1][0] and following[2][1]:
            return self._fraction(number)
        return number

    def _fraction(self, above: float) -> float:
        self._at += 1
        below = self._plain()
        if not below:
            raise self._wrong("divides by zero")
        return above / below

    def _plain(self) -> float:
        if self._at >= len(self._tokens):
            raise self._wrong("ends where a number should follow")
        digits, word, sign = self._tokens[self._at]
        if not digits:
            raise self._wrong(f"has '{word or sign}' where a number should be")
        if not _DIGITS.fullmatch(digits) or (not self._comma and _GROUPED.fullmatch(digits)):
            raise self._wrong(f"has '{digits}', which can be read in more than one way")
        self._at += 1
        return float(digits.replace(",", "."))

    def _unit(self) -> str:
        """The unit that follows, taken, or ""."""
        if self._at >= len(self._tokens) or not self._tokens[self._at][1]:
            return ""
        word = self._tokens[self._at][1]
        unit = word if word in _UNITS else word.lower()
        if unit not in _UNITS:
            raise self._wrong(f"has '{word}', which is no unit of length")
        self._at += 1
        return unit
