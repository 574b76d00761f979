"""Drawings without a display: our own depth-buffer renderer inside a Matplotlib figure."""

from oddseam.pictures.make_picture import make_picture

__all__ = ["make_picture"]
