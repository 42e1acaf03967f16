"""Pictures of shapes for papers, without a window: triangles sorted by depth and filled, through Pillow."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from arabesque.arrays import Floats, Ints, unit

OVER = 2
"""Pixels that are drawn for one that is kept, along each side: smooth edges."""
MARGIN = 0.04
"""Of the width that stays free."""
LIGHT = np.array([-0.35, 0.5, 0.79])
"""Towards the light, along right, up and towards the eye."""
INK = (92, 104, 112)
"""Of lines."""
NEARER = 0.004
"""Of the size of everything: lines lie so much nearer to the eye than the surface that carries them."""
DARKEST = 0.45
"""Of a colour, where the form looks away from the light."""


@dataclass(frozen=True, eq=False)
class Coloured:
    """Triangles (m, 3) over (n, 3) points, with (n, 3) normals and (m, 3) colours, 0 to 255; lines: (k, 3) each, over
    it."""

    points: Floats
    normals: Floats
    triangles: Ints
    colours: Floats
    lines: tuple[Floats, ...] = ()


def picture(shapes: Sequence[Coloured], axes: Floats, size: tuple[int, int]) -> bytes:
    """A PNG of at most (width, height) pixels on clear ground: all in sight, parallel, no wider round it than needed.

    axes: rows right, up, towards the eye.
    """
    from PIL import Image, ImageDraw  # not wanted at the start of the window

    everything = np.concatenate([shape.points @ axes.T for shape in shapes] or [np.zeros((1, 3))])
    low, high = everything.min(axis=0), everything.max(axis=0)
    span = np.maximum(high - low, 1e-9)
    scale = OVER * (1 - 2 * MARGIN) * float(min(size[0] / span[0], size[1] / span[1]))
    wide, tall = (int(np.ceil(span[k] * scale / (1 - 2 * MARGIN))) for k in (0, 1))
    middle = (low + high) / 2

    def placed(points: Floats) -> Floats:
        """x, y in pixels, and how near they are."""
        flat = points @ axes.T
        x, y = (flat[:, 0] - middle[0]) * scale + wide / 2, (middle[1] - flat[:, 1]) * scale + tall / 2
        return np.column_stack([x, y, flat[:, 2]])

    nearness: list[Floats] = []
    drawn: list[tuple[list[float], tuple[int, ...]]] = []
    for shape in shapes:
        places, normals = placed(shape.points), shape.normals @ axes.T
        three = places[shape.triangles]
        normal = unit(normals[shape.triangles].mean(axis=1))
        # what looks away is seen from behind: lit as if it looked here
        normal *= np.where(normal[:, 2:] < 0, -1.0, 1.0)
        shade = DARKEST + (1 - DARKEST) * np.clip(normal @ LIGHT / np.linalg.norm(LIGHT), 0, 1)
        fills = np.clip(shape.colours * shade[:, None], 0, 255).astype(int).tolist()
        drawn += [
            (corners, tuple(fill)) for corners, fill in zip(three[:, :, :2].reshape(-1, 6).tolist(), fills, strict=True)
        ]
        nearness.append(three[:, :, 2].mean(axis=1))
        for line in map(placed, shape.lines):
            legs = np.column_stack([line[:-1, :2], line[1:, :2]])
            drawn += [(leg, INK) for leg in legs.tolist()]
            nearness.append((line[:-1, 2] + line[1:, 2]) / 2 + NEARER * float(span.max()))
    image = Image.new("RGBA", (wide, tall), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    for number in np.argsort(np.concatenate(nearness)) if nearness else ():
        corners, fill = drawn[number]
        if len(corners) == 4:
            draw.line(corners, fill=fill, width=OVER)
        else:
            draw.polygon(corners, fill=fill, outline=fill)
    kept = image.resize((max(wide // OVER, 1), max(tall // OVER, 1)), Image.Resampling.LANCZOS)
    stream = io.BytesIO()
    kept.save(stream, "PNG")
    return stream.getvalue()
