"""Patches as rows of a table."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from oddseam.errors import Refusal
from oddseam.inputs import checked
from oddseam.model import Mesh


@checked
def describe_patches(mesh: Mesh) -> list[dict[str, Any]]:
    """List the patches of a mesh with their measures, numbers of elements and neighbours.

    Parameters
    ----------
    mesh : Mesh
        With patches, see ``find_features``.

    Returns
    -------
    list of dict
        One for each patch: its number, name, kind, axis, centre, radius, tube, area, elements, and the numbers of
        the patches across its edges.

    Raises
    ------
    Refusal
        If the mesh has no patches.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> rows = oddseam.describe_patches(oddseam.find_features(corner))
    >>> rows[0]["kind"], round(rows[0]["area"], 3), rows[0]["neighbours"]
    ('plane', 3.464, [2, 3, 4])
    """
    if mesh.patches is None:
        raise Refusal("the mesh has no patches; `oddseam features` finds them")
    label = mesh.patches.label
    c = mesh.connectivity
    pairs = label[mesh.faces.element[c.face[c.pairs]]] if len(c.pairs) else np.zeros((0, 2), np.int32)
    pairs = np.unique(np.sort(pairs[(pairs[:, 0] != pairs[:, 1]) & (pairs >= 0).all(axis=1)], axis=1), axis=0)
    beside: list[list[int]] = [[] for _ in mesh.patches.table]
    for a, b in pairs.tolist():
        beside[a].append(b + 1)
        beside[b].append(a + 1)
    count = np.bincount(label[label >= 0], minlength=len(beside))
    return [
        {"number": k + 1, **asdict(patch), "elements": int(count[k]), "neighbours": sorted(beside[k])}
        for k, patch in enumerate(mesh.patches.table)
    ]
