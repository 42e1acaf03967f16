"""What the view is asked to draw: plain values, made without GL."""

from dataclasses import dataclass, field
from enum import Enum

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.shapes import Net

MISSING = 1e9
"""Value of a vertex below which there is no scan."""


class Paint(Enum):
    """What a mesh is coloured by."""

    DISTANCE = 1
    CURVATURE = 2
    SHORT = 3
    """By what a place lacks of a limit."""


@dataclass(frozen=True, eq=False)
class Form:
    """The exact form of a glossy mesh, for normals pixel by pixel.

    nets: (su, sv, p+1, q+1, 4) homogeneous Bézier points. places: (n, 2) of
    the vertices among the spans: number of the span and share of it.
    """

    nets: Floats
    places: Floats


@dataclass(frozen=True, eq=False)
class Triangles:
    """A shaded mesh. slot: whose mesh it is; what is drawn anew keeps its slot.

    values: (n,) signed distances, or mean curvatures, or None; paint: which of them to colour by.

    lift: how far it is pulled towards the eye, in mm, against flicker where sheets coincide.
    """

    slot: str
    points: Floats
    normals: Floats
    triangles: Ints
    colour: str
    values: Floats | None = None
    paint: Paint | None = None
    see_through: bool = False
    dimmed: bool = False
    lift: float = 0.0
    glossy: bool = False
    """Stripes and reflections show on it."""
    edges: bool = False
    """The edges of the triangles are drawn too."""
    form: Form | None = None
    """What it stands for exactly: stripes and reflections then never show the triangles."""


@dataclass(frozen=True, eq=False)
class Lines:
    """(n, 2, 3) segments. lift as for Triangles; on_top: drawn over everything."""

    segments: Floats
    colour: str
    width: float = 1.2
    alpha: float = 1.0
    lift: float = 0.3
    on_top: bool = False


@dataclass(frozen=True, eq=False)
class Discs:
    """(n, 3) points as discs of ``radius`` pixels.

    states: (n,) 0 plain, 1 selected, 2 under the pointer, 3 hollow, 4 with a bar through it.
    """

    points: Floats
    states: Floats
    radius: float = 3.5
    colour: str | None = None


@dataclass(frozen=True, eq=False)
class Label:
    """A short text beside a point in space, or in the middle of it."""

    point: Floats
    text: str
    centred: bool = False


Part = Triangles | Lines | Discs | Label
"""Something in the picture."""


class GlossKind(Enum):
    """What is mirrored in glossy meshes; the value is its words and its number in the shader."""

    LIGHT = ("equal light", 1)
    LINES = ("light lines", 2)
    STRIPES = ("surroundings", 3)
    STUDIO = ("studio", 4)


class Material(Enum):
    """What forms in the studio are made of; the value is its word and its number in the shader."""

    MIRROR = ("mirror", 0)
    CLAY = ("clay", 1)
    PAINTED = ("painted", 2)
    METAL = ("metal", 3)
    STONE = ("stone", 4)


@dataclass(frozen=True)
class Gloss:
    """axis: the direction of light or of up. count: stripes over half a turn. turn: of the light bars, radians.

    size: of what is shown, mm. dark: the share of a stripe that is dark. material: of the studio.
    """

    kind: GlossKind
    axis: tuple[float, float, float] = (0.0, 0.0, 1.0)
    count: float = 24.0
    turn: float = 0.6
    size: float = 100.0
    dark: float = 0.5
    material: Material = Material.MIRROR


@dataclass(frozen=True, eq=False)
class Loupe:
    """Close-ups through a place, (word, along, scan, surface) each; the gap is drawn ``times`` as large."""

    charts: list[tuple[str, Floats, Floats, Floats]]
    times: float


@dataclass(frozen=True, eq=False)
class Graph:
    """Values along a line, drawn beside the picture: (word, values) each, over (n,) mm along it.

    marks: (k,) places along it that stand out. unit: of the values.
    """

    title: str
    along: Floats
    curves: list[tuple[str, Floats]]
    marks: Floats
    unit: str


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything in the picture."""

    triangles: list[Triangles] = field(default_factory=list)
    lines: list[Lines] = field(default_factory=list)
    discs: list[Discs] = field(default_factory=list)
    labels: list[Label] = field(default_factory=list)
    show_distance: bool = False
    hatched: str = "no scan"
    """What places are that have no distance."""
    curvature_range: float | None = None
    curvature_words: tuple[str, str] = ("bulging", "hollow")
    short_of: tuple[float, str] | None = None
    """A limit, with its unit, of which meshes show what they lack."""
    tolerance: float = 0.2
    distance_range: float = 1.0
    gloss: Gloss | None = None
    loupe: Loupe | None = None
    graphs: list[Graph] = field(default_factory=list)


def polyline(points: Floats, closed: bool = False) -> Floats:
    """(n, 3) points as (m, 2, 3) segments."""
    following = np.roll(points, -1, axis=0)
    segments = np.stack([points, following], axis=1)
    return segments if closed else segments[:-1]


def net_segments(net: Net) -> Floats:
    """The legs of a control net as segments."""
    return net.points[net.legs]
