"""Boolean operations: several ways to one result, until one is valid and right by volume and by places.

Runs only inside the worker.

The kernel's answer hangs on the last bits of its input where surfaces touch or lie in each other: the same five sectors
fused at once come out invalid on one machine and sound on another. So no answer is taken unchecked, and where tools
touch they go one after the other, which measured on such cases is what succeeds.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import combinations, islice
from typing import Any

from OCP.Bnd import Bnd_Box
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.ShapeAnalysis import ShapeAnalysis_ShapeTolerance
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer

from arabesque.errors import KernelProblem
from arabesque.solid import kernel
from arabesque.solid.solids import NOTHING, solid_pieces, volume_of
from arabesque.solid.stored import listed, parts, together
from arabesque.solid.truth import comes_true

HOW = {"cut": BRepAlgoAPI_Cut, "add": BRepAlgoAPI_Fuse, "common": BRepAlgoAPI_Common}
NONE = "Nothing came of it"
EXACT = (0.0,)
FUZZY = (1e-6, 1e-4)
"""mm: how far apart surfaces may be that are taken for one; the most is below every tolerance of a body."""
VOLUME_SHARE, RULE_SHARE = 1e-4, 1e-5
"""Of a volume: so far another may lie off it that has to be equal, and so far the kernel's quick rule is off on graded
patches. Its exact rule takes minutes on a result that is wrong."""
TIGHT = 1e-3
"""mm: a result with wider gaps is taken only where no other way gives a tighter one."""
TOUCHING = 1e-3
"""mm: tools whose boxes are as near as this may touch."""

Shape = Any
Attempt = Callable[[], Shape]


def put_together(
    how: str,
    target: Shape,
    tools: Sequence[Shape],
    nothing: str = NONE,
    volume: float | None = None,
    near: Sequence[float] = (*EXACT, *FUZZY),
    most: int | None = None,
) -> Shape:
    """Cut shapes from another, add them to it, or keep what they have in common with it; faces of one surface merged.

    Parameters
    ----------
    how : "cut", "add" or "common".
    nothing : words of the problem where nothing is left.
    volume : of the result, mm³, where it is known.
    near : mm, how far apart surfaces may be that are taken for one, in the order in which it is tried.
    most : ways that are tried; all where it is None.

    Raises
    ------
    KernelProblem
        Where nothing is left, and where no way to it gives a result that is valid and right by volume and places.
    """
    check = _Check(how, target, tools, volume)
    done, second_best = False, None
    for raw in islice(_results(how, target, tools, near), most):
        if raw is None:
            continue
        done = True
        for made in (merged(raw), raw):
            if not check.holds(made):
                continue
            if not any(True for _ in parts(made, TopAbs_FACE)):
                raise KernelProblem(nothing, "Move one of them")
            if check.is_tight(made):
                return made
            second_best = second_best or made
    if second_best is not None:
        return second_best
    if not done:
        raise KernelProblem("The bodies could not be put together", "Move one of them a little, or check both")
    raise KernelProblem(
        "The kernel missed a part of this", "Move one of them a little: surfaces that lie in each other are hard"
    )


def pieces_without(one: Shape, other: Shape, volume: float | None = None) -> list[Shape]:
    """Return the solids of a shape that lie outside another one; none where there are none.

    volume : of these together, mm³, where it is known. Raises KernelProblem where no way to them is right.
    """
    check = _Check("cut", one, [other], volume)
    for made in _results("cut", one, [other], (*EXACT, *FUZZY)):
        if made is not None and check.holds(made):
            return solid_pieces(made)
    raise KernelProblem("What two bodies differ by could not be told", "Make one of them again, a little otherwise")


def merged(shape: Shape) -> Shape:
    """A shape with the faces of one surface, and the edges of one curve, as one."""
    merging = ShapeUpgrade_UnifySameDomain(shape, True, True, False)
    merging.Build()
    return merging.Shape()


def is_valid(shape: Shape) -> bool:
    """True where the kernel finds no fault in a shape."""
    return bool(BRepCheck_Analyzer(shape).IsValid())


def widest_gap(shape: Shape) -> float:
    """mm that an edge of a shape may stand off its faces at most, by its own tolerance."""
    return float(ShapeAnalysis_ShapeTolerance().Tolerance(shape, 1, TopAbs_EDGE))


def touching(shapes: Sequence[Shape]) -> bool:
    """True where two of some shapes may touch, by the boxes round them."""
    boxes = []
    for shape in shapes:
        box = Bnd_Box()
        BRepBndLib.Add_s(shape, box)
        box.Enlarge(TOUCHING)
        boxes.append(box)
    return any(not one.IsOut(other) for one, other in combinations(boxes, 2))


class _Check:
    """What a result has to keep, read once from what it is made of."""

    def __init__(self, how: str, target: Shape, tools: Sequence[Shape], volume: float | None) -> None:
        self._how, self._target, self._tools = how, target, tools
        self._valid = all(is_valid(shape) for shape in (target, *tools))
        self._gap = max(widest_gap(shape) for shape in (target, *tools))
        self._bounds: tuple[float, float] | None = None
        if all(map(_is_solid, (target, *tools))):
            one, others = volume_of(target), [volume_of(tool) for tool in tools]
            all_others = sum(others)
            low, high = {
                "cut": (one - all_others, one),
                "add": (max(one, *others), one + all_others),
                "common": (0.0, min(one, all_others)),
            }[how]
            near = VOLUME_SHARE * max(one, all_others) + NOTHING
            self._bounds = (low - near, high + near) if volume is None else (volume - near, volume + near)

    def is_tight(self, made: Shape) -> bool:
        """True for a result whose edges lie about as near to their faces as those of its sources."""
        return widest_gap(made) <= max(TIGHT, 2 * self._gap)

    def holds(self, made: Shape) -> bool:
        """True for a result that is valid where its sources are, within its bounds by volume, and right at places."""
        empty = not any(True for _ in parts(made, TopAbs_FACE))
        if not empty and self._valid and not is_valid(made):
            return False
        volume = 0.0 if empty else volume_of(made)
        if self._bounds is not None and not self._bounds[0] <= volume <= self._bounds[1]:
            return False
        return comes_true(self._how, self._target, self._tools, made)


def _is_solid(shape: Shape) -> bool:
    """True for what consists of solids alone."""
    loose = TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SOLID)
    return not loose.More() and any(True for _ in parts(shape, TopAbs_SOLID))


def _results(how: str, target: Shape, tools: Sequence[Shape], near: Sequence[float]) -> Iterator[Shape | None]:
    """What each way gives, one after the other as they are asked for; None for one that the kernel cannot go."""
    for attempt in _attempts(how, target, tools, near):
        try:
            yield attempt()
        except kernel.KERNEL_ERRORS:
            yield None  # another way may do


def _attempts(how: str, target: Shape, tools: Sequence[Shape], near: Sequence[float]) -> Iterator[Attempt]:
    """Ways to a result, the surest first. Their number is the bound, not the clock."""
    apart = not touching(tools)
    for fuzzy in near:
        if apart:
            yield partial(_at_once, how, target, tools, fuzzy)
        if len(tools) > 1:
            yield partial(_in_turn, how, target, tools, fuzzy)
            if not (fuzzy or apart):
                yield partial(_in_turn, how, target, tools[::-1], 0.0)
                yield partial(_by_their_union, how, target, tools, 0.0)
        if not apart:
            yield partial(_at_once, how, target, tools, fuzzy)
    if how != "cut" and len(tools) == 1:
        # of two, neither is the first
        yield partial(_at_once, how, tools[0], [target], 0.0)


def _at_once(how: str, target: Shape, tools: Sequence[Shape], fuzzy: float) -> Shape | None:
    doing = HOW[how]()
    doing.SetArguments(listed([target]))
    doing.SetTools(listed(tools))
    doing.SetRunParallel(True)
    if fuzzy:
        doing.SetFuzzyValue(fuzzy)
    doing.Build()
    return doing.Shape() if doing.IsDone() else None


def _in_turn(how: str, target: Shape, tools: Sequence[Shape], fuzzy: float) -> Shape | None:
    """One tool after the other; what is common to each is added up."""
    if how == "common":
        pieces = [_at_once(how, target, [tool], fuzzy) for tool in tools]
        there = [piece for piece in pieces if piece is not None and any(True for _ in parts(piece, TopAbs_SOLID))]
        return _in_turn("add", there[0], there[1:], fuzzy) if there else together([])
    made: Shape | None = target
    # what is added up is looked at once, at the end
    whole = how == "cut" and len(tools) > 1 and all(map(_is_solid, (target, *tools)))
    before = volume_of(target) if whole else 0.0
    for tool in tools:
        made = _at_once(how, made, [tool], fuzzy)
        if made is None:
            return None
        if whole:
            # each takes something between nothing and its own volume: else the next need not be tried
            now, most = volume_of(made), volume_of(tool)
            off = VOLUME_SHARE * most + RULE_SHARE * before + NOTHING
            if not -off < before - now < most + off:
                return None
            before = now
    return made


def _by_their_union(how: str, target: Shape, tools: Sequence[Shape], fuzzy: float) -> Shape | None:
    whole = _in_turn("add", tools[0], tools[1:], fuzzy)
    return None if whole is None else _at_once(how, target, [whole], fuzzy)
