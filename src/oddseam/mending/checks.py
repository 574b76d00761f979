"""What a mend lost by rounding, what is left when it is done, and whether that is worse than what was given."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.findings.classes import defects
from oddseam.findings.classes.finding import MOST_PLACES, Place
from oddseam.model import Mesh
from oddseam.model.enclosing import space_kept
from oddseam.model.prove import prove

#: Of the space where it is clear what is in and what is out so much must be as it was.
_KEPT = 0.985


def collapsed_pieces(given: Mesh, rounded: Mesh) -> list[str]:
    """Pieces that rounding leaves without any area."""

    def lost(mesh: Mesh) -> Array:
        flat = np.zeros(len(mesh.triangulation.triangles), bool)
        flat[mesh.degenerate_triangles] = True
        flat |= given.pieces.of_triangle < 0
        return flat

    piece = given.pieces.of_triangle
    before, after = lost(given), lost(rounded)
    had = np.bincount(piece[~before], minlength=given.connectivity.n_pieces)
    has = np.bincount(piece[~after], minlength=given.connectivity.n_pieces)
    gone = np.flatnonzero((had > 0) & (has == 0))
    middle = (given.pieces.low + given.pieces.high) / 2
    return [
        f"the piece at {point_text(middle[p])}, {given.pieces.extent[p]:.3g} across, collapses in single "
        "precision; move the part nearer to the origin, or write another format"
        for p in gone[:MOST_PLACES].tolist()
    ] + ([f"{len(gone) - MOST_PLACES} more pieces collapse"] if len(gone) > MOST_PLACES else [])


def remaining_faults(mesh: Mesh, joints_are_meant: bool) -> list[str]:
    """Faults that are left, each with its first places; joints are none where they are meant."""
    joints = [] if joints_are_meant else [defects.nonmanifold_edges(mesh), defects.nonmanifold_nodes(mesh)]
    found = [
        *joints, defects.misoriented(mesh), defects.inward(mesh), defects.duplicate_facets(mesh),
        defects.degenerate_facets(mesh), defects.crossing_facets(mesh),
    ]  # fmt: skip
    return [
        f"{f.kind}: {f.count:,} left at {f.n_places:,} place(s), {_first(f.places)}" for f in found if f is not None
    ]


def other_space(given: Mesh, oriented: Mesh, mended: Mesh) -> list[str]:
    """What is to be said if a mended surface encloses another space than was given, as it was and once oriented."""
    share, place = space_kept(given, mended)
    if share < _KEPT:
        share, place = max((share, place), space_kept(oriented, mended), key=lambda found: found[0])
    if share >= _KEPT or place is None:
        return []
    return [
        f"the space that is enclosed is not the one that was given, at {1.0 - share:.1%} of the places beside facets "
        f"where that is clear, first at {point_text(place)}"
    ]


def is_worse(after: Mesh, before: Mesh, cuts_rims: bool) -> bool:
    """Whether a surface has more faults than another one, or is torn in more places, except for ``cuts_rims``.

    Edges of more than two facets are none where surfaces that crossed no longer do.
    """
    now = prove(after)
    if now.is_clean and now.is_closed:
        return False
    was = prove(before)
    faults = now.worse_than(was)
    if was.crossing_pairs and not now.crossing_pairs:
        faults = [fault for fault in faults if not fault.startswith("non-manifold")]
    return bool(faults) or (not cuts_rims and now.rims > was.rims and now.free_edges > was.free_edges)


def _first(places: tuple[Place, ...]) -> str:
    return "first at " + point_text(places[0].centre) if places else "places unknown"
