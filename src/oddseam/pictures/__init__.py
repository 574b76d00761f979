"""Drawings without a display: our own depth-buffer renderer inside a Matplotlib figure."""

from oddseam.pictures.figure import draw

__all__ = ["draw"]
