"""Nodes joined, rims sewn, and facets that are no facets or look the wrong way."""
