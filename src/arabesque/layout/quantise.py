"""How many rows each arc gets: whole numbers that fit each other, for a wanted count of quads."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array, csr_array

from arabesque.arrays import Bools, Floats, Ints
from arabesque.errors import FitProblem
from arabesque.layout.coarse import falling_together
from arabesque.layout.walls import Walls
from arabesque.progress import Progress, part, silent

NODES, GAP, BUDGET = 200, 0.05, 250
"""Branches of one program at most, how near to the best it is, and programs after which the nearest count is taken.

Bounds are counts of work, never of time: the same scan gives the same layout on any machine, under any load."""
MANY, MANY_BUDGET, FIRST_OF_MANY = 250, 60, 7
"""Arcs from which on programs are large; how many of these, and quads an arc with which they begin."""
CLOSE_BY, CLOSE_BY_ASKED = 2.5, 8.0
TRIES, UNEVEN_TRIES, UNEVEN, WORTH_IT = 6, 60, 0.25, 0.25
"""Even and uneven tries, by how much these differ, and how far from the count more than a few are not worth it."""
FEW = 8
CLOSE = 0.04
"""So near to the wanted count a layout is taken at once."""
CLOSE_ENOUGH = 0.06
"""And so near once all even tries are made."""
WIDENINGS, WIDEN = 3, 4
"""How often, and by how many rectangles, the arcs are widened that change where irregular points fell together."""


Fixed = Sequence[tuple[list[int], int]]
"""Arcs, and how many rows they have together."""
Cuts = list[tuple[list[int], int]]
"""Arcs, and how many rows they need together at least, lest irregular points fall together."""


@dataclass(eq=False)
class Learned:
    """What counts of some walls have shown, which finds others sooner. rows: (a,) some that are sound, if any."""

    cuts: Cuts
    rows: Ints | None = None


COUNTING = "Counting the rows"


def quantised(
    walls: Walls,
    wanted: int,
    asked: tuple[Floats, Floats],
    fixed: Fixed = (),
    learned: Learned | None = None,
    progress: Progress = silent,
) -> Ints:
    """(a,) how many quads follow each other along each arc, so that opposite sides of all rectangles agree and about
    ``wanted`` quads arise; irregular points never fall together, and some arcs have so many rows together.

    asked: (a,) how long each arc is in rows that are close everywhere as they are wanted, and (a,) how much it counts.
    learned: of these walls before; what is found is added, so that another count is found sooner.

    A linear program over whole numbers: Campen, Bommes and Kobbelt, "Quantized global parametrization", ACM TOG 34,
    2015. Its scale is changed until the count is met. Raises FitProblem when nothing fits.
    """
    lengths, weight = asked
    program = _Program(walls, weight, fixed, Learned([]) if learned is None else learned)
    fine = sum((len(p.points) - 1) * (p.points.shape[1] - 1) for p in walls.patches)
    many = len(lengths) > MANY
    budget = MANY_BUDGET if many else BUDGET
    # where irregular points crowd, what keeps them apart is found sooner among more rows
    first = max(wanted, FIRST_OF_MANY * len(lengths)) if many and program.learned.rows is None else wanted
    scale = float(np.sqrt(first / fine) * sum(len(arc) - 1 for arc in walls.arcs) / lengths.sum())
    best: tuple[float, Ints, float] | None = None
    low, high = 0.0, np.inf
    rng = np.random.default_rng(0)
    for number in range(TRIES + UNEVEN_TRIES):
        steps = part(progress, number / (TRIES + UNEVEN_TRIES), (number + 1) / (TRIES + UNEVEN_TRIES))
        steps(0.0, COUNTING)
        # where even rows jump over the wanted count, some rectangles may have a row more
        uneven = 1.0 if number < TRIES else 1.0 + UNEVEN * rng.uniform(-1, 1, len(lengths))
        rows = program.solved(scale * uneven * lengths, steps)
        if rows is None:
            # so few rows do not keep all irregular points apart, or not by so many programs
            low, scale = low if many else max(low, scale), 1.3 * scale
            if program.count > 2 * budget:
                break
            continue
        count = quad_count(walls, rows)
        off = abs(count / wanted - 1)
        if best is None or off < best[0]:
            best = off, rows, scale
        late = number >= TRIES - 1 or program.count > budget
        if off <= CLOSE or (late and best[0] <= CLOSE_ENOUGH) or program.count > 2 * budget:
            break
        low, high = (max(low, scale), high) if count < wanted else (low, min(high, scale))
        aimed = scale * np.sqrt(wanted / max(count, 1))
        scale = aimed if low < aimed < high else (low + high) / 2 if np.isfinite(high) else 1.3 * low
        if number >= TRIES - 1:
            if number >= TRIES + FEW and best[0] > WORTH_IT:
                break
            low, high = 0.0, np.inf
            scale = best[2]
    if best is None:
        raise FitProblem("No whole numbers of rows fit this layout", "Ask for more quads, or a calmer layout")
    return best[1]


def quad_count(walls: Walls, rows: Ints) -> int:
    """How many quads arise."""
    return sum(patch.rows(rows, 0) * patch.rows(rows, 3) for patch in walls.patches)


class _Program:
    """The equations of the rectangles, and cuts that keep irregular points apart. count: of programs solved so far."""

    def __init__(self, walls: Walls, weight: Floats, fixed: Fixed, learned: Learned) -> None:
        self._walls, self.learned, self.count = walls, learned, 0
        n = len(walls.arcs)
        rows, columns, values = [], [], []
        number = 0
        for patch in walls.patches:
            for one, other in ((0, 2), (1, 3)):
                for side, sign in ((one, 1.0), (other, -1.0)):
                    for arc, _ in patch.sides[side]:
                        rows.append(number)
                        columns.append(arc)
                        values.append(sign)
                number += 1
        self._alike = csr_array(coo_array((values, (rows, columns)), shape=(number, 3 * n)))
        self._cuts = learned.cuts
        self._fixed, self._weight = list(fixed), weight
        self._even = bool((weight == 1).all()) and not fixed
        self._least = np.zeros(n)
        ends = [(int(arc[0]), int(arc[-1])) for arc in walls.arcs]
        for k, (a, b) in enumerate(ends):
            if walls.special[a] and walls.special[b]:
                self._least[k] = 1.0
        self._ends = ends
        of_patch = [sorted({arc for side in patch.sides for arc, _ in side}) for patch in walls.patches]
        r = np.repeat(np.arange(len(of_patch)), [len(arcs) for arcs in of_patch])
        patches = csr_array(coo_array((np.ones(len(r)), (r, np.concatenate(of_patch))), shape=(len(of_patch), n)))
        self._beside = csr_array(patches.T @ patches) != 0

    def solved(self, wanted: Floats, progress: Progress = silent) -> Ints | None:
        """(a,) rows as near to (a,) ``wanted`` as all rules allow; None when so many programs find none."""
        until = self.count + (MANY_BUDGET if len(wanted) > MANY else BUDGET)
        rows = self._nearest(wanted, self.learned.rows, None)
        while rows is not None and self.count < until:
            progress(0.5, COUNTING)
            fresh = self._joined(rows) or falling_together(self._walls, rows)
            if not fresh:
                if len(rows) > MANY:
                    self.learned.rows = rows
                return rows
            self._cuts += fresh
            rows = self._mended(wanted, rows, [arc for arcs, _ in fresh for arc in arcs])
        return None

    def _mended(self, wanted: Floats, rows: Ints, arcs: list[int]) -> Ints | None:
        """Rows that keep the newest cuts, too: where there are many, only those near ``arcs`` change if they can."""
        if len(rows) > MANY:
            near = np.zeros(len(rows), dtype=bool)
            near[arcs] = True
            for _ in range(WIDENINGS):
                for _ in range(WIDEN):
                    near = self._beside @ near
                found = self._nearest(wanted, rows, near)
                if found is not None:
                    return found
            return self._nearest(wanted, rows if self.learned.rows is None else self.learned.rows, None)
        return self._nearest(wanted, None, None)

    def _nearest(self, wanted: Floats, known: Ints | None, free: Bools | None) -> Ints | None:
        """The best rows under the cuts known so far. known: (a,) rows from which they need not stay away. free: (a,)
        arcs of which alone rows change."""
        n = len(wanted)
        matrix, low = self._apart(wanted)
        limits = [LinearConstraint(self._alike, 0.0, 0.0), LinearConstraint(matrix, low, np.inf)]
        for sums_of, most in ((self._cuts, np.inf), (self._fixed, 0.0)):
            if sums_of:
                r = np.repeat(np.arange(len(sums_of)), [len(arcs) for arcs, _ in sums_of])
                c = np.concatenate([arcs for arcs, _ in sums_of])
                sums = coo_array((np.ones(len(c)), (r, c)), shape=(len(sums_of), 3 * n))
                least = np.array([rows for _, rows in sums_of], dtype=float)
                limits.append(LinearConstraint(csr_array(sums), least, least + most))
        # how far off a row is counts more beyond one, but not where there are so many that it takes too long
        cost = np.concatenate([np.zeros(n), self._weight, 2 * self._weight if n <= MANY else np.zeros(n)])
        # few values each are searched far more quickly
        for reach in (CLOSE_BY if self._even else CLOSE_BY_ASKED, np.inf):
            fewest, most_rows = np.floor(wanted - reach), np.ceil(wanted + reach)
            if known is not None:
                fewest, most_rows = np.minimum(fewest, known), np.maximum(most_rows, known + 1)
            fewest = np.maximum(self._least, fewest)
            most_rows = np.maximum(most_rows, fewest)
            if free is not None and known is not None:
                fewest, most_rows = np.where(free, fewest, known), np.where(free, most_rows, known)
            found = milp(
                cost, integrality=np.concatenate([np.ones(n), np.zeros(2 * n)]), constraints=limits,
                bounds=Bounds(
                    np.concatenate([fewest, np.zeros(2 * n)]), np.concatenate([most_rows, np.full(2 * n, np.inf)])
                ),
                options={"node_limit": NODES, "mip_rel_gap": GAP},
            )  # fmt: skip
            self.count += 1
            if found.x is not None:
                return np.rint(found.x[:n]).astype(np.int64)
            if free is not None:
                break
        return None

    def _apart(self, wanted: Floats) -> tuple[csr_array, Floats]:
        """d1 >= |l - w|, d2 >= |l - w| - 1, as a matrix and what its rows are at least."""
        n = len(wanted)
        one, at = np.ones(n), np.arange(n)
        rows, columns, values, low = [], [], [], []
        told = ((n, 1, 0), (n, -1, 0), (2 * n, 1, 1), (2 * n, -1, 1))[: 4 if n <= MANY else 2]
        for block, (column, sign, less) in enumerate(told):
            rows += [block * n + at, block * n + at]
            columns += [column + at, at]
            values += [one, -sign * one]
            low.append(-sign * wanted - less)
        entries = np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))
        return csr_array(coo_array(entries, shape=(len(told) * n, 3 * n))), np.concatenate(low)

    def _joined(self, lengths: Ints) -> Cuts:
        """Ways along arcs without rows that would bring two irregular points together, or a ring to nothing."""
        at: dict[int, list[tuple[int, int]]] = {}
        for arc in np.flatnonzero(lengths == 0).tolist():
            a, b = self._ends[arc]
            at.setdefault(a, []).append((b, arc))
            at.setdefault(b, []).append((a, arc))
        rim, special = self._walls.rim, self._walls.special
        found: Cuts = []
        seen: set[int] = set()
        for start in at:
            if start in seen or not (special[start] or rim[start]):
                continue
            came: dict[int, tuple[int, int]] = {start: (-1, -1)}
            waiting = [start]
            while waiting:
                point = waiting.pop()
                seen.add(point)
                for there, arc in at[point]:
                    if there in came:
                        continue
                    came[there] = point, arc
                    waiting.append(there)
                    if special[there] or (rim[there] and not (rim[point] and self._walls.on_rim[arc])):
                        way, node = [], there
                        while came[node][0] >= 0:
                            way.append(came[node][1])
                            node = came[node][0]
                        if special[start] or special[there] or rim[start]:
                            found.append((way, 1))
        return found
