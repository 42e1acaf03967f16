"""What of the scan a layout covers: all of it, what is marked, areas, the inside of curves, or what is still free."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.geometry import Curve
from arabesque.model import Item
from arabesque.reading import Regions
from arabesque.recipes import Taken
from arabesque.scan import Scan


class What(Enum):
    """What of the scan is laid out; the value is its words."""

    ALL = "the whole scan"
    MARKED = "what is marked"
    AREAS = "areas I click"
    INSIDE = "inside shown curves"
    FREE = "what no cage covers"


def what_of(taken: Taken) -> What:
    """What a recipe says."""
    if taken.regions:
        return What.AREAS
    if taken.rims:
        return What.MARKED
    if taken.inside:
        return What.INSIDE
    return What.FREE if taken.free else What.ALL


def taken_for(
    session: Session, scan: Scan, what: What, areas: tuple[Floats, ...], marked: Taken, may: Callable[[Item], bool]
) -> Taken:
    """What a recipe is to say. areas: places clicked. marked: the lines round what was marked last. may: tells items
    that may be used. Raises ArabesqueError, with the cure, where that is not there."""
    if what is What.MARKED:
        if not marked.rims:
            raise ArabesqueError("Nothing is marked", "Mark a part of the scan first: key K in Prepare")
        return marked
    if what is What.INSIDE:
        closed = tuple(item.id for item in session.seen.of(Curve) if may(item) and _is_closed(item.shape))
        if not closed:
            raise ArabesqueError("No closed curve is shown", "Draw one on the scan first: key N in Trace")
        return Taken(inside=closed)
    if what is What.AREAS:
        found = regions_of(session)
        if found is None:
            raise ArabesqueError("The scan has no areas yet", "Find its regions in Prepare first")
        if not areas:
            raise ArabesqueError("No area is clicked", "Click the areas on the scan")
        return Taken(regions=found[0].id, on=found[1], areas=areas)
    if what is What.FREE and not any(may(item) for item in session.seen.of(Cage)):
        raise ArabesqueError("No cage is shown that could be met", "Lay out a part first, or show the cage")
    return Taken(free=what is What.FREE)


def _is_closed(curve: Curve) -> bool:
    return all(guide.closed for guide in curve.guides())


def regions_of(session: Session) -> tuple[Item, str] | None:
    """The regions of the reference scan, and the scan's id."""
    document, scan = session.history.document, session.scan
    for item in document:
        if isinstance(item.shape, Regions):
            on = next((k for k in item.origin.made_from if k in document and document[k].shape is scan), None)
            if on is not None:
                return item, on
    return None


def toggled(session: Session, areas: tuple[Floats, ...], place: Floats) -> tuple[Floats, ...]:
    """The places of areas with the one at a place taken, or left out again."""
    found, scan = regions_of(session), session.scan
    if found is None or scan is None:
        return areas
    labels = found[0].shape.labels

    def area(at: Floats) -> int:
        return int(labels[scan.closest(at[None]).triangle[0]])

    left = tuple(one for one in areas if area(one) != area(place))
    return left if len(left) < len(areas) else (*areas, place)
