"""Making neighbours agree about which side is out, and closed pieces look outward.

Every face is taken twice, as it is and turned; copies that agree across a two-face edge are
linked.  Then each region has two copies, one the other turned over, unless it cannot be
oriented at all.  What lies outside decides between them: the one that encloses a positive volume
is taken, rims closed in thought; where next to nothing is enclosed, the one that turns less area.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import cone_volumes, loop_volumes, winding_number
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import edited

#: An open piece encloses something if its volume is more than this share of its extent cubed.
_CLEARLY = 1e-3


def orient(mesh: Mesh) -> tuple[Mesh, int, int]:
    """Orient piece by piece.

    Returns
    -------
    mesh : Mesh
    count : int
        Faces turned.
    unorientable : int
        Regions that have one side only.
    """
    turned, unorientable = _turned_to_agree(mesh)
    agreed = edited(mesh, turn=mesh.faces.element[turned]) if turned.any() else mesh
    inward = _looks_inward(agreed, _pieces_with(agreed, turned))
    if inward.any():
        turned = turned ^ inward
        agreed = edited(mesh, turn=mesh.faces.element[turned])
    return agreed, int(turned.sum()), unorientable


def _turned_to_agree(mesh: Mesh) -> tuple[Array, int]:
    c, f = mesh.connectivity, len(mesh.faces)
    turned = np.zeros(f, bool)
    if c.pair_agrees.all():
        return turned, 0
    g, h = c.face[c.pairs[:, 0]].astype(np.int64), c.face[c.pairs[:, 1]].astype(np.int64)
    cross = (~c.pair_agrees).astype(np.int64)
    n, label = label_components(
        2 * f, np.concatenate([2 * g, 2 * g + 1]), np.concatenate([2 * h + cross, 2 * h + 1 - cross])
    )
    as_is, over = label[::2], label[1::2]
    one_sided = as_is == over
    area = np.zeros(mesh.n_elements)
    corners = mesh.nodes[mesh.triangulation.triangles]
    size = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    np.add.at(area, mesh.triangulation.element, size)
    kept = np.bincount(as_is, area[mesh.faces.element], minlength=n)
    turned = ~one_sided & ((kept[over] > kept[as_is]) | ((kept[over] == kept[as_is]) & (over < as_is)))
    return turned, len(np.unique(as_is[one_sided]))


def _pieces_with(mesh: Mesh, turned: Array) -> Array:
    """(p,) bool: pieces of which some faces were turned."""
    some = np.zeros(mesh.connectivity.n_pieces, bool)
    some[mesh.connectivity.piece[turned & (mesh.connectivity.piece >= 0)]] = True
    return some


def _looks_inward(mesh: Mesh, disputed: Array) -> Array:
    """(f,) bool: faces of pieces that look inward and are not the wall of a cavity.

    Closed pieces are judged, and open ones that were ``disputed``.  A piece is the wall of a
    cavity if the pieces round it, closed or not, wind about it.
    """
    pieces = mesh.pieces
    inward = np.zeros(mesh.connectivity.n_pieces, bool)
    corners = mesh.nodes[mesh.triangulation.triangles]
    for piece in np.flatnonzero(pieces.is_solid & (pieces.volume < 0)).tolist():
        inward[piece] = True
        lower = (pieces.low < pieces.low[piece]).all(axis=1)
        around = lower & (pieces.high > pieces.high[piece]).all(axis=1)
        if around.any():
            point = corners[np.argmax(pieces.of_triangle == piece)].mean(axis=0)
            members = np.isin(pieces.of_triangle, np.flatnonzero(around))
            inward[piece] = abs(winding_number(point, corners[members])) < 0.5
    open_ = disputed & ~pieces.is_solid
    if open_.any():
        inward[open_] = _capped_volumes(mesh)[open_] < -_CLEARLY * pieces.extent[open_] ** 3
    piece_of = mesh.connectivity.piece
    found: Array = (piece_of >= 0) & inward[piece_of]
    return found


def _capped_volumes(mesh: Mesh) -> Array:
    """(p,) volumes of all pieces, every closed rim being closed by a fan about its middle."""
    middle = mesh.box[0] + (mesh.box[1] - mesh.box[0]) / 2
    piece = mesh.pieces.of_triangle
    took = piece >= 0
    corners = mesh.nodes[mesh.triangulation.triangles[took]]
    volume = np.bincount(piece[took], cone_volumes(corners, middle), mesh.connectivity.n_pieces)
    c = mesh.connectivity
    corner, rim = c.rim_corners
    piece_of_rim = np.zeros(c.n_rims, np.int64)
    piece_of_rim[rim] = c.piece[c.face[corner]]
    start, end = (mesh.nodes[mesh.faces.node[its]] for its in (c.next[corner], corner))
    volume += np.bincount(piece_of_rim, loop_volumes(start, end, rim, c.n_rims, middle), c.n_pieces)
    return np.asarray(volume)
