"""Colours of pictures on paper: those of the view on light ground."""

from __future__ import annotations

import numpy as np

from arabesque.arrays import Bools, Floats

INK, FAINT, LINE, ACCENT = "#24303A", "#5C6670", "#D5CFC4", "#0A706B"
PORCELAIN, UNMEASURED = "#DFE4E6", "#8E9496"
ABOVE = ("#E8A33D", "#9E2A1F")
"""Near the tolerance, and far off; likewise below."""
BELOW = ("#6FB1D6", "#2B2A6B")
BANDS = 4
RANGE = 5.0
"""Tolerances up to which colours change."""


def rgb(colour: str) -> Floats:
    """(3,) 0 to 255."""
    return np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)], dtype=float)


def band(number: int, side: tuple[str, str]) -> Floats:
    """(3,) the colour of a band above or below, 0 next to the tolerance."""
    near, far = rgb(side[0]), rgb(side[1])
    return np.asarray(near + (number + 0.5) / BANDS * (far - near))


def distance_colours(values: Floats, valid: Bools, tolerance: float) -> Floats:
    """(n, 3) colours 0 to 255 of (n,) signed distances, mm; grey where there is no scan below."""
    colours = np.tile(rgb(PORCELAIN), (len(values), 1))
    far = (np.abs(values) - tolerance) / ((RANGE - 1) * tolerance)
    bands = np.clip((far * BANDS).astype(np.int64), 0, BANDS - 1)
    for sign, side in ((1, ABOVE), (-1, BELOW)):
        for number in range(BANDS):
            colours[(sign * values > tolerance) & (bands == number)] = band(number, side)
    colours[~valid] = rgb(UNMEASURED)
    return colours


def legend(tolerance: float) -> list[tuple[str, str]]:
    """Colour and words of each band, from far above to far below."""
    edges = tolerance * (1 + (RANGE - 1) * np.arange(BANDS + 1) / BANDS)
    rows = [(_hex(band(k, ABOVE)), f"over +{edges[k]:.3g} mm") for k in reversed(range(BANDS))]
    rows.append((PORCELAIN, f"within ±{tolerance:.3g} mm"))
    return [
        *rows,
        *((_hex(band(k, BELOW)), f"under −{edges[k]:.3g} mm") for k in range(BANDS)),
        (UNMEASURED, "no scan below"),
    ]


def _hex(colour: Floats) -> str:
    return "#" + "".join(f"{round(float(c)):02X}" for c in colour)
