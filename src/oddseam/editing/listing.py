"""Openings of a mesh: rims of shells, and holes through facet solids."""

from __future__ import annotations

from typing import Any

import numpy as np

from oddseam.errors import Refusal
from oddseam.features.patches import find_features
from oddseam.findings.finding import point_of
from oddseam.findings.rim_shapes import rim_shape
from oddseam.geometry.loops import circle_of
from oddseam.geometry.triangles import area_vectors
from oddseam.inputs import PointLike, checked
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.outer_faces import has_solids, skin


@checked
def list_openings(mesh: Mesh) -> list[dict[str, Any]]:
    """List the openings: closed rims, and cylindrical patches that are holes: of solids, and of a mesh with patches.

    Parameters
    ----------
    mesh : Mesh
        See ``find_features`` for patches.  Of solids the skin is looked at.

    Returns
    -------
    list of dict
        The smallest first: ``kind`` (``rim``, ``bore``, or ``border`` for the outer rim of a sheet), mean diameter,
        length and width (of the smallest rectangle round a rim; a bore's are its depth and diameter), roundness (least
        over largest radius; 1 for a bore), centre, axis, part, number of nodes on the rim, and the ids of these.

    Notes
    -----
    O(n log n).

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> ring = np.column_stack([np.cos(np.arange(12) * np.pi / 6), np.sin(np.arange(12) * np.pi / 6), np.zeros(12)])
    >>> k, j = np.arange(12), (np.arange(12) + 1) % 12
    >>> disc = np.concatenate([np.column_stack([k, k + 12, j + 12]), np.column_stack([k, j + 12, j])])
    >>> washer = oddseam.Mesh.from_triangles(np.concatenate([2.0 * ring, 5.0 * ring]), disc, unit="mm")
    >>> [(row["kind"], round(row["diameter"], 6), row["nodes"]) for row in oddseam.list_openings(washer)]
    [('rim', 4.0, 12), ('border', 10.0, 12)]
    """
    rows = [rim_row(mesh, rim) for rim in mesh.connectivity.rims if rim.closed]
    solids = has_solids(mesh)
    rows += _bores(find_features(skin(mesh)) if solids else mesh)
    return sorted(rows, key=lambda row: (row["diameter"], row["centre"]))


def rim_row(mesh: Mesh, rim: Rim) -> dict[str, Any]:
    """What ``list_openings`` says of a rim."""
    centre, axis, radii = circle_of(mesh.nodes[rim.nodes])
    element = mesh.faces.element[mesh.connectivity.face[rim.corners]]
    shape = rim_shape(mesh, rim)
    return {
        "kind": "border" if shape.is_outer else "rim",
        "diameter": 2.0 * float(radii.mean()),
        "length": shape.length,
        "width": shape.width,
        "roundness": float(radii.min() / radii.max()) if radii.max() > 0 else 0.0,
        "centre": point_of(centre),
        "axis": point_of(axis),
        "part": mesh.parts[int(np.bincount(mesh.element_part[element]).argmax())].name,
        "nodes": len(rim.nodes),
        "ids": mesh.node_ids[rim.nodes].tolist(),
    }


def nearest_rim(mesh: Mesh, near: PointLike) -> Rim:
    """The closed rim with the node nearest to a point.

    Raises
    ------
    Refusal
        If the mesh has none.
    """
    rims = [rim for rim in mesh.connectivity.rims if rim.closed]
    if not rims:
        raise Refusal("the mesh has no closed rim")
    away = [float(np.linalg.norm(mesh.nodes[rim.nodes] - np.array(near), axis=1).min()) for rim in rims]
    return rims[int(np.argmin(away))]


def _bores(mesh: Mesh) -> list[dict[str, Any]]:
    """Cylindrical patches whose facets look to the axis."""
    if mesh.patches is None:
        return []
    t = mesh.triangulation
    label = mesh.patches.label[t.element]
    middles, vectors = mesh.nodes[t.triangles].mean(axis=1), area_vectors(mesh.nodes[t.triangles])
    rows = []
    for k, patch in enumerate(mesh.patches.table):
        its = np.flatnonzero(label == k)
        if patch.kind != "cylinder" or patch.axis is None or patch.radius is None or not len(its):
            continue
        axis = np.array(patch.axis)
        away = middles[its] - np.array(patch.centre)
        along = away @ axis
        if float(np.einsum("ij,ij->", vectors[its], away - np.outer(along, axis))) >= 0:
            continue
        nodes = np.unique(t.triangles[its])
        along = (mesh.nodes[nodes] - np.array(patch.centre)) @ axis
        centre = np.array(patch.centre) + 0.5 * (along.min() + along.max()) * axis
        rows.append(
            {
                "kind": "bore",
                "diameter": 2.0 * patch.radius,
                "length": float(np.ptp(along)),
                "width": 2.0 * patch.radius,
                "roundness": 1.0,
                "centre": point_of(centre),
                "axis": point_of(axis),
                "part": mesh.parts[int(np.bincount(mesh.element_part[t.element[its]]).argmax())].name,
                "nodes": len(nodes),
                "ids": mesh.node_ids[nodes].tolist(),
            }
        )
    return rows


@checked
def rim_points(mesh: Mesh, *, near: PointLike) -> list[tuple[float, float, float]]:
    """Points of the closed rim nearest to a point, in order, such as ``imprint`` takes.

    Raises
    ------
    Refusal
        If the mesh has no closed rim.

    Examples
    --------
    >>> import oddseam
    >>> tent = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    >>> oddseam.rim_points(tent, near=(3, 0, 0))
    [(0.0, 0.0, 0.0), (3.0, 0.0, 0.0), (0.0, 4.0, 0.0)]
    """
    return [point_of(point) for point in mesh.nodes[nearest_rim(mesh, near).nodes]]
