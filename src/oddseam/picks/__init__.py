"""Described selections: one small language in Python and on the command line."""

from oddseam.picks.list_picked import Picked, list_picked
from oddseam.picks.pick import pick
from oddseam.picks.selection import selected

__all__ = ["Picked", "list_picked", "pick", "selected"]
