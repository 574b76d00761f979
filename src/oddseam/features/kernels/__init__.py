"""Kernels: compiled functions of arrays and scalars."""
