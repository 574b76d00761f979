"""Described selections: one small language in Python and on the command line."""

from oddseam.picks.listing import list_picked
from oddseam.picks.selection import pick

__all__ = ["list_picked", "pick"]
