"""Which open pieces look inward though they enclose space, and of which that cannot be told.

A piece that covers most directions about its inside looks inward or outward by itself.  Of the others, panels of
something that only all of them enclose, those look inward that have space wound round backwards before them, and
none behind them.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.geometry.trees.winding_tree import WindingTree
from oddseam.geometry.triangles import area_vectors, winding_number
from oddseam.model import Mesh
from oddseam.model.enclosure import PLAINLY, enclosure_of, spread_over

#: Among pieces that cross one another only what covers more than this share tells: leaves on a bush are no bowls.
_AMID = 0.7
#: Winding numbers before and behind a panel of something that looks inward.
_BEFORE, _BEHIND = -0.6, -0.4
#: Of the points that a piece is looked at from, one of so many will do for a panel.
_EVERY = 5
#: Smaller pieces, over the diagonal, are not looked at, nor more than so many.
_SMALL, _MOST = 0.01, 200


@dataclass
class OpenPieces:
    """Numbers of the pieces that look inward, and what is to be said of those of which that cannot be told."""

    inward: list[int] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def look_at_open_pieces(mesh: Mesh, disputed: Array) -> OpenPieces:
    """Which open pieces look inward; O(n log n).

    Parameters
    ----------
    mesh : Mesh
        In each piece of which neighbours agree.
    disputed : (p,) bool array
        Pieces that are to be told by the volume behind them, if nothing else tells.
    """
    pieces = mesh.pieces
    open_ = np.flatnonzero(~pieces.is_solid)
    found = OpenPieces()
    if not len(open_):
        return found
    open_ = open_[np.argsort(-pieces.extent[open_], kind="stable")]
    rows = _Rows(mesh)
    told: dict[int, bool] = {}
    panels: list[int] = []
    large = open_[pieces.extent[open_] > _SMALL * mesh.diagonal][:_MOST].tolist()
    spaces = {p: enclosure_of(mesh.nodes, mesh.triangulation.triangles[rows.of(p)]) for p in large}
    # crossings take time: they matter only where there is more than one piece, and not all is plain
    is_plain = all(space.share > _AMID for space in spaces.values())
    pairs = np.zeros((0, 2), np.int64) if is_plain or len(pieces.volume) == 1 else mesh.crossing_triangles
    crossed = set(pieces.of_triangle[pairs].ravel().tolist())
    for p, space in spaces.items():
        plainly = _AMID if p in crossed else PLAINLY
        if space.share > (0.5 if disputed[p] else plainly):
            told[p] = space.is_inward
        else:
            panels.append(p)
    found.inward = [p for p, is_inward in told.items() if is_inward and not is_within_others(mesh, p)]
    if panels and crossed.isdisjoint(open_.tolist()):  # what crosses is no set of panels
        joint = _inward_panels(mesh, found.inward, panels, rows)
        found.inward += joint
        told |= dict.fromkeys(joint, True)
    untold = [p for p in open_.tolist() if p not in told]
    if untold:
        middle = (pieces.low + pieces.high) / 2
        first = "; ".join(f"{pieces.extent[p]:.4g} across at {point_text(middle[p])}" for p in untold[:3])
        found.notes.append(
            f"the outward side of {len(untold):,} open piece(s) cannot be told; they were left as given: {first}"
            + ("; ..." if len(untold) > 3 else "")
        )
    return found


class _Rows:
    """Rows of the triangulation of every piece."""

    def __init__(self, mesh: Mesh) -> None:
        piece = mesh.pieces.of_triangle
        self._order = np.argsort(piece, kind="stable")
        self._begin = np.searchsorted(piece[self._order], np.arange(len(mesh.pieces.volume) + 1))

    def of(self, piece: int) -> Array:
        """Rows of a piece."""
        return np.asarray(self._order[self._begin[piece] : self._begin[piece + 1]])


def is_within_others(mesh: Mesh, piece: int) -> bool:
    """Whether the pieces whose boxes hold that of a piece, closed or not, wind about it."""
    pieces = mesh.pieces
    around = (pieces.low < pieces.low[piece]).all(axis=1) & (pieces.high > pieces.high[piece]).all(axis=1)
    if not around.any():
        return False
    corners = mesh.nodes[mesh.triangulation.triangles]
    point = corners[np.argmax(pieces.of_triangle == piece)].mean(axis=0)
    return abs(winding_number(point, corners[np.isin(pieces.of_triangle, np.flatnonzero(around))])) >= 0.5


def _inward_panels(mesh: Mesh, turned: list[int], panels: list[int], rows: _Rows) -> list[int]:
    """Panels that look into space which all pieces together wind round backwards."""
    pieces, t = mesh.pieces, mesh.triangulation.triangles
    corners = mesh.nodes[t].copy()
    over = np.isin(pieces.of_triangle, turned)
    corners[over] = corners[over][:, ::-1]
    tree = WindingTree(corners)
    before, behind, panel = [], [], []
    for p in panels:
        mine = rows.of(p)
        its = corners[mine[spread_over(mesh.nodes, t[mine])[::_EVERY]]]
        normal = area_vectors(its)
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
        step, middle = 0.02 * mesh.diagonal * normal, its.mean(axis=1)
        before.append(middle + step)
        behind.append(middle - step)
        panel.append(np.full(len(its), p))
    ahead, back, of = tree.at(np.concatenate(before)), tree.at(np.concatenate(behind)), np.concatenate(panel)
    return [p for p in panels if np.median(ahead[of == p]) < _BEFORE and np.median(back[of == p]) > _BEHIND]
