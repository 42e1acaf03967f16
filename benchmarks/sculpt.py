"""Sculpting and judging: what a step of a drag computes, sections, joins. Run in a process of its own."""

from __future__ import annotations

import json
import statistics
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QApplication

from arabesque.checking import Family, JoinMemory, find_joins, scan_sections
from arabesque.demo import Heron, simulate
from arabesque.desk.scenery import compose
from arabesque.desk.settings import Settings
from arabesque.desk.tools.patch.move_points import MovePoints
from arabesque.desk.view.pointer import Pointer
from arabesque.desk.warm_up import warm_up
from arabesque.desk.window import Window
from arabesque.fitting import four_corner_patch, refit
from arabesque.geometry import (
    Elementary,
    ElementaryKind,
    Surface,
    Twin,
    TwinKind,
    rebuilt,
    split_surface,
    surface_curvature,
    uniform_knots,
)
from arabesque.model import Document, Item
from arabesque.scan import Scan
from benchmarks.row import Row

STEPS = 60
LIFT = 0.4
"""mm by which the row goes up and down: fine work, as it is done all day."""


def drags(scan: Scan, folder: Path) -> list[Row]:
    """A row of an 8 x 8 patch dragged up and down, with everything that is shown computed, but for drawing."""
    application = QApplication.instance() or QApplication([])
    window = Window(Settings(folder / "s.ini"), None)
    session = window.session
    fit = four_corner_patch(Heron().corners["flank"], scan, 0.2, (3, 3))
    heavy = rebuilt(refit(fit.surface, scan, 0.2).surface, (3, 3), (5, 5))[0]
    document = Document().with_item(Item("scan", "heron", scan)).with_item(Item("p", "Patch", heavy))
    session.start(document.with_twin("p", Twin(TwinKind.BESIDE)), None, "opened")
    session.select("p")
    tool = window.hand.take_up(MovePoints)
    assert isinstance(tool, MovePoints)
    mask = np.zeros((8, 8), dtype=bool)
    mask[:, 4] = True
    item = session.surface_item
    assert item is not None
    session.points.put(item, mask.ravel())
    window.sight.fit_view()
    rows = []
    note = "400k scan, patch and mirror image, 10,000 samples, panels included; drawing left out"
    for glances, limit, words in (
        (frozenset({"distance"}), 20.0, "distance"),
        (frozenset({"distance", "sections", "combs"}), 30.0, "distance, sections every 10 mm, combs"),
    ):
        session.look(replace(session.looks, on=glances))
        end = time.monotonic() + 60
        while time.monotonic() < end and not session.jobs.idle:
            application.processEvents()
        compose(session, session.looks, tool, window.view.camera)
        while time.monotonic() < end and not session.jobs.idle:
            application.processEvents()
        # three times over: the best median is the least disturbed one
        medians = [_dragged(window, tool, heavy) for _ in range(3)]
        session.drop_shown()
        rows.append(Row(f"drag of a row with {words}: median step", min(medians), None, limit, "ms", note))
    session.work.give_up()
    window.close()
    return rows


def _dragged(window: Window, tool: MovePoints, surface: Surface) -> float:
    """Median ms of a step while the row is dragged up and down by some tenths of a millimetre."""
    session, camera = window.session, window.view.camera
    point = camera.project(surface.points[3, 4])[0]
    tool.press(Pointer(float(point[0]), float(point[1]), camera, shift=True))
    taken = []
    pixels = LIFT / camera.mm_per_pixel
    for step in range(1, STEPS + 1):
        pointer = Pointer(float(point[0]), float(point[1]) + pixels * float(np.sin(step / 5)), camera)
        began = time.perf_counter()
        tool.move(pointer, True)
        compose(session, session.looks, tool, camera)
        taken.append(1000 * (time.perf_counter() - began))
    tool.escape()
    return statistics.median(taken)


def sections(scan: Scan, dense: Scan) -> list[Row]:
    """About 30 sections 10 mm apart, each time of a direction that was not cut before."""
    rows = []
    for cut, limit, words in ((scan, 150.0, "400k"), (dense, 600.0, "2M")):
        best = np.inf
        for turn in np.linspace(0.0, 0.1, 5):
            family = Family(np.array([np.cos(turn), np.sin(turn), 0.0]), 10.0, 3.0)
            began = time.perf_counter()
            found = scan_sections(cut, family)
            best = min(best, 1000 * (time.perf_counter() - began))
        note = f"{len(np.unique(found.plane))} planes"
        rows.append(Row(f"sections of {words} every 10 mm", float(best), None, limit, "ms", note))
    return rows


def joins() -> list[Row]:
    """A sheet cut into 56 patches, which meet in 97 pairs; and its own cost of finding the pairs."""
    knots = uniform_knots(3, 9)
    x, y = np.meshgrid(np.linspace(0, 300, 12), np.linspace(0, 200, 12), indexing="ij")
    sheet = Surface((3, 3), (knots, knots), np.stack([x, y, 20 * np.sin(x / 60) * np.cos(y / 50)], -1))
    strips, rest = [], sheet
    for at in np.arange(1, 8) / 8:
        one, rest = split_surface(rest, 0, float(at))
        strips.append(one)
    patches = []
    for strip in [*strips, rest]:
        for at in np.arange(1, 7) / 7:
            one, strip = split_surface(strip, 1, float(at))
            patches.append(one)
        patches.append(strip)
    found = find_joins(patches)
    best = np.inf
    for _ in range(5):
        began = time.perf_counter()
        find_joins(patches)
        best = min(best, 1000 * (time.perf_counter() - began))
    memory, steps = JoinMemory(), []
    find_joins(patches, None, memory)
    for number in range(1, 8):
        pulled = patches[20].points.copy()
        pulled[1, 1, 2] += 0.01 * number
        patches[20] = patches[20].with_points(pulled)
        began = time.perf_counter()
        find_joins(patches, None, memory)
        steps.append(1000 * (time.perf_counter() - began))
    note = f"{len(patches)} patches, every common part, refined where worst"
    return [
        Row(f"joins of {len(found)} pairs", float(best), None, 100.0, "ms", note),
        Row("the same after one of them moved: median step", statistics.median(steps), None, 60.0, "ms", note),
    ]


def curvature() -> list[Row]:
    """Largest error of the principal curvatures of exact shapes, 1/mm."""
    worst = 0.0
    uv = np.random.default_rng(0).random((500, 2))
    for kind, sizes, bounds in (
        (ElementaryKind.SPHERE, (50.0,), ((0.2, 1.7), (-0.6, 0.8))),
        (ElementaryKind.CYLINDER, (8.0,), ((0.0, 1.5), (0.0, 30.0))),
        (ElementaryKind.TORUS, (40.0, 9.0), ((0.1, 1.4), (-1.0, 1.0))),
    ):
        shape = Elementary.make(kind, np.eye(4), sizes, bounds)
        (u0, u1), (v0, v1) = shape.domain
        at = np.array([u0, v0]) + uv * [u1 - u0, v1 - v0]
        c = surface_curvature(shape, at)
        found = np.sort(np.abs(np.column_stack([c.largest, c.smallest])), axis=1)
        if kind is ElementaryKind.TORUS:
            ring = np.linalg.norm(shape.at(at)[:, :2], axis=1)
            wanted = np.column_stack([np.abs(ring - 40.0) / 9.0 / ring, np.full(len(ring), 1 / 9.0)])
        else:
            r = sizes[0]
            wanted = np.tile([1 / r if kind is ElementaryKind.SPHERE else 0.0, 1 / r], (len(at), 1))
        worst = max(worst, float(np.abs(found - np.sort(wanted, axis=1)).max()))
    return [Row("curvature of sphere, cylinder and torus: largest error", worst, None, 1e-10, "/mm", "do Carmo 1976")]


def main() -> None:
    """Print the rows as JSON lines."""
    folder = Path(tempfile.mkdtemp())
    application = QApplication([])  # noqa: F841 - has to live as long as the windows
    warm_up()
    scan = simulate(Heron(), 400_000, 0.03, 1).scan
    rows = drags(scan, folder) + sections(scan, simulate(Heron(), 2_000_000, 0.03, 1).scan) + joins() + curvature()
    for row in rows:
        print(json.dumps(row.__dict__))
    sys.stdout.flush()


if __name__ == "__main__":
    main()
