"""Work on rows of arrays in a few threads; kernels release the lock, so that they run side by side."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal

Result = TypeVar("Result")
#: Sets how many threads work at most.
VARIABLE = "ODDSEAM_THREADS"
#: Elements, and pairs of things, that are measured at once.
_RUN, _PAIRS = 100_000, 2_000_000


def cores() -> int:
    """How many processors this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def most_threads() -> int:
    """As many as there are cores for this process, or as ``ODDSEAM_THREADS`` says.

    Raises
    ------
    Refusal
        If that is not a count.
    """
    said = os.environ.get(VARIABLE, "")
    if not said:
        return cores()
    if not (said.isascii() and said.isdecimal() and 0 < len(said) < 5 and int(said) > 0):
        raise Refusal(f"{VARIABLE} is {said[:40]!r}, which is not a count of threads")
    return int(said)


def in_shares(
    run: Callable[[int, int], Result], rows: int, *, least: int = 2000, most: int | None = None
) -> list[Result]:
    """Call ``run(start, stop)`` for shares of so many rows, and list the results in order.

    Parameters
    ----------
    run : callable
        Must not depend on which rows are in which share: one may get all of them.
    rows : int
    least : int
        A thread is not worth its start for fewer rows.
    most : int, optional
        Rows in a share; fewer than all of a thread's where shares take unequal time or room.
    """
    threads = min(most_threads(), 1 + rows // least, max(rows, 1))
    shares = max(threads, 0 if most is None else -(-rows // most))
    cuts = [rows * i // shares for i in range(shares + 1)]
    if threads == 1:
        return [run(start, stop) for start, stop in zip(cuts[:-1], cuts[1:], strict=True)]
    with ThreadPoolExecutor(threads) as pool:
        return list(pool.map(run, cuts[:-1], cuts[1:]))


def in_runs(measure: Callable[[Array], Array], nodes: Array, elements: Array) -> Array:
    """Measure elements by their corners, run by run, so that little memory is taken.

    Parameters
    ----------
    measure : callable
        From corners (r, k, 3) to an array of r rows.
    nodes : (n, 3) float array
    elements : (m, k) int array
        Rows of ``nodes``.

    Returns
    -------
    (m, ...) array
    """
    one = measure(nodes[elements[:1]])
    measured = np.empty((len(elements), *one.shape[1:]), one.dtype)

    def run(start: int, stop: int) -> None:
        measured[start:stop] = measure(nodes[elements[start:stop]])

    in_shares(run, len(elements), least=_RUN, most=_RUN)
    return measured


def in_blocks(measure: Callable[[Array], Array], rows: Array, beside: int) -> Array:
    """Measure rows, each beside so many other things, in blocks of which every pair fits into little memory."""
    most = max(1, _PAIRS // max(beside, 1))
    return np.concatenate([measure(rows[k : k + most]) for k in range(0, max(len(rows), 1), most)])
