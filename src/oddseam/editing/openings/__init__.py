"""Openings: their outlines, rims and walls, and what is between two of them."""
