"""What differs between two states of a mesh, by ids, or between any two meshes, by distance, size and quality."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.errors import Refusal
from oddseam.findings.finding import point_of
from oddseam.findings.qualities import element_quality
from oddseam.geometry.boxtree import BoxTree
from oddseam.geometry.quality import MORE_IS_WORSE
from oddseam.geometry.triangles import areas
from oddseam.inputs import checked
from oddseam.model import KINDS, Mesh
from oddseam.model.outer_faces import skin
from oddseam.model.proof import prove

Touched = dict[str, dict[str, list[int]]]
#: Kind, measure, the worst of both, and the medians of both.
QualityPair = tuple[str, str, tuple[float | None, ...], tuple[float | None, ...]]


@dataclass(frozen=True)
class Off:
    """How far one surface is from another: at most, where, in 95 % of its area, and in the mean over that."""

    most: float
    place: tuple[float, float, float]
    p95: float
    mean: float


@dataclass(frozen=True)
class Comparison:
    """Two meshes side by side.

    Attributes
    ----------
    counts : pair of dict
        Numbers of nodes and elements.
    area : pair of float
        Of the surfaces, those of solids their skins.
    volume : pair of float or None
        That they enclose, ``None`` for open ones.
    there, back : Off
        How far the first is from the second, and the second from the first.
    quality : tuple of (str, str, pair, pair)
        Kind, measure, the worst of both and the medians of both; ``None`` where there is none.
    touched : dict
        See ``compare_ids``.
    """

    counts: tuple[dict[str, int], dict[str, int]]
    area: tuple[float, float]
    volume: tuple[float | None, float | None]
    there: Off
    back: Off
    quality: tuple[QualityPair, ...]
    touched: Touched

    def to_dict(self) -> dict[str, Any]:
        """Plain values, ready for JSON."""
        return asdict(self)


@checked
def compare(before: Mesh, after: Mesh) -> Comparison:
    """Compare two meshes: distances, quality, and the ids that differ.

    For two states of one mesh the ids tell what was touched.

    Parameters
    ----------
    before, after : Mesh

    Returns
    -------
    Comparison

    Raises
    ------
    Refusal
        If either has neither shells nor solids, or both say what unit they are in, and it is not the same.

    Notes
    -----
    Distances are measured from all nodes and middles of facets to the nearest facet; O(n log n).

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> found = oddseam.compare(corner, oddseam.move_node(corner, 4, to=(0, 0, 3), free=True))
    >>> found.there.most < 0.5, found.back.most, [round(volume, 6) for volume in found.volume]
    (True, 1.0, [1.333333, 2.0])
    """
    if None not in (before.unit, after.unit) and before.unit != after.unit:
        raise Refusal(f"one mesh is in {before.unit}, the other in {after.unit}; `change_unit` converts")
    one, two = surface_of(before), surface_of(after)
    return Comparison(
        (before.counts, after.counts),
        (_area(one), _area(two)),
        (_volume(one), _volume(two)),
        _off(one, two),
        _off(two, one),
        tuple(quality_pairs(before, after)),
        compare_ids(before, after),
    )


def surface_of(mesh: Mesh) -> Mesh:
    """The shells of a mesh, or the skin of its solids.

    Raises
    ------
    Refusal
        If it has neither.
    """
    dimensions = {KINDS[name].dimension for name, block in mesh.elements.items() if len(block)}
    if 2 not in dimensions and 3 not in dimensions:
        raise Refusal("the mesh has neither shells nor solids")
    return skin(mesh) if 3 in dimensions else mesh


def distance_to(points: Array, surface: Mesh) -> Array:
    """(k,) how far points are from the facets of a surface; infinite without any."""
    if not len(surface.triangulation.triangles):
        return np.full(len(points), np.inf)
    found, _ = BoxTree(surface.nodes[surface.triangulation.triangles]).closest(points)
    return np.asarray(np.linalg.norm(found - points, axis=1))


def _area(surface: Mesh) -> float:
    return float(areas(surface.nodes[surface.triangulation.triangles]).sum())


def _volume(surface: Mesh) -> float | None:
    proof = prove(surface)
    return proof.volume if proof.is_closed else None


def _off(one: Mesh, two: Mesh) -> Off:
    t = one.triangulation.triangles
    nodes, middles = np.unique(t), one.nodes[t].mean(axis=1)
    away = distance_to(np.concatenate([one.nodes[nodes], middles]), two)
    k = int(np.argmax(away))
    place = one.nodes[nodes[k]] if k < len(nodes) else middles[k - len(nodes)]
    at = np.zeros(one.n_nodes)
    at[nodes] = away[: len(nodes)]
    of_facet = 0.25 * (at[t].sum(axis=1) + away[len(nodes) :])  # the mean of its corners and its middle
    area = areas(one.nodes[t])
    order = np.argsort(of_facet)
    share = np.cumsum(area[order])
    p95 = float(of_facet[order][min(int(np.searchsorted(share, 0.95 * share[-1])), len(order) - 1)])
    mean = float((of_facet * area).sum() / area.sum()) if area.sum() > 0 else float(of_facet.mean())
    return Off(float(away[k]), point_of(place), p95, mean)


def quality_pairs(before: Mesh, after: Mesh) -> list[QualityPair]:
    """Worst and median of every measure of both, by kind."""
    both = [element_quality(mesh) for mesh in (before, after)]
    rows: list[QualityPair] = []
    for kind in dict.fromkeys([*both[0], *both[1]]):
        names = next(found[kind][1] for found in both if kind in found)
        for measure in names:
            values = [found[kind][1][measure] if kind in found else np.zeros(0) for found in both]
            worst = np.max if measure in MORE_IS_WORSE else np.min
            worsts = tuple(float(worst(its)) if len(its) else None for its in values)
            medians = tuple(float(np.median(its)) if len(its) else None for its in values)
            rows.append((kind, measure, worsts, medians))
    return rows


@checked
def compare_ids(before: Mesh, after: Mesh) -> Touched:
    """List the ids that were touched from one state of a mesh to another.

    Parameters
    ----------
    before, after : Mesh

    Returns
    -------
    dict
        ``nodes`` with ids ``gone``, ``new`` and ``moved``; ``elements`` with ids ``gone``, ``new`` and ``changed``
        (other nodes, another kind or another part).  O(n log n).

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.compare_ids(tent, oddseam.fill(tent, near=(0, 0, 0)))["elements"]
    {'gone': [], 'new': [4], 'changed': []}
    """
    gone, new, one, two = _matched(before.node_ids, after.node_ids)
    moved = (before.nodes[one] != after.nodes[two]).any(axis=1)
    nodes = {"gone": gone, "new": new, "moved": before.node_ids[one[moved]]}
    gone, new, one, _ = _matched(before.element_ids, after.element_ids)
    changed = np.setdiff1d(before.element_ids[one], _unchanged(before, after))
    elements = {"gone": gone, "new": new, "changed": changed}
    return {
        "nodes": {name: sorted(ids.tolist()) for name, ids in nodes.items()},
        "elements": {name: sorted(ids.tolist()) for name, ids in elements.items()},
    }


def _matched(before: Array, after: Array) -> tuple[Array, Array, Array, Array]:
    """Ids that went and that came, and the rows of both for the others."""
    row, missing = IdIndex(after).of(before)
    return before[missing], np.setdiff1d(after, before), np.flatnonzero(~missing), row[~missing]


def _unchanged(before: Mesh, after: Mesh) -> Array:
    """Ids of the elements of the same kind, nodes and part in both."""
    same = [np.zeros(0, np.int64)]
    parts = [np.array([part.id for part in mesh.parts], np.int64) for mesh in (before, after)]
    for name, one in before.elements.items():
        two = after.elements.get(name)
        if two is None:
            continue
        row, missing = IdIndex(two.ids).of(one.ids)
        mine, its = np.flatnonzero(~missing), row[~missing]
        equal = (before.node_ids[one.connectivity[mine]] == after.node_ids[two.connectivity[its]]).all(axis=1)
        equal &= parts[0][one.part[mine]] == parts[1][two.part[its]]
        same.append(one.ids[mine[equal]])
    return np.concatenate(same)
