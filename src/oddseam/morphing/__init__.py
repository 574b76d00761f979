"""Morphing: nodes follow a change of the design; ids and connectivity stay."""
