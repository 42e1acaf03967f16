"""Bodies: faces that the kernel holds together, and what is told of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from arabesque.arrays import Bytes, Floats, enclosed, frozen_array, tree_of
from arabesque.checking import self_crossings
from arabesque.errors import InvalidShape, KernelCrash, KernelProblem
from arabesque.files import readable
from arabesque.geometry import Elementary, ElementaryKind, Face, Patchwork, Plane, Surface, apply, frame_of
from arabesque.progress import Progress, silent
from arabesque.solid.exchange import face_of, record_of
from arabesque.solid.profiles import Bounding, PushedProfile, TurnedProfile
from arabesque.solid.worker import KernelWorker

LOOKED_AT, UNLIKE = 60, 0.01
"""Samples along a face, and of its volume what triangles over them may enclose more or less."""


@dataclass(frozen=True, eq=False)
class Told:
    """What a body is. valid: for the kernel. closed: without a free border. volume: mm³, of a closed one. area: mm².
    centre: (3,) of its mass, of an open one of its area. gap: mm, the widest between faces that are sewn. shortest:
    mm, of its edges. free: (n, 3) places along each free border."""

    valid: bool = True
    closed: bool = False
    volume: float = 0.0
    area: float = 0.0
    centre: Floats = field(default_factory=lambda: np.zeros(3))
    gap: float = 0.0
    shortest: float = 0.0
    free: tuple[Floats, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "centre", frozen_array(self.centre, (3,), np.float64, what="Centre"))
        lines = tuple(frozen_array(line, (None, 3), np.float64, what="Free border") for line in self.free)
        object.__setattr__(self, "free", lines)

    @cached_property
    def widths(self) -> list[float]:
        """mm, of each free border how far its middle half is from the nearest other one at most; infinite for one
        alone."""
        found = []
        for number, line in enumerate(self.free):
            others = [other for k, other in enumerate(self.free) if k != number]
            quarter = len(line) // 4
            middle = line[quarter : len(line) - quarter]
            found.append(float(tree_of(np.concatenate(others)).query(middle)[0].max()) if others else np.inf)
        return found

    def moved(self, matrix: Floats) -> Told:
        """After a (4, 4) rigid motion, or a mirroring."""
        return replace(
            self, centre=apply(matrix, self.centre[None])[0], free=tuple(apply(matrix, f) for f in self.free)
        )


@dataclass(frozen=True, eq=False)
class Body(Patchwork):
    """A shell or solid of the kernel, with its faces as patches that look outwards.

    surfaces: its faces. brep: (n,) bytes, the kernel's own shape; motion: (4, 4) that is applied to it. told: what it
    is.
    """

    brep: Bytes = field(default_factory=lambda: np.zeros(0, dtype=np.uint8))
    motion: Floats = field(default_factory=lambda: np.eye(4))
    told: Told = Told()

    def __post_init__(self) -> None:
        super().__post_init__()
        if not len(self.brep):
            raise InvalidShape("A body without its shape", "Sew its faces again")
        object.__setattr__(self, "brep", frozen_array(self.brep, (None,), np.uint8, what="Body"))
        object.__setattr__(self, "motion", frozen_array(self.motion, (4, 4), np.float64, what="Motion"))

    def moved(self, matrix: Floats) -> Body:
        """The body after a (4, 4) rigid motion."""
        faces = tuple(surface.moved(matrix) for surface in self.surfaces)
        return Body(faces, self.brep, matrix @ self.motion, self.told.moved(matrix))

    def mirrored(self, plane: Plane) -> Body:
        """The mirror image, looking outwards too."""
        matrix = _image(plane)
        faces = tuple(surface.mirrored(plane) for surface in self.surfaces)
        return Body(faces, self.brep, matrix @ self.motion, self.told.moved(matrix))


def body_from(record: dict[str, Any]) -> Body:
    """The body that the kernel's worker tells of."""
    faces = tuple(_outward(face) for face in record["faces"])
    told = Told(**{name: record[name] for name in ("valid", "closed", "volume", "area", "centre", "gap", "shortest")},
                free=tuple(record["free"]))  # fmt: skip
    return Body(faces, record["brep"], np.eye(4), told)


def sew(
    parts: Sequence[tuple[str, Surface]],
    tolerance: float,
    worker: KernelWorker,
    cap: bool = False,
    progress: Progress = silent,
    merge: bool = False,
) -> Body:
    """The body of named patches and faces whose borders lie within a tolerance, mm, of each other; a solid where it is
    closed.

    cap: openings are closed first. merge: faces of one surface become one. Raises InvalidShape for a tolerance that is
    not positive, KernelProblem where the kernel cannot.
    """
    if not tolerance > 0:
        raise InvalidShape("Faces are sewn within a tolerance", "Give more than 0 mm")
    if not parts:
        raise InvalidShape("There is nothing to sew", "Choose patches or faces")
    records = [(name, record_of(part)) for name, part in parts]
    return body_from(_asked(worker, progress, "sewn", records, float(tolerance), cap, merge))


def combine(
    how: str, one: Body, others: Sequence[Body | Bounding], worker: KernelWorker, progress: Progress = silent
) -> Body:
    """A body with others cut from it, added to it, or kept in common with it ("cut", "add", "common").

    A true shape stands for the solid that it bounds, and has to be closed. Raises KernelProblem where the kernel
    cannot, InvalidShape for an open body.
    """
    _solids((one, *others))
    records = [_bounding_record(other) for other in others]
    return body_from(_asked(worker, progress, "combined", how, record_of(one), records))


def body_of(solid: Bounding, worker: KernelWorker, progress: Progress = silent) -> Body:
    """What a true shape or a profile bounds, as a body. Raises KernelProblem where it bounds none."""
    return body_from(_asked(worker, progress, "made", _bounding_record(solid)))


def part(
    one: Body, by: Plane | Sequence[Surface], behind: bool, worker: KernelWorker, progress: Progress = silent
) -> Body:
    """What of a body lies on that side of a plane, or of surfaces, to which they look, or ``behind`` them.

    A true plane among the surfaces goes on past the body; what else there is has to reach past it. Raises InvalidShape
    for an open body, KernelProblem where nothing is parted.
    """
    _solids((one,))
    surfaces: Sequence[Plane | Surface] = [by] if isinstance(by, Plane) else by
    sheets = [(str(number), record_of(_past(surface, one))) for number, surface in enumerate(surfaces)]
    return body_from(_asked(worker, progress, "parted", record_of(one), sheets, behind))


def without(one: Body, places: Floats, worker: KernelWorker, progress: Progress = silent) -> Body:
    """A body without a feature: the faces nearest to (k, 3) places, whose gap the neighbours close. Raises
    KernelProblem where they cannot."""
    _solids((one,))
    return body_from(_asked(worker, progress, "healed", record_of(one), places))


def with_feature_at(
    one: Body, places: Floats, motion: Floats, worker: KernelWorker, progress: Progress = silent
) -> Body:
    """A body whose feature, the faces nearest to (k, 3) places, is healed away, and made again after a (4, 4) motion.
    Raises KernelProblem where the gap cannot be closed."""
    _solids((one,))
    return body_from(_asked(worker, progress, "moved_feature", record_of(one), places, motion))


def mirrored_half(one: Body, plane: Plane, worker: KernelWorker, progress: Progress = silent) -> Body:
    """The side of a body to which a plane looks, joined with its mirror image. Raises KernelProblem where the plane
    does not part it."""
    _solids((one,))
    sheet = ("plane", record_of(_past(plane, one)))
    return body_from(_asked(worker, progress, "mirrored", record_of(one), sheet, _image(plane)))


def hollow(one: Body, wall: float, places: Floats, worker: KernelWorker, progress: Progress = silent) -> Body:
    """A body with a wall of so many mm inside its faces, open at those nearest to (k, 3) places. Raises InvalidShape
    for no wall, KernelProblem where it does not fit."""
    if not wall > 0:
        raise InvalidShape("A wall has to be above 0", "Give more than 0 mm")
    _solids((one,))
    made = body_from(_asked(worker, progress, "hollowed", record_of(one), float(wall), places))
    samples = made.sampler(LOOKED_AT).read(made)
    inside = enclosed(samples.points, samples.triangles)
    # the kernel does not see that inner faces run through each other
    if abs(inside - made.told.volume) > UNLIKE * made.told.volume or len(self_crossings(samples)):
        raise KernelProblem(f"Inside, a wall of {wall:g} mm runs through itself", "Give less, or take small forms away")
    return made


def with_edges(
    one: Body,
    places: Floats,
    size: float,
    chamfer: bool,
    worker: KernelWorker,
    progress: Progress = silent,
    end: float | None = None,
) -> Body:
    """A body with the edges nearest to (k, 3) places rounded with a radius, mm, or, ``chamfer``, cut off by a length.

    end: mm, another radius to which it goes evenly along each edge. What goes on smoothly from such an edge is taken
    along. Raises InvalidShape for a size that is not positive, KernelProblem where the kernel cannot.
    """
    end = size if end is None else end
    if not (size > 0 and end > 0):
        raise InvalidShape("An edge is rounded with a radius", "Give more than 0 mm")
    return body_from(_asked(worker, progress, "rounded", record_of(one), places, float(size), chamfer, float(end)))


def repeat(one: Body, motions: Floats, worker: KernelWorker, progress: Progress = silent) -> Body:
    """A body after each of (k, 4, 4) motions, as one body; those that touch are fused. Raises KernelProblem where the
    kernel cannot."""
    return body_from(_asked(worker, progress, "repeated", record_of(one), motions))


def turns(at: Floats, axis: Floats, count: int, angle: float) -> Floats:
    """(count, 4, 4) turns about an axis (3,) through a place (3,), each by ``angle``, rad, more than the one before
    (Rodrigues' formula)."""
    axis = axis / np.linalg.norm(axis)
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    found = np.tile(np.eye(4), (count, 1, 1))
    for k in range(count):
        turn = np.eye(3) + np.sin(k * angle) * cross + (1 - np.cos(k * angle)) * cross @ cross
        found[k, :3, :3], found[k, :3, 3] = turn, at - turn @ at
    return found


def steps(way: Floats, count: int) -> Floats:
    """(count, 4, 4) shifts, each by (3,) mm more than the one before."""
    found = np.tile(np.eye(4), (count, 1, 1))
    found[:, :3, 3] = np.arange(count)[:, None] * way
    return found


def swap_face(
    one: Body, place: Floats, by: Sequence[Surface], worker: KernelWorker, progress: Progress = silent
) -> Body:
    """A body whose face nearest to (3,) is exchanged for surfaces that reach past it: the walls round it run on to
    them, or end there. A true plane goes on past the body. Raises KernelProblem where they do not meet."""
    _solids((one,))
    sheets = [(str(number), record_of(_past(surface, one))) for number, surface in enumerate(by)]
    record = _asked(worker, progress, "swapped", record_of(one), place, sheets)
    try:
        return body_from(record)
    except InvalidShape as problem:  # polynomials of a high degree that were carried on too far
        raise KernelProblem(
            "The walls bend out of all bounds before they meet it", "Choose a surface that lies nearer to the face"
        ) from problem


def repeat_change(
    before: Body, after: Body, motions: Floats, worker: KernelWorker, progress: Progress = silent
) -> Body:
    """A body with what was done to it, from ``before`` to ``after``, done after each of (k, 4, 4) motions. Raises
    KernelProblem where nothing was done, or the kernel cannot."""
    _solids((before, after))
    return body_from(_asked(worker, progress, "repeated_change", record_of(before), record_of(after), motions))


def bodies_in(path: str | Path, worker: KernelWorker, progress: Progress = silent) -> list[Body]:
    """The bodies of a STEP file, in mm; raises FileProblem."""
    readable(path)
    return [body_from(record) for record in worker.call("bodies_of", str(path), progress=progress) if record["faces"]]


def _asked(worker: KernelWorker, progress: Progress, name: str, *arguments: Any) -> Any:
    """What the kernel answers; where its process ended meanwhile, it is asked once more."""
    try:
        return worker.call(name, *arguments, progress=progress)
    except KernelCrash:
        return worker.call(name, *arguments, progress=progress)


def _solids(bodies: Sequence[Body | Bounding]) -> None:
    """Raise InvalidShape for an open body among them."""
    for body in bodies:
        if isinstance(body, Body) and not body.told.closed:
            raise InvalidShape("An open body is no solid", "Close it first: its free borders are drawn")


def _bounding_record(shape: Body | Bounding) -> dict[str, Any]:
    return shape.record if isinstance(shape, PushedProfile | TurnedProfile) else record_of(shape)


def _image(plane: Plane) -> Floats:
    """(4, 4) that mirrors at a plane."""
    matrix = np.eye(4)
    matrix[:3, :3] -= 2 * np.outer(plane.normal, plane.normal)
    matrix[:3, 3] = 2 * plane.offset * plane.normal
    return matrix


def _past(surface: Plane | Surface, body: Body) -> Surface:
    """A plane so large that it reaches past a body; another surface as it is."""
    if isinstance(surface, Elementary) and surface.kind is ElementaryKind.PLANE:
        plane = Plane.through(surface.origin, surface.axis)
    elif isinstance(surface, Plane):
        plane = surface
    else:
        return surface
    low, high = body.box
    middle, reach = (low + high) / 2, float(np.linalg.norm(high - low))
    frame = frame_of(middle - plane.height(middle[None])[0] * plane.normal, plane.normal)
    return Elementary.make(ElementaryKind.PLANE, frame, (), ((-reach, reach), (-reach, reach)))


def _outward(record: dict[str, Any]) -> Surface:
    """A face that looks outwards: run backwards along u where the kernel's looks in."""
    _, surface = face_of(record)
    if not record["reversed"]:
        return surface
    return surface.turned_over() if isinstance(surface, Face) else surface.reversed(0)
