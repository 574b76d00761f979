"""Remeshing of surfaces."""

from oddseam.remeshing.isotropic import remesh

__all__ = ["remesh"]
