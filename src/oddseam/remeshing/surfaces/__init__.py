"""Surfaces cut into sheets for a two-manifold kernel, worked on, and put together again."""
