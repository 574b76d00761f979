"""What a caller gives, as what work can be done on, or refused in one line."""

from __future__ import annotations

from oddseam.errors import Refusal

#: More of anything than somebody means, and than memory holds.
MOST = 10_000_000


def check_count(what: str, value: float, *, least: int = 1, most: int = MOST) -> None:
    """Refuse a count that is too small, or that no memory would hold.

    Parameters
    ----------
    what : str
        What is counted, such as ``"nodes on the rim"``.
    value : float
        The count, or about what it would come to.
    """
    if not value >= least:
        raise Refusal(f"{what}: {value:g} are too few; {least} at least are needed")
    if value > most:
        raise Refusal(f"{what}: {value:,.0f} are more than {most:,}, which is all that is made at once")
