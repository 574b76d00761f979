"""Which side of a sheet that is cut by solids lies within them.

Where sheets and closed surfaces share edges, sheets fall into patches; each lies on one side of
what is closed, and the winding number of that about any of its facets tells which.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import numbered_edges, winding_number
from oddseam.model.connectivity import label_components


def side_of_sheets(points: Array, triangles: Array, closed: Array, inside: bool) -> Array:
    """Rows of sheets' triangles that lie within what is closed, or outside of it.

    Only sheets count that share an edge with something closed.

    Parameters
    ----------
    points : (n, 3) float64 array
    triangles : (m, 3) int array
        Meeting in whole edges and nodes.
    closed : (m,) bool array
        Which belong to closed surfaces.
    inside : bool

    Notes
    -----
    O(m log m), and O(m) for each patch.
    """
    edge = numbered_edges(triangles, len(points))[1].ravel()
    row = np.repeat(np.arange(len(triangles)), 3)
    at_closed = np.zeros(int(edge.max(initial=-1)) + 1, bool)
    at_closed[edge[closed[row]]] = True
    sheet = ~closed[row]
    n = len(triangles)
    whole = label_components(n + len(at_closed), row[sheet], n + edge[sheet])[1][:n]
    within = sheet & ~at_closed[edge]
    patch = label_components(n + len(at_closed), row[within], n + edge[within])[1][:n]
    cut = np.zeros(int(whole.max(initial=-1)) + 1, bool)
    cut[whole[row[sheet & at_closed[edge]]]] = True
    rows = np.flatnonzero(~closed & cut[whole])
    solids = points[triangles[closed]]
    _, first, which = np.unique(patch[rows], return_index=True, return_inverse=True)
    middle = points[triangles[rows[first]]].mean(axis=1)
    is_inside = np.array([round(winding_number(p, solids)) > 0 for p in middle], bool)
    return np.asarray(rows[is_inside[which.ravel()] == inside])
