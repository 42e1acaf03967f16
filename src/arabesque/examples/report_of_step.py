"""A delivered STEP file against a new scan: how the part that was made keeps to the model.

./start run report_of_step.py new.ply FOLDER        ./start batch report_of_step.py SCANS FOLDER
"""

import sys
from pathlib import Path

from arabesque.delivery import FitReport
from arabesque.script import Project

SCAN, UNIT = "new.ply", "mm"
MODEL = "model.step"
TOLERANCE = 0.2


def job(scan: str, out: str) -> FitReport:
    """Report as PDF and JSON; returns it."""
    with Project() as project:
        project.open_scan(scan, UNIT)
        project.tolerance = TOLERANCE
        project.open(MODEL)
        title = f"{Path(scan).stem} against {Path(MODEL).name}"
        project.report(Path(out) / "fit.pdf", title, views=["left side", "top", "front"])
        return project.report(Path(out) / "fit.json", title)


if __name__ == "__main__":
    given = [*sys.argv[1:], *(SCAN, ".")[len(sys.argv) - 1 :]]
    print(job(*given[:2]).verdict)
