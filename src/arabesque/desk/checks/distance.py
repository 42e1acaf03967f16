"""Signed distance of patches to the scan."""

from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen


class Distance(Check):
    """Calm inside the tolerance, warm above the scan, cool below it."""

    id = "distance"
    key = "1"
    word = "distance"

    def prepare(self, pen: Pen) -> None:
        pen.set(show_distance=True)
