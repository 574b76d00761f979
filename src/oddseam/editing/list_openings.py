"""Openings of a mesh: rims of shells, and holes through facet solids."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.errors import Refusal
from oddseam.features.find_features import find_features
from oddseam.findings.classes.finding import point_of
from oddseam.findings.classes.rim_shapes import rim_shape
from oddseam.geometry.shapes.loops import circle_of
from oddseam.geometry.triangles import area_vectors
from oddseam.inputs import PointLike, checked
from oddseam.listing import Listing, column
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.skin import has_solids, skin
from oddseam.progress import Progress, silent


@dataclass(frozen=True)
class Opening:
    """A closed rim of shells, or a hole through solids.

    Attributes
    ----------
    kind : str
        ``"rim"``; ``"border"`` for the outer rim of a sheet; ``"bore"``.
    diameter : float
        The mean one.
    length, width : float
        Of the smallest rectangle round a rim; of a bore its depth and diameter.
    roundness : float
        Least over largest radius; 1 for a bore.
    rim_nodes : int
    part : str
    centre, axis : (x, y, z)
    ids : tuple of int
        Of the nodes on it.
    """

    kind: str
    diameter: float
    length: float = column(".5g")
    width: float = column(".5g")
    roundness: float = column(".3f")
    rim_nodes: int = column()
    part: str = column()
    centre: tuple[float, float, float] = column()
    axis: tuple[float, float, float] = column()
    ids: tuple[int, ...] = column(shown=False)


@checked
def list_openings(mesh: Mesh, *, progress: Progress = silent) -> Listing[Opening]:
    """List the openings: rims of shells, and holes through solids.

    Closed rims are listed, and cylindrical patches that are holes: of solids, and of a mesh with patches.

    Parameters
    ----------
    mesh : Mesh
        See ``find_features`` for patches.  Of solids the skin is looked at.
    progress : callable, optional

    Returns
    -------
    Listing of Opening
        The smallest first.

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
    >>> [(row.kind, round(row.diameter, 6), row.rim_nodes) for row in oddseam.list_openings(washer)]
    [('rim', 4.0, 12), ('border', 10.0, 12)]
    """
    rows = [rim_row(mesh, rim) for rim in mesh.connectivity.rims if rim.closed]
    solids = has_solids(mesh)
    rows += _bores(find_features(skin(mesh)) if solids else mesh)
    rows.sort(key=lambda row: (row.diameter, row.centre))
    return Listing(tuple(rows), Opening, f"{len(rows):,} opening(s), lengths in {mesh.unit_name}", mesh.diagonal)


def rim_row(mesh: Mesh, rim: Rim) -> Opening:
    """What ``list_openings`` says of a rim."""
    centre, axis, radii = circle_of(mesh.nodes[rim.nodes])
    element = mesh.faces.element[mesh.connectivity.face[rim.corners]]
    shape = rim_shape(mesh, rim)
    return Opening(
        kind="border" if shape.is_outer else "rim",
        diameter=2.0 * float(radii.mean()),
        length=shape.length,
        width=shape.width,
        roundness=float(radii.min() / radii.max()) if radii.max() > 0 else 0.0,
        centre=point_of(centre),
        axis=point_of(axis),
        part=mesh.parts[int(np.bincount(mesh.element_part[element]).argmax())].name,
        rim_nodes=len(rim.nodes),
        ids=tuple(mesh.node_ids[rim.nodes].tolist()),
    )


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


def _bores(mesh: Mesh) -> list[Opening]:
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
            Opening(
                kind="bore",
                diameter=2.0 * patch.radius,
                length=float(np.ptp(along)),
                width=2.0 * patch.radius,
                roundness=1.0,
                centre=point_of(centre),
                axis=point_of(axis),
                part=mesh.parts[int(np.bincount(mesh.element_part[t.element[its]]).argmax())].name,
                rim_nodes=len(nodes),
                ids=tuple(mesh.node_ids[nodes].tolist()),
            )
        )
    return rows
