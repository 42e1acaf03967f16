"""Fitting the selected patch again, beside the window."""

from arabesque.desk.jobs import Job
from arabesque.desk.session import Session
from arabesque.errors import ArabesqueError
from arabesque.fitting import PatchFit, on_scan_borders
from arabesque.fitting import refit as fit_again
from arabesque.geometry import Surface, tie_matrix
from arabesque.model import Item


def _patch(session: Session) -> tuple[Item, Surface]:
    item = session.surface_item
    if item is None or not isinstance(item.shape, Surface):
        raise ArabesqueError("No patch is selected", "Click a patch in the view or in the Outline")
    return item, item.shape


def refit_patch(session: Session) -> Job:
    """Fit the patch to the reference scan again, in the background."""
    item, surface = _patch(session)
    scan = session.scan
    if scan is None:
        raise ArabesqueError("There is no scan to fit to", "Open a scan first")
    tolerance = session.document.tolerance
    tie = None if item.ties.twin is None else tie_matrix(item.ties.twin, session.document.plane_of(item), surface)
    held = on_scan_borders(surface, scan, tolerance)
    for pin in item.ties.pins:
        held[pin] = True

    def finish(fit: PatchFit) -> None:
        if item.id in session.document:
            session.commit(f"{item.name}: fitted again", session.document.with_shape(item.id, fit.surface))
            session.tell(f"99 % of the inliers within {fit.figures.inlier_p99:.3f} mm: {fit.verdict}")

    job = session.run(
        f"Fitting {item.name} again", lambda progress: fit_again(surface, scan, tolerance, progress, held, tie)
    )
    job.done.connect(finish)
    return job
