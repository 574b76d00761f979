"""The defect classes, each a function from a mesh to a finding or ``None``.

Counts are exact: degenerate facets by exact collinearity, the others by node identity.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.classes.finding import MOST_PLACES, Finding, Place, gathered, places_of, point_of
from oddseam.findings.judged.limits import Limits
from oddseam.geometry.exact.crossing_lines import crossing_lines
from oddseam.geometry.threads import in_runs
from oddseam.geometry.triangles import cross_product
from oddseam.geometry.welding import weld_exact
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components

#: Shortest altitude over longest edge, below which a facet is a sliver.
_SLIVER = 0.01


def _edge_finding(mesh: Mesh, which: Array, kind: str, severity: str, message: str, advice: str) -> Finding | None:
    edges = mesh.connectivity.edges[which]
    if not len(edges):
        return None
    places, n = gathered(mesh.nodes, edges, mesh.node_ids[edges])
    return Finding(kind, severity, len(edges), "edges (node ids)", message, advice, places, n)


def free_edges(mesh: Mesh, limits: Limits) -> Finding | None:
    """Free edges, a place for each rim: the small ones first, for they are the damage, by size."""
    c = mesh.connectivity
    count, size, centre = c.measure_rims(mesh.nodes)
    if not len(count):
        return None
    small = size <= limits.rim * mesh.diagonal
    order = np.lexsort((-size, ~small))[:MOST_PLACES]
    places = tuple(Place(point_of(centre[r]), float(size[r]), int(count[r]), ()) for r in order.tolist())
    message = (
        f"{len(count):,} rim(s): {int(small.sum()):,} small (up to {limits.rim * mesh.diagonal:.4g} across), "
        f"{int((~small).sum()):,} larger; the largest is {size.max():.4g} across"
    )
    advice = "`oddseam mend` fills small rims; with --close all or a diameter, larger ones too."
    severity = "fault" if small.any() else "warning"
    return Finding("free edges", severity, int(count.sum()), "edges", message, advice, places, len(count))


def nonmanifold_edges(mesh: Mesh, but: Array | None = None) -> Finding | None:
    """Edges with three faces and more, but some (e,) that are meant."""
    c = mesh.connectivity
    found = c.is_nonmanifold if but is None else c.is_nonmanifold & ~but
    most = int(c.face_count[found].max(initial=0))
    by_copies = int((found & edges_of_copies(mesh)).sum())
    return _edge_finding(
        mesh, np.flatnonzero(found), "non-manifold edges", "fault",
        f"three faces or more meet in an edge (at most {most}); {by_copies:,} of them at duplicate facets",
        "`oddseam mend` drops fins and inner walls; --keep-joints leaves T-joints that are meant.",
    )  # fmt: skip


def edges_of_copies(mesh: Mesh) -> Array:
    """(e,) bool: non-manifold edges whose nodes both belong to duplicate facets."""
    c = mesh.connectivity
    doubled = np.zeros(mesh.n_nodes, bool)
    doubled[mesh.triangulation.triangles[mesh.duplicate_triangles]] = True
    return np.asarray(c.is_nonmanifold & doubled[c.edges].all(axis=1))


def joints(mesh: Mesh, meant: Array) -> Finding | None:
    """T-joints that are meant: no fault."""
    return _edge_finding(
        mesh, np.flatnonzero(meant), "T-joints", "note", "shells share these edges, three or more at each, as is meant",
        "`oddseam mend --no-keep-joints` takes them for damage.",
    )  # fmt: skip


def nonmanifold_nodes(mesh: Mesh, but: Array | None = None) -> Finding | None:
    """Nodes with several fans, or on a non-manifold edge, but those of some edges (e,) that are meant."""
    nodes = mesh.connectivity.nonmanifold_nodes
    if but is not None:
        nodes = np.setdiff1d(nodes, mesh.connectivity.edges[but])
    if not len(nodes):
        return None
    places, n = gathered(mesh.nodes, np.column_stack([nodes, nodes]), mesh.node_ids[nodes])
    on_edge = np.isin(nodes, mesh.connectivity.edges[mesh.connectivity.is_nonmanifold])
    message = (
        f"{int((~on_edge).sum()):,} where surfaces touch in a point only, {int(on_edge.sum()):,} on non-manifold edges"
    )
    advice = "`oddseam mend` parts surfaces that only touch."
    return Finding("non-manifold nodes", "fault", len(nodes), "nodes (node ids)", message, advice, places, n)


def _facet_finding(mesh: Mesh, rows: Array, kind: str, severity: str, message: str, advice: str) -> Finding | None:
    t = mesh.triangulation
    if not len(rows):
        return None
    places, n = gathered(mesh.nodes, t.triangles[rows], mesh.element_ids[t.element[rows]])
    return Finding(kind, severity, len(rows), "facets (element ids)", message, advice, places, n)


def duplicate_facets(mesh: Mesh) -> Finding | None:
    """Facets on the same three nodes as an earlier one."""
    message = "facets on the same three nodes as another one"
    advice = "`oddseam mend` drops them and keeps the first."
    return _facet_finding(mesh, mesh.duplicate_triangles, "duplicate facets", "fault", message, advice)


def degenerate_facets(mesh: Mesh) -> Finding | None:
    """Facets with exactly collinear corners."""
    message = "facets whose corners lie in a line or coincide, so that they have no normal"
    advice = "`oddseam mend` takes them out and joins their neighbours."
    return _facet_finding(mesh, mesh.degenerate_triangles, "degenerate facets", "fault", message, advice)


def coincident_nodes(mesh: Mesh) -> Finding | None:
    """Nodes at exactly the same coordinates as another one."""
    first, index = weld_exact(mesh.nodes)
    again = np.ones(mesh.n_nodes, bool)
    again[first] = False
    extra = np.flatnonzero(again)
    if not len(extra):
        return None
    pairs = np.column_stack([first[index[extra]], extra])
    places, n = gathered(mesh.nodes, pairs, mesh.node_ids[pairs])
    message = "nodes at exactly the same place as another one; what meets there is not joined"
    on_rim = np.zeros(mesh.n_nodes, bool)
    on_rim[mesh.connectivity.edges[mesh.connectivity.is_free]] = True
    if len(mesh.faces) and not on_rim[pairs].any():
        message = "nodes at exactly the same place as another one, where surfaces only touch"
        advice = "Each surface keeps nodes of its own there, as mending leaves it; `oddseam weld` joins them."
        return Finding("coincident nodes", "note", len(extra), "nodes (pairs of node ids)", message, advice, places, n)
    return Finding("coincident nodes", "warning", len(extra), "nodes (pairs of node ids)", message,
                   "`oddseam mend` joins those on rims; --keep-joints leaves them.", places, n)  # fmt: skip


def minority_faces(mesh: Mesh) -> tuple[Array, Array, int]:
    """Faces that look the other way than the largest region of their piece; their region, and how many there are."""
    c = mesh.connectivity
    wrong = ~c.pair_agrees
    good = c.pairs[~wrong]
    n, region = label_components(len(mesh.faces), c.face[good[:, 0]], c.face[good[:, 1]])
    touched = np.unique(region[c.face[c.pairs[wrong]]])
    size = np.bincount(region, minlength=n)
    piece_of = np.full(n, -1)
    piece_of[region] = c.piece
    largest: dict[int, int] = {}
    for r in touched.tolist():
        p = int(piece_of[r])
        if p not in largest or size[r] > size[largest[p]]:
            largest[p] = r
    minority = np.setdiff1d(touched, list(largest.values()))
    member = np.flatnonzero(np.isin(region, minority))
    return member, np.searchsorted(minority, region[member]), len(minority)


def misoriented(mesh: Mesh) -> Finding | None:
    """Edges whose two faces disagree about which side is out, a place for each minority region."""
    wrong = int((~mesh.connectivity.pair_agrees).sum())
    if not wrong:
        return None
    member, region, n = minority_faces(mesh)
    corners = mesh.nodes[mesh.faces.node[mesh.faces.first[member]]][:, None]
    places, _ = places_of(corners, region, n, mesh.element_ids[mesh.faces.element[member]])
    message = f"{n:,} region(s) with {len(member):,} facets look the opposite way from their surroundings"
    return Finding("misoriented edges", "fault", wrong, "edges (element ids of the regions)", message,
                   "`oddseam mend` turns them by what lies outside.", places, n)  # fmt: skip


def inward(mesh: Mesh) -> Finding | None:
    """Closed pieces that look inward."""
    pieces = mesh.pieces.inward
    if not len(pieces):
        return None
    places = _piece_places(mesh, pieces)
    message = "closed pieces whose facets look inward"
    return Finding("inside-out pieces", "fault", len(pieces), "pieces (element ids)", message,
                   "`oddseam mend` turns them.", places, len(pieces))  # fmt: skip


def _heights(corners: Array) -> Array:
    """(m, 2) shortest altitude and longest edge of triangles."""
    edges = [corners[:, (k + 1) % 3] - corners[:, k] for k in range(3)]
    longest = np.sqrt(np.maximum.reduce([np.einsum("ij,ij->i", e, e) for e in edges]))
    twice = np.linalg.norm(cross_product(edges[0], edges[1]), axis=1)
    return np.column_stack([twice / np.where(longest > 0, longest, 1.0), longest])


def sliver_rows(mesh: Mesh) -> tuple[Array, Array]:
    """Rows of the triangulation that are slivers, and not degenerate; and their heights."""
    height, longest = in_runs(_heights, mesh.nodes, mesh.triangulation.triangles).T
    thin = height < _SLIVER * longest
    thin[mesh.degenerate_triangles] = False
    rows = np.flatnonzero(thin)
    return rows, height[rows]


def slivers(mesh: Mesh) -> Finding | None:
    """Facets so thin that their shortest altitude is less than a hundredth of their longest edge."""
    rows, height = sliver_rows(mesh)
    message = f"facets thinner than a hundredth of their length; the thinnest is {height.min(initial=np.inf):.3g} high"
    return _facet_finding(mesh, rows, "slivers", "warning", message, "`oddseam remesh` makes even facets.")


def crumbs(mesh: Mesh, limits: Limits) -> Finding | None:
    """Floating pieces far smaller than the whole."""
    pieces = crumb_pieces(mesh, limits.crumb * mesh.diagonal)
    if not len(pieces):
        return None
    places = _piece_places(mesh, pieces)
    message = f"floating pieces less than {limits.crumb * mesh.diagonal:.4g} across"
    return Finding("crumbs", "warning", len(pieces), "pieces (element ids)", message,
                   "`oddseam mend` drops and lists them; --crumbs sets the size.", places, len(pieces))  # fmt: skip


def crumb_pieces(mesh: Mesh, size: float) -> Array:
    """Pieces with a box diagonal below ``size`` that share no node with another piece."""
    extent = mesh.pieces.extent
    small = np.flatnonzero(extent < size)
    if not len(small) or len(small) == len(extent):
        return np.zeros(0, np.int64)
    c = mesh.connectivity
    piece, node = c.piece[c.face], mesh.faces.node
    at_small = np.zeros(mesh.n_nodes, bool)
    at_small[node[np.isin(piece, small)]] = True
    corner = np.flatnonzero(at_small[node] & (piece >= 0))
    pairs = np.unique(np.column_stack([node[corner], piece[corner]]), axis=0)
    shared = np.bincount(pairs[:, 0], minlength=mesh.n_nodes)[pairs[:, 0]] > 1
    return np.setdiff1d(small, pairs[shared, 1])


def _piece_places(mesh: Mesh, pieces: Array) -> tuple[Place, ...]:
    t, piece = mesh.triangulation, mesh.pieces.of_triangle
    rows = np.flatnonzero(np.isin(piece, pieces))
    dense = np.searchsorted(pieces, piece[rows])
    ids = mesh.element_ids[t.element[rows]]
    return places_of(mesh.nodes[t.triangles[rows]], dense, len(pieces), ids)[0]


def crossing_facets(mesh: Mesh) -> Finding | None:
    """Pairs of facets that pierce one another or overlap, a place for each line along which they do.

    Nothing, if they are duplicates all: these are a finding of their own.
    """
    t, pairs = mesh.triangulation, mesh.crossing_triangles
    key = np.sort(t.triangles[pairs], axis=2)
    doubled = (key[:, 0] == key[:, 1]).all(axis=1)
    same = int(doubled.sum())
    if len(pairs) == same:
        return None
    lines = crossing_lines(mesh.nodes, t.triangles, pairs)
    n = int(lines.chain.max()) + 1
    points = np.where(lines.in_plane[:, None, None], mesh.nodes[t.triangles[pairs[:, 0], :2]], lines.ends)
    places, _ = places_of(points, lines.chain, n, mesh.element_ids[t.element[pairs]], lines.length)
    total = np.bincount(lines.chain, lines.length, n)
    along, flat = int((total > 0.0).sum()), int((lines.in_plane & ~doubled).sum())
    message = f"pairs of facets that pierce one another along {along:,} line(s), {total.sum():.4g} long in all"
    if flat or same:
        message += f"; {flat:,} of the pairs lie in one plane, {same:,} are duplicates"
    advice = "`oddseam mend` makes what is solid one; see --overlaps."
    if any(entry.operation == "mend" for entry in mesh.account):  # which left them
        advice = (
            "An open sheet has no inside: `oddseam mend --overlaps imprint` lets them share edges, --trim cuts a side "
            "off, --close all makes all of it one solid."
        )
    return Finding("crossing facets", "fault", len(pairs), "pairs (element ids)", message, advice, places, n)
