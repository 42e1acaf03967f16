"""Read-only, checked arrays: what every shape is made of."""

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from arabesque.errors import InvalidShape

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
Bytes = NDArray[np.uint8]


def frozen_array(
    values: ArrayLike,
    shape: tuple[int | None, ...],
    dtype: type[np.generic],
    *,
    what: str,
    below: int | None = None,
) -> NDArray[Any]:
    """A C-ordered, read-only array of the given shape and type.

    ``None`` in ``shape`` stands for any length. ``below`` is the exclusive
    upper bound of an index array. An array that is already frozen is taken
    as it is, so that documents can share it; anything else is copied.

    Raises InvalidShape when the shape is another, a value is not finite or
    an index is out of range.
    """
    array = np.asarray(values)
    if array.ndim != len(shape) or any(n is not None and n != m for n, m in zip(shape, array.shape, strict=True)):
        wanted = " x ".join("n" if n is None else str(n) for n in shape)
        raise InvalidShape(
            f"{what}: an array of {wanted} numbers is needed, this one is {' x '.join(map(str, array.shape))}",
            "Check the program or file that made it",
        )
    if np.issubdtype(dtype, np.floating) and not np.isfinite(array).all():
        raise InvalidShape(f"{what}: some values are not finite numbers", "Export it again from its source")
    if below is not None and array.size and (array.min() < 0 or array.max() >= below):
        raise InvalidShape(f"{what}: some indices point outside the {below} points", "Export it again from its source")
    if array.dtype == dtype and array.flags.c_contiguous and not array.flags.writeable:
        return array
    frozen = np.array(array, dtype=dtype, order="C")
    frozen.setflags(write=False)
    return frozen


def summed(index: Ints, values: Floats, count: int) -> Floats:
    """(count, d) sums of the rows of (n, d) values that share an index (n,)."""
    total: Floats = np.column_stack([np.bincount(index, column, count) for column in values.T]).astype(np.float64)
    return total


def enclosed(points: Floats, triangles: Ints) -> float:
    """The volume inside closed triangles (m, 3) over (n, 3) points, by the divergence theorem; below 0 where they look
    inwards."""
    a, b, c = np.swapaxes(points[triangles], 0, 1)
    return float(np.einsum("nc,nc->", a, np.cross(b, c)) / 6)


def runs_of(marks: Bools) -> list[tuple[int, int]]:
    """Where each run of marks (n,) begins, and where it has ended."""
    ends = np.flatnonzero(np.diff(np.concatenate([[0], marks.astype(np.int8), [0]])))
    return [(int(start), int(end)) for start, end in ends.reshape(-1, 2)]


def way_along(points: Floats) -> Floats:
    """(n,) lengths of the way along (n, d) places up to each of them."""
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])


def tree_of(points: Floats) -> Any:
    """A k-d tree of (n, d) points (``scipy.spatial.cKDTree``)."""
    from scipy.spatial import cKDTree  # a fifth of a second at the start of the window, which needs it later

    return cKDTree(points)


def unit(vectors: Floats) -> Floats:
    """Vectors scaled to length 1; zero vectors stay zero."""
    lengths = np.linalg.norm(vectors, axis=-1, keepdims=True)
    return vectors / np.where(lengths > 0, lengths, 1.0)


def leaders(count: int, pairs: Ints) -> Ints:
    """(count,) for each number the lowest that (k, 2) pairs link it with, by however many steps; itself without any."""
    from scipy.sparse import coo_array  # not needed at the start of the window
    from scipy.sparse.csgraph import connected_components

    graph = coo_array((np.ones(len(pairs), dtype=np.int8), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    _, group = connected_components(graph, directed=False)
    first = np.full(group.max() + 1, count)
    np.minimum.at(first, group, np.arange(count))
    return first[group]
