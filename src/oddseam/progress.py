"""Progress by callback: the library never prints."""

from __future__ import annotations

from collections.abc import Callable

#: Called with the name of the running step and the fraction of the whole that is done.
Progress = Callable[[str, float], None]


def silent(step: str, fraction: float) -> None:
    """Report to nobody; the default of every operation."""
