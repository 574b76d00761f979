"""Mend: from a torn facet surface to one that is proven closed, manifold and oriented.

The order matters: duplicates and degenerates first, so that edges have as many facets as they
seem to; orientation before filling, so that a rim knows its side; crumbs before both, so that
they are not filled; the proof last, on the coordinates that the file will hold.
"""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.findings import Limits, defects
from oddseam.findings.finding import MOST_PLACES, Finding, Place, point_of
from oddseam.formats import as_written
from oddseam.mending.degenerates import drop_degenerates
from oddseam.mending.duplicates import drop_duplicates
from oddseam.mending.filling import fill_rims
from oddseam.mending.orientation import orient
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.editing import edited
from oddseam.progress import Progress, silent

#: A rim wider than this share of its own piece is the border of a sheet, not damage to it.
_SHARE_OF_PIECE = 0.6
#: A rim that spans less than this share of what a circle of its length would is a slit.
_SLIT = 0.02


@recorded("mend")
def mend(
    mesh: Mesh,
    *,
    close: str | float = "small",
    crumbs: float | None = None,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Mend the surface of a mesh.

    Duplicate and degenerate facets are dropped without tearing, crumbs are dropped, neighbours
    are made to agree and closed pieces to look outward, and small rims are filled with
    well-shaped facets.  No node moves.

    Parameters
    ----------
    mesh : Mesh
    close : {"small", "all", "none"} or float
        Which rims to fill: those up to 5 % of the diagonal, all, none, or those up to a
        diameter.  Larger ones are left and listed.
    crumbs : float, optional
        Floating pieces smaller than this are dropped; half a percent of the diagonal by
        default, 0 to keep all.
    target : str, optional
        Format that the result is meant for, such as ``"stl"``: the proof is made on the
        coordinates as that format holds them.
    progress : callable, optional

    Returns
    -------
    Mesh
        The account's last entry says in ``outcome.unmet`` what is left and where; it is empty
        only if the result is proven closed where that was asked, manifold, oriented and free of
        crossings.

    Notes
    -----
    O(n log n).  Facets that cross one another are reported, not resolved.
    """
    limits = Limits()
    diagonal = mesh.diagonal
    widest = _widest(close, limits.rim * diagonal)
    crumb_size = limits.crumb * diagonal if crumbs is None else crumbs
    if not (crumb_size >= 0 and np.isfinite(crumb_size)):
        raise Refusal(f"crumbs {crumb_size} is not a size")
    if not len(mesh.faces):
        raise Refusal("the mesh has no shell elements to mend")
    steps: list[Step] = []

    progress("dropping duplicates and degenerates", 0.0)
    mesh = _drop_duplicates(mesh, "drop duplicates", steps)
    found = defects.degenerate_facets(mesh)
    mesh, count = drop_degenerates(mesh)
    steps.append(Step("take out degenerates", count, 0.0, "their neighbours are joined", _places(found)))
    if count and len(mesh.duplicate_triangles):
        mesh = _drop_duplicates(mesh, "drop duplicates that this made", steps)

    progress("dropping crumbs", 0.25)
    notes: list[str] = []
    mesh = _drop_crumbs(mesh, crumb_size, steps, notes)

    progress("orienting", 0.4)
    found = defects.misoriented(mesh) or defects.inward(mesh)
    mesh, count, one_sided = orient(mesh)
    steps.append(Step("turn facets", count, 0.0, "neighbours agree, closed pieces look outward", _places(found)))

    progress("filling rims", 0.55)
    unmet: list[str] = []
    mesh = _fill(mesh, widest, close == "small", steps, notes, unmet)
    if steps[-1].count:
        again, count, _ = orient(mesh)
        if count:  # a piece that was open is closed now, and looks inward
            mesh = again
            steps.append(Step("turn facets of closed pieces", count))

    progress("proving", 0.85)
    proven = mesh if target is None else as_written(mesh, target)
    if one_sided:
        unmet.append(f"{one_sided} region(s) have one side only and cannot be oriented")
    unmet += _remaining(proven)
    progress("done", 1.0)
    return mesh, Outcome(tuple(steps), tuple(notes), tuple(unmet))


def _widest(close: str | float, small: float) -> float:
    named = {"small": small, "all": np.inf, "none": 0.0}
    if isinstance(close, str):
        if close not in named:
            raise Refusal(f"close {close!r} is not small, all, none or a diameter")
        return named[close]
    if not close >= 0:
        raise Refusal(f"close {close} is not a diameter")
    return float(close)


def _places(found: Finding | None) -> tuple[tuple[float, float, float], ...]:
    return () if found is None else tuple(place.centre for place in found.places)


def _drop_duplicates(mesh: Mesh, name: str, steps: list[Step]) -> Mesh:
    found = defects.duplicate_facets(mesh)
    mesh, count, walls = drop_duplicates(mesh)
    detail = "the first of each is kept" + (f", but for {walls:,} walls of zero thickness" if walls else "")
    steps.append(Step(name, count, 0.0, detail, _places(found)))
    return mesh


def _drop_crumbs(mesh: Mesh, size: float, steps: list[Step], notes: list[str]) -> Mesh:
    pieces = defects.crumb_pieces(mesh, size)
    middle = (mesh.pieces.low + mesh.pieces.high) / 2
    extent, facets = mesh.pieces.extent, np.bincount(mesh.pieces.of_triangle[mesh.pieces.of_triangle >= 0])
    places = tuple(point_of(middle[p]) for p in pieces[:MOST_PLACES])
    for p, place in zip(pieces.tolist(), places, strict=False):
        notes.append(f"dropped: a crumb {extent[p]:.4g} across, {facets[p]} facet(s), at {_point(place)}")
    if len(pieces) > MOST_PLACES:
        notes.append(f"dropped: {len(pieces) - MOST_PLACES:,} more crumbs")
    steps.append(Step("drop crumbs", len(pieces), 0.0, f"floating pieces less than {size:.4g} across", places))
    if not len(pieces):
        return mesh
    gone = np.isin(mesh.pieces.of_triangle, pieces)
    return edited(mesh, drop=np.unique(mesh.triangulation.element[gone]))


def _fill(mesh: Mesh, widest: float, spare: bool, steps: list[Step], notes: list[str], unmet: list[str]) -> Mesh:
    """Fill what is asked for; list the rest, and what was asked for and could not be.

    ``spare`` leaves rims that are the border of a sheet as small as themselves: nobody asked
    for those by their size.
    """
    c = mesh.connectivity
    _, size, _ = c.measure_rims(mesh.nodes)
    extent = mesh.pieces.extent
    chosen: list[Rim] = []
    borders: list[tuple[Rim, float]] = []
    large: list[tuple[Rim, float]] = []
    slits: list[tuple[Rim, float]] = []
    for rim, across in zip(c.rims, size.tolist(), strict=True):
        piece = c.piece[c.face[rim.corners[0]]]
        if across > widest:
            (slits if _is_slit(mesh, rim) else large).append((rim, across))
        elif spare and across > _SHARE_OF_PIECE * extent[piece]:
            borders.append((rim, across))
        else:
            chosen.append(rim)
    mesh, filled = fill_rims(mesh, chosen)
    places = tuple(point_of(mesh.nodes[rim.nodes].mean(axis=0)) for rim in chosen[:MOST_PLACES])
    steps.append(Step("fill rims", filled.rims, 0.0, f"with {sum(filled.facets_of):,} facets", places))
    for rim, across in large:
        notes.append(f"left open: a rim {across:.4g} across, {len(rim.corners)} edges, at {_at(mesh, rim)}")
    if widest > 0:
        for what, group in (
            ("looks like a crack, not an opening", slits),
            ("is the border of a sheet as small as itself", borders),
        ):
            for rim, across in group[:MOST_PLACES]:
                unmet.append(f"open: a rim {across:.4g} across at {_at(mesh, rim)} {what}")
            if len(group) > MOST_PLACES:
                unmet.append(f"open: {len(group) - MOST_PLACES} more such rims")
        for rim, reason in filled.left[:MOST_PLACES]:
            unmet.append(f"open: the rim at {_at(mesh, rim)} was not filled: {reason}")
        if len(filled.left) > MOST_PLACES:
            unmet.append(f"open: {len(filled.left) - MOST_PLACES} more rims were not filled")
    return mesh


def _at(mesh: Mesh, rim: Rim) -> str:
    return _point(point_of(mesh.nodes[rim.nodes].mean(axis=0)))


def _point(xyz: tuple[float, float, float]) -> str:
    return "(" + ", ".join(f"{x:.6g}" for x in xyz) + ")"


def _is_slit(mesh: Mesh, rim: Rim) -> bool:
    """Whether a rim spans next to no area for its length."""
    p = mesh.nodes[rim.nodes]
    q = np.roll(p, -1, axis=0)
    area = 0.5 * np.linalg.norm(np.cross(p - p[0], q - p[0]).sum(axis=0))
    length = np.linalg.norm(q - p, axis=1).sum()
    return bool(area < _SLIT * length**2 / (4.0 * np.pi))


def _remaining(mesh: Mesh) -> list[str]:
    """Faults that are left, each with its first places."""
    found = [
        defects.nonmanifold_edges(mesh), defects.nonmanifold_nodes(mesh), defects.misoriented(mesh),
        defects.inward(mesh), defects.duplicate_facets(mesh), defects.degenerate_facets(mesh),
        defects.crossing_facets(mesh),
    ]  # fmt: skip
    return [
        f"{f.kind}: {f.count:,} left at {f.n_places:,} place(s), {_first(f.places)}" for f in found if f is not None
    ]


def _first(places: tuple[Place, ...]) -> str:
    return "first at " + _point(places[0].centre) if places else "places unknown"
