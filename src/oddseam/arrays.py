"""Arrays that cannot be changed by accident, and checks that name the index at fault."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

import numpy as np
from numpy.typing import DTypeLike, NDArray

from oddseam.errors import MeshError

Array = NDArray[Any]
#: A place.
Point = tuple[float, float, float]

#: Messages name so many ids.
_NAMED = 6


def locked(values: Any, dtype: DTypeLike, shape: tuple[int, ...], what: str) -> Array:
    """A read-only contiguous array of this type; -1 in ``shape`` leaves a length free.

    A float array is not accepted where whole numbers are wanted, and a number that does not
    fit the type is refused, never wrapped.  Memory is shared when nothing has to be
    converted and the array is already read-only.
    """
    array = np.asarray(values)
    wanted = np.dtype(dtype)
    if array.size == 0:
        array = np.zeros(tuple(0 if n < 0 else n for n in shape), wanted)
    if array.ndim != len(shape) or any(w >= 0 and w != n for w, n in zip(shape, array.shape, strict=True)):
        wish = " x ".join("n" if n < 0 else str(n) for n in shape)
        raise MeshError(f"{what}: an array of shape {wish} is wanted, not {array.shape}")
    if wanted.kind == "i":
        if array.dtype.kind not in "iu":
            raise MeshError(f"{what}: whole numbers are wanted, not {array.dtype}")
        span = np.iinfo(wanted)
        if array.size and (array.max() > span.max or array.min() < span.min):
            raise MeshError(f"{what}: a number does not fit into {wanted}")
    if array.dtype == wanted and array.flags.c_contiguous and not array.flags.writeable:
        return array
    array = np.array(array, wanted, order="C", copy=True)
    array.flags.writeable = False
    return array


def for_kernels(values: Array, dtype: DTypeLike = np.float64) -> Array:
    """A contiguous array of a type, a copy if it is not or is locked: kernels are compiled for arrays of one kind."""
    return np.require(values, dtype, ("C", "W"))


def distinct(values: Array) -> Array:
    """The different ones of some numbers, ascending; for few of them in a fraction of the time of ``np.unique``."""
    ordered = np.sort(values, axis=None)
    return ordered[np.flatnonzero(np.diff(ordered, prepend=ordered[:1] - 1))]


def places_in_runs(counts: Array) -> Array:
    """(s,) place of everything in its run, counted from 0, of runs of so many (k,) one after the other."""
    return np.asarray(np.arange(int(counts.sum())) - np.repeat(np.cumsum(counts) - counts, counts))


def rows_in(span: slice, index: Array) -> Array:
    """Where those of some things (k,) that lie in a run of all stand within the run."""
    return np.asarray(index[(index >= span.start) & (index < span.stop)] - span.start)


def check_index(index: Array, size: int, what: str, of: str) -> None:
    """Every entry of ``index`` (rows of it are things) lies in [0, size)."""
    if index.size == 0 or (index.min() >= 0 and index.max() < size):
        return
    row = int(np.flatnonzero(((index < 0) | (index >= size)).reshape(len(index), -1).any(axis=1))[0])
    raise MeshError(f"{what} {row} refers to {of} {index[row].tolist()}, but there are {size}")


def check_unique(ids: Array, what: str) -> None:
    """No id twice."""
    if len(ids) < 2 or (np.diff(ids) > 0).all():
        return
    order = np.argsort(ids, kind="stable")
    again = np.flatnonzero(np.diff(ids[order]) == 0)
    if len(again):
        first, second = sorted(order[again[0] : again[0] + 2].tolist())
        raise MeshError(f"{what} {second} has id {ids[second]}, which {what} {first} has already")


def numbered_anew(index: Array, size: int) -> tuple[Array, Array]:
    """The different ones of indices below a size, ascending, and the number of each index among them; O(size).

    As ``np.unique`` with its inverse, without sorting.
    """
    there = np.zeros(size, bool)
    there[index] = True
    return np.flatnonzero(there), (np.cumsum(there) - 1)[index]


class IdIndex:
    """Looks ids up among the ids of an array, all different; O(log n) each.

    Parameters
    ----------
    ids : (n,) int array
    """

    def __init__(self, ids: Array) -> None:
        self._order = np.argsort(ids)
        self._sorted = ids[self._order]

    def __len__(self) -> int:
        return len(self._sorted)

    def of(self, wanted: Array) -> tuple[Array, Array]:
        """Indices into the array, and which ids are not there (their index means nothing)."""
        if not len(self._sorted):
            return np.zeros(wanted.shape, np.int64), np.ones(wanted.shape, bool)
        at = np.searchsorted(self._sorted, wanted).clip(0, len(self._sorted) - 1)
        return self._order[at], np.asarray(self._sorted[at] != wanted)

    def within(self, ids: range) -> Array:
        """Indices of the ids that lie in a range, ascending by id; the range itself is never spelled out."""
        low, high = (ids[0], ids[-1]) if ids.step > 0 else (ids[-1], ids[0])
        first, end = np.searchsorted(self._sorted, [low, high + 1])
        rows = np.arange(first, end)
        return np.asarray(self._order[rows[(self._sorted[rows] - low) % abs(ids.step) == 0]])


def point_text(xyz: Array | Sequence[float]) -> str:
    """A point as messages name it."""
    return "(" + ", ".join(f"{c:.6g}" for c in xyz) + ")"


def runs_text(ids: Array) -> str:
    """All of some ids in words, in runs: ``"4, 7-9, 12"``."""
    ids = np.unique(ids)
    last = np.append(np.flatnonzero(np.diff(ids) != 1), len(ids) - 1)
    first = np.append(0, last[:-1] + 1)
    runs = zip(ids[first].tolist(), ids[last].tolist(), strict=True)
    return ", ".join(f"{a}" if a == b else f"{a}, {b}" if b == a + 1 else f"{a}-{b}" for a, b in runs)


def listed(ids: Collection[int]) -> str:
    """The first few ids in words."""
    return ", ".join(map(str, sorted(ids)[:_NAMED])) + (", ..." if len(ids) > _NAMED else "")
