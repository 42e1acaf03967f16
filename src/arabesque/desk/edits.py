"""Edits of the selected patch that need no pointer: degrees and re-fit."""

from arabesque.desk.jobs import Job
from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.fitting import PatchFit, corners_only
from arabesque.fitting import refit as fit_again
from arabesque.geometry import LARGEST_DEGREE, Surface, lower_degree, tie_matrix
from arabesque.model import Item


def _patch(session: Session) -> tuple[Item, Surface]:
    item = session.surface_item
    if item is None or not isinstance(item.shape, Surface):
        raise ArabesqueError("No patch is selected", "Click a patch in the view or in the Outline")
    return item, item.shape


def raise_degree(session: Session, u: int, v: int) -> None:
    """Raise the degree along u or v; the shape stays exactly."""
    item, surface = _patch(session)
    if surface.degree[0] + u > LARGEST_DEGREE or surface.degree[1] + v > LARGEST_DEGREE:
        raise ArabesqueError(f"Degree {LARGEST_DEGREE} is the highest", "Fit the patch again, or split it")
    raised = surface.elevated(u, v)
    session.commit(f"{item.name}: degree {_degree(raised)}", session.document.with_shape(item.id, raised))


def try_lower_degree(session: Session, axis: int) -> None:
    """Lower the degree along one direction, and tell how far that moved the patch."""
    item, surface = _patch(session)
    lowered = lower_degree(surface, axis)
    session.commit(
        f"{item.name}: degree {_degree(lowered.surface)}", session.document.with_shape(item.id, lowered.surface)
    )
    session.told.emit(f"Degree {_degree(lowered.surface)}: the patch moved by at most {lowered.error:.3g} mm", False)


def refit_patch(session: Session) -> Job:
    """Fit the patch to the reference scan again, in the background."""
    item, surface = _patch(session)
    scan = session.scan
    if scan is None:
        raise ArabesqueError("There is no scan to fit to", "Open a scan first")
    tolerance = session.document.tolerance
    tie = None if item.twin is None else tie_matrix(item.twin, session.document.plane_of(item), surface)
    held = corners_only(surface.points.shape[:2])
    for pin in item.pins:
        held[pin] = True

    def finish(fit: PatchFit) -> None:
        if item.id in session.document:
            session.commit(f"{item.name}: fitted again", session.document.with_shape(item.id, fit.surface))
            words = "within" if fit.within else "not within"
            session.told.emit(f"99 % of the inliers are {words} {fit.figures.inlier_p99:.3f} mm", False)

    job = session.run(
        f"Fitting {item.name} again", lambda progress: fit_again(surface, scan, tolerance, progress, held, tie)
    )
    job.done.connect(finish)
    return job


def _degree(surface: Surface) -> str:
    return f"{surface.degree[0]} x {surface.degree[1]}"
