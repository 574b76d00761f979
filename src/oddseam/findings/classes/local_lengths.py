"""The wall behind every element, or the gap before it."""

from __future__ import annotations

from typing import Literal

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.classes.across import INWARD, OUTWARD, Across
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.progress import Progress, silent


@checked
def local_lengths(mesh: Mesh, of: Literal["thickness", "gap"], *, progress: Progress = silent) -> Array:
    """Measure the wall or the gap at every element.

    Parameters
    ----------
    mesh : Mesh
    of : str
        ``"thickness"`` of the wall behind an element, or the ``"gap"`` before it.
    progress : callable, optional

    Returns
    -------
    (m,) float array
        For all elements, in order; nan where there is none.  Of the two halves of a quad the shorter way counts.

    Raises
    ------
    Refusal
        If it is neither.

    Notes
    -----
    Measured from the middles of triangles along their normals.  O(n log n).

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> nodes = [[x, y, z] for z in (0, 2) for y in (0, 9) for x in (0, 9)]
    >>> sides = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (1, 3, 7, 5), (3, 2, 6, 7), (2, 0, 4, 6)]
    >>> triangles = [t for a, b, c, d in sides for t in ((a, b, c), (a, c, d))]
    >>> plate = oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")
    >>> np.unique(oddseam.local_lengths(plate, "thickness")).tolist()
    [2.0, 9.0]
    """
    facet, distance, _ = Across(mesh).pairs(INWARD if of == "thickness" else OUTWARD)
    values = np.full(mesh.n_elements, np.inf)
    np.minimum.at(values, mesh.triangulation.element[facet], distance)
    return np.where(np.isfinite(values), values, np.nan)
