"""Cutting a surface into sheets that a two-manifold kernel can work on.

The surface is cut along edges with other than two agreeing facets; a node with several fans
becomes one node for each.  Creases, borders between classes of facets, and free edges are
features.  Sewing back is by node identity: a node remembers which one it was, and nodes on
cuts that are shared never move.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.features.edges.creases import sharp_pairs
from oddseam.features.edges.rough import is_crooked, is_even_at_large, roughness
from oddseam.features.patches.curves import Curves, is_stub, trace_curves
from oddseam.geometry.edge_keys import edges_among
from oddseam.geometry.threads import in_runs
from oddseam.geometry.triangles import areas, following, sorted_corners, turn_angles, unit_normals
from oddseam.model.connectivity import label_components
from oddseam.remeshing.kernels.curve_spacing import sum_round

#: An edge where the surface turns by fewer degrees is flat.
_UNTURNED = 1e-3


@dataclass(frozen=True, eq=False)
class Held:
    """What has to stay as it is, because something else uses it too.

    Attributes
    ----------
    nodes : (n,) bool array
    edges : (k, 2) int array
        Between such nodes, the smaller number first.
    """

    nodes: Array
    edges: Array

    def has(self, ends: Array, n: int) -> Array:
        """(j,) bool: which of the edges (j, 2) between n nodes are held."""
        return edges_among(ends, self.edges, n)


@dataclass(frozen=True, eq=False)
class Sheets:
    """A surface cut for a two-manifold kernel.

    Attributes
    ----------
    point : (n, 3) array
        Nodes, those with several fans repeated.
    node : (n,) int array
        Which node of the surface each was.
    triangles : (m, 3) int32 array
        In terms of ``point``.
    twin : (3 m,) int32 array
        Half-edge across, -1 at a cut or a free edge.
    out : (n,) int32 array
        A half-edge that leaves each node; the one without twin on a border.
    region : (m,) int32 array
        Region of every triangle: what hangs together without crossing a feature.
    curves : Curves
        Of the features.
    is_splittable : (c,) bool array
        Whether nodes may be put on and taken off a curve.
    is_angle : (c,) bool array
        Curves that are features by their angle alone.
    half_curve : (3 m,) int32 array
        Curve of every half-edge, or -1.
    n_stubs : int
        Edges that turn as creases do, but end in the open and are short: they were taken for noise.
    n_rough : int
        Edges that turn as creases do, but hardly more than the rough surface beside them.
    is_locked : (n,) bool array
        Nodes on cuts that several sheets share, and those that are held.
    """

    point: Array
    node: Array
    triangles: Array
    twin: Array
    out: Array
    region: Array
    curves: Curves
    is_splittable: Array
    is_angle: Array
    half_curve: Array
    is_locked: Array
    n_stubs: int
    n_rough: int


class Noise(NamedTuple):
    """What makes no creases.

    Attributes
    ----------
    thin : float
        A facet with an altitude of less has no say in what is a crease: its normal is that of what lies across its
        longest edge.
    stub : float
        A chain of edges that are creases by their angle alone, and that ends somewhere within the surface, is none if
        it is shorter.
    """

    thin: float = 0.0
    stub: float = 0.0


QUIET = Noise()


def cut_into_sheets(
    nodes: Array,
    triangles: Array,
    facet_class: Array,
    crease: float,
    drawn: Array | None = None,
    kept: Array | None = None,
    held: Held | None = None,
    noise: Noise = QUIET,
) -> Sheets:
    """Cut a surface.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    facet_class : (m,) int array
        Borders between classes are features.
    crease : float
        Angle in degrees beyond which an edge is a feature.
    drawn : (k, 2) int array, optional
        Edges that are features whatever their angle.
    kept : (m,) int array, optional
        How much is kept of every facet: nothing (0), its place (1), so that its nodes are corners and its edges
        features unless they are flat, or all of it (2).
    held : Held, optional
        Nodes and edges that stay as they are.
    noise : Noise
    """
    m, (thin, stub) = len(triangles), noise
    start = triangles.ravel()
    end = np.roll(triangles, -1, axis=1).ravel()
    n = max(len(nodes), 1)
    corner, first, _ = sorted_corners(triangles, n)
    count = np.diff(first)
    several = np.zeros(3 * m, bool)  # at an edge that more than one facet has
    several[corner] = np.repeat(count > 1, count)
    two = first[:-1][count == 2]
    a, b = corner[two], corner[two + 1]
    del corner, first, two  # the most room is taken here
    agree = start[a] == end[b]
    a, b = a[agree], b[agree]
    twin = np.full(3 * m, -1, np.int32)
    twin[a], twin[b] = b, a

    ends = np.column_stack([start[a], end[a]])
    pairs = np.column_stack([a, b]) // 3
    normals = in_runs(unit_normals, nodes, triangles)
    steady = _steadied(normals, nodes[triangles], twin, thin) if thin > 0 else normals
    sharp = sharp_pairs(steady, pairs, np.ones(len(a), bool), crease)
    given = facet_class[a // 3] != facet_class[b // 3]
    if drawn is not None and len(drawn):
        given |= edges_among(ends, drawn, n)
    if kept is not None:
        highest = np.maximum(kept[a // 3], kept[b // 3])
        given |= (highest > 1) | (highest > 0) & sharp_pairs(normals, pairs, np.ones(len(a), bool), _UNTURNED)
    stays = np.zeros(3 * m, bool) if held is None else held.has(np.column_stack([start, end]), n)
    given |= stays[a]
    n_stubs = n_rough = 0
    if stub > 0:
        anchored = np.zeros(n, bool)
        borders = np.concatenate([np.flatnonzero(twin < 0), a[given]])
        anchored[start[borders]] = anchored[end[borders]] = True
        n_stubs, n_rough = _without_noise(_Edges(ends, pairs, sharp, given), nodes, triangles, steady, anchored, stub)
    sharp |= given
    feature = twin < 0
    by_angle = np.zeros(3 * m, bool)
    by_angle[a[sharp & ~given]] = by_angle[b[sharp & ~given]] = True
    feature[a[sharp]] = feature[b[sharp]] = True
    locked_half = (twin < 0) & several

    # one node for each fan
    after = following(m)
    _, fan = label_components(3 * m, np.concatenate([a, after[a]]), np.concatenate([after[b], b]))
    corner = np.flatnonzero(np.diff(np.maximum.accumulate(fan), prepend=-1))  # labels count up by their first
    node = start[corner]
    point = nodes[node]
    halves = fan.reshape(m, 3)
    fans_at = np.bincount(node, minlength=n)
    is_locked = fans_at[node] > 1
    is_locked[fan[locked_half]] = True
    is_locked[fan[after[locked_half]]] = True
    if held is not None:
        is_locked |= held.nodes[node]

    smooth_a, smooth_b = a[~sharp], b[~sharp]
    _, region = label_components(m, smooth_a // 3, smooth_b // 3)
    out = np.full(len(point), -1, np.int32)
    out[fan[::-1]] = np.arange(3 * m, dtype=np.int32)[::-1]
    border = np.flatnonzero(twin < 0)
    out[fan[border]] = border

    # every feature edge once, as the half-edge with the smaller number
    half = np.flatnonzero(feature & ((twin < 0) | (np.arange(3 * m) < twin)))
    ends = np.column_stack([fan[half], fan[after[half]]])
    angle_ends = np.bincount(ends[by_angle[half]].ravel(), minlength=len(point))
    mixed = (angle_ends > 0) & (angle_ends < np.bincount(ends.ravel(), minlength=len(point)))
    is_corner = is_locked | mixed | _is_peak(nodes, halves, normals, feature, len(point), node)
    stays |= locked_half
    if kept is not None:
        is_corner[halves[kept > 0]] = True
        whole = np.repeat(kept > 1, 3)
        stays |= whole
        stays[twin[whole & (twin >= 0)]] = True
    curves = trace_curves(point, ends, is_corner)
    is_splittable, half_curve = _curve_halves(curves, half, ends, twin, stays)
    is_angle = by_angle[half[curves.edge[curves.first[:-1]]]]
    return Sheets(
        point, node, halves, twin, out, region.astype(np.int32), curves, is_splittable, is_angle, half_curve, is_locked,
        n_stubs, n_rough,
    )  # fmt: skip


class _Edges(NamedTuple):
    """Edges (k,) with two facets: their nodes and facets, which are sharp, and which are given as features."""

    ends: Array
    pairs: Array
    sharp: Array
    given: Array


def _without_noise(
    edges: _Edges, nodes: Array, triangles: Array, normals: Array, anchored: Array, stub: float
) -> tuple[int, int]:
    """Take what is noise out of the sharp edges that are not given; how many were in stubs, and how many rough.

    Chains that end at ``anchored`` (n,) nodes do not end in the open.
    """
    ends, pairs, sharp, given = edges
    by_angle_only = np.flatnonzero(sharp & ~given)
    n_rough = 0
    if len(by_angle_only):
        flat = np.flatnonzero(~sharp & ~given)
        turn = turn_angles(normals[pairs[:, 0]], normals[pairs[:, 1]])
        rough, its = roughness(len(anchored), ends[flat], turn[flat]), by_angle_only
        noise = is_even_at_large(nodes, triangles, ends[its], pairs[its], turn[its], rough, stub)
        its = its[~noise]
        its = its[~is_crooked(nodes, ends[its], turn[its], rough, anchored)]
        n_rough = len(by_angle_only) - len(its)
        sharp[by_angle_only] = False
        sharp[its] = True
        by_angle_only = its
    noise = is_stub(nodes, ends[by_angle_only], anchored, stub)
    sharp[by_angle_only[noise]] = False
    return int(noise.sum()), n_rough


def _steadied(normals: Array, corners: Array, twin: Array, thin: float) -> Array:
    """Normals of facets, those of thin ones taken over from across their longest edges, one after the other."""
    edges = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
    longest = np.argmax(edges, axis=1)
    twice = 2.0 * areas(corners)
    across = twin[3 * np.arange(len(corners)) + longest] // 3
    waits = (twice < thin * edges.max(axis=1)) & (twin[3 * np.arange(len(corners)) + longest] >= 0)
    result = normals.copy()
    while waits.any():
        now = np.flatnonzero(waits)
        now = now[~waits[across[now]]]
        if not len(now):
            break
        result[now] = result[across[now]]
        waits[now] = False
    return result


def _is_peak(nodes: Array, halves: Array, normals: Array, feature: Array, count: int, node: Array) -> Array:
    """(count,) bool: nodes round which the surface turns so much that they are a feature by themselves.

    Where the area vectors round a node cancel to less than cos 40 degrees of the area, no
    facet through its neighbours can stand for it.
    """
    total, area = np.zeros((count, 3)), np.zeros(count)
    sum_round(for_kernels(nodes), node, halves, normals, total, area)
    on_feature = np.zeros(count, bool)
    on_feature[halves.ravel()[feature]] = True
    peak: Array = ~on_feature & (np.linalg.norm(total, axis=1) < np.cos(np.radians(40.0)) * area)
    return peak


def _curve_halves(curves: Curves, half: Array, ends: Array, twin: Array, locked: Array) -> tuple[Array, Array]:
    """Which curves may get nodes, and the curve of every half-edge.

    Along a rim only one direction exists; such a curve is turned round to follow it.
    """
    half_curve = np.full(len(twin), -1, np.int32)
    is_splittable = np.zeros(len(curves.first) - 1, bool)
    for c, (i, j) in enumerate(zip(curves.first[:-1].tolist(), curves.first[1:].tolist(), strict=True)):
        edge = curves.edge[i : j - 1]
        along = half[edge]
        half_curve[along] = c
        across = twin[along]
        half_curve[across[across >= 0]] = c
        forward = ends[edge, 0] == curves.node[i : j - 1]
        if not forward[0] and across[0] < 0:
            curves.node[i:j] = curves.node[i:j][::-1].copy()
            along, across, forward = along[::-1], across[::-1], ~forward[::-1]
        directed = np.where(forward, along, across)
        is_splittable[c] = (directed >= 0).all() and not locked[along].any()
    return is_splittable, half_curve
