"""A whole scan laid out by itself: a cage of so many quads, alike on both sides, as NURBS patches in STEP.

./start run scan_to_layout.py juniper.ply FOLDER        ./start batch scan_to_layout.py SCANS FOLDER
"""

import sys
from pathlib import Path

from arabesque.delivery import FitReport
from arabesque.script import Project

SCAN, UNIT = "juniper.ply", "mm"
QUADS, SYMMETRIC, DETAIL = 300, "auto", "balanced"
TOLERANCE = 0.5


def job(scan: str, out: str) -> FitReport:
    """Layout, cage and STEP, report with pictures; returns the report."""
    with Project() as project:
        project.open_scan(scan, UNIT)
        project.tolerance = TOLERANCE
        cage = project.layout(QUADS, symmetric=SYMMETRIC, detail=DETAIL)
        project.export(Path(out) / "cage.obj", [cage], quads=True)
        project.export(Path(out) / "layout.step", [cage])
        return project.report(Path(out) / "fit.html", f"Layout of {Path(scan).stem}", [cage], ["left side", "top"])


if __name__ == "__main__":
    given = [*sys.argv[1:], *(SCAN, ".")[len(sys.argv) - 1 :]]
    print(job(*given[:2]).verdict)
