"""Dividing a scan into calm areas and radii, and telling which of them are true shapes."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numba import njit
from scipy.sparse.csgraph import connected_components

from arabesque.arrays import Bools, Floats, Ints, frozen_array
from arabesque.errors import ArabesqueError, FitProblem
from arabesque.geometry import ElementaryKind, Plane, unit
from arabesque.progress import Progress, part, silent
from arabesque.reading.true_shapes import TrueShape, fit_true_shape, recognise, spread_limit
from arabesque.scan import Scan, calmed_normals, scan_curvature, sharp_pairs

SAMPLES = 300
SHARP_DEGREES = 25.0
SMALLEST_SHARE = 0.002
FREE_FORM_COST = 4.0
LEAST_INNER = 60
"""Triangles: a smaller core is not looked at apart from its border."""
CORE_RINGS, NARROW, LEAST_CORE = 2, 0.8, 0.3
"""Rings of triangles without which narrow areas are looked at, those of which a ring is over a fifth; and the share of
an area that has to be left of it: two circles alone lie on many spheres and cones."""
HELD_SHARE = 0.7
NEARLY = 4.0
"""Areas that spread about every shape by more than so many times what is allowed hold no core that is one."""
SETTLING = 2
"""Rounds of moving borders to where shapes meet."""
CHANGED = 0.95
"""Free forms that kept a smaller share of theirs are looked at once more after it."""


@dataclass(frozen=True, eq=False)
class Region:
    """One area of a scan. shape: the true shape it is, None for a free form; by_hand: its kind was set by the user."""

    shape: TrueShape | None = None
    by_hand: bool = False

    @property
    def word(self) -> str:
        """What it is, in a word or two."""
        return "free form" if self.shape is None else self.shape.kind.value


@dataclass(frozen=True, eq=False)
class Regions:
    """The areas of a scan. labels: (m,) number of each triangle's area. areas: by number."""

    labels: Ints
    areas: tuple[Region, ...] = field(default_factory=tuple)

    def __post_init__(self) -> None:
        labels = frozen_array(self.labels, (None,), np.int64, what="Regions", below=len(self.areas))
        object.__setattr__(self, "labels", labels)

    @property
    def box(self) -> None:
        """None: areas have no place of their own, they lie on their scan."""
        return None

    def moved(self, matrix: Floats) -> Regions:
        """The areas themselves: they move with their scan."""
        return self

    def mirrored(self, plane: Plane) -> Regions:
        """The areas themselves: a scan's mirror image has its triangles in the same order."""
        return self

    @cached_property
    def counts(self) -> Ints:
        """(k,) triangles of each area."""
        return np.bincount(self.labels, minlength=len(self.areas))

    def mask(self, number: int) -> Bools:
        """(m,) triangles of one area."""
        found: Bools = self.labels == number
        return found

    def merged(self, scan: Scan, numbers: list[int]) -> Regions:
        """Some areas as one; it is recognised anew."""
        if len(set(numbers)) < 2:
            raise ArabesqueError("One area alone cannot be merged", "Choose two areas or more")
        labels = np.where(np.isin(self.labels, numbers), numbers[0], self.labels)
        return self._with(scan, labels, [numbers[0]])

    def repainted(self, scan: Scan, mask: Bools, number: int | None) -> Regions:
        """The triangles of a mask given to an area, or to a new one (None); both are recognised anew."""
        if not mask.any():
            raise ArabesqueError("Nothing is painted", "Brush over the part that is to change")
        new = len(self.areas) if number is None else number
        areas = (*self.areas, Region()) if number is None else self.areas
        touched = [int(n) for n in np.unique(self.labels[mask])] + [new]
        return Regions(self.labels, areas)._with(scan, np.where(mask, new, self.labels), touched)

    def with_kind(self, scan: Scan, number: int, kind: ElementaryKind | None) -> Regions:
        """One area set to a kind by hand (None: free form); raises FitProblem when no such shape fits at all."""
        shape = None
        if kind is not None:
            points, normals = _samples(scan, self.mask(number), 4000)
            shape = fit_true_shape(kind, points, normals)
        areas = list(self.areas)
        areas[number] = Region(shape, by_hand=True)
        return replace(self, areas=tuple(areas))

    def split(self, scan: Scan, number: int, sensitivity: float, progress: Progress = silent) -> Regions:
        """One area divided again, with another sensitivity; raises ArabesqueError when it stays one."""
        finer = find_regions(scan, sensitivity, progress)
        inside = self.mask(number)
        parts = np.unique(finer.labels[inside])
        if len(parts) < 2:
            raise ArabesqueError("This area stays one at this sensitivity", "Raise the sensitivity, or paint by hand")
        labels, areas = self.labels.copy(), list(self.areas)
        for which in parts[1:]:
            labels[inside & (finer.labels == which)] = len(areas)
            areas.append(finer.areas[which])
        return Regions(labels, tuple(areas))._with(scan, labels, [number])

    def _with(self, scan: Scan, labels: Ints, anew: list[int]) -> Regions:
        areas = list(self.areas)
        for number in anew:
            mask = labels == number
            if mask.any() and not areas[number].by_hand:
                areas[number] = Region(_recognised(scan, mask))
        used, compacted = np.unique(labels, return_inverse=True)
        return Regions(compacted, tuple(areas[n] for n in used))


def find_regions(scan: Scan, sensitivity: float = 0.5, progress: Progress = silent) -> Regions:
    """Divide a scan into areas of like curvature and recognise what they are.

    sensitivity: 0 to 1; more gives more and smaller areas. Neighbouring
    triangles are merged in the order of their likeness while the means of
    both areas stay alike (Nock and Nielsen, "Statistical region merging",
    IEEE PAMI 26, 2004), over both principal curvatures; scraps go to the
    neighbour they resemble; then each area is tried as a true shape, areas
    of the same shape are joined, and borders move to where the shapes meet.
    """
    if not 0 <= sensitivity <= 1:
        raise ArabesqueError("The sensitivity is a number from 0 to 1", "Choose a value between")
    curvature = scan_curvature(scan, 8, part(progress, 0.0, 0.3))
    t = scan.triangles
    bend = np.column_stack([curvature.largest[t].mean(axis=1), curvature.smallest[t].mean(axis=1)])
    bend = np.arcsinh(bend * scan.diagonal / 8)
    pairs = scan.neighbours
    likeness = np.abs(bend[pairs[:, 0]] - bend[pairs[:, 1]]).max(axis=1)
    progress(0.35, "Merging what is alike")
    threshold = 0.9 * (0.08 / 0.9) ** sensitivity
    rough = float(np.median(likeness)) if len(likeness) else 0.0
    areas = scan.areas
    open_pairs = ~sharp_pairs(scan, SHARP_DEGREES)[1]
    order = np.argsort(likeness[open_pairs], kind="stable")
    labels = _merge_alike(pairs[open_pairs][order], bend, threshold, 4 * rough)
    smallest = SMALLEST_SHARE * (1.6 - sensitivity)
    labels = np.unique(_without_scraps(labels, pairs, bend, areas, smallest), return_inverse=True)[1]
    graph = scan.triangle_graph
    labels = _smooth_borders(graph.indptr, graph.indices, labels, 6)
    labels = _connected(labels, pairs, areas)
    progress(0.5, "Recognising shapes")
    found: list[TrueShape | None] = []
    count = int(labels.max()) + 1
    for number in range(count):
        progress(0.5 + 0.35 * number / count, "Recognising shapes")
        found.append(_recognised(scan, labels == number))
    labels, found = _split_strangers(scan, labels, found, SMALLEST_SHARE * areas.sum())
    labels, found = _join_same(scan, labels, found, pairs)
    for round_ in range(SETTLING):
        progress(0.85 + 0.07 * round_, "Moving borders to where shapes meet")
        moved = _borders_by_shape(scan, labels, found, pairs)
        before, after = (np.bincount(numbers, minlength=len(found)) for numbers in (labels, moved))
        labels, anew = moved, False
        for number in np.flatnonzero(after < CHANGED * before).tolist():
            if found[number] is None and after[number]:
                found[number] = _recognised(scan, labels == number)
                anew = anew or found[number] is not None
        if not anew:
            break
    true = np.array([shape is not None for shape in found])
    labels = _without_scraps(labels, pairs, bend, areas, smallest, true)
    labels = _connected(labels, pairs, areas, by_label=True)
    used, compacted = np.unique(labels, return_inverse=True)
    return Regions(compacted, tuple(Region(found[n]) for n in used))


@njit(cache=True, nogil=True, error_model="numpy")
def _root(parent, i):  # type: ignore[no-untyped-def]
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@njit(cache=True, nogil=True, error_model="numpy")
def _merge_alike(pairs, bend, threshold, noise):  # type: ignore[no-untyped-def]
    m = len(bend)
    parent = np.arange(m)
    size = np.ones(m)
    mean = bend.copy()
    for e in range(len(pairs)):
        a, b = _root(parent, pairs[e, 0]), _root(parent, pairs[e, 1])
        if a == b:
            continue
        # a mean of few triangles is not certain: allow for its noise
        allowed = threshold + noise * np.sqrt(1.0 / size[a] + 1.0 / size[b])
        if abs(mean[a, 0] - mean[b, 0]) > allowed or abs(mean[a, 1] - mean[b, 1]) > allowed:
            continue
        if size[a] < size[b]:
            a, b = b, a
        parent[b] = a
        total = size[a] + size[b]
        for c in range(2):
            mean[a, c] = (size[a] * mean[a, c] + size[b] * mean[b, c]) / total
        size[a] = total
    labels = np.empty(m, dtype=np.int64)
    number = np.full(m, -1)
    count = 0
    for i in range(m):
        r = _root(parent, i)
        if number[r] < 0:
            number[r] = count
            count += 1
        labels[i] = number[r]
    return labels


def _without_scraps(
    labels: Ints, pairs: Ints, bend: Floats, areas: Floats, smallest: float, true: Bools | None = None
) -> Ints:
    """Areas below a share of the whole, or no wider than a few triangles, given to the neighbour they resemble most.

    true: which are true shapes, and may be narrow. The other areas keep their numbers.
    """
    total = areas.sum()
    triangle = float(np.median(areas))
    for _ in range(40):
        count = int(labels.max()) + 1
        size = np.bincount(labels, areas, count)
        mean = (
            np.column_stack([np.bincount(labels, bend[:, c] * areas, count) for c in (0, 1)])
            / np.maximum(size, 1e-300)[:, None]
        )
        a, b = labels[pairs[:, 0]], labels[pairs[:, 1]]
        across = a != b
        if not across.any():
            break
        low, high = np.minimum(a, b)[across], np.maximum(a, b)[across]
        keys, border = np.unique(low * count + high, return_counts=True)
        low, high = keys // count, keys % count
        rim = np.bincount(low, border, count) + np.bincount(high, border, count)
        # mean width of an area in triangles: twice its area over its border
        width = 2 * size / np.maximum(rim, 1) / np.sqrt(triangle) / np.sqrt(triangle)
        narrow = (width < 5.0) & (size < 20 * smallest * total)
        poor = (size < smallest * total) | (narrow if true is None else narrow & ~true[:count])
        if not poor.any():
            break
        difference = np.abs(mean[low] - mean[high]).max(axis=1) + 1e-6
        worth = border / difference
        target = np.arange(count)
        best = np.zeros(count)
        for one, two in ((low, high), (high, low)):
            for x, y, w in zip(one, two, worth, strict=True):
                # only upwards, so that no two areas swap: a scrap joins what is larger
                if poor[x] and size[y] > size[x] and w > best[x]:
                    best[x], target[x] = w, y
        if (target == np.arange(count)).all():
            break
        for _ in range(60):
            target = target[target]
        labels = target[labels]
    return labels


@njit(cache=True, nogil=True, error_model="numpy")
def _smooth_borders(indptr, indices, labels, rounds):  # type: ignore[no-untyped-def]
    """Each triangle takes the label that most of its three neighbours have, where two agree."""
    current = labels.copy()
    for _ in range(rounds):
        before = current.copy()
        for t in range(len(labels)):
            for i in range(indptr[t], indptr[t + 1]):
                other = before[indices[i]]
                if other == before[t]:
                    continue
                votes = 0
                for j in range(indptr[t], indptr[t + 1]):
                    votes += before[indices[j]] == other
                if votes >= 2:
                    current[t] = other
    return current


def _connected(labels: Ints, pairs: Ints, areas: Floats, by_label: bool = False) -> Ints:
    """Each area in one piece: its small islands go to what surrounds them (their number stays with ``by_label``)."""
    inside = labels[pairs[:, 0]] == labels[pairs[:, 1]]
    piece = _merge_alike(pairs[inside], np.zeros((len(labels), 2)), 1.0, 0.0)
    size = np.bincount(piece, areas)
    owner = np.zeros(len(size), dtype=np.int64)
    owner[piece] = labels
    largest = np.zeros(int(labels.max()) + 1)
    np.maximum.at(largest, owner, size)
    small = size < np.minimum(0.1 * largest[owner], 0.002 * areas.sum())
    if small.any():
        a, b = piece[pairs[:, 0]], piece[pairs[:, 1]]
        target = np.arange(len(size))
        for one, two in ((a, b), (b, a)):
            open_ = small[one] & ~small[two] & (one != two)
            target[one[open_]] = two[open_]
        piece = target[piece]
    if by_label:
        return owner[piece]
    return np.unique(piece, return_inverse=True)[1]


def _inner(scan: Scan, mask: Bools) -> Bools:
    """The triangles of an area that touch no other area."""
    points = np.zeros(len(scan.points), dtype=bool)
    points[scan.triangles[~mask].ravel()] = True
    found: Bools = mask & ~points[scan.triangles].any(axis=1)
    return found


def _chosen(scan: Scan, mask: Bools, most: int) -> Ints:
    """Points of an area, without its border, at most so many."""
    inner = _inner(scan, mask)
    wide = inner.sum() > max(LEAST_INNER, LEAST_CORE * mask.sum())
    chosen = np.unique(scan.triangles[inner if wide else mask])
    if len(chosen) > most:
        chosen = np.random.default_rng(0).choice(chosen, most, replace=False)
    return chosen


def _samples(scan: Scan, mask: Bools, most: int) -> tuple[Floats, Floats]:
    """Points and smoothed normals of an area, without its border, at most so many of each."""
    chosen = _chosen(scan, mask, most)
    return scan.points[chosen], scan.smoothed_normals[chosen]


def _recognised(scan: Scan, mask: Bools) -> TrueShape | None:
    """The true shape that an area is, or that its core is where it is narrow.

    Curvature is blurred over some rings, so that the border between two areas lies a little beside the place where it
    jumps. Nearly any narrow core is met by some shape: what it is has to hold for most of the area too.
    """
    shape, near = _recognised_from(scan, mask)
    core = mask
    for _ in range(CORE_RINGS):
        inner = _inner(scan, core)
        share = inner.sum() / core.sum()
        if shape is not None or not near or not LEAST_CORE < share < NARROW or inner.sum() <= 2 * LEAST_INNER:
            break
        core = inner
        shape, near = _recognised_from(scan, core)
    if shape is None or core is mask:
        return shape
    points = scan.points[_chosen(scan, mask, SAMPLES)]
    held = np.abs(shape.distance(points)) <= 2.5 * spread_limit(points, max(scan.noise, shape.rms))
    return shape if held.mean() >= HELD_SHARE else None


def _recognised_from(scan: Scan, mask: Bools) -> tuple[TrueShape | None, bool]:
    """The true shape that an area is, and whether some shape comes near to it."""
    chosen = _chosen(scan, mask, SAMPLES)
    if len(chosen) < 12:
        return None, False
    # what was seen at a flat angle is noisier than the rest
    noise = max(scan.noise, scan.noise_at(chosen))
    shape, spreads = recognise(scan.points[chosen], scan.smoothed_normals[chosen], noise)
    if shape is None:
        limit = NEARLY * spread_limit(scan.points[chosen], noise)
        return None, min(spreads.values(), default=np.inf) <= limit
    points, normals = _samples(scan, mask, 6000)
    return fit_true_shape(shape.kind, points, normals), True


def _split_strangers(
    scan: Scan, labels: Ints, shapes: list[TrueShape | None], smallest: float
) -> tuple[Ints, list[TrueShape | None]]:
    """What came into a true shape's area through a gap in an edge, and plainly is not on it, as an area of its own."""
    middles = scan.points[scan.triangles].mean(axis=1)
    areas = scan.areas
    labels = labels.copy()
    for number, shape in enumerate(list(shapes)):
        if shape is None:
            continue
        inside = np.flatnonzero(labels == number)
        strange = inside[np.abs(shape.distance(middles[inside])) > 8 * max(shape.rms, scan.noise)]
        if areas[strange].sum() < smallest:
            continue
        _, piece = connected_components(scan.triangle_graph[strange][:, strange], directed=False)
        for which in np.flatnonzero(np.bincount(piece, areas[strange]) >= smallest):
            labels[strange[piece == which]] = len(shapes)
            shapes.append(_recognised(scan, labels == len(shapes)))
    return labels, shapes


def _join_same(
    scan: Scan, labels: Ints, shapes: list[TrueShape | None], pairs: Ints
) -> tuple[Ints, list[TrueShape | None]]:
    """Neighbouring areas that are one and the same true shape, as one."""
    a, b = labels[pairs[:, 0]], labels[pairs[:, 1]]
    across = a != b
    count = int(labels.max()) + 1
    keys = np.unique(np.minimum(a, b)[across] * count + np.maximum(a, b)[across])
    target = list(range(count))
    for key in keys:
        one, two = target[key // count], target[key % count]
        first, second = shapes[one], shapes[two]
        if one == two or first is None or second is None or first.kind is not second.kind:
            continue
        points, normals = _samples(scan, np.isin(labels, [one, two]), 2 * SAMPLES)
        try:
            both = fit_true_shape(first.kind, points, normals)
        except FitProblem:  # together they are none
            continue
        if both.rms <= 1.3 * max(first.rms, second.rms, scan.noise) and both.inlier_share > 0.85:
            labels = np.where(labels == two, one, labels)
            target = [one if n == two else n for n in target]
            shapes[one] = both
    return labels, shapes


def _borders_by_shape(scan: Scan, labels: Ints, shapes: list[TrueShape | None], pairs: Ints, rounds: int = 40) -> Ints:
    """Let true shapes take the triangles at their border that lie on them."""
    middles = scan.points[scan.triangles].mean(axis=1)
    areas = scan.areas
    normals = calmed_normals(unit(scan.area_vectors), areas, pairs, 5)
    noise = max(scan.noise, 1e-4 * scan.diagonal)
    has = np.array([shape is not None for shape in shapes])
    for _ in range(rounds):
        a, b = labels[pairs[:, 0]], labels[pairs[:, 1]]
        across = (a != b) & (has[a] | has[b])
        if not across.any():
            break
        triangle = np.concatenate([pairs[across, 0], pairs[across, 1]])
        other = np.concatenate([b[across], a[across]])
        now = _cost(shapes, labels[triangle], middles[triangle], normals[triangle], noise)
        then = _cost(shapes, other, middles[triangle], normals[triangle], noise)
        # a free form takes only what its neighbour plainly is not
        better = np.where(has[other], now - then > 0.5, now > 3 * FREE_FORM_COST)
        if not better.any():
            break
        labels = labels.copy()
        labels[triangle[better]] = other[better]
    return labels


def _cost(shapes: list[TrueShape | None], which: Ints, points: Floats, normals: Floats, noise: float) -> Floats:
    """How badly triangles fit the areas they are (or might be) in."""
    cost = np.full(len(which), FREE_FORM_COST)
    for number in np.unique(which):
        shape = shapes[number]
        if shape is None:
            continue
        here = which == number
        p = points[here]
        step = 1e-4 * max(1.0, float(np.abs(p).max()))
        gradient = np.column_stack([shape.distance(p + step * e) - shape.distance(p - step * e) for e in np.eye(3)])
        turn = 1 - np.abs(np.einsum("nc,nc->n", unit(gradient), normals[here]))
        # a right angle counts as much as 30 times the noise
        cost[here] = np.abs(shape.distance(p)) / noise + 30 * turn
    return cost
