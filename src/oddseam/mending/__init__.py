"""Mending: one file per defect class, and the order in which they are mended."""

from oddseam.mending.mend import mend

__all__ = ["mend"]
