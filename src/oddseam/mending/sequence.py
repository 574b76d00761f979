"""Mend: from a torn facet surface to one that is proven closed, manifold and oriented.

The order matters: rounding and joining first, so that all that follows sees the nodes that the
file will hold; duplicates and degenerates next, so that edges have as many facets as they seem
to; cracks before walls, so that a tear does not join inside and outside; orientation before
filling, so that a rim knows its side; crumbs before both, so that they are not filled; crossings when
pieces are closed and know their outside; the proof last, on the coordinates that the file will hold.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.findings import Limits, defects
from oddseam.findings.finding import MOST_PLACES, Finding, Place, point_of
from oddseam.formats import as_held, format_named
from oddseam.mending.degenerates import drop_degenerates
from oddseam.mending.duplicates import drop_duplicates
from oddseam.mending.filling import fill_rims
from oddseam.mending.joining import join_coincident, rounded_to
from oddseam.mending.orientation import orient
from oddseam.mending.overlaps import may_overlap, resolve_overlaps
from oddseam.mending.touching import part_touching
from oddseam.mending.walls import resolve_walls
from oddseam.mending.zipping import zip_rims
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.editing import edited
from oddseam.model.facing import crack_width, facing_rims
from oddseam.progress import Progress, silent

#: A rim wider than this share of its own piece is the border of a sheet, not damage to it.
_SHARE_OF_PIECE = 0.6
#: A rim along which all but its two tips face one another within so many crack widths is a crack.
_CRACK = 3.0
#: What is resolved lies where it lay, but for this share of the diagonal.
_SAME = 1e-6


@dataclass(frozen=True, eq=False)
class _OpenRim:
    """Where a rim is that was not filled, and what is to be said of it."""

    points: Array
    text: str
    is_wanted: bool = True


@recorded("mend")
def mend(
    mesh: Mesh,
    *,
    close: str | float = "small",
    width: float | None = None,
    keep_joints: bool | None = None,
    overlaps: str | None = None,
    trim: str | None = None,
    crumbs: float | None = None,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Mend the surface of a mesh.

    Nodes that coincide along rims are joined, duplicate and degenerate facets dropped without
    tearing, cracks sewn together, fins and inner walls dropped, surfaces that only touch parted;
    crumbs are dropped, neighbours are made to agree and closed pieces to look outward, and small
    rims are filled with well-shaped facets.  Only nodes beside a crack move, and those no farther
    than ``width``; for a target of single precision, all nodes are rounded to it first.

    Parameters
    ----------
    mesh : Mesh
    close : {"small", "all", "none"} or float
        Which rims to fill: those up to 5 % of the diagonal, all, none, or those up to a
        diameter.  Larger ones are left and listed.
    width : float, optional
        Widest gap between two rims that is sewn together as a crack, a ten-thousandth of the
        diagonal by default (more only where the coordinates are coarser); 0 to sew nothing.  A
        wider gap that tapers to its ends is filled, up to three times that.
    keep_joints : bool, optional
        Whether edges with three facets and nodes that coincide are meant, as in a shell model:
        then nothing is joined, sewn or parted.  By default they are in a solver deck, and not
        elsewhere.
    overlaps : {"union", "imprint", "keep"}, optional
        What becomes of facets that cross: one surface round all that is solid (open sheets have no
        inside, and are imprinted); all facets stay and share nodes and edges; or they are left.
        Left in a solver deck by default, made one elsewhere.
    trim : {"inside", "outside"}, optional
        Of open sheets that a solid cuts, the side to be cut off: what sticks into the solid, or what hangs
        outside; by default neither.  With ``overlaps="union"`` only.
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
    O(n log n), and a time that grows with the number of pairs of facets that cross.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> shut = oddseam.mend(tent, close="all")
    >>> oddseam.prove(shut).is_closed, round(oddseam.prove(shut).volume, 6)
    (True, 1.333333)
    """
    limits = Limits()
    diagonal = mesh.diagonal
    widest = _size("close", _named_width(close, limits.rim * diagonal))
    crumb_size = _size("crumbs", limits.crumb * diagonal if crumbs is None else crumbs)
    gap = _size("width", crack_width(mesh) if width is None else width)
    if not len(mesh.faces):
        raise Refusal("the mesh has no shell elements to mend")
    if overlaps not in (None, "union", "imprint", "keep"):
        raise Refusal(f"overlaps {overlaps!r} is not union, imprint or keep")
    if keep_joints is None:
        keep_joints = mesh.source is not None and mesh.source.records is not None
    overlaps = overlaps or ("keep" if keep_joints else "union")
    if trim not in (None, "inside", "outside"):
        raise Refusal(f"trim {trim!r} is not inside or outside")
    if trim is not None and overlaps != "union":
        raise Refusal(f"trim needs overlaps 'union' to know what is solid, not {overlaps!r}")
    steps: list[Step] = []

    def held(mesh: Mesh) -> Mesh:
        return as_held(mesh, target)

    unmet: list[str] = []
    still_open: list[_OpenRim] = []
    progress("joining nodes", 0.0)
    joins = target is not None and format_named(target).joins
    if target is not None and joins:
        given = mesh
        mesh, count, move = rounded_to(mesh, target)
        if count:
            unmet += _collapsed(given, mesh)
            steps.append(Step("round to what the file holds", count, move, "nodes, to single precision"))
    if joins or not keep_joints:
        mesh, count = join_coincident(mesh, everywhere=joins)
        steps.append(
            Step("join coincident nodes", count, 0.0, "at the very same place" + ("" if joins else ", on rims"))
        )

    progress("dropping duplicates and degenerates", 0.05)
    mesh = _drop_duplicates(mesh, "drop duplicates", overlaps == "union", steps)
    found = defects.degenerate_facets(mesh)
    mesh, count = drop_degenerates(mesh)
    steps.append(Step("take out degenerates", count, 0.0, "their neighbours are joined", _places(found)))
    if count and len(mesh.duplicate_triangles):
        mesh = _drop_duplicates(mesh, "drop duplicates that this made", overlaps == "union", steps)

    turned = 0
    if not keep_joints:
        progress("sewing cracks", 0.15)
        mesh = _sew(mesh, gap, steps)
        progress("resolving walls", 0.25)
        mesh, turned = _resolve(mesh, steps)

    progress("dropping crumbs", 0.35)
    notes: list[str] = []
    mesh = _drop_crumbs(mesh, crumb_size, steps, notes)

    progress("orienting", 0.4)
    found = defects.misoriented(mesh) or defects.inward(mesh)
    mesh, count, one_sided = orient(mesh)
    steps.append(
        Step("turn facets", count + turned, 0.0, "neighbours agree, closed pieces look outward", _places(found))
    )

    def closed(mesh: Mesh, may_cross: bool) -> Mesh:
        mesh = _fill(mesh, widest, close == "small", 0.0 if keep_joints else gap, may_cross, steps, notes, still_open)
        if steps[-1].count:
            mesh = rounded_to(mesh, target)[0] if target is not None and joins else mesh
            again, count, _ = orient(mesh)
            if count:  # a piece that was open is closed now, and looks inward
                mesh = again
                steps.append(Step("turn facets of closed pieces", count))
        return mesh

    progress("filling rims", 0.55)
    before, said = mesh, [(lines, len(lines)) for lines in (steps, notes, still_open)]
    shared = np.zeros(0, np.int64)
    crosses = overlaps != "keep" and may_overlap(mesh, drop=overlaps == "union")
    mesh = closed(mesh, may_cross=crosses and overlaps == "union")
    if crosses:
        progress("resolving crossings", 0.6)
        resolved = _resolve_overlaps(mesh, overlaps, trim, target if joins else None, widest, steps, unmet)
        if resolved is None:  # then no fill may cross either
            for lines, length in said:
                del lines[length:]
            mesh = closed(before, may_cross=False)
            unmet.append("crossings were left as they are: rounded to what the file holds, the result had more faults")
        else:
            mesh, shared = resolved
            mesh, count, one_sided = orient(mesh)
            steps.append(Step("turn facets beside the crossings", count))
    if not keep_joints:
        mesh, count, move = part_touching(mesh, target if joins else None, np.isin(mesh.node_ids, shared))
        if count and target is not None and joins:
            mesh = rounded_to(mesh, target)[0]
        steps.append(Step("part what touches", count, move, "nodes added, where surfaces only touched"))
    if crosses and overlaps == "union":  # what hung on the rest by an edge or a node is by itself now
        mesh = _drop_pockets(mesh, int(before.element_ids.max()), crumb_size, steps, notes)

    progress("proving", 0.85)
    if one_sided:
        unmet.append(f"{one_sided} region(s) have one side only and cannot be oriented")
    said_open = _still_open(mesh, still_open)
    notes += _shortened([rim.text for rim in said_open if not rim.is_wanted], "left open")
    unmet += _shortened([rim.text for rim in said_open if rim.is_wanted], "open")
    is_meant = keep_joints
    if overlaps == "imprint" and not keep_joints:
        is_meant = bool(np.isin(mesh.node_ids[mesh.connectivity.nonmanifold_nodes], shared).all())
        if is_meant and len(shared):
            notes.append(f"shared: {mesh.connectivity.is_nonmanifold.sum():,} edges, where surfaces were imprinted")
    unmet += _remaining(held(mesh), is_meant)
    progress("done", 1.0)
    return mesh, Outcome(tuple(steps), tuple(notes), tuple(unmet))


def _named_width(close: str | float, small: float) -> float:
    named = {"small": small, "all": np.inf, "none": 0.0}
    if isinstance(close, str):
        if close not in named:
            raise Refusal(f"close {close!r} is not small, all, none or a diameter")
        return named[close]
    return float(close)


def _size(name: str, value: float) -> float:
    if not value >= 0 or (name != "close" and not np.isfinite(value)):
        raise Refusal(f"{name} {value} is not a size")
    return value


def _places(found: Finding | None) -> tuple[tuple[float, float, float], ...]:
    return () if found is None else tuple(place.centre for place in found.places)


def _collapsed(given: Mesh, rounded: Mesh) -> list[str]:
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


def _drop_duplicates(mesh: Mesh, name: str, spare_shared: bool, steps: list[Step]) -> Mesh:
    found = defects.duplicate_facets(mesh)
    mesh, count, walls = drop_duplicates(mesh, spare_shared=spare_shared)
    detail = "the first of each is kept" + (f", but for {walls:,} walls of zero thickness" if walls else "")
    steps.append(Step(name, count, 0.0, detail, _places(found)))
    return mesh


def _sew(mesh: Mesh, gap: float, steps: list[Step]) -> Mesh:
    sewn, report = zip_rims(mesh, gap)
    detail = f"{report.joined:,} nodes joined, {report.worked_in:,} worked into edges, gaps up to {gap:.3g} wide"
    steps.append(Step("sew cracks", report.closed, report.largest_move, detail, report.places))
    return sewn


def _resolve(mesh: Mesh, steps: list[Step]) -> tuple[Mesh, int]:
    """Without fins and inner walls; and how many facets were turned by the way."""
    mesh, report = resolve_walls(mesh)
    detail = f"{report.inner:,} facets of inner walls, {report.fins:,} of fins"
    steps.append(Step("drop walls and fins", report.inner + report.fins, 0.0, detail, report.places))
    return mesh, report.turned


def _resolve_overlaps(
    mesh: Mesh, overlaps: str, trim: str | None, target: str | None, widest: float, steps: list[Step], unmet: list[str]
) -> tuple[Mesh, Array] | None:
    """Without crossings, and ids of nodes that are meant to be shared; or ``None`` if that cannot be."""
    mesh, report = resolve_overlaps(mesh, drop=overlaps == "union", target=target, widest=widest, trim=trim)
    detail = f"{report.cut:,} facets cut, {report.dropped:,} pieces within the solid or given twice dropped"
    if report.caps:
        detail += f"; gaps closed with {report.caps:,} facets"
    if report.fins:
        detail += f"; {report.fins:,} facets of fins dropped"
    if report.trimmed:
        detail += f"; {report.trimmed:,} pieces of sheets {trim} what is solid cut off"
    if report.rounds:
        detail += f"; seen to {report.rounds + 1} times, for rounding brought new ones"
    steps.append(Step("resolve crossings", report.cut, report.largest_move, detail, report.places))
    if not report.is_resolved:
        return None
    if not report.is_sound:
        unmet.append("what is solid could not be told where facets cross: all were kept, and share edges there")
    if report.sheets and overlaps == "union":
        first = f", first at {point_text(report.places[0])}" if report.places else ""
        unmet.append(
            f"open sheets cross others: {report.sheets:,} of their facets were cut{first}; a sheet has no inside, so "
            + ("the rest of it" if report.trimmed else "all of it")
            + " stays and shares edges there (--overlaps imprint, if that is meant; --trim cuts a side off)"
        )
    return mesh, report.shared


def _drop_crumbs(mesh: Mesh, size: float, steps: list[Step], notes: list[str]) -> Mesh:
    pieces = defects.crumb_pieces(mesh, size)
    middle = (mesh.pieces.low + mesh.pieces.high) / 2
    extent, facets = mesh.pieces.extent, np.bincount(mesh.pieces.of_triangle[mesh.pieces.of_triangle >= 0])
    places = tuple(point_of(middle[p]) for p in pieces[:MOST_PLACES])
    for p, place in zip(pieces.tolist(), places, strict=False):
        notes.append(f"dropped: a crumb {extent[p]:.4g} across, {facets[p]} facet(s), at {point_text(place)}")
    if len(pieces) > MOST_PLACES:
        notes.append(f"dropped: {len(pieces) - MOST_PLACES:,} more crumbs")
    steps.append(Step("drop crumbs", len(pieces), 0.0, f"floating pieces less than {size:.4g} across", places))
    if not len(pieces):
        return mesh
    gone = np.isin(mesh.pieces.of_triangle, pieces)
    return edited(mesh, drop=np.unique(mesh.triangulation.element[gone]))


def _drop_pockets(mesh: Mesh, newest: int, size: float, steps: list[Step], notes: list[str]) -> Mesh:
    """Without hollows that nobody made: left between surfaces that crossed, with less volume than a crumb."""
    pieces, t = mesh.pieces, mesh.triangulation
    is_new = np.zeros(len(pieces.volume) + 1, bool)  # the last one stands for no piece
    is_new[pieces.of_triangle[mesh.element_ids[t.element] > newest]] = True
    found = np.flatnonzero(pieces.is_solid & is_new[:-1] & (pieces.volume < 0) & (pieces.volume > -(size**3)))
    if not len(found):
        return mesh
    middle = (pieces.low + pieces.high) / 2
    for p in found[:MOST_PLACES].tolist():
        notes.append(
            f"closed: a hollow {pieces.extent[p]:.4g} across and {-pieces.volume[p]:.3g} in volume, where surfaces "
            f"crossed, at {point_text(middle[p])}"
        )
    if len(found) > MOST_PLACES:
        notes.append(f"closed: {len(found) - MOST_PLACES:,} more hollows")
    places = tuple(point_of(middle[p]) for p in found[:MOST_PLACES])
    detail = f"between surfaces that crossed, less than {size**3:.3g} in volume"
    steps.append(Step("close hollows", len(found), 0.0, detail, places))
    return edited(mesh, drop=np.unique(t.element[np.isin(pieces.of_triangle, found)]))


def _fill(
    mesh: Mesh, widest: float, spare: bool, gap: float, may_cross: bool,
    steps: list[Step], notes: list[str], still_open: list[_OpenRim],
) -> Mesh:  # fmt: skip
    """Fill what is asked for; list the rest, and what was asked for and could not be.

    ``spare`` leaves rims that are the border of a sheet as small as themselves: nobody asked
    for those by their size.  Cracks are filled whatever their length.
    """
    c = mesh.connectivity
    _, size, _ = c.measure_rims(mesh.nodes)
    extent = mesh.pieces.extent
    cracks = _cracks(mesh, _CRACK * gap) if widest > 0 else set()
    chosen: list[Rim] = []
    borders: list[tuple[Rim, float]] = []
    for number, (rim, across) in enumerate(zip(c.rims, size.tolist(), strict=True)):
        piece = c.piece[c.face[rim.corners[0]]]
        if across > widest and number not in cracks:
            text = f"left open: a rim {across:.4g} across, {len(rim.corners)} edges, at {_at(mesh, rim)}"
            still_open.append(_OpenRim(mesh.nodes[rim.nodes], text, is_wanted=False))
        elif spare and across > _SHARE_OF_PIECE * extent[piece]:
            borders.append((rim, across))
        else:
            chosen.append(rim)
    mesh, filled = fill_rims(mesh, chosen, may_cross=may_cross)
    places = tuple(point_of(mesh.nodes[rim.nodes].mean(axis=0)) for rim in chosen[:MOST_PLACES])
    steps.append(Step("fill rims", filled.rims, 0.0, filled.text, places))
    inside = {id(island) for island in filled.islands}
    borders = [(rim, across) for rim, across in borders if id(rim) not in inside]
    if widest > 0:
        reasons = [
            (rim, f"open: a rim {across:.4g} across at {_at(mesh, rim)} is the border of a sheet as small as itself")
            for rim, across in borders
        ] + [(rim, f"open: the rim at {_at(mesh, rim)} was not filled: {reason}") for rim, reason in filled.left]
        still_open += [_OpenRim(mesh.nodes[rim.nodes], text) for rim, text in reasons]
    return mesh


def _still_open(mesh: Mesh, rims: list[_OpenRim]) -> list[_OpenRim]:
    """Those that are open still, now that crossings are resolved."""
    from scipy.spatial import cKDTree

    free = mesh.connectivity.edges[mesh.connectivity.is_free]
    if not len(free):
        return []
    tree = cKDTree(mesh.nodes[np.unique(free)])
    return [rim for rim in rims if tree.query(rim.points)[0].min() <= _SAME * mesh.diagonal]


def _shortened(lines: list[str], word: str) -> list[str]:
    more = len(lines) - 2 * MOST_PLACES
    return lines[: 2 * MOST_PLACES] + [f"{word}: {more:,} more rims"] * (more > 0)


def _cracks(mesh: Mesh, reach: float) -> set[int]:
    """Numbers of the rims that face themselves or others all along, but for two tips."""
    beside = np.zeros(mesh.n_nodes, bool)
    beside[facing_rims(mesh, reach).node] = True
    return {number for number, rim in enumerate(mesh.connectivity.rims) if (~beside[rim.nodes]).sum() <= 2}


def _at(mesh: Mesh, rim: Rim) -> str:
    return point_text(mesh.nodes[rim.nodes].mean(axis=0))


def _remaining(mesh: Mesh, joints_are_meant: bool) -> list[str]:
    """Faults that are left, each with its first places; joints are none where they are meant."""
    joints = [] if joints_are_meant else [defects.nonmanifold_edges(mesh), defects.nonmanifold_nodes(mesh)]
    found = [
        *joints, defects.misoriented(mesh), defects.inward(mesh), defects.duplicate_facets(mesh),
        defects.degenerate_facets(mesh), defects.crossing_facets(mesh),
    ]  # fmt: skip
    return [
        f"{f.kind}: {f.count:,} left at {f.n_places:,} place(s), {_first(f.places)}" for f in found if f is not None
    ]


def _first(places: tuple[Place, ...]) -> str:
    return "first at " + point_text(places[0].centre) if places else "places unknown"
