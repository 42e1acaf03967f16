"""Make the guide's pictures of tools anew from the demo, by mouse and keys in the real window.

Run with a screen, for example: xvfb-run -s "-screen 0 1400x900x24" .venv/bin/python -m tools.guide_pictures [ID …]
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from arabesque.arrays import Floats
from arabesque.cages import Cage
from arabesque.demo import Heron, demo_project, master
from arabesque.desk import theme
from arabesque.desk.settings import Settings
from arabesque.desk.tools import TOOLS
from arabesque.desk.window import Window
from arabesque.geometry import Elementary, ElementaryKind, frame_of
from arabesque.guide import folder
from arabesque.model import Document
from arabesque.scan import write_scan
from arabesque.script import Project
from arabesque.worked import finished_project
from tools.screenshots import LEFT, NO, Photographer

WIDTH, QUALITY = 1000, 82
MARKED = ("region-surface", "true-shape")
"""These are shown on what was marked before."""
Act = Callable[[Photographer], object]


@dataclass(frozen=True)
class Shot:
    """A tool as its page shows it. acts: what is done before. look: from where, if not as the scene stands."""

    tool: str
    acts: tuple[Act, ...] = ()
    look: str = ""
    options: tuple[tuple[str, Any], ...] = ()


# what hands do


def on(*places: Any) -> Act:
    """Clicks on places, or on what is found at the time."""

    def act(at: Photographer) -> None:
        for place in places:
            QTest.mouseClick(at.view, LEFT, NO, at.pixel(place() if callable(place) else place))
            at.idle()

    return act


def on_screen(*places: tuple[int, int]) -> Act:
    """Clicks on pixels of the view."""

    def act(at: Photographer) -> None:
        for place in places:
            QTest.mouseClick(at.view, LEFT, NO, QPoint(*place))
            at.idle()

    return act


def enter(at: Photographer) -> None:
    """Try, or keep."""
    at.key(Qt.Key.Key_Return)
    at.idle()


def typed(key: Qt.Key) -> Act:
    """A key."""
    return lambda at: (at.key(key), at.idle())


def select(*names: str) -> Act:
    """Items by their names."""

    def act(at: Photographer) -> None:
        session = at.window.session
        for number, name in enumerate(names):
            session.select(next(item.id for item in session.document if item.name == name), add=number > 0)
        at.idle()

    return act


def near(x: float, y: float, z: float, direction: tuple[float, float, float], size: float) -> Act:
    """Look at a place from a direction."""
    return lambda at: at.window.session.asks.fly.emit(np.array([x, y, z]), np.array(direction), size)


def brushed(at: Photographer) -> None:
    """A stroke of the brush over the flank."""
    at.stroke([at.pixel(plan()(60 + 6 * n, -40 + 2 * n)) for n in range(12)])


def read_scan(at: Photographer) -> None:
    """A file whose unit is asked for."""
    path = Path(tempfile.mkdtemp()) / "heron clay.ply"
    write_scan(path, next(iter(raw())).shape)
    at.window.session.start(Document(), None, "Start")
    at.window.files.open_path(path)
    at.idle()


# scenes


@cache
def plan() -> Callable[[float, float], Floats]:
    """Places on the saddle's top, by x and y."""
    heron = Heron()
    return lambda x, y: np.array(heron.at_plan(x, y))


def raw() -> Document:
    """The saddle's scan."""
    return demo_project(master("heron"))


def reading() -> Document:
    """The grip's scan with its regions."""
    with Project() as project:
        project.add("pebble clay", next(iter(demo_project(master("pebble")))).shape)
        project.regions(0.5)
        return project.document


def traced() -> Document:
    """Curves on the saddle: four lines that cross, sections, a profile."""
    at = plan()
    with Project() as project:
        project.add("heron clay", next(iter(raw())).shape)
        for name, ends in (
            ("Inner", [(30, -16), (110, -15), (200, -14)]),
            ("Outer", [(30, -58), (110, -59), (200, -50)]),
            ("Rear", [(40, -66), (42, -36), (40, -8)]),
            ("Front", [(185, -62), (187, -36), (185, -8)]),
        ):
            project.add(name, project.curve([at(*place) for place in ends]).shape)
        project.hide(*project.sections("x", count=9, poles=8))
        wall = Elementary.make(ElementaryKind.PLANE, frame_of(at(120, 30), [0.0, 1, 0.2]), (), ((-60, 60), (-20, 20)))
        project.add("Wall", wall)
        return without(project.document, "Curve")


def patched() -> Document:
    """Patches on the saddle's flank: two that share an edge, one apart, a wall through one."""
    at = plan()

    def corners(low: float, high: float) -> list[Floats]:
        return [at(low, -58), at(high, -58), at(high, -18), at(low, -18)]

    with Project() as project:
        project.add("heron clay", next(iter(raw())).shape)
        for name, low, high in (("Rear", 35, 95), ("Middle", 115, 165), ("Front", 165, 205)):
            project.add(name, project.patch(corners(low, high)).shape)
        wall = Elementary.make(ElementaryKind.PLANE, frame_of(at(65, -38), [1.0, 0.3, 0]), (), ((-30, 30), (-8, 26)))
        project.add("Wall", wall)
        return without(project.document, "Patch")


def drawn() -> Document:
    """A patch, and over it a plate's outline in a plane."""
    at = plan()
    turn = np.linspace(0, 2 * np.pi, 13)[:-1]
    ring = np.column_stack([16 * np.cos(turn), 10 * np.sin(turn), np.zeros(12)])
    with Project() as project:
        project.add("heron clay", next(iter(raw())).shape)
        project.add("Rear", project.patch([at(35, -58), at(150, -58), at(150, -18), at(35, -18)]).shape)
        project.add("Plate", project.curve_through(ring + np.add(at(100, 30), [0, 0, 12]), closed=True).shape)
        return without(without(project.document, "Patch"), "Curve")


def without(document: Document, word: str) -> Document:
    """Without what was copied under a name of its own."""
    for item in list(document):
        if item.name.startswith(word):
            document = document.without(item.id)
    return document


def caged() -> Document:
    """A cage over the saddle."""
    with Project() as project:
        project.add("heron clay", next(iter(raw())).shape)
        project.layout(160, detail="calm")
        wall = Elementary.make(ElementaryKind.PLANE, frame_of(plan()(65, -38), [1.0, 0, 0]), (), ((-30, 30), (-12, 26)))
        project.add("Wall", wall)
        return project.document


def wheel() -> Document:
    """The finished hand wheel."""
    return finished_project("dipper", Path(tempfile.gettempdir()) / "arabesque-pictures")


def patch_edge(at: Photographer, name: str, u: float, v: float) -> Floats:
    """A place on a patch by its name."""
    item = next(item for item in at.window.session.document if item.name == name)
    return item.shape.at([[u, v]])[0]


def click_at(name: str, u: float, v: float, keys: Qt.KeyboardModifier = NO) -> Act:
    """A click on a patch, by its parameters."""

    def act(at: Photographer) -> None:
        QTest.mouseClick(at.view, LEFT, keys, at.pixel(patch_edge(at, name, u, v)))
        at.idle()

    return act


def click_curve(name: str, share: float) -> Act:
    """A click on a curve."""

    def act(at: Photographer) -> None:
        item = next(item for item in at.window.session.document if item.name == name)
        QTest.mouseClick(at.view, LEFT, NO, at.pixel(item.shape.at([share])[0]))
        at.idle()

    return act


def click_border(share: float) -> Act:
    """A click on an edge of the cage's border, by its share of all of them."""

    def act(at: Photographer) -> None:
        (item,) = at.window.session.document.of(Cage)
        cage = item.shape
        sides = np.sort(np.stack([cage.faces, np.roll(cage.faces, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1)
        edges, count = np.unique(sides, axis=0, return_counts=True)
        border = edges[count == 1]
        places = cage.points[border].mean(axis=1)
        seen = places[np.argsort(places[:, 0])]
        on(seen[int(share * (len(seen) - 1))])(at)

    return act


def scenes() -> Iterator[tuple[Callable[[], Document], str, list[Shot]]]:
    """What is shown, from where, and the tools that are shown on it."""
    p = plan()
    flank = on(p(40, -58), p(150, -58), p(150, -18), p(40, -18))
    yield raw, "slanted", [
        Shot("simulate"),
        Shot("scan-look", (typed(Qt.Key.Key_6),)),
        Shot("tidy", (enter,)),
        Shot("openings", (on(p(118.0, 33.6)),)),
        Shot("cut", (enter,)),
        Shot("symmetry"),
        Shot("lay-square", (on(p(120, -40)),)),
        Shot("turn-and-move", (), "", (("about_z", 12.0), ("x", 20.0))),
        Shot("same-sides", (enter,)),
        Shot("calm", (enter,)),
        Shot("triangles", (enter,), "", (("edge", 3.0),)),
        Shot("feature-lines", (enter,)),
        Shot("draw-curve", (on(p(40, -40), p(90, -52), p(150, -45), p(200, -20)),)),
        Shot("sections-set", (), "", (("spacing", 25.0),)),
        Shot("sketch"),
        Shot("four-corners", (flank,)),
        Shot("grow", (on(p(110, -38)),)),
        Shot("suggest", (enter,)),
        Shot("lay-faces", (on(p(40, -58), p(80, -58), p(80, -16), p(40, -16), p(120, -16), p(120, -58)),)),
        Shot("lay-out", (enter,), "", (("quads", 160),)),
        Shot("first-cage", (), "", (("faces", 4),)),
        Shot("mark", (brushed,)),
        Shot("region-surface"),
        Shot("open-scan", (read_scan,)),
    ]  # fmt: skip
    yield (
        reading,
        "slanted",
        [
            Shot("regions", (enter,)),
            Shot("correct-regions"),
            Shot("true-shape"),
        ],
    )
    edge = [click_curve(name, 0.5) for name in ("Inner", "Front", "Outer", "Rear")]
    yield (
        traced,
        "top",
        [
            Shot("take-line", (click_at("Wall", 0.5, 0.0),), "slanted"),
            Shot("bring-onto", (click_at("Wall", 0.5, 0.5),), "slanted"),
            Shot("section-drawing", (), "slanted"),
            Shot("shape-ends", (click_curve("Outer", 0.97),)),
            Shot("split-curves"),
            Shot("loft", (click_curve("Inner", 0.5), click_curve("Outer", 0.5)), "slanted"),
            Shot("sweep", (click_curve("Rear", 0.9), click_curve("Inner", 0.5)), "slanted"),
            Shot("draw-out", (click_curve("Outer", 0.5),), "slanted"),
            Shot("true-form", (click_curve("Front", 0.5),), "slanted"),
            Shot("patch-of-curves", tuple(edge)),
            Shot("fill-network", tuple(edge)),
        ],
    )
    gap = (click_at("Rear", 1.0, 0.5), click_at("Middle", 0.0, 0.5))
    yield (
        patched,
        "slanted",
        [
            Shot("lay-between", gap),
            Shot("blend", gap),
            Shot("fill-opening", gap),
            Shot("move-points", (select("Rear"), click_at("Rear", 0.5, 0.5), typed(Qt.Key.Key_1))),
            Shot("by-numbers", (select("Rear"),), "", (("z", 2.0),)),
            Shot("edges", (select("Front"), click_at("Front", 1.0, 0.5))),
            Shot("match-edges", (click_at("Middle", 0.0, 0.5), click_at("Rear", 1.0, 0.5))),
            Shot("twins", (select("Rear"),), "top"),
            Shot("fit-again", (select("Middle"),)),
            Shot("fit-together", (select("Middle", "Front"),)),
            Shot("degrees", (select("Rear"),)),
            Shot("split", (select("Rear"),)),
            Shot("join", (select("Middle", "Front"),)),
            Shot("trim", (click_at("Rear", 0.2, 0.5), click_at("Wall", 0.5, 0.9))),
            Shot("round-edges", (click_at("Rear", 0.2, 0.5), click_at("Wall", 0.5, 0.9))),
            Shot("recast", (click_at("Rear", 0.5, 0.5),)),
            Shot("set-off-surface", (click_at("Rear", 0.5, 0.5),)),
            Shot("overshoot-patch", (click_at("Middle", 0.2, 0.5),)),
            Shot("sew", (click_at("Middle", 0.5, 0.5), click_at("Front", 0.5, 0.5))),
            Shot("thicken", (click_at("Middle", 0.5, 0.5),)),
            Shot("check-distance"),
            Shot("check-sections"),
            Shot("check-combs"),
            Shot("check-gloss"),
            Shot("check-form"),
            Shot("check-net"),
            Shot("check-joins"),
            Shot("compare"),
            Shot("export"),
            Shot("fit-report"),
            Shot("picture"),
            Shot("record"),
        ],
    )
    yield (
        drawn,
        "slanted",
        [
            Shot("profile-body", (select("Plate"),), "", (("ahead", 6.0),)),
            Shot("morph", (click_at("Rear", 0.5, 0.5),)),
            Shot(
                "wrap",
                (select("Plate"), click_at("Rear", 0.4, 0.4)),
                "",
                (
                    ("size", 0.4),
                    ("height", 1.5),
                ),
            ),
        ],
    )
    yield (
        caged,
        "slanted",
        [
            Shot("shape-cage", (select("Layout"),)),
            Shot("pull-out", (select("Layout"), click_border(0.4))),
            Shot("cage-rows", (select("Layout"),)),
            Shot("span-borders", (select("Layout"), click_border(0.4))),
            Shot("close-opening-cage", (select("Layout"), click_border(0.4))),
            Shot("weld-cage", (select("Layout"),)),
            Shot("match-cage", (select("Layout"), click_border(0.4))),
            Shot("fit-cage", (select("Layout"), enter)),
            Shot("improve-cage", (select("Layout"), enter)),
            Shot("overshoot", (select("Layout"), click_at("Wall", 0.5, 0.95)), "", (("within", 8.0),)),
            Shot("thicken-cage", (select("Layout"),)),
            Shot("cage-surfaces", (select("Layout"),)),
        ],
    )
    top, rim, stem = on_screen((398, 361)), on_screen((429, 287)), on_screen((468, 329))
    yield (
        wheel,
        "slanted",
        [
            Shot("put-together", (top,)),
            Shot("part-body", (top,)),
            Shot("hollow-body"),
            Shot("body-feature", (top,), "", (("diameter", 6.0), ("depth", 6.0))),
            Shot("body-edges", (rim,)),
            Shot("move-feature", (stem,)),
            Shot("swap-face", (top,)),
            Shot("repeat-body", (top,)),
            Shot("check-body", (), "", (("limit", 2.5),)),
            Shot("sheet"),
            Shot("remarks"),
            Shot("check-print"),
            Shot("check-mill"),
        ],
    )


def take(at: Photographer, shot: Shot) -> None:
    """Bring the tool into the state that its page shows, and keep a picture of the window."""
    window = at.window
    window.hand.lay_down()
    window.session.select(None)
    if shot.tool not in MARKED:
        window.session.marks.clear()
    window.sight.show_plain()
    if shot.look:
        window.sight.look_along(shot.look)
    at.idle()
    kind = next(tool for tool in TOOLS if tool.id == shot.tool)
    before = [act for act in shot.acts if getattr(act, "__qualname__", "").startswith("select")]
    for act in before:
        act(at)
    tool = window.hand.take_up(kind)
    for name, value in shot.options:
        setattr(tool.options, name, value)
    if shot.options:
        tool.options_changed()
        window.inspector.make_anew()
    at.idle()
    for act in shot.acts:
        if act not in before:
            act(at)
    at.idle()
    picture = window.grab().toImage().scaledToWidth(WIDTH, Qt.TransformationMode.SmoothTransformation)
    picture.save(str(folder() / "pictures" / f"{shot.tool}.webp"), "WEBP", QUALITY)
    window.hand.tool.escape()
    window.hand.lay_down()


def main(wanted: list[str]) -> None:
    """Take every picture, or those that are wanted."""
    (folder() / "pictures").mkdir(exist_ok=True)
    application = QApplication(sys.argv[:1])
    theme.apply(application, theme.LIGHT)
    window = Window(Settings(Path(tempfile.mkdtemp()) / "settings.ini"))
    window.show()
    QTest.qWaitForWindowExposed(window)
    at = Photographer(window)
    for scene, look, shots in scenes():
        shots = [shot for shot in shots if not wanted or shot.tool in wanted]
        if not shots:
            continue
        document = scene()
        for shot in shots:
            window.session.work.give_up()
            window.session.start(document, None, "demo")
            window.sight.look_along(look)
            window.sight.fit_view()
            if scene in (patched, drawn):
                near(*plan()(118, -36), (-0.35, -0.75, 0.75), 78)(at)
            take(at, shot)
    window.session.work.give_up()
    window.close()


if __name__ == "__main__":
    main(sys.argv[1:])
