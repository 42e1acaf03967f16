"""Bodies parted by surfaces, mirrored, hollowed, with features taken away. Runs only inside the worker."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Defeaturing, BRepAlgoAPI_Splitter
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepOffset import BRepOffset_Skin
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeOffsetShape, BRepOffsetAPI_MakeThickSolid
from OCP.GeomAbs import GeomAbs_Intersection
from OCP.TopAbs import TopAbs_FACE, TopAbs_SOLID, TopAbs_VERTEX

from arabesque.errors import KernelProblem
from arabesque.solid import kernel
from arabesque.solid.bodies import sound
from arabesque.solid.booleans import merged, pieces_without, put_together
from arabesque.solid.solids import NOTHING, ends_of, nearest_faces, solid_of, solid_pieces, volume_of
from arabesque.solid.stored import listed, parts, restored, stored, together

AT_PLANE = 1e-5
"""mm: a body that comes so near to a plane ends at it."""
HOLLOW_WITHIN, NEARLY = 1e-3, 0.99
"""mm, and the share of its thickness that a wall has everywhere."""


def parted(one: dict[str, Any], sheets: list[tuple[str, dict[str, Any]]], behind: bool) -> dict[str, Any]:
    """What of a body lies on that side of some surfaces to which they look, or ``behind`` them."""
    return sound(_parted(solid_of(one), [kernel.shape_of(name, sheet) for name, sheet in sheets], behind), [one])


def _parted(solid: Any, sheets: Sequence[Any], behind: bool) -> Any:
    splitting = BRepAlgoAPI_Splitter()
    splitting.SetArguments(listed([solid]))
    splitting.SetTools(listed(sheets))
    splitting.Build()
    if not splitting.IsDone():
        raise KernelProblem("The body could not be parted", "Move the surface a little, or check the body")
    pieces = list(parts(splitting.Shape(), TopAbs_SOLID))
    if len(pieces) < 2:
        words = "The surface does not part the body: it passes beside it, or ends inside"
        raise KernelProblem(words, "Let it reach past the body on all sides")
    cuts = [face for sheet in sheets for whole in parts(sheet, TopAbs_FACE) for face in splitting.Modified(whole)]
    sides = [_lies_behind(piece, cuts) for piece in pieces]
    if all(side is None for side in sides):
        raise KernelProblem("The surface does not part the body: it passes beside it", "Move it, or choose another")
    kept = [piece for piece, side in zip(pieces, sides, strict=True) if side in (behind, None)]
    if not kept:
        raise KernelProblem("Nothing of the body lies on this side", "Keep the other side")
    return merged(together(kept))


def _lies_behind(piece: Any, cuts: Sequence[Any]) -> bool | None:
    """Whether a piece lies behind the surfaces that made its faces; None where none of them did."""
    for face in parts(piece, TopAbs_FACE):
        for cut in cuts:
            if face.IsSame(cut):
                # its faces look out of a solid: with the surface, where it lies behind that
                return bool(face.Orientation() == cut.Orientation())
    return None


def healed(one: dict[str, Any], places: Any) -> dict[str, Any]:
    """A body without the faces nearest to (k, 3) places; the neighbours close the gap."""
    return sound(_healed(solid_of(one), places), [one])


def _healed(solid: Any, places: Any) -> Any:
    removing = BRepAlgoAPI_Defeaturing()
    removing.SetShape(solid)
    removing.AddFacesToRemove(listed(nearest_faces(solid, places)))
    removing.Build()
    if not removing.IsDone() or not any(True for _ in parts(removing.Shape(), TopAbs_SOLID)):
        raise KernelProblem(
            "The gap cannot be closed by what is round it", "Click all faces of the feature, its bottom too"
        )
    made = removing.Shape()
    if abs(volume_of(made) - volume_of(solid)) < NOTHING:
        raise KernelProblem(
            "These faces are no feature that can be taken away", "Click all faces of it, its bottom too"
        )
    return made


def moved_feature(one: dict[str, Any], places: Any, motion: Any) -> dict[str, Any]:
    """A body whose feature, the faces nearest to (k, 3) places, is healed away and made again after a (4, 4) motion."""
    solid = solid_of(one)
    gone = _healed(solid, places)
    made = gone
    # what the feature took away, and what it added
    for how, sources in (("cut", (gone, solid)), ("add", (solid, gone))):
        pieces = pieces_without(*sources)
        if pieces:
            made = put_together(how, made, [restored(stored(piece), motion) for piece in pieces])
    return sound(made, [one])


def mirrored(one: dict[str, Any], plane: tuple[str, dict[str, Any]], image: Any) -> dict[str, Any]:
    """The side of a body to which a plane looks, joined with its mirror image; image: (4, 4) that mirrors."""
    solid = solid_of(one)
    half = solid if _ends_at(solid, image) else _parted(solid, [kernel.shape_of(*plane)], False)
    return sound(put_together("add", half, [restored(stored(half), image)]), [one])


def _ends_at(solid: Any, image: Any) -> bool:
    """True for a body that is one half already: all of it on one side of the plane of an image, and up to it."""
    low, high = ends_of(restored(stored(solid), _upright(image)))[:, 2]
    return bool(min(abs(low), abs(high)) < AT_PLANE < max(abs(low), abs(high)))


def _upright(image: Any) -> Any:
    """(4, 4) motion that lays the plane of a mirroring (4, 4) into z = 0."""
    values, vectors = np.linalg.eigh((image[:3, :3] + image[:3, :3].T) / 2)
    normal = vectors[:, int(values.argmin())]
    towards = vectors[:, int(values.argmax())]
    rows = np.array([towards, np.cross(normal, towards), normal])
    motion = np.eye(4)
    motion[:3, :3] = rows
    motion[2, 3] = -normal @ image[:3, 3] / 2
    return motion


def hollowed(one: dict[str, Any], wall: float, places: Any) -> dict[str, Any]:
    """A body with a wall of so many mm inside its faces, open at the faces nearest to (k, 3) places, or nowhere."""
    solid = solid_of(one)
    opened = nearest_faces(solid, places)
    failed = KernelProblem(f"No wall of {wall:g} mm fits inside these faces", "Give less, or sew and thicken the skin")
    how = (-wall, HOLLOW_WITHIN, BRepOffset_Skin, False, False, GeomAbs_Intersection)
    making = BRepOffsetAPI_MakeThickSolid() if opened else BRepOffsetAPI_MakeOffsetShape()
    try:
        if opened:
            making.MakeThickSolidByJoin(solid, listed(opened), *how)
        else:
            making.PerformByJoin(solid, *how)
    except kernel.KERNEL_ERRORS as problem:
        raise failed from problem
    pieces = solid_pieces(making.Shape()) if making.IsDone() else []
    smaller = pieces and NOTHING < sum(map(volume_of, pieces)) < volume_of(solid) * (1 - NOTHING)
    if not smaller or not _stands_off(making.Shape(), solid, opened, wall):
        raise failed
    told = sound(making.Shape() if opened else put_together("cut", solid, pieces), [one], failed)
    if not told["closed"]:
        raise failed
    return told


def _stands_off(made: Any, solid: Any, opened: Any, wall: float) -> bool:
    """True where every corner lies on the skin of a solid, or no nearer to what is closed of it than the wall."""
    skin = together([face for face in parts(solid, TopAbs_FACE) if not any(face.IsSame(one) for one in opened)])
    for corner in parts(made, TopAbs_VERTEX):
        away = BRepExtrema_DistShapeShape(corner, skin).Value()
        if HOLLOW_WITHIN < away < wall * NEARLY:
            return False
    return True
