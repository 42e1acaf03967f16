"""Bodies, and what was done to them, repeated. Runs only inside the worker."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.GeomAbs import GeomAbs_Cylinder, GeomAbs_Plane
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_FACE
from OCP.TopoDS import TopoDS

from arabesque.errors import KernelProblem
from arabesque.solid.bodies import sound
from arabesque.solid.booleans import EXACT, FUZZY, VOLUME_SHARE, pieces_without, put_together
from arabesque.solid.solids import NOTHING, ends_of, inside, place_inside, solid_of, solid_pieces, volume_of
from arabesque.solid.stored import parts, restored, stored

NEAR = 1e-6
"""mm"""


def repeated(one: dict[str, Any], motions: Any) -> dict[str, Any]:
    """A body and its copies after (k, 4, 4) motions, as one shape of several solids; those that touch are fused."""
    first, *others = (solid_of({**one, "motion": motion @ one["motion"]}) for motion in motions)
    return sound(put_together("add", first, others) if others else first, [one])


def repeated_change(before: dict[str, Any], after: dict[str, Any], motions: Any) -> dict[str, Any]:
    """A body with what was done to it, up to ``after``, done again after each of (k, 4, 4) motions."""
    solid, changed = solid_of(before), solid_of(after)
    taken = pieces_without(solid, changed)
    # what was there, less what was taken, and with what was added, is what there is
    added = pieces_without(changed, solid, volume_of(changed) - volume_of(solid) + sum(map(volume_of, taken)))
    if not taken and not added:
        raise KernelProblem("Nothing was done to the body that could be repeated", "Choose the body before the feature")

    def by_features(near: Sequence[float], most: int | None = None) -> Any:
        made = solid
        for how, pieces in (("cut", taken), ("add", added)):
            if pieces:
                made = put_together(how, made, _copies(pieces, motions), near=near, most=most)
        return made

    def by_sectors() -> Any:
        made = _by_sectors(solid, changed, [*taken, *added][0], motions)
        if made is None or not _done(made, solid, taken, added, motions):
            raise KernelProblem("Its sectors are no body", "Repeat the feature instead")
        return made

    # the kernel misses surfaces that lie in each other, turned against each other, but for the plainest: sectors do
    quick = partial(by_features, EXACT, 1)
    for way in (quick, by_sectors) if _is_plain([*taken, *added]) else (by_sectors, quick):
        try:
            return sound(way(), [before, after])
        except KernelProblem:
            continue
    return sound(by_features((*EXACT, *FUZZY)), [before, after])


def _is_plain(pieces: Sequence[Any]) -> bool:
    """True for pieces whose faces are all planes or cylinders."""
    kinds = {BRepAdaptor_Surface(TopoDS.Face(face)).GetType() for piece in pieces for face in parts(piece, TopAbs_FACE)}
    return kinds <= {GeomAbs_Plane, GeomAbs_Cylinder}


def _by_sectors(solid: Any, changed: Any, piece: Any, motions: Any) -> Any:
    """The sector of a changed body round what was changed, turned all round; None for what is no turn all round, and
    where the body was not alike all round before.

    Its sides are planes, which the kernel joins soundly where surfaces would lie in each other, turned.
    """
    wedge = _wedge(changed, piece, motions)
    if wedge is None:
        return None
    sectors = solid_pieces(put_together("common", changed, [wedge]))
    first, *others = _copies(sectors, motions)
    # they only touch: their volumes add up
    volume = len(motions) * sum(map(volume_of, sectors))
    # and what each changes is what one does, where the body was alike all round before
    before = volume_of(solid)
    if abs(before + len(motions) * (volume_of(changed) - before) - volume) > VOLUME_SHARE * before:
        return None
    return put_together("add", first, others, volume=volume)


def _wedge(changed: Any, piece: Any, motions: Any) -> Any:
    """What lies nearer to a piece than to its images, turned evenly about an axis; None for other motions."""
    count, turn = len(motions), motions[1][:3, :3]
    axis = np.array([turn[2, 1] - turn[1, 2], turn[0, 2] - turn[2, 0], turn[1, 0] - turn[0, 1]])
    if np.linalg.norm(axis) < NEAR:
        # half a turn leaves its axis, and no turn has none
        values, vectors = np.linalg.eigh((turn + turn.T) / 2)
        axis = vectors[:, int(values.argmax())]
    axis = axis / np.linalg.norm(axis)
    angle = float(np.arccos(np.clip((np.trace(turn) - 1) / 2, -1, 1)))
    if abs(angle * count - 2 * np.pi) > NEAR or abs(axis @ motions[1][:3, 3]) > NEAR:
        return None
    at = np.linalg.lstsq(np.eye(3) - turn, motions[1][:3, 3], rcond=None)[0]
    ends, middle = ends_of(changed), ends_of(piece).mean(axis=0) - at
    out = middle - (middle @ axis) * axis
    if np.linalg.norm(out) < NEAR:
        return None
    out, reach = out / np.linalg.norm(out), 2 * float(np.linalg.norm(ends[1] - ends[0]) + np.linalg.norm(ends - at))
    side = np.cross(axis, out)
    angles = np.linspace(-np.pi / count, np.pi / count, 5)
    rim = at + reach * (np.cos(angles)[:, None] * out + np.sin(angles)[:, None] * side)
    places = np.vstack([at, rim]) - reach * axis
    polygon = BRepBuilderAPI_MakePolygon()
    for place in places:
        polygon.Add(gp_Pnt(*map(float, place)))
    polygon.Close()
    face = BRepBuilderAPI_MakeFace(polygon.Wire(), True).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(*map(float, 2 * reach * axis))).Shape()


def _copies(pieces: Sequence[Any], motions: Any) -> list[Any]:
    return [restored(stored(piece), motion) for motion in motions for piece in pieces]


def _done(made: Any, solid: Any, taken: Sequence[Any], added: Sequence[Any], motions: Any) -> bool:
    """True where a place inside each piece lies outside, or inside, as it has to."""
    for pieces, stays in ((taken, False), (added, True)):
        for piece in _copies(pieces, motions):
            place = place_inside(piece)
            if place is not None and inside(made, place) != stays and (stays or inside(solid, place)):
                return False
    return bool(volume_of(made) > NOTHING)
