"""Which borders between recognised surfaces mean something.

Within a tolerance, a gently curved surface falls into pieces that are as good as flat, and their borders lie anywhere.
A border means something if the surface turns there, or if its curvature across the border changes so much that the
smaller side would turn otherwise.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, distinct
from oddseam.features.patches.recognition import regions_of
from oddseam.geometry.shapes.primitives import PRIMITIVES, Primitive, fit_primitive, measured_each
from oddseam.geometry.triangles import areas_and_normals, unit_normals
from oddseam.model.connectivity import label_components

#: A border means something where the surfaces turn by so many degrees, or where the change of curvature makes up so
#: many over the smaller side; without noise and with it.
_LEAST, _LEAST_NOISY = (0.5, 4.0), (3.0, 30.0)
#: Curvature is taken over this share of the depth of a region.
_STEP = 1e-3
#: Facets to which the surface of regions that became one is fitted.
_SAMPLE = 2000


def with_borders_that_count(
    nodes: Array,
    triangles: Array,
    across: Array,
    label: Array,
    surfaces: tuple[Primitive, ...],
    tolerance: float,
    is_noisy: bool,
) -> tuple[Array, tuple[Primitive, ...]]:
    """Join regions over borders that mean nothing: to one surface if there is one, to free-form surface else.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    across : (m, 3) int array
        Facet across each edge, -1 at creases.
    label : (m,) int array
        Surface of every facet, -1 for none.
    surfaces : tuple of Primitive
    tolerance : float
        Root mean square distance of the nodes of a region to its surface.
    is_noisy : bool
        Whether the tolerance is for noise: regions are not exact then, and their borders less so.
    """
    least = _LEAST_NOISY if is_noisy else _LEAST
    while surfaces:
        joined = _joined(nodes, triangles, across, label, surfaces, tolerance, least)
        if joined is None:
            break
        label, surfaces = joined  # what became free-form is beside others now
    return label, surfaces


def _joined(
    nodes: Array, triangles: Array, across: Array, label: Array, surfaces: tuple[Primitive, ...], tolerance: float,
    least: tuple[float, float],
) -> tuple[Array, tuple[Primitive, ...]] | None:  # fmt: skip
    """Regions joined once over the borders that mean nothing; ``None`` if there are none."""
    count = len(surfaces)
    a, b, weak = _pairs(nodes, triangles, across, label, surfaces, least)
    if not weak.any():
        return None
    both = weak & (b >= 0)
    n_groups, group = label_components(count, a[both], b[both])
    is_free = np.zeros(n_groups, bool)
    is_free[group[a[weak & (b < 0)]]] = True
    new_label = np.full(len(label), -1, np.int32)
    kept: list[Primitive] = []
    members, regions = regions_of(group, n_groups), regions_of(label, count)
    for g in np.flatnonzero(~is_free).tolist():
        its = members[g]
        facets = np.sort(np.concatenate([regions[k] for k in its.tolist()]))
        surface = surfaces[its[0]] if len(its) == 1 else _common(nodes, triangles, facets, tolerance)
        if surface is not None:
            new_label[facets] = len(kept)
            kept.append(surface)
    return new_label, tuple(kept)


def _common(nodes: Array, triangles: Array, facets: Array, tolerance: float) -> Primitive | None:
    some = facets[np.linspace(0, len(facets) - 1, min(len(facets), _SAMPLE)).astype(np.int64)]
    normals = unit_normals(nodes[triangles[some]])
    points, middles = nodes[distinct(triangles[some])], nodes[triangles[some]].mean(axis=1)
    return fit_primitive(points, middles, normals, tolerance, PRIMITIVES)


def _pairs(
    nodes: Array,
    triangles: Array,
    across: Array,
    label: Array,
    surfaces: tuple[Primitive, ...],
    least: tuple[float, float],
) -> tuple[Array, Array, Array]:
    """Pairs of regions with a border, the second -1 where it is free-form, and whether that means nothing."""
    m = len(triangles)
    flat = across.ravel()
    row = np.repeat(np.arange(m), 3)
    half = np.flatnonzero((flat >= 0) & (label[row] >= 0))
    half = half[label[flat[half]] != label[half // 3]]
    half = half[(label[flat[half]] < 0) | (half // 3 < flat[half])]
    here, there = half // 3, flat[half]
    p, q = nodes[triangles.ravel()[half]], nodes[np.roll(triangles, -1, axis=1).ravel()[half]]
    middle, along = 0.5 * (p + q), q - p
    length = np.linalg.norm(along, axis=1)
    area, normals = areas_and_normals(nodes[triangles])
    mean = normals[here] + normals[there]
    out = np.cross(along, mean)  # from here to there
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-300)
    size = np.bincount(label[label >= 0], area[label >= 0], minlength=len(surfaces))
    key, pair = np.unique(np.column_stack([label[here], label[there]]), axis=0, return_inverse=True)
    pair = pair.reshape(-1)
    border = np.bincount(pair, length)
    smaller = size[key[:, 0]]
    two = key[:, 1] >= 0
    smaller[two] = np.minimum(smaller[two], size[key[two, 1]])
    depth = np.minimum(smaller / border, np.sqrt(smaller))
    share = length / np.maximum(border[pair], 1e-300)
    step = _STEP * depth[pair][:, None]

    def seen(facets: Array, at: Array) -> tuple[Array, Array]:
        """Angle of the surfaces of facets at a border, across it, and their curvature; from the side of the facets."""
        normal = measured_each(surfaces, label[facets], middle[at])[1]
        farther = measured_each(surfaces, label[facets], middle[at] + step[at] * out[at])[1]
        sign = np.sign(np.einsum("ij,ij->i", normal, normals[facets]))
        turn = sign * np.einsum("ij,ij->i", normal, out[at])
        return turn, (sign * np.einsum("ij,ij->i", farther, out[at]) - turn) / step[at, 0]

    def total(of: Array, values: Array) -> Array:
        return np.bincount(of, values, minlength=len(key)).astype(float)  # of nothing it would be of whole numbers

    at = np.flatnonzero(two[pair])
    (turn, curve), (turn2, curve2) = seen(here[at], at), seen(there[at], at)
    kink = np.abs(total(pair[at], share[at] * (turn2 - turn)))
    bend = np.abs(total(pair[at], share[at] * (curve2 - curve)))
    # how the facets beyond turn away from the surface that is left
    at = np.flatnonzero(~two[pair])
    last, base = _beyond(there[at], across, label)
    base = at[base]
    centre = nodes[triangles[last]].mean(axis=1)
    away = np.einsum("ij,ij->i", centre - middle[base], out[base])
    normal = measured_each(surfaces, label[here[base]], centre)[1]
    sign = np.sign(np.einsum("ij,ij->i", normal, normals[last]))[:, None]
    turned = np.einsum("ij,ij->i", normals[last] - sign * normal, out[base])
    weight = share[base] * (away > 0)
    bend += np.abs(total(pair[base], weight * turned)) / np.maximum(total(pair[base], weight * away), 1e-300)
    means = (np.degrees(kink) >= least[0]) | (np.degrees(bend * depth) >= least[1])
    return key[:, 0], key[:, 1], ~means


def _beyond(facets: Array, across: Array, label: Array) -> tuple[Array, Array]:
    """Facets of no region, those next to them, and to which row of the given ones each belongs."""
    base = np.arange(len(facets))
    last, owner = [facets], [base]
    for _ in range(2):
        beside = across[last[-1]]
        found = (beside >= 0) & (label[np.maximum(beside, 0)] < 0)
        owner.append(np.repeat(owner[-1], 3)[found.ravel()])
        last.append(beside[found])
    return np.concatenate(last), np.concatenate(owner)
