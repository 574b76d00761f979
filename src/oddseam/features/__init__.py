"""Creases, and the curves that they and the borders of a surface make."""
