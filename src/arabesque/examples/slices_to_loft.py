"""Slices of a jug-like form lofted: sections square to an axis, each of few poles, one smooth surface through all.

./start run slices_to_loft.py juniper.ply FOLDER        ./start batch slices_to_loft.py SCANS FOLDER
"""

import sys
from pathlib import Path

from arabesque.delivery import FitReport
from arabesque.script import Project

SCAN, UNIT = "juniper.ply", "mm"
AXIS, SPACING, BETWEEN = "z", 10.0, (15.0, 125.0)
SIDE = (1.0, 0.0, 0.0)
POLES, TOLERANCE = 7, 0.5


def job(scan: str, out: str) -> FitReport:
    """Sections, loft, STEP and report; returns the report."""
    with Project() as project:
        project.open_scan(scan, UNIT)
        project.tolerance = TOLERANCE
        sections = project.sections(AXIS, spacing=SPACING, between=BETWEEN, side=SIDE, poles=POLES)
        half = project.loft(sections, ordered=True)
        project.export(Path(out) / "loft.step", [half])
        return project.report(Path(out) / "fit.json", f"Loft of {Path(scan).stem}", [half])


if __name__ == "__main__":
    given = [*sys.argv[1:], *(SCAN, ".")[len(sys.argv) - 1 :]]
    print(job(*given[:2]).verdict)
