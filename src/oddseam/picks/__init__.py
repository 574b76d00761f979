"""Described selections: one small language in Python and on the command line."""

from oddseam.picks.listing import Picked, list_picked
from oddseam.picks.selection import pick, selected

__all__ = ["Picked", "list_picked", "pick", "selected"]
