"""Resolving crossings: what is solid becomes one, and sheets share edges where they cross.

All facets are cut along one another, exactly (see ``geometry.arrangement``).  Of closed pieces the
facets stay that have solid on one side and none on the other: where at least one piece more
encloses a place than hollows it out, it is solid.  Facets of open pieces all stay.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.classes.finding import point_of
from oddseam.geometry.exact.arrangement import Arrangement, arrange
from oddseam.geometry.exact.thin_cells import solid_cells
from oddseam.geometry.trees.windings import windings
from oddseam.mending.contacts.crossing_creases import new_creases, with_creases_on_edges
from oddseam.mending.contacts.snapping import apart, snap_crossings
from oddseam.mending.contacts.trimming import side_of_sheets
from oddseam.mending.holes.caps import SHEETS, borders, open_elements, with_caps, with_sheets, without_caps
from oddseam.mending.sewing.degenerates import drop_degenerates
from oddseam.mending.sewing.joining import held_by
from oddseam.model import Mesh
from oddseam.model.editing import Added, edited, parted
from oddseam.model.faces import duplicate_rows
from oddseam.model.nesting import pieces_around
from oddseam.model.prove import prove
from oddseam.model.splicing import extracted, spliced

#: Edges of so many units in the last place are too short to be held, twice as many in every further round, for what
#: rounding brought lay nearer together than that could show.  Of doubles they are as many more as distances are unsure.
_NEAR = {True: 4.0 * 2.0**-23, False: 16.0 * 2.0**-52}
_DOUBLINGS = 5
#: So often it is looked again for what rounding to the target brought, and so often in vain.
_ROUNDS, _PATIENCE = 12, 4
#: Of more pairs of facets none is cut: each takes half a millisecond.
MOST_PAIRS = 100_000


@dataclass
class Resolved:
    """What was done.

    Attributes
    ----------
    cut, dropped, turned, caps, fins, trimmed : int
        Facets; the last three are those that close gaps, those of fins, and those cut off sheets.
    rounds : int
        How often rounding to the target brought new crossings, and was seen to.
    largest_move : float
        How far a node went in that.
    sheets : int
        Facets of open pieces that were cut: these have no inside.
    left : int
        Pairs of facets that cross and were left so, for one of them at least is of an open piece.
    is_sound : bool
        Whether what is solid could be told, in one of the rounds at least, if it was asked for.
    is_resolved : bool
        False if all was left as it was, for a reason.
    reason : str
    shared : (k,) int64 array
        Ids of nodes on new non-manifold edges that are meant: those of sheets, or all if all facets stay.
    places : tuple of (x, y, z)
    """

    cut: int = 0
    dropped: int = 0
    turned: int = 0
    caps: int = 0
    fins: int = 0
    trimmed: int = 0
    rounds: int = 0
    largest_move: float = 0.0
    sheets: int = 0
    left: int = 0
    is_sound: bool = False
    is_resolved: bool = True
    reason: str = ""
    shared: Array = field(default_factory=lambda: np.zeros(0, np.int64))
    places: tuple[tuple[float, float, float], ...] = ()

    @property
    def text(self) -> str:
        """What was done, in words."""
        words = [f"{self.cut:,} facets cut, {self.dropped:,} pieces within the solid or given twice dropped"]
        words += [f"gaps closed with {self.caps:,} facets"] * (self.caps > 0)
        words += [f"{self.fins:,} facets of fins dropped"] * (self.fins > 0)
        words += [f"{self.trimmed:,} pieces of sheets cut off"] * (self.trimmed > 0)
        words += [f"repeated {self.rounds + 1} times, because rounding made new ones"] * (self.rounds > 0)
        return "; ".join(words)


def resolve_overlaps(
    mesh: Mesh, *, drop: bool, target: str | None, widest: float, trim: str | None = None, one_solid: bool = False
) -> tuple[Mesh, Resolved]:
    """Resolve crossings until none is left on the coordinates that the target holds, or no fewer come of it.

    Parameters
    ----------
    mesh : Mesh
        Consistently oriented.  It stays as it is if nothing crosses, and nothing is to be dropped.
    drop : bool
        Whether what is solid becomes one, and open pieces stay as they are; else all facets stay and share nodes and
        edges.
    target : str, optional
        Format that the result is rounded to single precision for.
    widest : float
        Gaps up to this size in what is nearly closed are closed for good, if ``drop``.
    trim : {"inside", "outside"}, optional
        Of sheets that solids cut, the side to be cut off.
    one_solid : bool
        Whether every piece is a part of one solid: open ones are closed for good.
    """
    if drop and trim is None and not one_solid:
        sheets = open_elements(mesh, widest)
        if len(sheets):
            return _beside_sheets(mesh, sheets, target, widest)
    return _resolved(mesh, drop, target, widest, trim, one_solid)


def _beside_sheets(mesh: Mesh, sheets: Array, target: str | None, widest: float) -> tuple[Mesh, Resolved]:
    """What is solid made one, while open pieces stay as they are."""
    t, pairs = mesh.triangulation, mesh.crossing_triangles
    is_sheet = np.zeros(mesh.n_elements, bool)
    is_sheet[sheets] = True
    crossed = pairs[is_sheet[t.element[pairs]].any(axis=1)]
    places = tuple(point_of(p) for p in mesh.nodes[t.triangles[crossed[:4, 0]]].mean(axis=1))
    kept = Resolved(left=len(crossed), is_sound=True, places=places)
    others = np.setdiff1d(np.unique(t.element), sheets)
    if not len(others):
        return mesh, kept
    alone = _with_own_nodes(mesh, sheets, others)
    given = extracted(alone, others)
    solid, report = _resolved(given, True, target, widest, None, False)
    whole = spliced(alone, others, solid) if solid is not given else None
    if whole is None:
        return mesh, replace(kept, is_resolved=report.is_resolved, reason=report.reason)
    report.left = len(crossed)
    report.places = (*report.places, *places)[:4]
    return whole, report


def _with_own_nodes(mesh: Mesh, some: Array, others: Array) -> Mesh:
    """The mesh with copies for some elements of the nodes that others use too."""
    use = [np.zeros(mesh.n_nodes, bool) for _ in range(2)]
    element, node = [], []
    chosen = np.zeros(mesh.n_elements, bool)
    chosen[some] = True
    for _, block, span in mesh.blocks():
        mine = chosen[span]
        use[0][block.connectivity[mine]] = True
        element.append(np.repeat(np.flatnonzero(mine) + span.start, block.connectivity.shape[1]))
        node.append(block.connectivity[mine].ravel().astype(np.int64))
    t = mesh.triangulation
    use[1][t.triangles[np.isin(t.element, others)]] = True
    shared = use[0] & use[1]
    number = np.cumsum(shared) - 1
    its, of = np.concatenate(node), np.concatenate(element)
    rows = np.flatnonzero(shared[its])
    if not len(rows):
        return mesh
    return parted(mesh, of[rows], its[rows], number[its[rows]], mesh.nodes[shared])


def _resolved(
    mesh: Mesh, drop: bool, target: str | None, widest: float, trim: str | None, one_solid: bool
) -> tuple[Mesh, Resolved]:
    report = Resolved(is_sound=not drop)
    fewest = len(mesh.crossing_triangles)
    if fewest > MOST_PAIRS:
        reason = f"{fewest:,} pairs of facets cross, more than {MOST_PAIRS:,}, which are cut at once at most"
        return mesh, Resolved(is_sound=True, is_resolved=False, reason=reason)
    middles = mesh.nodes[mesh.triangulation.triangles[mesh.crossing_triangles[:, 0]]].mean(axis=1)
    report.places = tuple(point_of(p) for p in middles[:4])
    given = mesh
    mesh, _ = held_by(mesh, None)
    if drop:
        mesh, report.caps, report.fins = with_caps(mesh, widest, one_solid)
        mesh, _ = drop_degenerates(mesh)  # a cap over a loop of nodes in a line has no area, and closes no wedge
    else:
        mesh = with_sheets(mesh)
    best, waited, left, pairs = mesh, 0, 0, mesh.crossing_triangles
    for number in range(_ROUNDS):
        reach = _NEAR[target is not None] * 2.0 ** min(number, _DOUBLINGS) * float(np.abs(mesh.nodes).max(initial=0.0))
        among = np.unique(pairs) if number else None
        mesh = _united(mesh, report, drop, reach, trim if number == 0 else None, among)
        if not (len(given.crossing_triangles) or report.dropped or report.turned or report.trimmed):
            return given, Resolved(is_sound=True)
        mesh, move = held_by(mesh, target)
        pairs = mesh.crossing_triangles
        is_snapped = len(pairs) > 0
        if is_snapped:
            mesh, move = snap_crossings(mesh, pairs, reach, target, cancel=drop), move + reach
            pairs = mesh.crossing_triangles
        report.largest_move = max(report.largest_move, move)
        now = len(apart(mesh, pairs))
        waited = 0 if now < fewest else waited + 1
        if number == 0 or now < fewest or not len(pairs):
            best, fewest, report.rounds, left = mesh, now, number, len(pairs)
        # what was snapped may have closed a wedge, or opened one: it is looked at once more what is solid
        if not is_snapped or waited > _PATIENCE:
            break
    report.shared = _shared_nodes(best, given, sheets_only=drop)
    is_open = _has_border(best)
    best = with_creases_on_edges(without_caps(best))
    if is_open or (left and prove(best).worse_than(prove(given))):
        reason = "rounded to what the file holds, the result had more faults"
        return given, Resolved(is_sound=report.is_sound, places=report.places, is_resolved=False, reason=reason)
    return best, report


def may_overlap(mesh: Mesh, drop: bool) -> bool:
    """Whether facets cross; or, if what is solid becomes one, pieces lie within others, or touch.

    A solid may go through another one and cross none of its facets: their edges lie in them, or on theirs.
    """
    if len(mesh.crossing_triangles):
        return True
    several = drop and mesh.connectivity.n_pieces > 1
    return several and (len(pieces_around(mesh)) > 0 or len(mesh.touching_triangles) > 0)


def _united(mesh: Mesh, report: Resolved, drop: bool, reach: float, trim: str | None, among: Array | None) -> Mesh:
    """Facets cut along one another; those within what is solid dropped, if asked, and copies of sheets."""
    t = mesh.triangulation
    cut = arrange(mesh.nodes, t.triangles, among)
    closed = ~np.isin(t.element, mesh.groups.elements[SHEETS])[cut.origin]
    keep, turn = np.ones(len(cut.origin), bool), np.zeros(len(cut.origin), bool)
    if drop:
        rows = np.flatnonzero(closed)
        found = windings(cut.points, cut.triangles[rows], cut.places)
        report.is_sound |= found.is_sound
        if found.is_sound:
            keep[rows] = False
            rows = rows[found.cells.row]
            solid = solid_cells(cut.points[cut.triangles[rows]], found, cut.origin[rows], reach)
            before, behind = solid[found.cells.cell].T
            keep[rows[before != behind]] = True
            turn[rows[before & ~behind]] = True
    off = np.zeros(0, np.int64)
    if trim is not None:
        off = side_of_sheets(cut.points, cut.triangles, closed, trim == "inside")
        keep[off] = False
        report.trimmed += len(off)
    # of facets on the same three nodes one of a closed piece stays before one of a sheet
    order = np.concatenate([np.flatnonzero(keep & closed), np.flatnonzero(keep & ~closed)])
    copies = order[duplicate_rows(cut.triangles[order])]
    keep[copies[~closed[copies]]] = False
    report.cut += len(cut.cut)
    report.dropped += int((~keep).sum()) - len(off)
    report.turned += int((keep & turn).sum())
    report.sheets = max(report.sheets, len(np.unique(cut.origin[~closed & np.isin(cut.origin, cut.cut)])))
    return _rebuilt(mesh, cut, keep, turn)


def _has_border(mesh: Mesh) -> bool:
    """Whether what was closed, with its caps, is open anywhere."""
    t = mesh.triangulation
    sheets = np.zeros(mesh.n_elements, bool)
    sheets[mesh.groups.elements[SHEETS]] = True
    return len(borders(mesh.n_nodes, t.triangles[~sheets[t.element]])[0]) > 0


def _shared_nodes(mesh: Mesh, given: Mesh, sheets_only: bool) -> Array:
    """Ids of nodes on non-manifold edges, or only on those of open pieces, that were on none before."""
    c = mesh.connectivity
    wanted = np.ones(mesh.n_elements, bool)
    if sheets_only:
        wanted[:] = False
        wanted[mesh.groups.elements[SHEETS]] = True
    edges = c.edge_of[wanted[mesh.faces.element[c.face]]]
    edges = edges[edges >= 0]
    edges = edges[c.is_nonmanifold[edges]]
    known = given.node_ids[given.connectivity.nonmanifold_nodes]
    return np.setdiff1d(mesh.node_ids[c.edges[edges]], known)


def _rebuilt(mesh: Mesh, cut: Arrangement, keep: Array, turn: Array) -> Mesh:
    """The mesh with the pieces that stay in the place of the elements that were cut."""
    element = mesh.triangulation.element
    of = element[cut.origin]
    broken = np.zeros(mesh.n_elements, bool)
    broken[element[cut.cut]] = True
    # of a quad that loses a half, the other one becomes a triangle
    held = np.bincount(of[keep], minlength=mesh.n_elements)
    whole = np.bincount(element, minlength=mesh.n_elements)
    broken |= (held > 0) & (held < whole)
    lost = (held == 0) & (whole > 0)
    pieces = np.flatnonzero(keep & broken[of])
    triangles = np.where(turn[pieces, None], cut.triangles[pieces][:, ::-1], cut.triangles[pieces])
    over = np.unique(of[keep & turn & ~broken[of]])
    return edited(
        mesh,
        drop=np.flatnonzero(broken | lost),
        turn=over,
        add=Added(
            nodes=cut.points[mesh.n_nodes :],
            triangles=triangles,
            like=of[pieces],
            derived=True,
            creases=new_creases(cut, keep),
        ),
    )
