"""A fit report as one file: HTML, PDF, or JSON alone. Both papers carry the JSON inside."""

from __future__ import annotations

import base64
import json
from importlib.resources import files
from pathlib import Path
from typing import Any

from arabesque.delivery import palette
from arabesque.delivery.fit_report import BARS, FitReport
from arabesque.delivery.report_tables import tables
from arabesque.errors import FileProblem
from arabesque.files import write_text, written

KINDS = (".pdf", ".html", ".json")
INSIDE = "figures.json"
"""The name of what is attached to the PDF."""
WARM = palette.ABOVE[1]


def write_report(path: str | Path, report: FitReport) -> None:
    """Write a report as the ending of the name says: .pdf, .html or .json. Raises FileProblem."""
    suffix = Path(path).suffix.lower()
    if suffix == ".json":
        write_text(path, as_json(report) + "\n")
    elif suffix == ".html":
        write_text(path, as_html(report))
    elif suffix == ".pdf":
        with written(path) as beside:
            beside.write_bytes(as_pdf(report))
    else:
        raise FileProblem(f"'{Path(path).name}' is no kind of report", f"Give a name that ends in {', '.join(KINDS)}")


def as_json(report: FitReport) -> str:
    """The figures for programs."""
    return json.dumps(report.as_record(), indent=1, allow_nan=False)


def as_html(report: FitReport) -> str:
    """One page with everything inside."""
    from jinja2 import Environment  # a tenth of a second that no start needs
    from markupsafe import Markup

    template = Environment(autoescape=True, trim_blocks=True).from_string(
        files("arabesque.delivery").joinpath("report.html").read_text(encoding="utf-8")
    )
    # inside a script nothing is escaped but what would end it
    record = Markup(as_json(report).replace("</", "<\\/"))
    return template.render(
        report=report, tables=tables(report), record=record, legend=palette.legend(report.tolerance),
        pictures=[(title, base64.b64encode(png).decode()) for title, png in _pictures(report)],
        bars=_bars(report, 620.0, 120.0), ticks=_ticks(report, 620.0), within=_within(report), mark=_mark(report),
        ink=palette.INK, faint=palette.FAINT, line=palette.LINE, accent=palette.ACCENT, warm=WARM,
    )  # fmt: skip


def as_pdf(report: FitReport) -> bytes:
    """A4 pages, with the figures for programs attached."""
    from arabesque.delivery.paper import Paper  # a quarter of a second that no start needs

    paper = Paper(report.title, report.program)
    paper.heading(report.title, f"Fit of a model to its scan. {report.made}, {report.program}")
    paper.verdict(
        f"{_mark(report)}  At ±{report.tolerance:g} mm: {report.verdict}", palette.ACCENT if _within(report) else WARM
    )
    for title, png in _pictures(report):
        paper.picture(png, title)
    paper.legend(palette.legend(report.tolerance))
    paper.title("Where the surface lies")
    paper.bars(_bars(report, paper.wide, 28.0), _ticks(report, paper.wide), 28.0)
    for table in tables(report):
        paper.table(table)
    return paper.closed(INSIDE, as_json(report).encode())


def _pictures(report: FitReport) -> list[tuple[str, bytes]]:
    before = [] if report.before is None else report.before[1].pictures
    name = "" if report.before is None else report.before[0]
    return [*report.pictures, *((f"{title}, in “{name}”", png) for title, png in before)]


def _within(report: FitReport) -> bool:
    return report.whole.within(report.tolerance)


def _mark(report: FitReport) -> str:
    """Told by more than colour."""
    return "✓" if _within(report) else "✗"


def _bars(report: FitReport, wide: float, high: float) -> list[dict[str, Any]]:
    """The histogram as rectangles in a box; heights by the root, so that the few far ones show."""
    most = max((share**0.5 for share in report.histogram), default=1.0) or 1.0
    width, found = wide / BARS, []
    for number, share in enumerate(report.histogram):
        side = number - BARS // 2
        colour = palette.UNMEASURED if abs(side) <= BARS // 6 else palette.ABOVE[0] if side > 0 else palette.BELOW[0]
        tall = high * share**0.5 / most
        found.append(
            {"x": number * width, "y": high - tall + 5, "width": 0.9 * width, "height": tall, "colour": colour}
        )
    return found


def _ticks(report: FitReport, wide: float) -> list[tuple[float, str]]:
    """Where the tolerance lies on either side, and nothing in the middle."""
    reach, words = (BARS // 6 + 0.5) * wide / BARS, f"{report.tolerance:g} mm"
    return [(wide / 2 - reach, f"−{words}"), (wide / 2, "0"), (wide / 2 + reach, f"+{words}")]
