"""Measures of a part: distances between nodes, walls and gaps, edges and openings."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from oddseam.arrays import IdIndex
from oddseam.errors import Refusal
from oddseam.findings.classes.across import INWARD, OUTWARD, Across
from oddseam.findings.classes.finding import Finding, Place, point_of
from oddseam.findings.classes.gaps import round_rims
from oddseam.geometry.shapes.primitives import upright
from oddseam.geometry.triangles import area_vectors, areas, unit_normals
from oddseam.inputs import IdsLike, checked
from oddseam.markup import html_table
from oddseam.model import Mesh
from oddseam.progress import Progress, silent

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True)
class Measure:
    """One length: what it is, where, and the ids of the nodes or elements at its two ends."""

    what: str
    length: float
    start: tuple[float, float, float]
    end: tuple[float, float, float]
    ids: tuple[int, ...]


@dataclass(frozen=True)
class Measures:
    """Lengths measured on a mesh, in its unit."""

    rows: tuple[Measure, ...]
    unit: str | None

    def find(self, what: str) -> Measure | None:
        """The first measure of that name, if there is one."""
        return next((row for row in self.rows if row.what == what), None)

    def _repr_html_(self) -> str:
        rows = [(row.what, f"{row.length:.6g}", row.start, row.end, row.ids) for row in self.rows]
        return html_table(f"lengths in {self.unit or 'an unknown unit'}", ("", "", "from", "to", "ids"), rows)

    def to_dict(self) -> dict[str, Any]:
        """Plain values, ready for JSON."""
        return {"unit": self.unit, "measures": [asdict(row) for row in self.rows]}

    def frame(self) -> pd.DataFrame:
        """One row for each length, with its extent along the axes."""
        import pandas as pd

        table = []
        for row in self.rows:
            along = dict(zip(("dx", "dy", "dz"), np.subtract(row.end, row.start).tolist(), strict=True))
            table.append(
                {"what": row.what, "length": row.length, **along, "from": row.start, "to": row.end, "ids": row.ids}
            )
        return pd.DataFrame(table, columns=["what", "length", "dx", "dy", "dz", "from", "to", "ids"])


@checked
def measure(mesh: Mesh, *, nodes: IdsLike | None = None, progress: Progress = silent) -> Measures:
    """Measure a part: box, edges, walls, gaps and openings; or between nodes.

    Sizes can be chosen from that.

    Parameters
    ----------
    mesh : Mesh
    nodes : sequence of int, optional
        Ids of nodes: the distance from each to the next.  Without, the part is measured: its
        box, shortest and longest edge, thinnest and median wall, smallest gap, and the diameters of openings that
        are round; where it has patches, of cylinders too, and its smallest patch.
    progress : callable, optional

    Returns
    -------
    Measures

    Raises
    ------
    Refusal
        If there is no node with that id, or fewer than two are given.

    Notes
    -----
    A wall or a gap is seen from the middles of facets: one much narrower than the facets are
    long may be missed where it is short.  O(n log n).

    Examples
    --------
    >>> import oddseam
    >>> tent = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    >>> oddseam.measure(tent, nodes=[2, 3]).rows[0].length
    5.0
    """
    if nodes is not None:
        return Measures(tuple(_between_nodes(mesh, nodes)), mesh.unit)
    low, high = mesh.box
    rows = [Measure("diagonal of the box", mesh.diagonal, point_of(low), point_of(high), ())]
    if len(mesh.connectivity.edges):
        rows += _extreme_edges(mesh)
    across = Across(mesh)
    rows += [*_walls_and_gaps(across, mesh), *_median_wall(across, mesh)]
    return Measures((*rows, *_openings(mesh), *_of_patches(mesh)), mesh.unit)


def _openings(mesh: Mesh) -> list[Measure]:
    """Diameters of rims that are like holes."""
    rows = []
    for hole in round_rims(mesh):
        ids = mesh.node_ids[hole.nodes[[0, len(hole.nodes) // 2]]]
        arm = 0.5 * hole.diameter * upright(np.array(hole.axis))
        middle = np.array(hole.middle)
        ends = point_of(middle - arm), point_of(middle + arm)
        rows.append(Measure("diameter of an opening", hole.diameter, *ends, tuple(ids.tolist())))
    return rows


def _of_patches(mesh: Mesh) -> list[Measure]:
    """Diameters of cylindrical patches, holes and pins, and the extent of the smallest patch."""
    if mesh.patches is None or not len(mesh.patches.table):
        return []
    t = mesh.triangulation
    of_triangle = mesh.patches.label[t.element]
    middles, vectors = mesh.nodes[t.triangles].mean(axis=1), area_vectors(mesh.nodes[t.triangles])
    rows, sizes = [], np.full(len(mesh.patches.table), np.inf)
    for k, patch in enumerate(mesh.patches.table):
        its = of_triangle == k
        if its.any():
            sizes[k] = np.linalg.norm(np.ptp(mesh.nodes[np.unique(t.triangles[its])], axis=0))
        if patch.kind != "cylinder" or patch.radius is None or patch.axis is None or not its.any():
            continue
        centre, axis = np.array(patch.centre), np.array(patch.axis)
        away = middles[its] - centre
        inward = float(np.einsum("ij,ij->", vectors[its], away - (away @ axis)[:, None] * axis)) < 0
        arm = patch.radius * upright(axis)
        ends = point_of(centre - arm), point_of(centre + arm)
        what = f"diameter of {'hole' if inward else 'pin'} ({patch.name})"
        rows.append(Measure(what, 2.0 * patch.radius, *ends, ()))
    k = int(np.argmin(sizes))
    corners = mesh.nodes[np.unique(t.triangles[of_triangle == k])]
    name = f"smallest patch ({mesh.patches.table[k].name})"
    rows.append(Measure(name, float(sizes[k]), point_of(corners.min(axis=0)), point_of(corners.max(axis=0)), ()))
    return rows


def _between_nodes(mesh: Mesh, nodes: IdsLike) -> list[Measure]:
    if len(nodes) < 2:
        raise Refusal("a distance needs two nodes at least; name their ids")
    rows, missing = IdIndex(mesh.node_ids).of(np.array(nodes, np.int64))
    if missing.any():
        raise Refusal(f"there is no node {nodes[int(np.flatnonzero(missing)[0])]}")
    points = mesh.nodes[rows]
    lengths = np.linalg.norm(np.diff(points, axis=0), axis=1).tolist()
    return [
        Measure(
            "between nodes", length, point_of(points[i]), point_of(points[i + 1]), (int(nodes[i]), int(nodes[i + 1]))
        )
        for i, length in enumerate(lengths)
    ]


def _extreme_edges(mesh: Mesh) -> list[Measure]:
    edges = mesh.connectivity.edges
    length = np.linalg.norm(mesh.nodes[edges[:, 1]] - mesh.nodes[edges[:, 0]], axis=1)
    rows = []
    for what, e in (("shortest edge", int(length.argmin())), ("longest edge", int(length.argmax()))):
        ends = edges[e]
        ids = tuple(mesh.node_ids[ends].tolist())
        rows.append(Measure(what, float(length[e]), point_of(mesh.nodes[ends[0]]), point_of(mesh.nodes[ends[1]]), ids))
    return rows


def _walls_and_gaps(across: Across, mesh: Mesh) -> list[Measure]:
    """The thinnest wall, between facets that look away from one another, and the smallest gap."""
    found = (("thinnest wall", INWARD, across.nearest(INWARD)), ("smallest gap", OUTWARD, across.nearest(OUTWARD)))
    return [_way_across(mesh, what, sense, *its) for what, sense, its in found if its is not None]


def _median_wall(across: Across, mesh: Mesh) -> list[Measure]:
    """The wall that half of the walls, by area, are thinner than."""
    facet, distance, met = across.pairs(INWARD)
    if not len(facet):
        return []
    order = np.argsort(distance, kind="stable")
    area = np.cumsum(areas(mesh.nodes[across.triangles[facet[order]]]))
    k = order[np.searchsorted(area, 0.5 * area[-1])]
    return [_way_across(mesh, "median wall", INWARD, int(facet[k]), float(distance[k]), int(met[k]))]


def _way_across(mesh: Mesh, what: str, sense: float, here: int, length: float, there: int) -> Measure:
    corners = mesh.nodes[mesh.triangulation.triangles[here]]
    start = corners.mean(axis=0)
    end = start + sense * length * unit_normals(corners[None])[0]
    ids = mesh.element_ids[mesh.triangulation.element[[here, there]]]
    return Measure(what, length, point_of(start), point_of(end), tuple(ids.tolist()))


def thin_places(mesh: Mesh) -> list[Finding]:
    """The thinnest wall and the smallest gap, as findings that are only worth knowing."""
    return [
        Finding(
            row.what, "note", 1, "places (element ids)", f"{row.length:.4g}, measured from the middles of facets",
            "`oddseam measure` lists it with other lengths.",
            (Place(point_of((np.array(row.start) + row.end) / 2), row.length, 1, row.ids),), 1,
        )
        for row in _walls_and_gaps(Across(mesh), mesh)
    ]  # fmt: skip
