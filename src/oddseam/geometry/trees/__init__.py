"""Trees over boxes and facets: what is near, what is hit, how often a surface winds round a point."""
