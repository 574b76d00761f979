"""What lies between the border of a zone and closed lines in it: triangles first, then elements like those around."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array
from oddseam.editing.zones.zone import Zone, distance_to_edges, distance_to_polygon
from oddseam.errors import Refusal
from oddseam.geometry.edge_keys import arc_keys, edge_keys, edges_among, edges_of_triangles
from oddseam.geometry.exact.exact_points import ExactPoints
from oddseam.geometry.exact.planar import PlanarMesh
from oddseam.model import KINDS, Creases, Mesh
from oddseam.model.editing import Added, edited
from oddseam.model.origins import nodes_in
from oddseam.model.splicing import spliced_with_rows
from oddseam.progress import silent
from oddseam.remeshing.remesh import Ways, meshed_anew
from oddseam.remeshing.surfaces.net import Fineness
from oddseam.remeshing.surfaces.region import region_round
from oddseam.remeshing.surfaces.sheets import Held
from oddseam.sizes import SizeField

#: Nodes of the old mesh nearer to a line than this share of the size are not kept beneath the new one.
_CLEAR = 0.25
#: Places in the plane are rounded to the size over this power of two.
_BITS = 40
#: By how much the size may grow over the distance.
_GROWTH = 0.35


@dataclass(frozen=True, eq=False)
class Insert:
    """What is put into a zone.

    Attributes
    ----------
    points : (k, 3) array
        New nodes, numbered after those of the zone's local mesh.
    triangles, quads : (t, 3) and (q, 4) int arrays
        Elements that stay as they are.
    line : (e, 2) int array
        Edges that stay, and that what is meshed anew ends at, or runs along both sides of.
    hollow : (h, 2) array
        The polygon in the plane of the chart within which nothing is meshed; without points, none.
    splits : (s, 3) int array
        Ends of an edge that stays, and a node that splits it.
    lines : (l, 3) int array
        Line elements: both nodes, and the element of the local mesh that they are like.
    """

    points: Array
    triangles: Array
    quads: Array
    line: Array
    hollow: Array
    splits: Array = field(default_factory=lambda: np.zeros((0, 3), np.int64))
    lines: Array = field(default_factory=lambda: np.zeros((0, 3), np.int64))


def with_insert(zone: Zone, insert: Insert) -> tuple[Mesh, Array] | None:
    """The whole mesh with something in the place of a zone, and new elements round it; ``None`` if that fails.

    With it where in it the nodes of the zone's local mesh and those put in are, -1 for those that went.
    """
    local, chart = zone.local, zone.chart
    nodes = np.concatenate([local.nodes, insert.points])
    flat = chart.flat(nodes)
    border, of_border = _split(zone.border, insert, flat)
    slits, of = _split(zone.slits, insert, flat)
    stays = distance_to_polygon(flat[slits].mean(axis=1), insert.hollow) > 0
    slits, of = slits[stays], of[stays]
    triangles = _triangulated(zone, insert, flat, border, slits)
    if triangles is None:
        return None
    own, beneath = zone.triangles, zone.element_of_triangles()

    def under(connectivity: Array) -> Array:
        middle = flat[connectivity].mean(axis=1)
        _, row = chart.lifted(middle, local.nodes, own)
        return np.asarray(beneath[np.maximum(row, 0)])

    pieces = np.concatenate([insert.triangles, triangles]).astype(np.int64)
    like = np.concatenate([under(its) if len(its) else np.zeros(0, np.int64) for its in (pieces, insert.quads)])
    stays, of = np.concatenate([border, slits]), np.concatenate([of_border, of])
    gone, lines = _line_elements(zone, insert, stays, of)
    creases = _split_creases(local.creases, stays, of)
    base = edited(
        local if creases is None else local.replaced(creases=creases[0]),
        drop=np.concatenate([zone.elements, gone]),
        add=Added(
            nodes=insert.points,
            triangles=pieces,
            quads=insert.quads,
            lines=lines[:, :2],
            like=np.concatenate([like, lines[:, 2]]),
            derived=True,
            creases=None if creases is None else creases[1],
        ),
    )
    names = list(base.elements)
    last = sum(len(base.elements[name]) for name in names[: names.index("tri") + 1])
    rows = np.arange(last - len(triangles), last)
    bare = dataclasses.replace(base, creases=None)  # all of them stay, and what is meshed anew adds none
    held = [] if base.creases is None else [base.creases.edges]
    is_put_in = np.zeros(len(insert.points), bool)
    for its in (pieces, insert.quads, lines[:, :2]):
        is_put_in[its[its >= local.n_nodes] - local.n_nodes] = True
    row = np.full(len(nodes), -1)
    row[: local.n_nodes] = nodes_in(local, base)
    row[local.n_nodes + np.flatnonzero(is_put_in)] = np.flatnonzero(nodes_in(base, local) < 0)
    made = _anew(zone, bare, rows, np.concatenate([row[insert.line], row[slits], row[border], *held]))
    whole = None if made is None else spliced_with_rows(zone.whole, zone.around, _with_creases_of(base, made))
    if made is None or whole is None:
        return None
    for step in (nodes_in(base, made), whole.node):
        row = np.append(step, -1)[row]
    return whole.mesh, row


def _with_creases_of(base: Mesh, made: Mesh) -> Mesh:
    """What was made of a mesh, with its creases."""
    if base.creases is None:
        return made
    row = nodes_in(base, made)
    return dataclasses.replace(made, creases=Creases(np.sort(row[base.creases.edges], axis=1), base.creases.kind))


def _split(edges: Array, insert: Insert, flat: Array) -> tuple[Array, Array]:
    """Edges (e, 2) in their pieces, and the one that each piece is of."""
    pieces: dict[tuple[int, int], list[tuple[float, int]]] = {}
    for one, two, node in insert.splits.tolist():
        pieces.setdefault((one, two), []).append((float(np.linalg.norm(flat[node] - flat[one])), node))
    found, of = [], []
    for a, b in edges.tolist():
        ahead = [node for _, node in sorted(pieces.get((a, b), ()))]
        back = [node for _, node in sorted(pieces.get((b, a), ()), reverse=True)]
        chain = [a, *ahead, *back, b]
        found += list(zip(chain[:-1], chain[1:], strict=True))
        of += [(a, b)] * (len(chain) - 1)
    return np.array(found, np.int64).reshape(-1, 2), np.array(of, np.int64).reshape(-1, 2)


def _line_elements(zone: Zone, insert: Insert, stays: Array, of: Array) -> tuple[Array, Array]:
    """Line elements of the zone that go, split or in the hollow, and those (l, 3) in their place."""
    gone, made = [np.zeros(0, np.int64)], [insert.lines]

    n = len(zone.local.nodes) + len(insert.points)
    here, whole = np.concatenate([zone.border, zone.slits]), edge_keys(of, n)
    for name, block, span in zone.local.blocks():
        if KINDS[name].dimension == 1:
            its = block.connectivity[:, :2]
            rows = np.flatnonzero(edges_among(its, here, n) & ~edges_among(its, stays, n))
            if len(rows) and name != "line":
                raise Refusal(
                    f"element {int(block.ids[rows[0]])} is a {name}; only line elements of two nodes can be split"
                )
            for row in rows.tolist():
                of_it = whole == edge_keys(its[row], n)
                pieces = stays[of_it]
                if len(pieces) and its[row, 0] not in of[of_it][:, 0]:
                    pieces = pieces[:, ::-1]
                made.append(np.column_stack([pieces, np.full(len(pieces), span.start + row)]))
            gone.append(span.start + rows)
    return np.concatenate(gone), np.concatenate(made)


def _split_creases(creases: Creases | None, stays: Array, of: Array) -> tuple[Creases, Creases] | None:
    """Creases without those that are split, and the pieces of these."""
    split = (np.sort(stays, axis=1) != np.sort(of, axis=1)).any(axis=1)
    if creases is None or not split.any():
        return None
    known = {tuple(edge): kind for edge, kind in zip(creases.edges.tolist(), creases.kind.tolist(), strict=True)}
    pieces = [
        (edge, known.get(tuple(whole)))
        for edge, whole in zip(np.sort(stays[split], axis=1).tolist(), np.sort(of[split], axis=1).tolist(), strict=True)
    ]
    pieces = [(edge, kind) for edge, kind in pieces if kind is not None]
    wholes = {tuple(whole) for whole in np.sort(of[split], axis=1).tolist()}
    kept = np.array([tuple(edge) not in wholes for edge in creases.edges.tolist()], bool)
    rest = Creases(creases.edges[kept], creases.kind[kept])
    edges, kinds = [edge for edge, _ in pieces], [kind for _, kind in pieces]
    return rest, Creases(np.array(edges, np.int64).reshape(-1, 2), np.array(kinds, np.int8))


def _anew(zone: Zone, base: Mesh, rows: Array, line: Array) -> Mesh | None:
    """The base with some of its triangles meshed anew; edges ``line`` (e, 2) of these stay."""
    region = region_round(base, rows)
    surface = region.surface
    assert region.held is not None
    edges = np.append(nodes_in(base, surface), -1)[line]
    edges = edges[(edges >= 0).all(axis=1)]
    mark = region.held.nodes.copy()
    mark[edges] = True
    edges = np.unique(np.sort(np.concatenate([region.held.edges, edges]), axis=1), axis=0)
    region = dataclasses.replace(region, held=Held(mark, edges))
    field = region.graded(SizeField(zone.size, _GROWTH))
    kinds = [name for name, block in zone.local.elements.items() if name == "quad" and len(block)]
    ways = Ways("facets", bool(kinds))
    try:
        made = meshed_anew(region, 179.0, Fineness(field, None), ways, None, silent)
    except Refusal:
        return None
    return None if made.unmet else made.mesh


def _triangulated(zone: Zone, insert: Insert, flat: Array, border: Array, slits: Array) -> Array | None:
    """(t, 3) triangles between the border of the zone and the line; ``None`` if nodes lie on one another."""
    own = np.unique(zone.triangles)
    on_border = np.zeros(len(flat), bool)
    on_border[border] = on_border[slits] = True
    inner = own[~on_border[own]]
    clear = distance_to_polygon(flat[inner], insert.hollow) > _CLEAR * zone.size
    clear &= distance_to_edges(flat[inner], *flat[insert.line.T]) > _CLEAR * zone.size
    used = np.unique(np.concatenate([border.ravel(), slits.ravel(), inner[clear], insert.line.ravel()]))
    # border nodes of openings within the hollow have nothing to hold any more
    used = used[distance_to_polygon(flat[used], insert.hollow) > -1e-9 * zone.size]
    grid = 2.0 ** (np.floor(np.log2(zone.size)) - _BITS)  # so that exact numbers stay short
    store = ExactPoints(np.column_stack([np.round(flat[used] / grid) * grid, np.zeros(len(used))]))
    if len(set(store.first)) < len(used):
        return None
    number = np.full(len(flat), -1)
    number[used] = np.arange(len(used))
    plane = PlanarMesh(store, (0, 0, 1), extent=range(len(used)))
    lines = np.concatenate([border, slits, insert.line])
    lines = number[lines]
    for a, b in lines[(lines >= 0).all(axis=1)].tolist():
        plane.add_segment(a, b)
    for k in range(len(used)):
        plane.add(k)
    if len(store.points) > len(used):
        return None  # lines cross
    triangles = used[np.array(plane.triangles(), np.int64).reshape(-1, 3)]
    middle = flat[triangles].mean(axis=1)
    outside = distance_to_polygon(middle, insert.hollow) > 0
    _, row = zone.chart.lifted(middle, zone.local.nodes, zone.triangles)
    triangles = triangles[outside & (row >= 0)]
    return triangles if _is_tight(zone, insert, flat, border, slits, triangles) else None


def _is_tight(zone: Zone, insert: Insert, flat: Array, border: Array, slits: Array, triangles: Array) -> bool:
    """Whether triangles reach to all of the border and the line, and nothing but openings goes with the hollow."""
    n = len(flat)
    there = arc_keys(edges_of_triangles(triangles), n)
    goes = distance_to_polygon(flat[border].mean(axis=1), insert.hollow) < 0
    if not edges_among(border[goes], zone.bounds["free edge"], n).all():
        return False
    wanted = [
        border[~goes],
        slits,
        slits[:, ::-1],
        insert.line,
        *(() if len(insert.hollow) else (insert.line[:, ::-1],)),
    ]
    return bool(np.isin(arc_keys(np.concatenate(wanted), n), there).all())
