"""Tolerances that several operations decide by, each with its reason; all are shares of a length of the input.

Exact questions (what crosses, which side) are never decided by one of these.
"""

from __future__ import annotations

#: Lengths that differ by less, over the diagonal of the mesh, are equal: rounding of what is computed from them.
EQUAL = 1e-9
#: A node this near to another line's node, over the edges there, becomes one with it; a shorter piece of an edge would
#: be an element far smaller than those round it.
SNAP = 0.15
#: A point this near to a node, over the size of elements there, means that node.
SAME_NODE = 0.02
#: What is to stand on a surface may be so far off it, over the size of its elements: as much as facets of a curved one
#: sag.
OFF_SURFACE = 0.2
#: Surfaces that turn by fewer degrees at a line go on in one plane there.
IN_ONE_PLANE = 1.0
