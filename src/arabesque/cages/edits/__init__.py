"""Edits of cages: each gives a cage of quads that makes a surface, or says why it cannot be."""

from arabesque.cages.edits.divide import divided, insert_loop, split_row, subdivide, subdivide_faces
from arabesque.cages.edits.grow import (
    close_alike,
    close_opening,
    extrude,
    lay_face,
    opening_sides,
    outward_moves,
    span,
)
from arabesque.cages.edits.join import halved, merged, mirror_and_weld, seat, weld, weld_near
from arabesque.cages.edits.keep import keeping_form
from arabesque.cages.edits.lines import make_bent, make_corners, make_sharp
from arabesque.cages.edits.relax import relaxed
from arabesque.cages.edits.remove import (
    collapse_face,
    collapse_row,
    delete_faces,
    dissolve_doublets,
    remove_loop,
    slide_loop,
    spin_edge,
)

__all__ = [
    "close_alike",
    "close_opening",
    "collapse_face",
    "collapse_row",
    "delete_faces",
    "dissolve_doublets",
    "divided",
    "extrude",
    "halved",
    "insert_loop",
    "keeping_form",
    "lay_face",
    "make_bent",
    "make_corners",
    "make_sharp",
    "merged",
    "mirror_and_weld",
    "opening_sides",
    "outward_moves",
    "relaxed",
    "remove_loop",
    "seat",
    "slide_loop",
    "span",
    "spin_edge",
    "split_row",
    "subdivide",
    "subdivide_faces",
    "weld",
    "weld_near",
]
