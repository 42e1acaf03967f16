"""What a fit reports, for the Inspector."""

from __future__ import annotations

from arabesque.desk.facts import Fact
from arabesque.fitting import PatchFit


def fit_facts(fit: PatchFit) -> list[Fact]:
    """What a fit reports, for the Inspector."""
    there, back = fit.figures.surface_to_scan, fit.figures.scan_to_surface
    surface, net, cover = fit.surface, fit.net, fit.cover
    facts = [
        Fact("Verdict", fit.verdict, _mark(fit.within)),
        Fact("Control points", str(surface.count)),
        Fact("Degree", f"{surface.degree[0]} x {surface.degree[1]}"),
        Fact("Spans", f"{surface.spans[0]} x {surface.spans[1]}"),
        Fact("99 % of inliers", f"{fit.figures.inlier_p99:.3f} mm", _mark(fit.figures.close(fit.tolerance))),
        Fact("Patch to scan", f"{there.inlier_p99:.3f} mm"),
        Fact("Scan to patch", f"{back.inlier_p99:.3f} mm"),
        Fact("rms", f"{there.rms:.3f} mm"),
        Fact("Largest", f"{there.max:.3f} mm"),
        Fact("Inside", f"{100 * there.inside:.1f} %"),
        Fact("Outliers", f"{100 * fit.figures.outlier_share:.1f} %"),
    ]
    if cover is not None:
        facts += [
            Fact("Coverage", f"{100 * cover.coverage:.1f} %"),
            Fact("Beyond its lines", f"{100 * cover.outside:.1f} %"),
        ]
        facts += [Fact("Folded", f"{100 * cover.folded:.1f} %")]
    facts += [
        Fact("Net: legs", f"{net.leg:.2f} : 1", "" if net.fair else "bad"),
        Fact("Net: bend", f"{net.bend:.0f}°", "" if net.fair else "bad"),
        Fact("Net: speed", f"{net.speed:.2f} : 1"),
        Fact("Took", f"{fit.seconds:.1f} s"),
        Fact("Stopped", fit.stopped.value),
    ]
    if fit.next_u is not None and fit.next_v is not None:
        facts.append(Fact("One step more", f"u {fit.next_u:.3f}, v {fit.next_v:.3f} mm"))
    return facts


def _mark(good: bool) -> str:
    return "good" if good else "bad"
