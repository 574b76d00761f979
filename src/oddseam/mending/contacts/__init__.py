"""Surfaces that cross, touch, or nearly do."""
