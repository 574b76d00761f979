"""Described selections: one small language in Python and on the command line."""

from oddseam.picks.selection import pick

__all__ = ["pick"]
