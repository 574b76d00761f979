"""Planes, polygons and simple surfaces, and how well elements are shaped."""
