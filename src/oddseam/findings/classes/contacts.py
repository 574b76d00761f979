"""What pieces do to one another: facets that touch, walls that coincide, pieces that overlap or nest."""

from __future__ import annotations

import numpy as np

from oddseam.findings.classes.finding import Finding, gathered, places_of
from oddseam.geometry.exact.crossing_lines import crossing_lines
from oddseam.geometry.triangles import areas, unit_normals
from oddseam.model import Mesh
from oddseam.model.nesting import pieces_around


def contact_findings(mesh: Mesh) -> list[Finding | None]:
    """All of them; O(n log n), and a time that grows with the number of pairs that touch."""
    return [touching_facets(mesh), coincident_walls(mesh), overlapping_pieces(mesh), nested_pieces(mesh)]


def touching_facets(mesh: Mesh) -> Finding | None:
    """Pairs of facets that touch beyond common corners and edges, and do not cross.

    Nodes at one place count as one here; those that are not joined are a finding of their own.
    """
    t, pairs = mesh.triangulation, mesh.touching_triangles
    if not len(pairs):
        return None
    places, n = gathered(mesh.nodes, t.triangles[pairs].reshape(-1, 6), mesh.element_ids[t.element[pairs]])
    message = "pairs of facets that touch where they have no node or edge in common"
    return Finding("touching facets", "warning", len(pairs), "pairs (element ids)", message,
                   "`oddseam mend` parts them, or joins them where they cross as well.", places, n)  # fmt: skip


def coincident_walls(mesh: Mesh) -> Finding | None:
    """Facets that lie on others in one plane; those on the same nodes are a finding of their own."""
    t, pairs = mesh.triangulation, mesh.crossing_triangles
    corners = np.sort(t.triangles[pairs], axis=2)
    pairs = pairs[(corners[:, 0] != corners[:, 1]).any(axis=1)]
    if not len(pairs):
        return None
    pairs = pairs[crossing_lines(mesh.nodes, t.triangles, pairs).in_plane]
    if not len(pairs):
        return None
    rows = np.unique(pairs)
    normal = unit_normals(mesh.nodes[t.triangles])
    opposite = np.einsum("ij,ij->i", normal[pairs[:, 0]], normal[pairs[:, 1]]) < 0
    area = float(areas(mesh.nodes[t.triangles[rows]]).sum())
    places, n = gathered(mesh.nodes, t.triangles[rows], mesh.element_ids[t.element[rows]])
    message = (
        f"facets that lie on others in one plane, {area:.4g} in area together; of {len(pairs):,} pairs "
        f"{int(opposite.sum()):,} look opposite ways"
    )
    return Finding("coincident walls", "warning", len(rows), "facets (element ids)", message,
                   "`oddseam mend` keeps one of two walls, or none within what is solid.", places, n)  # fmt: skip


def overlapping_pieces(mesh: Mesh) -> Finding | None:
    """Pairs of pieces whose facets cross, a place for each."""
    t, piece = mesh.triangulation, mesh.pieces.of_triangle
    pairs = mesh.crossing_triangles
    both = np.sort(piece[pairs], axis=1)
    apart = (both[:, 0] != both[:, 1]) & (both[:, 0] >= 0)
    if not apart.any():
        return None
    names, label = np.unique(both[apart], axis=0, return_inverse=True)
    corners = mesh.nodes[t.triangles[pairs[apart]]].reshape(-1, 6, 3)
    places, n = places_of(corners, label.ravel(), len(names), mesh.element_ids[t.element[pairs[apart]]])
    solid = mesh.pieces.is_solid[names]
    own = int((~apart).sum())
    message = (
        f"pairs of pieces that cross; in {int(solid.all(axis=1).sum()):,} both are closed, in "
        f"{int((~solid).any(axis=1).sum()):,} one is open at least"
    )
    if own:
        message += f"; {own:,} more pairs of facets are of one piece each"
    return Finding("overlapping pieces", "warning", len(names), "pairs of pieces (element ids of facets)", message,
                   "`oddseam mend` makes closed ones one; --overlaps imprint keeps them.", places, n)  # fmt: skip


def nested_pieces(mesh: Mesh) -> Finding | None:
    """Pieces within closed ones whose walls they do not cross."""
    pieces, t = mesh.pieces, mesh.triangulation
    count = len(pieces.is_solid)
    inside = pieces_around(mesh)
    crossing = np.sort(pieces.of_triangle[mesh.crossing_triangles], axis=1)
    apart = ~np.isin(np.sort(inside, axis=1) @ [count, 1], crossing @ [count, 1])
    nested = np.unique(inside[apart, 0])
    if not len(nested):
        return None
    member = np.flatnonzero(np.isin(pieces.of_triangle, nested))
    label = np.searchsorted(nested, pieces.of_triangle[member])
    corners, ids = mesh.nodes[t.triangles[member]], mesh.element_ids[t.element[member]]
    places, n = places_of(corners, label, len(nested), ids)
    hollow = int((pieces.is_solid[nested] & (pieces.volume[nested] < 0)).sum())
    message = f"pieces that lie within closed ones, {hollow:,} of which look inward and hollow them out"
    return Finding("nested pieces", "note", len(nested), "pieces (element ids)", message,
                   "`oddseam chambers` lists what is closed and how it nests.", places, n)  # fmt: skip
