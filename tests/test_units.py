"""Lengths as people write them."""

import unittest

from arabesque.errors import ArabesqueError
from arabesque.units import parse_length


class LengthTest(unittest.TestCase):
    def test_units_and_arithmetic(self) -> None:
        """1 inch = 25.4 mm, 1 foot = 304.8 mm exactly (1959 agreement)."""
        cases = {
            "0.2": 0.2, "0,2": 0.2, "5 cm": 50, "0.5 in + 2": 14.7, "1 ft": 304.8, "2*3": 6, "(1+2)*2": 6,
            "-0.5 in": -12.7, "1e-3 m": 1, "3/4 in": 19.05, "2 - 1 mm": 1, "1e2": 100,
        }  # fmt: skip
        for text, length in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_length(text), length, places=12)
        self.assertAlmostEqual(parse_length("2", "inch"), 50.8)

    def test_nonsense_is_refused(self) -> None:
        for text in ("", "abc", "5 kg", "1 +", "nan", "__import__('os')", "1/0"):
            with self.subTest(text), self.assertRaises(ArabesqueError):
                parse_length(text)
