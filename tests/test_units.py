"""Lengths as people write them."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

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
        for text in (
            "", "abc", "5 kg", "1 +", "nan", "__import__('os')", "1/0", "(1", "1)", "1 2", "2 in * 3 in", "3/(4 in)",
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(ArabesqueError):
                parse_length(text)

    def test_what_was_read_otherwise_than_meant_is_refused(self) -> None:
        """Taken silently before: 0.5 for 1.000,5, 0 for 1'000, 0.2 for 1..2, 1 for 1 == 1, infinite for 1e400."""
        for text in ("1.000,5", "1'000", "1..2", "1 == 1", "1e400", "1,000", "5' 6", "1_000", "--", "1e400 - 1e400"):
            with self.subTest(text), self.assertRaises(ArabesqueError):
                parse_length(text)

    def test_no_text_takes_long_or_escapes(self) -> None:
        """Powers that would never end, brackets and repeats as deep as a stack: one clear word each."""
        for text in ("9**9**9", "2**2**31 mm", "mm" * 20_000, "(" * 79, "(" * 20_000, "1+" * 39, "\0", "\ud800"):
            with self.subTest(text[:20]), self.assertRaises(ArabesqueError) as refused:
                parse_length(text)
            self.assertLess(len(str(refused.exception)), 250)

    def test_feet_inches_fractions_and_signs(self) -> None:
        """5 ft 6 in = 66 in = 1676.4 mm (25.4 mm an inch exactly, 1959 agreement)."""
        cases = {
            "5' 6\"": 1676.4, "5'6 1/2\"": 66.5 * 25.4, '1/2"': 12.7, "5 1/2 in": 5.5 * 25.4, "5 ft 6 in": 1676.4,
            "2 × 3 mm": 6, "6 ÷ 2": 3, "5 − 2": 3, "(1 + 2) in": 76.2, "--3": 3, "1 µm": 0.001, "5 thou": 0.127,
        }  # fmt: skip
        for text, length in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_length(text), length, places=12)

    def test_the_decimal_comma(self) -> None:
        """1,000 is one where the comma parts decimals, and may be a thousand elsewhere."""
        self.assertEqual(parse_length("1,000", comma=True), 1.0)
        self.assertEqual(parse_length("0,125"), 0.125)

    @given(st.text(alphabet="0123456789.,+-*/() 'inmft\"e=", max_size=90))
    def test_any_text_is_a_finite_length_or_refused(self, text: str) -> None:
        try:
            self.assertTrue(math.isfinite(parse_length(text)))
        except ArabesqueError as problem:
            self.assertTrue(problem.cause and problem.cure)
