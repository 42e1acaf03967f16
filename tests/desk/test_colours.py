"""Colours for everyone: what a colour tells apart stays apart for the common colour deficiencies, and text is readable.

Deficiencies by the model of Machado, Oliveira and Fernandes (IEEE TVCG 15, 2009), in full severity; differences in
CAM02-UCS (Luo, Cui and Li, Color Research and Application 31, 2006), where one is just seen, both by colorspacious.
"""

import itertools
import unittest

import numpy as np
from colorspacious import cspace_convert, deltaE

from arabesque.arrays import Floats
from arabesque.desk.theme import DARK, LIGHT, THEMES
from arabesque.desk.view.overlay import BANDS, _mix

CLEAR, SEEN = 15.0, 6.0
"""Apart at a glance; apart side by side. From memory: differences over ten are told apart without comparing."""
EYES = (None, "protanomaly", "deuteranomaly", "tritanomaly")


def seen(colour: str, eye: str | None) -> Floats:
    """(3,) how a colour looks to an eye, sRGB 0 to 1."""
    plain = np.array([int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)])
    if eye is None:
        return plain
    return np.clip(cspace_convert(plain, {"name": "sRGB1+CVD", "cvd_type": eye, "severity": 100}, "sRGB1"), 0, 1)


def apart(one: str, other: str, eye: str | None) -> float:
    """How differently two colours look to an eye."""
    return float(deltaE(seen(one, eye), seen(other, eye), input_space="sRGB1"))


def contrast(one: str, other: str) -> float:
    """Contrast ratio of WCAG 2.1 (W3C, 2018): of relative luminances."""
    light = []
    for colour in (one, other):
        c = seen(colour, None)
        linear = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
        light.append(float(linear @ [0.2126, 0.7152, 0.0722]))
    return (max(light) + 0.05) / (min(light) + 0.05)


class ColourTest(unittest.TestCase):
    def test_distances(self) -> None:
        """Above, below and inside are never taken for one another, and neither are neighbouring bands."""
        t = LIGHT
        shares = [(number + 0.5) / BANDS for number in range(BANDS)]
        warm = [_mix(t.above_near, t.above_far, share).name() for share in shares]
        cool = [_mix(t.below_near, t.below_far, share).name() for share in shares]
        for eye in EYES:
            with self.subTest(eye=eye):
                self.assertGreater(min(apart(a, b, eye) for a in warm for b in cool), 2 * CLEAR)
                self.assertGreater(min(apart(t.porcelain, band, eye) for band in warm + cool), CLEAR)
                for side in (warm, cool):
                    steps = itertools.pairwise(side)
                    self.assertGreater(min(apart(a, b, eye) for a, b in steps), SEEN)

    def test_what_else_a_colour_tells(self) -> None:
        for name, theme in THEMES.items():
            pairs = (
                (theme.marked, theme.clay), (theme.bulging, theme.hollow), (theme.inside, theme.outside),
                (theme.clay, theme.porcelain), (theme.scan_line, theme.net), (theme.accent, theme.ink),
            )  # fmt: skip
            for eye, (one, other) in itertools.product(EYES, pairs):
                with self.subTest(theme=name, eye=eye, colours=(one, other)):
                    self.assertGreater(apart(one, other, eye), CLEAR)

    def test_text_is_readable(self) -> None:
        """4.5 to 1, as WCAG 2.1 asks of text (success criterion 1.4.3, level AA), of what is faint too."""
        for theme in (LIGHT, DARK):
            for ground in (theme.window, theme.panel, theme.field, theme.wash):
                for ink in (theme.ink, theme.inside, theme.outside, theme.faint):
                    with self.subTest(theme=theme.name, ink=ink, ground=ground):
                        self.assertGreater(contrast(ink, ground), 4.5)
            self.assertGreater(contrast(theme.on_accent, theme.accent), 4.5)


if __name__ == "__main__":
    unittest.main()
