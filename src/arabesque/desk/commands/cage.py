"""Commands about cages that need no tool: what is done to the chosen points, edges and faces."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from arabesque.arrays import Floats, Ints
from arabesque.cages import Cage
from arabesque.cages.both_sides import Part
from arabesque.cages.edits import (
    collapse_face,
    collapse_row,
    delete_faces,
    make_bent,
    make_corners,
    make_sharp,
    relaxed,
    remove_loop,
    seat,
    spin_edge,
    subdivide,
    subdivide_faces,
)
from arabesque.desk.commands.command import Command, State
from arabesque.desk.desk import Desk
from arabesque.desk.looks import CageLook
from arabesque.desk.steps import Step
from arabesque.errors import ArabesqueError
from arabesque.model import Item, edits

RELAXING = 3
SEATED_WITHIN = 2.0


def _cage(state: State) -> bool:
    return state.is_chosen(Cage)


def _edit(desk: Desk, words: str, faces: Ints, work: Callable[[Cage, Part], Cage]) -> None:
    item = desk.chosen
    if item is not None:
        desk.session.edit(edits.cages.edited, item, words, faces, work)


def _faces(desk: Desk, item: Item) -> Ints:
    """The chosen faces; of chosen points alone those with all of theirs chosen. Raises where there are none."""
    faces = np.flatnonzero(desk.session.elements.faces(item))
    if not len(faces):
        faces = np.flatnonzero(desk.session.points.mask(item)[item.shape.faces].all(axis=1))
    if not len(faces):
        raise ArabesqueError("No face is chosen", "Take Shape, let it take faces, and click some")
    return faces


def _halves(desk: Desk, item: Item) -> Ints:
    """A half-edge of every chosen edge; of chosen points alone those with both ends chosen. Raises for none."""
    halves = desk.session.elements.halves(item)
    if not len(halves):
        quads, mask = item.shape.quads, desk.session.points.mask(item)
        both = np.flatnonzero(mask[quads.starts] & mask[quads.ends])
        _, first = np.unique(quads.edge_of[both], return_index=True)
        halves = both[first]
    if not len(halves):
        raise ArabesqueError("No edge is chosen", "Take Shape, let it take edges, and click some")
    return halves


def _told(run: Callable[[Desk, Item], None]) -> Callable[[Desk], None]:
    """The command with what it lacks told."""

    def told(desk: Desk) -> None:
        item = desk.chosen
        if item is None or not isinstance(item.shape, Cage):
            return
        try:
            run(desk, item)
        except ArabesqueError as problem:
            desk.session.tell_problem(problem)

    return told


def _sharp(sharp: bool) -> Callable[[Desk, Item], None]:
    def run(desk: Desk, item: Item) -> None:
        halves = _halves(desk, item)

        def work(cage: Cage, part: Part) -> Cage:
            own = part.halves(halves)
            return make_sharp(cage, cage.quads.edge_of[own], sharp) if len(own) else cage

        what = "edge" if len(halves) == 1 else f"{len(halves)} edges"
        _edit(desk, f"{what} made {'sharp' if sharp else 'smooth'}", halves // 4, work)

    return run


def _bend(desk: Desk, item: Item) -> None:
    """Both ways, as the first of the chosen edges is not."""
    halves = _halves(desk, item)
    halves = halves[item.shape.quads.border[halves]]
    if not len(halves):
        raise ArabesqueError("No edge of the border is chosen", "Take Shape, let it take edges, and click the border")
    bent = not item.shape.quads.bends[halves[0]]

    def work(cage: Cage, part: Part) -> Cage:
        own = part.halves(halves)
        return make_bent(cage, own, bent) if len(own) else cage

    _edit(desk, "border bent as the form is" if bent else "border made plain", halves // 4, work)


def _corner(desk: Desk, item: Item) -> None:
    points = np.flatnonzero(desk.session.points.mask(item))
    if not len(points):
        raise ArabesqueError("No point is chosen", "Take Shape and click the points")
    held = np.isin(points, item.shape.quads.corners).all()
    faces = np.flatnonzero(np.isin(item.shape.faces, points).any(axis=1))

    def work(cage: Cage, part: Part) -> Cage:
        own = part.some_points(points)
        return make_corners(cage, own, not held) if len(own) else cage

    _edit(desk, "corners let go" if held else "corners made", faces, work)


def _delete(desk: Desk, item: Item) -> None:
    faces = _faces(desk, item)
    words = "face deleted" if len(faces) == 1 else f"{len(faces)} faces deleted"

    def work(cage: Cage, part: Part) -> Cage:
        own = part.some_faces(faces)
        return delete_faces(cage, own) if len(own) else cage

    _edit(desk, words, faces, work)


def _collapse(desk: Desk, item: Item) -> None:
    """A face to a point; of an edge, the strip across it to a line."""
    faces = np.flatnonzero(desk.session.elements.faces(item))
    if len(faces):
        face = int(faces[0])
        _edit(desk, "face collapsed", faces, lambda cage, part: collapse_face(cage, int(part.some_faces(
            np.array([face]))[0])))  # fmt: skip
        return
    half = _halves(desk, item)[:1]
    _edit(desk, "row collapsed", half // 4, lambda cage, part: collapse_row(cage, int(part.halves(half)[0])))


def _spin(desk: Desk, item: Item) -> None:
    half = _halves(desk, item)[:1]
    _edit(desk, "edge turned", half // 4, lambda cage, part: spin_edge(cage, int(part.halves(half)[0])))


def _take_out(desk: Desk, item: Item) -> None:
    half = _halves(desk, item)[:1]
    _edit(desk, "loop taken out", half // 4, lambda cage, part: remove_loop(cage, int(part.halves(half)[0])))


def _divide(desk: Desk, item: Item) -> None:
    """The chosen faces; all where none are chosen."""
    try:
        faces = _faces(desk, item)
    except ArabesqueError:
        desk.session.edit(edits.items.reshaped, item, "every face divided in four", subdivide(item.shape))
        return

    def work(cage: Cage, part: Part) -> Cage:
        own = part.some_faces(faces)
        return subdivide_faces(cage, own) if len(own) else cage

    _edit(desk, f"{len(faces)} faces made finer", faces, work)


def _relax(desk: Desk, item: Item) -> None:
    """The chosen points slide until the quads are even; all where none are chosen. On the scan where there is one."""
    scan, mask = desk.session.scan, desk.session.points.mask(item)
    free = mask if mask.any() else None

    def on(places: Floats) -> tuple[Floats, Floats]:
        assert scan is not None
        closest = scan.closest(places)
        return closest.points, closest.normals

    lies = desk.session.distances(item)
    near = lies is not None and lies.valid.any() and float(np.median(np.abs(lies.distance[lies.valid]))) < 5 * (
        desk.session.document.tolerance)  # fmt: skip
    made = relaxed(item.shape, RELAXING, free, on if scan is not None and near else None)
    desk.session.edit(edits.items.reshaped, item, "flow relaxed", made)


def _seat(desk: Desk, item: Item) -> None:
    plane = desk.session.history.document.plane_of(item)
    desk.session.edit(edits.items.reshaped, item, "border seated", seat(item.shape, plane, SEATED_WITHIN))


def _together(desk: Desk, item: Item) -> None:
    items = [one for one in desk.session.selected_items if isinstance(one.shape, Cage)]
    document = desk.session.history.document
    desk.session.edit(edits.cages.put_together, [document[one.id] for one in items])


COMMANDS = (
    Command("cage-look", "Cage, surface or both", "Show cage and surface, the surface alone, or the cage alone",
            lambda d: d.sight.turn_cages(), "Cage", "Q", "ph.eye", there=(Cage,),
            on=lambda s: s.cages is not CageLook.BOTH, short="Shown", step=Step.CAGE),
    Command("cage-sharp", "Make edges sharp", "The chosen edges become sharp", _told(_sharp(True)), "Cage", when=_cage),
    Command("cage-smooth", "Make edges smooth", "The chosen edges become smooth", _told(_sharp(False)), "Cage",
            when=_cage),
    Command("cage-bend", "Bend the border", "The form's bend goes on up to the chosen side of the border; or no longer",
            _told(_bend), "Cage", when=_cage),
    Command("cage-corner", "Corners", "The chosen points stay where they are, sharp in every direction; or no longer",
            _told(_corner), "Cage", when=_cage),
    Command("cage-delete", "Delete faces", "The chosen faces go", _told(_delete), "Cage", "Shift+Del", when=_cage),
    Command("cage-collapse", "Collapse", "The chosen face becomes a point; of an edge, the strip across it a line",
            _told(_collapse), "Cage", when=_cage),
    Command("cage-spin", "Turn an edge", "The chosen edge turns by one place between its two faces", _told(_spin),
            "Cage", when=_cage),
    Command("cage-loop-out", "Take a loop out", "The faces to both sides of the chosen loop become one",
            _told(_take_out), "Cage", when=_cage),
    Command("cage-divide", "Divide faces", "The chosen faces become finer; all of them where none are chosen",
            _told(_divide), "Cage", when=_cage, short="Divide"),
    Command("cage-relax", "Relax the flow", "Points slide along the surface until the quads are even", _told(_relax),
            "Cage", "Z", when=_cage, short="Relax", step=Step.CAGE),
    Command("cage-seat", "Seat on the plane", "Border points near the twin plane are put on it exactly",
            _told(_seat), "Cage", when=_cage),
    Command("cage-together", "Put cages together", "The selected cages become one, ready to be welded or spanned",
            _told(_together), "Cage", when=_cage),
)  # fmt: skip
