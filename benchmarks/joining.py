"""Joining: how exact blends, matches, trims and fills are, and how long drags, trims and whole chains take."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np
from tests.fitting.test_together import clay, four
from tests.joining.test_blend import hill
from tests.joining.test_crossing import flat, rough
from tests.joining.test_filling import around, sides, wavy

from arabesque.checking import Join, find_joins, shape_to_scan
from arabesque.checking.joins import JoinMemory
from arabesque.demo import Heron, simulate
from arabesque.fitting import fit_together, four_corner_patch
from arabesque.geometry import Edge, Elementary, ElementaryKind, Surface, foot_points, split_surface
from arabesque.joining import BlendSide, Cutter, Pieces, blend, cut_apart, fill, fill_four, match_edge, shown_by
from arabesque.model import any_stale
from arabesque.scan import ready_to_fit
from arabesque.script import Project
from arabesque.shapes import Samples
from benchmarks.row import Row, alternately

EXACT = (("gap", 1e-9, "mm"), ("angle", 1e-7, "°"), ("curvature", 1e-6, ""), ("change", 1e-6, ""))


def rows() -> Iterator[Row]:
    """Every row of joining, in turn."""
    one, two = hill(0, 40, 0), hill(60, 100, 8, seed=1)
    made = blend(BlendSide(one.rims()[Edge.U_HIGH], 3), BlendSide(two.rims()[Edge.U_LOW], 3)).surface
    yield from _exact("blend of 7x7 patches, G3 both sides", find_joins([one, made, two]))
    near = hill(42, 100, 3, seed=1)
    matched = match_edge(near, Edge.U_LOW, BlendSide(one.rims()[Edge.U_HIGH], 3)).surface
    yield from _exact("7x7 patch matched with G3", find_joins([one, matched]))
    yield from _dragged()
    yield from _trimmed()
    yield _kept()
    yield _ten_follow()
    yield _faces_read()
    yield _edge_measured()
    yield from _filled()
    yield from _together()
    yield _rebuilt()


def _exact(name: str, joins: list[Join]) -> Iterator[Row]:
    for word, limit, unit in EXACT:
        worst = max(float(getattr(join, word).max()) for join in joins)
        yield Row(f"{name}: {word}", worst, None, limit, unit)


def _dragged() -> Iterator[Row]:
    """A blend over the demo's flank whose input is pulled back, with its distance to a scan of 400k triangles."""
    scan = ready_to_fit(simulate(Heron(), 400_000, 0.03, 1).scan)
    whole = four_corner_patch(Heron().corners["flank"], scan, 0.2).surface
    rear = split_surface(whole, 0, 0.6)[1]
    fronts = [split_surface(whole, 0, share)[0] for share in np.linspace(0.3, 0.4, 12)]
    turn = iter(fronts * 100)

    def step() -> Surface:
        made = blend(BlendSide(next(turn).rims()[Edge.U_HIGH]), BlendSide(rear.rims()[Edge.U_LOW])).surface
        shape_to_scan(made, scan)
        return made

    (taken,) = alternately(step, rounds=15)
    yield Row("live blend with its distance, 400k triangles", taken, None, 25.0, "ms", "one step of a drag, best of 15")


def _trimmed() -> Iterator[Row]:
    """Two patches of 10x10 control points by each other: the time, and how far apart their borders are then."""
    one, two = rough(0), rough(1, 0.5)

    def both() -> tuple[Pieces, Pieces]:
        return cut_apart(one, [Cutter(two)]), cut_apart(two, [Cutter(one)])

    (taken,) = alternately(both, rounds=5)
    yield Row("two 10x10 patches trimmed by each other", taken, None, 300.0, "ms", "both, with their pieces")
    left, right = (pieces.kept([0]) for pieces in both())
    gap = 0.0
    for mine, other in ((left, right), (right, left)):
        (rim,) = [rim for rim in mine.rims() if not rim.straight]
        places = rim.surface.at(rim.places(np.linspace(0, 1, 5001)))
        gap = max(gap, float(np.linalg.norm(foot_points(other.whole, places).points - places, axis=1).max()))
    yield Row("their common border: widest gap", 1e6 * gap, None, 100.0, "nm", "5001 places each way")


def _ten_follow() -> Row:
    """A wavy wall across ten wavy patches, each trimmed by it, is moved: all ten are trimmed anew."""
    t = np.arange(7)
    wall = np.array([[[50 + 8 * np.sin(k), -10 + 180 * k, 80 * z - 40] for z in (0, 0.5, 1)] for k in t])
    with Project() as project:
        blade = project.add("Wall", Surface.bezier(wall))
        patches = [rough(k).moved(_at(np.array([0, 100.0 * k, 0]), 0.0)) for k in range(10)]
        for number, patch in enumerate(patches):
            item = project.add(f"Patch {number}", patch)
            project.trim(item, blade, keep=[patch.at(np.array([[0.1, 0.5]]))[0]])
        shifts = iter(range(1, 100))

        def moved() -> None:
            project.reshape(blade, Surface.bezier(wall + np.array([0.2 * next(shifts), 0, 0])))

        (taken,) = alternately(moved, rounds=3)
        sound = not any_stale(project.document) and not any(item.trouble for item in project.items)
    return Row("ten trimmed faces follow what trims them", taken, None, 500.0, "ms", "" if sound else "NOT ALL MADE")


def _faces_read() -> Row:
    """Two hundred faces, each with an opening that a rod cuts, read as finely as the window draws so many."""
    rod = Elementary.make(ElementaryKind.CYLINDER, np.eye(4), (20.0,), ((0.0, 2 * np.pi), (-60.0, 60.0)))
    through = Cutter(rod.moved(_at(np.array([50.0, 50, 0]), 0.0)))
    cut = [cut_apart(rough(number), [through]).kept([0]) for number in range(8)]
    faces = [cut[number % 8].moved(_at(np.array([0, 0, 0.1 * number]), 0.0)) for number in range(200)]

    def read() -> list[Samples]:
        return [face.sampler(44).read(face) for face in faces]

    (taken,) = alternately(read, rounds=2)
    count = sum(len(samples.triangles) for samples in read())
    return Row("200 trimmed faces read for the picture", taken / 1000, None, 5.0, "s", f"{count:,} triangles")


def _edge_measured() -> Row:
    """A patch of which three edges run over the inside of a larger one, in the middle of a drag."""
    big = hill(0, 200, 0)
    x, y = np.meshgrid(np.linspace(80, 120, 6), np.linspace(10, 50, 6), indexing="ij")
    z = big.at(np.column_stack([x.ravel() / 200, y.ravel() / 60]))[:, 2].reshape(6, 6) + 0.1 * (x - 80)
    small, known = Surface.bezier(np.stack([x, y, z], -1)), JoinMemory()
    lifts = iter(range(1, 10_000))

    def step() -> list[Join]:
        lifted = small.with_points(small.points + np.array([0, 0, 1e-4 * next(lifts)]))
        return find_joins([big, lifted], 1.0, known)

    (taken,) = alternately(step, rounds=15)
    return Row("edges measured against a surface", taken, None, 25.0, "ms", "one step of a drag, best of 15")


def _kept() -> Row:
    """Thirty patches over the demo's flank, each cut in four: the pieces that a scan of 400k triangles shows."""
    scan = ready_to_fit(simulate(Heron(), 400_000, 0.03, 1).scan)
    whole = four_corner_patch(Heron().corners["flank"], scan, 0.2).surface
    middle = whole.at(np.array([[0.5, 0.5]]))[0]
    planes = [flat(0.0, 200.0, np.pi / 2).moved(_at(middle, turn)) for turn in (0.0, np.pi / 2)]
    lifted = [whole.moved(_at(np.array([0, 0, 0.02 * k]), 0.0)) for k in range(30)]
    cut = [cut_apart(patch, [Cutter(plane) for plane in planes]) for patch in lifted]
    (taken,) = alternately(lambda: [shown_by(pieces, scan, 0.2) for pieces in cut], rounds=2)
    count = sum(len(pieces.pieces) for pieces in cut)
    return Row("what the scan shows of 30 faces", taken, None, 2000.0, "ms", f"{count} pieces, 400k triangles")


def _at(place: np.ndarray, turn: float) -> np.ndarray:
    matrix = np.eye(4)
    matrix[:2, :2] = [[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]
    matrix[:3, 3] = place
    return matrix


def _filled() -> Iterator[Row]:
    """An opening of five sides in a form that bends both ways, filled with G2; and one of four, with natural edges."""
    for name, made_by, count in (("five", fill, 5), ("four", fill_four, 4)):
        borders = sides(around(count, wavy), 2)
        made = made_by(borders)
        (taken,) = alternately(partial(made_by, borders), rounds=3)
        counts = f"{taken:.0f} ms, {made.face.count} points"
        yield Row(f"G2 fill of {name} sides: tangent planes", made.turned, None, 0.05, "°", counts)
        yield Row(
            f"G2 fill of {name} sides: curvature", 100 * made.bent, None, 5.0, "%", f"gap {1e6 * made.gap:.0f} nm"
        )


def _together() -> Iterator[Row]:
    """Four neighbours that meet at angles, fitted together over a form with G2."""
    scan = clay()
    made = fit_together(four(), scan, 0.1, 2)
    joins = find_joins(made.surfaces)
    yield Row("four neighbours fitted together, G2: angle", max(float(j.angle.max()) for j in joins), None, 0.1, "°")
    yield Row("four neighbours fitted together, G2: curvature",
              max(100 * float(j.curvature.max()) for j in joins), None, 5.0, "%")  # fmt: skip
    (taken,) = alternately(lambda: fit_together(four(), scan, 0.1, 2), rounds=3)
    yield Row("four neighbours fitted together, G2", taken / 1000, None, 10.0, "s", "beside the window")


def _rebuilt() -> Row:
    """Patch, blend, round, trim, recast: the patch is raised, and all of it is made again."""
    with Project() as project:
        one, two = project.add("One", hill(0, 40, 0)), project.add("Two", hill(60, 100, 8, seed=1))
        blended = project.blend_borders((one, int(Edge.U_HIGH)), (two, int(Edge.U_LOW)))
        wall = project.add("Wall", flat(0.0, 60.0, np.pi / 2).moved(_at(np.array([50.0, 30, 0]), np.pi / 2)))
        keep = blended.shape.at([[0.5, 0.1]])[0], np.array([50.0, 30, 30])
        project.round(blended, wall, 4.0, keep)
        cut = next(item for item in project.items if item.name == f"{blended.name} cut")
        blade = project.add("Blade", flat(0.0, 90.0, np.pi / 2 - 0.2).moved(_at(np.array([52.0, 30, 0]), 0.0)))
        trimmed = project.trim(cut, blade, [project.item(cut.id).shape.sampler(20).read(cut.shape).points[0]])
        project.recast(trimmed, near=0.02)
        lifts = iter(range(1, 100))

        def raised() -> None:
            points = one.shape.points + np.array([0, 0, 0.05 * next(lifts)])
            project.reshape(one, one.shape.with_points(points))

        (taken,) = alternately(raised, rounds=3)
        sound = not any_stale(project.document) and not any(item.trouble for item in project.items)
    words = "all made again" if sound else "NOT ALL MADE"
    return Row("chain of patch, blend, round, trim, recast", taken, None, 1500.0, "ms", words)
