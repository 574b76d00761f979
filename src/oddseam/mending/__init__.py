"""Mending: one file per defect class, and the order in which they are mended."""

from oddseam.mending.sequence import mend

__all__ = ["mend"]
