"""The tables of a fit report, in words: what every form of it shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from arabesque.checking import Figures
from arabesque.delivery.fit_report import WORST_JOINS, FitReport
from arabesque.shapes import SAMPLES_ALONG


@dataclass(frozen=True)
class Table:
    """A heading, the words over the columns, and rows of words; note: a line below. The first column is a name."""

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    note: str = ""


def tables(report: FitReport) -> list[Table]:
    """Every table of a report, in order."""
    found = [_whole(report), _items(report), _joins(report), _left_out(report)]
    if report.before is not None:
        found.insert(1, _compared(report))
    return [*found, _files(report), _settings(report)]


def length(value: float) -> str:
    """mm, as the Fit strip shows them."""
    return f"{value:.3f}"


def _whole(report: FitReport) -> Table:
    whole = report.whole
    rows = [("Model to scan", *_figures(whole.surface_to_scan)), ("Scan to model", *_figures(whole.scan_to_surface))]
    return Table(
        "All together", ("", *_FIGURES), tuple(rows),
        "Shares and percentiles are by area. “99 %” leaves out dents and spikes of the scan; all else counts them.",
    )  # fmt: skip


_FIGURES = ("Inside", "rms, mm", "99 %, mm", "Worst, mm", "Dents")


def _figures(figures: Figures) -> tuple[str, ...]:
    if not figures.samples:
        return ("–",) * len(_FIGURES)
    words = figures.words()
    return (
        words["inside"],
        words["rms"],
        length(figures.inlier_p99),
        words["worst"],
        f"{100 * figures.outlier_share:.1f} %",
    )


def _items(report: FitReport) -> Table:
    rows = [
        (
            item.name,
            item.kind,
            str(item.weight),
            *_figures(item.there)[:4],
            length(item.back.inlier_p99) if item.back.samples else "–",
            f"{100 * item.missing:.1f} %",
            item.verdict,
        )
        for item in report.items
    ]
    head = ("Item", "Kind", "Weight", *_FIGURES[:4], "From scan, 99 %", "No scan", "Verdict")
    return Table("By item", head, tuple(rows), f"Weight in all: {report.weight} control points, or faces of cages.")


def _joins(report: FitReport) -> Table:
    shown = report.joins[:WORST_JOINS]
    rows = [
        (
            join.first,
            join.second,
            join.word,
            f"{join.gap:.4f}",
            f"{join.angle:.3f}",
            "–" if join.curvature is None else f"{100 * join.curvature:.1f} %",
        )
        for join in shown
    ]
    limits = report.limits
    note = f"Joined up to {limits.gap:g} mm, {limits.angle:g}°, {100 * limits.curvature:g} % of curvature."
    if len(report.joins) > len(shown):
        note += f" The worst {len(shown)} of {len(report.joins)}."
    if not rows:
        note = "No edges meet."
    return Table(
        "Joins, the worst first", ("One", "Other", "Grade", "Gap, mm", "Angle, °", "Curvature"), tuple(rows), note
    )


def _left_out(report: FitReport) -> Table:
    return Table("What the figures leave out, and why", ("What", "How much", "Why"), tuple(report.left_out))


def _compared(report: FitReport) -> Table:
    assert report.before is not None
    name, before = report.before
    then, now = before.whole.surface_to_scan, report.whole.surface_to_scan
    backs = [length(one.whole.scan_to_surface.inlier_p99) for one in (before, report)]
    joins = [one.joins[0].word if one.joins else "–" for one in (before, report)]
    rows = [
        *zip(_FIGURES, _figures(then), _figures(now), strict=True),
        ("From scan, 99 %, mm", backs[0], backs[1]),
        ("Weight", str(before.weight), str(report.weight)),
        ("Items", str(len(before.items)), str(len(report.items))),
        ("Worst join", joins[0], joins[1]),
        ("Verdict", before.verdict, report.verdict),
    ]
    return Table(f"Compared with “{name}”", ("", name, "now"), tuple(rows))


def _files(report: FitReport) -> Table:
    rows = [(what, file.name, file.checksum) for what, file in report.files]
    note = "" if rows else "Nothing here came from a file: it was simulated, or made in the program."
    return Table("Files", ("What", "Name", "SHA-256"), tuple(rows), note)


def _settings(report: FitReport) -> Table:
    scan: dict[str, Any] = report.scan
    size = " x ".join(f"{value:.1f}" for value in scan["size"])
    rows = [
        ("Tolerance", f"{report.tolerance:g} mm"),
        ("Scan", f"{scan['name']}: {scan['triangles']:,} triangles, {size} mm, noise {scan['noise']:.3f} mm"),
        ("Measured at", f"{SAMPLES_ALONG} places along each side of a patch, and all of the scan near it"),
        ("Made", f"{report.made}, {report.program}"),
    ]
    return Table("Settings", ("", ""), (*rows, *(("Note", note) for note in report.notes)))
