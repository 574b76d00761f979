"""Exact arithmetic on points, and what is decided by it: planar subdivisions, crossings, arrangements."""
