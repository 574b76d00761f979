"""Remeshing of surfaces."""

from oddseam.remeshing.remesh import remesh

__all__ = ["remesh"]
