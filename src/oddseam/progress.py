"""Progress by callback: the library never prints.

Who calls a function may give it a callback; whoever calls several, such as the command line, may set one for all that
runs meanwhile.  What a function calls on its way reports to nobody, so that the share that is done only grows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

#: Called with the name of the running step and the fraction of the whole that is done.
Progress = Callable[[str, float], None]


def silent(step: str, fraction: float) -> None:
    """Report to nobody; the default of every operation."""


_told: ContextVar[Progress] = ContextVar("told", default=silent)


@contextmanager
def told_to(progress: Progress) -> Iterator[None]:
    """Let what is called meanwhile report to a callback, unless it has one of its own."""
    token = _told.set(progress)
    try:
        yield
    finally:
        _told.reset(token)


@contextmanager
def steps_of(name: str, progress: Progress | None) -> Iterator[Progress]:
    """The callback of a function that is called with ``progress``: that, or the one that is set; told of its start."""
    told = _told.get() if progress is silent or progress is None else progress
    told(name, 0.0)
    with told_to(silent):
        yield told
    told("done", 1.0)
