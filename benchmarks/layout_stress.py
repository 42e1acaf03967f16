"""Two hundred layouts of hard forms: none may fail, or come out unsound, without its saying so.

    python -m benchmarks.layout_stress [--forms NAME ...]

Published: a rabbit, a figure, a head, a sheet with holes, a propeller. Generated: two to five handles, thin tubes,
spikes, noise, slots, a one-sided band, the demo's scans. Each in all levels of detail and four counts.
"""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
import trimesh
from tests import reference
from tests.layout.forms import blob, pretzel

from arabesque.demo import Heron, Juniper, Pebble, simulate
from arabesque.errors import ArabesqueError
from arabesque.layout import Detail, Layout, Wishes, lay_out
from arabesque.layout.proxy import euler_number
from arabesque.scan import Scan, read_scan, ready_to_fit

COUNTS = (60, 200, 600, 1500)


@dataclass(frozen=True)
class Run:
    """One layout. sound: the net is as it must be, or said what it is not. whole: nothing was lacking."""

    form: str
    detail: Detail
    wanted: int
    sound: bool
    whole: bool
    words: str
    seconds: float


def published(path_of: Callable[[], object], unit: str = "mm") -> Callable[[], Scan]:
    """A published mesh as a scan."""

    def read() -> Scan:
        path = path_of()
        if str(path).endswith(".off"):
            mesh = trimesh.load(str(path), process=False)
            return ready_to_fit(Scan(np.asarray(mesh.vertices), np.asarray(mesh.faces)))
        return ready_to_fit(read_scan(str(path), unit))

    return read


def tube() -> Scan:
    """A tube of radius 2 mm that winds three times round, closed: thirty times as long as it is thick, and more."""
    turn = np.linspace(0, 2 * np.pi, 400)[:-1]
    way = np.column_stack([(40 + 12 * np.cos(3 * turn)) * np.cos(2 * turn),
                           (40 + 12 * np.cos(3 * turn)) * np.sin(2 * turn), 12 * np.sin(3 * turn)])  # fmt: skip
    round_ = np.linspace(0, 2 * np.pi, 17)[:-1]
    ahead = np.roll(way, -1, axis=0) - np.roll(way, 1, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    out = way - way * [[0, 0, 1]] + 1e-9
    side = np.cross(ahead, out)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    up = np.cross(side, ahead)
    ring = way[:, None] + 2 * (
        np.cos(round_)[None, :, None] * side[:, None] + np.sin(round_)[None, :, None] * up[:, None]
    )
    n, m = ring.shape[:2]
    i, j = np.meshgrid(np.arange(n), np.arange(m), indexing="ij")
    a, b, c, d = (((i + di) % n) * m + (j + dj) % m for di, dj in ((0, 0), (1, 0), (1, 1), (0, 1)))
    faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    return ready_to_fit(Scan(ring.reshape(-1, 3), faces))


def shaken(size: float, spikes: int) -> Callable[[], Scan]:
    """A bulging ball with noise of a size, mm, and so many sharp spikes of 12 mm."""

    def make() -> Scan:
        ball = blob()
        rng = np.random.default_rng(1)
        points = ball.points + size * rng.normal(size=ball.points.shape)
        for at in rng.choice(len(points), spikes, replace=False):
            away = np.linalg.norm(ball.points - ball.points[at], axis=1)
            points += 12 * np.clip(1 - away / 4, 0, 1)[:, None] * ball.point_normals[at]
        return ready_to_fit(Scan(points, ball.triangles))

    return make


def slotted() -> Scan:
    """A bulging ball with three narrow slots cut through its skin."""
    ball = blob()
    middle = ball.points[ball.triangles].mean(axis=1)
    slot = np.zeros(len(middle), dtype=bool)
    for k in range(3):
        turn = 2 * np.pi * k / 3
        way = np.array([np.cos(turn), np.sin(turn), 0.0])
        side = np.cross(way, [0, 0, 1])
        slot |= (middle @ way > 0) & (np.abs(middle @ side) < 2) & (np.abs(middle[:, 2]) < 20)
    return ready_to_fit(Scan(ball.points, ball.triangles[~slot]))


FORMS: dict[str, Callable[[], Scan]] = {
    "rabbit": published(reference.rabbit, "m"),
    "figure": published(reference.armadillo),
    "head": published(reference.horned_head),
    "sheet with holes": published(reference.holed_sheet),
    "propeller": published(lambda: reference.propeller("stl/propeller.stl")),
    **{f"{k} handles": (lambda k=k: pretzel(k)) for k in (2, 3, 4, 5)},  # type: ignore[misc]
    "thin tube": tube,
    "spikes": shaken(0.0, 6),
    "noise": shaken(0.4, 0),
    "noise and spikes": shaken(0.2, 3),
    "slots": slotted,
    **{demo.name: (lambda demo=demo: simulate(demo, 60_000, 0.05, 1).scan)  # type: ignore[misc]
       for demo in (Pebble(), Juniper(), Heron())},
}  # fmt: skip


def runs(forms: list[str]) -> Iterator[Run]:
    """Every form in every detail and count."""
    for name in forms:
        scan = FORMS[name]()
        for detail in Detail:
            ground = None
            for wanted in COUNTS:
                began = time.monotonic()
                try:
                    made = lay_out(scan, Wishes(wanted, detail=detail), ground)
                except ArabesqueError as problem:
                    yield Run(name, detail, wanted, False, False, str(problem), time.monotonic() - began)
                    continue
                ground = made.ground
                wrong = faults(made)
                words = f"{made.words}{'; WRONG: ' + wrong if wrong else ''}"
                yield Run(name, detail, wanted, not wrong, not made.lacking, words, time.monotonic() - began)


def faults(made: Layout) -> str:
    """What is wrong with a layout and was not said by it, in words."""
    quads = made.cage.quads
    chi = quads.count - len(quads.edges) + made.cage.count
    inside = quads.valence[~quads.on_border]
    rim = np.bincount(made.cage.faces.ravel(), minlength=quads.count)[quads.on_border]
    found = []
    if int((4 - inside).sum() + (2 - rim).sum()) != 4 * chi:
        found.append("indices and Euler number")
    if made.ground is not None and made.wishes.plane is None and chi != euler_number(made.ground.proxy):
        found.append("another form than the scan")
    if ((inside < 3) | (inside > 8)).any():
        found.append("points of too few or too many quads")
    if (made.net.folded.any() or made.folds) and not any("fold" in words for words in made.lacking):
        found.append("folds untold")
    if not np.isfinite(made.cage.points).all():
        found.append("points nowhere")
    return ", ".join(found)


def main() -> int:
    """0 when no run fails."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--forms", nargs="*", choices=list(FORMS), default=list(FORMS))
    failed, folded, last, count = 0, 0, 0, 0
    for run in runs(parser.parse_args().forms):
        count += 1
        failed += not run.sound
        folded += "fold" in run.words
        last += "in three" in run.words
        word = "holds" if run.sound else "FAILS"
        print(f"{word}  {run.form}, {run.detail.value}, {run.wanted}: {run.words} ({run.seconds:.1f} s)", flush=True)
    print(f"{count} layouts: {failed} failed; {folded} said that they fold, {last} were made of triangles in three")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
