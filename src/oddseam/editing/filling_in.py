"""What lies between the border of a zone and closed lines in it: triangles first, then elements like those around."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.editing.zone import Zone, distance_to_edges, distance_to_polygon
from oddseam.errors import Refusal
from oddseam.geometry.exact_points import ExactPoints
from oddseam.geometry.planar import PlanarMesh
from oddseam.model import Mesh
from oddseam.model.editing import edited
from oddseam.model.splicing import spliced
from oddseam.progress import silent
from oddseam.remeshing.isotropic import Ways, meshed_anew
from oddseam.remeshing.net import Fineness
from oddseam.remeshing.region import region_round
from oddseam.remeshing.sheets import Held
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
    """

    points: Array
    triangles: Array
    quads: Array
    line: Array
    hollow: Array


def with_insert(zone: Zone, insert: Insert) -> Mesh | None:
    """The whole mesh with something in the place of a zone, and new elements round it; ``None`` if that fails."""
    local, chart = zone.local, zone.chart
    nodes = np.concatenate([local.nodes, insert.points])
    border, slits = _border(zone)
    flat = chart.flat(nodes)
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
    base = edited(
        local, drop=zone.elements, add_nodes=insert.points, add_triangles=pieces, add_quads=insert.quads, like=like,
        derived=True,
    )  # fmt: skip
    names = list(base.elements)
    last = sum(len(base.elements[name]) for name in names[: names.index("tri") + 1])
    rows = np.arange(last - len(triangles), last)
    made = _anew(zone, base, rows, nodes[np.concatenate([insert.line, slits])])
    return None if made is None else spliced(zone.whole, zone.around, made)


def _anew(zone: Zone, base: Mesh, rows: Array, line: Array) -> Mesh | None:
    """The base with some of its triangles meshed anew; ``line`` (e, 2, 3) are the ends of edges that stay."""
    region = region_round(base, rows)
    surface = region.surface
    assert region.held is not None
    where = {tuple(xyz): k for k, xyz in enumerate(surface.nodes.tolist())}
    edges = np.array([[where[tuple(end)] for end in ends] for ends in line.tolist()], np.int64).reshape(-1, 2)
    mark = region.held.nodes.copy()
    mark[edges] = True
    edges = np.unique(np.sort(np.concatenate([region.held.edges, edges]), axis=1), axis=0)
    region = dataclasses.replace(region, held=Held(mark, edges))
    field = region.graded(SizeField(zone.size, _GROWTH))
    kinds = [name for name, block in zone.local.elements.items() if name == "quad" and len(block)]
    ways = Ways(facets=True, smooth=False, quads=bool(kinds))
    try:
        made = meshed_anew(region, 179.0, Fineness(field, None), ways, None, silent)
    except Refusal:
        return None
    return None if made.unmet else made.mesh


def _border(zone: Zone) -> tuple[Array, Array]:
    """Edges (e, 2) of the zone that one of its triangles has, directed as in that; and bounds within it."""
    t = zone.triangles.astype(np.int64)
    ends = np.stack([t, np.roll(t, -1, axis=1)], axis=2).reshape(-1, 2)
    n = zone.local.n_nodes
    keys = np.sort(ends, axis=1) @ [n, 1]
    known, inverse, count = np.unique(keys, return_inverse=True, return_counts=True)
    bounds = np.concatenate(list(zone.bounds.values()))
    return np.asarray(ends[count[inverse] == 1]), bounds[np.isin(np.sort(bounds, axis=1) @ [n, 1], known[count > 1])]


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
    there = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2) @ [n, 1]
    goes = distance_to_polygon(flat[border].mean(axis=1), insert.hollow) < 0
    free = np.sort(zone.bounds["free edge"], axis=1) @ [n, 1]
    if not np.isin(np.sort(border[goes], axis=1) @ [n, 1], free).all():
        return False
    wanted = [
        border[~goes],
        slits,
        slits[:, ::-1],
        insert.line,
        *(() if len(insert.hollow) else (insert.line[:, ::-1],)),
    ]
    return bool(np.isin(np.concatenate(wanted) @ [n, 1], there).all())
