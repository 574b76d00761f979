"""Making neighbours agree about which side is out, and closed pieces look outward.

Every face is taken twice, as it is and turned; copies that agree across a two-face edge are
linked.  Then each region has two copies, one the other turned over, unless it cannot be
oriented at all.  The one that turns less area is taken; then closed pieces are turned outward, and open ones that
enclose space (see ``mending.outward``).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.classes.finding import MOST_PLACES, point_of
from oddseam.geometry.triangles import areas
from oddseam.mending.sewing.outward import OpenPieces, is_within_others, look_at_open_pieces
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import edited


@dataclass(frozen=True)
class Oriented:
    """A mesh that was oriented, how many faces were turned, how many regions have one side only, what is to be said.

    ``inward`` is how many open pieces looked inward, ``places`` where those are.
    """

    mesh: Mesh
    turned: int
    one_sided: int
    inward: int = 0
    notes: tuple[str, ...] = ()
    places: tuple[tuple[float, float, float], ...] = ()


def orient(mesh: Mesh, *, open_too: bool = True) -> Oriented:
    """Orient piece by piece; open pieces that enclose space as well, if ``open_too``."""
    turned, one_sided = _turned_to_agree(mesh)
    agreed = edited(mesh, turn=mesh.faces.element[turned]) if turned.any() else mesh
    found = look_at_open_pieces(agreed, _pieces_with(agreed, turned)) if open_too else OpenPieces()
    inward = _inward_cavities_spared(agreed)
    inward[found.inward] = True
    piece_of = mesh.connectivity.piece
    over = (piece_of >= 0) & inward[piece_of]
    places = ((agreed.pieces.low + agreed.pieces.high) / 2)[found.inward[:MOST_PLACES]]
    if over.any():
        turned = turned ^ over
        agreed = edited(mesh, turn=mesh.faces.element[turned])
    return Oriented(
        agreed, int(turned.sum()), one_sided, len(found.inward), tuple(found.notes), tuple(map(point_of, places))
    )


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
    size = areas(corners)
    np.add.at(area, mesh.triangulation.element, size)
    kept = np.bincount(as_is, area[mesh.faces.element], minlength=n)
    turned = ~one_sided & ((kept[over] > kept[as_is]) | ((kept[over] == kept[as_is]) & (over < as_is)))
    return turned, len(np.unique(as_is[one_sided]))


def _pieces_with(mesh: Mesh, turned: Array) -> Array:
    """(p,) bool: pieces of which some faces were turned."""
    some = np.zeros(mesh.connectivity.n_pieces, bool)
    some[mesh.connectivity.piece[turned & (mesh.connectivity.piece >= 0)]] = True
    return some


def _inward_cavities_spared(mesh: Mesh) -> Array:
    """(p,) bool: closed pieces that look inward and are not the wall of a cavity: pieces round them wind about that."""
    pieces = mesh.pieces
    inward = np.zeros(mesh.connectivity.n_pieces, bool)
    for piece in np.flatnonzero(pieces.is_solid & (pieces.volume < 0)).tolist():
        inward[piece] = not is_within_others(mesh, piece)
    return inward
