"""Mending scans: cut, mirror, fill, heal, calm, tidy, lighten, remesh."""

from arabesque.mending.calming import Calmed, calm
from arabesque.mending.cutting import (
    Halves,
    border_share,
    cut_by_box,
    cut_by_outline,
    cut_by_plane,
    cut_by_region,
    merged,
    split,
    within,
)
from arabesque.mending.even import even_along, even_triangles
from arabesque.mending.filling import Fill, Filled, fill
from arabesque.mending.halves import HalfState
from arabesque.mending.healing import heal, remove
from arabesque.mending.marking import grown, in_ball, in_outline, shrunk, spread, whole_pieces
from arabesque.mending.mirroring import Side, Symmetric, make_symmetric, mirrored_whole
from arabesque.mending.openings import Opening, openings
from arabesque.mending.prepare import Prepared, Recipe, distance_between, prepare
from arabesque.mending.reducing import reduce_triangles
from arabesque.mending.steps import (
    PREPARINGS,
    Boxing,
    ByHand,
    Calming,
    Closing,
    Cutting,
    Evening,
    LayingSymmetric,
    Lightening,
    MakingAlike,
    Moving,
    Preparing,
    Tidying,
    TurningOver,
)
from arabesque.mending.tidying import Tidied, oriented, tidy, turned_over, uncrowded, without_spikes

__all__ = [
    "PREPARINGS",
    "Boxing",
    "ByHand",
    "Calmed",
    "Calming",
    "Closing",
    "Cutting",
    "Evening",
    "Fill",
    "Filled",
    "HalfState",
    "Halves",
    "LayingSymmetric",
    "Lightening",
    "MakingAlike",
    "Moving",
    "Opening",
    "Prepared",
    "Preparing",
    "Recipe",
    "Side",
    "Symmetric",
    "Tidied",
    "Tidying",
    "TurningOver",
    "border_share",
    "calm",
    "cut_by_box",
    "cut_by_outline",
    "cut_by_plane",
    "cut_by_region",
    "distance_between",
    "even_along",
    "even_triangles",
    "fill",
    "grown",
    "heal",
    "in_ball",
    "in_outline",
    "make_symmetric",
    "merged",
    "mirrored_whole",
    "openings",
    "oriented",
    "prepare",
    "reduce_triangles",
    "remove",
    "shrunk",
    "split",
    "spread",
    "tidy",
    "turned_over",
    "uncrowded",
    "whole_pieces",
    "within",
    "without_spikes",
]
