"""Pieces that float by themselves and are next to nothing, and hollows that nobody made."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.findings.classes import defects
from oddseam.findings.classes.finding import MOST_PLACES, point_of
from oddseam.geometry.triangles import areas
from oddseam.model import Mesh
from oddseam.model.editing import edited
from oddseam.model.enclosure import PLAINLY, enclosure_of
from oddseam.model.origins import new_elements

#: Crumbs are dropped unasked if they have less than this share of the area of the rest.
_NOTHING = 1e-3
#: So many of the largest pieces are looked at for whether they enclose space.
_LARGEST = 5


@dataclass
class Dropped:
    """How many pieces went, the ids of their elements, where they were, and what is to be said of them."""

    count: int = 0
    ids: Array = field(default_factory=lambda: np.zeros(0, np.int64))
    notes: list[str] = field(default_factory=list)
    places: tuple[tuple[float, float, float], ...] = ()
    detail: str = ""


def drop_crumbs(mesh: Mesh, size: float, is_asked: bool) -> tuple[Mesh, Dropped]:
    """Without floating pieces smaller than a size.

    Where nobody asked for it (``is_asked``), they stay if they are no debris beside the rest: if that encloses
    nothing, or has not far more area.
    """
    pieces = defects.crumb_pieces(mesh, size)
    if not len(pieces):
        return mesh, Dropped()
    found = Dropped(len(pieces))
    middle = (mesh.pieces.low + mesh.pieces.high) / 2
    extent, facets = mesh.pieces.extent, np.bincount(mesh.pieces.of_triangle[mesh.pieces.of_triangle >= 0])
    rows = np.flatnonzero(np.isin(mesh.pieces.of_triangle, pieces))
    corners = mesh.nodes[mesh.triangulation.triangles]
    area = areas(corners)
    if not is_asked and (area[rows].sum() > _NOTHING * area.sum() or not _encloses(mesh, pieces)):
        found.count = 0
        found.notes.append(
            f"{len(pieces):,} floating piece(s) less than {size:.4g} across stay, the first at "
            f"{point_text(middle[pieces[0]])}: beside the rest they need not be debris (say crumbs to drop them)"
        )
        return mesh, found
    found.places = tuple(point_of(middle[p]) for p in pieces[:MOST_PLACES])
    for p, place in zip(pieces.tolist(), found.places, strict=False):
        found.notes.append(f"dropped: a crumb {extent[p]:.4g} across, {facets[p]} facet(s), at {point_text(place)}")
    if len(pieces) > MOST_PLACES:
        found.notes.append(f"dropped: {len(pieces) - MOST_PLACES:,} more crumbs")
    gone = np.unique(mesh.triangulation.element[rows])
    found.ids = mesh.element_ids[gone]
    return edited(mesh, drop=gone), found


def _encloses(mesh: Mesh, but: Array) -> bool:
    """Whether any of the largest pieces encloses space, except for some."""
    pieces, t = mesh.pieces, mesh.triangulation.triangles
    others = np.setdiff1d(np.arange(len(pieces.volume)), but)
    others = others[np.argsort(-pieces.extent[others], kind="stable")][:_LARGEST]
    if pieces.is_solid[others].any():
        return True
    return any(enclosure_of(mesh.nodes, t[pieces.of_triangle == p]).share > PLAINLY for p in others.tolist())


def drop_pockets(mesh: Mesh, before: Mesh, size: float) -> tuple[Mesh, Dropped]:
    """Without hollows that nobody made: left between surfaces that crossed, with less volume than a crumb.

    ``before`` is the mesh before surfaces were cut.
    """
    pieces, t = mesh.pieces, mesh.triangulation
    is_new = np.zeros(len(pieces.volume) + 1, bool)  # the last one stands for no piece
    is_new[pieces.of_triangle[np.isin(t.element, new_elements(mesh, before))]] = True
    chosen = np.flatnonzero(pieces.is_solid & is_new[:-1] & (pieces.volume < 0) & (pieces.volume > -(size**3)))
    if not len(chosen):
        return mesh, Dropped()
    found = Dropped(len(chosen), detail=f"between surfaces that crossed, less than {size**3:.3g} in volume")
    middle = (pieces.low + pieces.high) / 2
    for p in chosen[:MOST_PLACES].tolist():
        found.notes.append(
            f"closed: a hollow {pieces.extent[p]:.4g} across and {-pieces.volume[p]:.3g} in volume, where surfaces "
            f"crossed, at {point_text(middle[p])}"
        )
    if len(chosen) > MOST_PLACES:
        found.notes.append(f"closed: {len(chosen) - MOST_PLACES:,} more hollows")
    found.places = tuple(point_of(middle[p]) for p in chosen[:MOST_PLACES])
    return edited(mesh, drop=np.unique(t.element[np.isin(pieces.of_triangle, chosen)])), found
