"""The checks, one class each; their number keys lay them over any tool."""

from arabesque.desk.checks.base import Check
from arabesque.desk.checks.combs import Combs
from arabesque.desk.checks.curvature import ScanCurvature
from arabesque.desk.checks.distance import Distance
from arabesque.desk.checks.form import PatchForm
from arabesque.desk.checks.gloss import Reflection, Stripes
from arabesque.desk.checks.joins import Joins
from arabesque.desk.checks.net import Nets
from arabesque.desk.checks.sections import Sections
from arabesque.desk.looks import Looks

CHECKS: tuple[Check, ...] = (
    Distance(), Sections(), Combs(), Stripes(), Reflection(), ScanCurvature(), Nets(), Joins(), PatchForm(),
)  # fmt: skip

__all__ = ["CHECKS", "Check", "scaled"]


def scaled(looks: Looks, notches: float, fine: bool) -> Looks | None:
    """The check switched on last, made larger or denser by the wheel; None when it has no scale."""
    check = next((one for one in CHECKS if one.id == looks.latest), None)
    look = None if check is None else check.scaled(looks.of(check), 1 if notches > 0 else -1, fine)
    return None if check is None or look is None else looks.choosing(check, look)
