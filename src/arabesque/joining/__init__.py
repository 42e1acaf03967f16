"""What lies between patches: blends, matched edges, surfaces set off, crossings, trims, rounds, fills."""

from arabesque.joining.ball import Rolling, Touching, side_of
from arabesque.joining.best_pull import best_pulls
from arabesque.joining.blend import Blend, blend, laid_on_scan
from arabesque.joining.body_edges import BodyEdge, alike, edges_of, nearest_edge, same_rim
from arabesque.joining.border import BlendSide, Ways, nearest_shares, outward_ways
from arabesque.joining.border_lines import Lines
from arabesque.joining.crease import Crease, crease_of, recast_at_crease
from arabesque.joining.crossing import Crossing, crossings
from arabesque.joining.cutting import Cutter, cut_apart, cut_lines, onto_edge
from arabesque.joining.extending_borders import (
    extended_chain,
    extended_face,
    facing,
    length_past,
    moved_borders,
)
from arabesque.joining.filling import Filled, divided, fill
from arabesque.joining.four_sided import fill_four
from arabesque.joining.match import MatchedPatch, half_way, match_edge
from arabesque.joining.morph import Morph
from arabesque.joining.offset import SetOff, set_off
from arabesque.joining.on_surface import curve_border, image_of, line_over
from arabesque.joining.overshoot import past
from arabesque.joining.pieces import Loose, Piece, Pieces, pieces_of
from arabesque.joining.pull_back import PulledBack, along_form, best_backs, pulled_back
from arabesque.joining.recast import Recast, recast
from arabesque.joining.recast_several import recast_several
from arabesque.joining.reformed import reformed
from arabesque.joining.ring import ring_of
from arabesque.joining.rounding import Round, Section, Shown, radius_shown, rolling, round_edge
from arabesque.joining.shown import covered, shown_by
from arabesque.joining.surface_through import surface_through
from arabesque.joining.thicken import Rims, thickened
from arabesque.joining.wrap import Laid, raised_face, wrapped_line, wrapped_mesh, wrapped_places

__all__ = [
    "Blend",
    "BlendSide",
    "BodyEdge",
    "Crease",
    "Crossing",
    "Cutter",
    "Filled",
    "Laid",
    "Lines",
    "Loose",
    "MatchedPatch",
    "Morph",
    "Piece",
    "Pieces",
    "PulledBack",
    "Recast",
    "Rims",
    "Rolling",
    "Round",
    "Section",
    "SetOff",
    "Shown",
    "Touching",
    "Ways",
    "alike",
    "along_form",
    "best_backs",
    "best_pulls",
    "blend",
    "covered",
    "crease_of",
    "crossings",
    "curve_border",
    "cut_apart",
    "cut_lines",
    "divided",
    "edges_of",
    "extended_chain",
    "extended_face",
    "facing",
    "fill",
    "fill_four",
    "half_way",
    "image_of",
    "laid_on_scan",
    "length_past",
    "line_over",
    "match_edge",
    "moved_borders",
    "nearest_edge",
    "nearest_shares",
    "onto_edge",
    "outward_ways",
    "past",
    "pieces_of",
    "pulled_back",
    "radius_shown",
    "raised_face",
    "recast",
    "recast_at_crease",
    "recast_several",
    "reformed",
    "ring_of",
    "rolling",
    "round_edge",
    "same_rim",
    "set_off",
    "shown_by",
    "side_of",
    "surface_through",
    "thickened",
    "wrapped_line",
    "wrapped_mesh",
    "wrapped_places",
]
