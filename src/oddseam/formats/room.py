"""How much a small file may make of itself, by repeating what it holds: counted before anything is allocated."""

from __future__ import annotations

import os
import resource
from pathlib import Path

from oddseam.errors import FormatError, Refusal

#: More facets than anybody means, whatever memory there is.
_MOST = 200_000_000
#: Bytes that a facet takes at the peak of reading, and the share of free memory that reading may take.
_BYTES, _SHARE = 400, 0.5
#: Sets another limit.
VARIABLE = "ODDSEAM_MOST_FACETS"


def most_facets() -> int:
    """How many facets may come of one file: what ``ODDSEAM_MOST_FACETS`` says, or what half of the free memory holds.

    Raises
    ------
    Refusal
        If the variable is not a count.
    """
    said = os.environ.get(VARIABLE, "")
    if said:
        if not (said.isascii() and said.isdecimal() and len(said) < 18):
            raise Refusal(f"{VARIABLE} is {said[:40]!r}, which is not a count")
        return int(said)
    return min(_MOST, int(_SHARE * _free_memory() / _BYTES))


def _free_memory() -> int:
    """Bytes that can be had: of the machine, and of what the process may take."""
    free = 1 << 62
    try:
        with open("/proc/meminfo", encoding="ascii") as told:
            free = next(int(line.split()[1]) * 1024 for line in told if line.startswith("MemAvailable"))
    except (OSError, StopIteration, ValueError):
        free = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2
    limit, _ = resource.getrlimit(resource.RLIMIT_AS)
    return free if limit == resource.RLIM_INFINITY else min(free, limit)


def check_room(path: Path, facets: int, how: str) -> None:
    """Refuse a file of which more facets would come than there is room for."""
    most = most_facets()
    if facets > most:
        raise FormatError(
            str(path), f"{how} {facets:,} facets, and there is room for {most:,}; {VARIABLE} sets another limit"
        )
