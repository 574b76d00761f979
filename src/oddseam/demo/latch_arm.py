"""The latch arm of Alder Weir: an organic, weight-optimised arm, finely and unevenly faceted.

Lengths in millimetres.  Two eyes at the ends of a bent double strut, all blended into one
another; the facets are those of a grid of tetrahedra that is closer in some places than in
others, so that many are slivers.  A. Doi, A. Koide (1991), An efficient method of triangulating
equi-valued surfaces by using tetrahedral cells.
"""

from __future__ import annotations

from itertools import permutations
from pathlib import Path

import numpy as np

import oddseam
from oddseam.arrays import Array

#: Ends and radii of the struts, and the radius of their blends.
_STRUTS = (
    ((0.0, 0.0, 0.0), (55.0, 26.0, 4.0), 11.0, 8.0),
    ((0.0, 0.0, 0.0), (62.0, -16.0, -3.0), 9.0, 7.0),
    ((55.0, 26.0, 4.0), (120.0, 18.0, 0.0), 8.0, 9.5),
    ((62.0, -16.0, -3.0), (120.0, 18.0, 0.0), 7.0, 9.5),
    ((60.0, 25.0, 4.0), (66.0, -14.0, -3.0), 5.0, 5.0),
)
_BLEND = 9.0
#: Blend of the bores with the eyes.
_FLARE = 7.0
#: Middle, radius and half height of the eyes, and the radius of their bores.
_EYES = (((0.0, 0.0, 0.0), 17.0, 13.0, 8.5), ((120.0, 18.0, 0.0), 13.5, 10.0, 6.0))
_ROUND = 4.0
_LOW, _HIGH = (-22.0, -30.0, -18.0), (140.0, 44.0, 18.0)
#: Cells of the grid along x, y and z, and how unevenly they are spaced.
_CELLS, _UNEVEN = (140, 84, 44), 0.6


def _least(one: Array, two: Array, blend: float) -> Array:
    """The lesser of two distances, blended where they are nearly equal."""
    share = np.clip(0.5 + 0.5 * (two - one) / blend, 0.0, 1.0)
    return np.asarray(two + (one - two) * share - blend * share * (1.0 - share))


def _distance(p: Array) -> Array:
    """(...,) about how far points (..., 3) are outside of the arm."""
    found: Array | None = None
    for begin, end, thick, thin in _STRUTS:
        a, b = np.array(begin), np.array(end)
        along = np.clip(((p - a) @ (b - a)) / ((b - a) @ (b - a)), 0.0, 1.0)
        away = np.linalg.norm(p - a - along[..., None] * (b - a), axis=-1) - (thick + (thin - thick) * along)
        found = away if found is None else _least(found, away, _BLEND)
    assert found is not None
    for middle, radius, half, _ in _EYES:
        d = p - np.array(middle)
        side = np.hypot(d[..., 0], d[..., 1]) - radius + _ROUND
        top = np.abs(d[..., 2]) - half + _ROUND
        eye = np.hypot(np.maximum(side, 0), np.maximum(top, 0)) + np.minimum(np.maximum(side, top), 0) - _ROUND
        found = _least(found, eye, _BLEND)
    for middle, _, _, bore in _EYES:
        d = p - np.array(middle)
        found = -_least(-found, np.hypot(d[..., 0], d[..., 1]) - bore, _FLARE)
    return found


def _spaced(low: float, high: float, count: int) -> Array:
    """Places that are closer in the middle of each half than elsewhere."""
    share = np.linspace(0.0, 1.0, count + 1)
    return np.asarray(low + (high - low) * (share + _UNEVEN * np.sin(4.0 * np.pi * share) / (4.0 * np.pi)))


def latch_arm() -> tuple[Array, Array]:
    """Nodes (n, 3) and triangles (m, 3) of the closed surface."""
    axes = [_spaced(low, high, count) for low, high, count in zip(_LOW, _HIGH, _CELLS, strict=True)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    shape = grid.shape[:3]
    value = _distance(grid).ravel()
    value[np.abs(value) < 1e-6] = 1e-6
    points = grid.reshape(-1, 3)
    number = np.arange(len(points)).reshape(shape)
    size = [n - 1 for n in shape]

    def corner(offset: Array) -> Array:
        i, j, k = offset.tolist()
        return np.asarray(number[i : i + size[0], j : j + size[1], k : k + size[2]]).ravel()

    # six tetrahedra in every cell, all along one diagonal, so that those of neighbours fit
    faces = []
    for order in permutations(range(3)):
        steps = np.zeros((4, 3), int)
        for k, axis in enumerate(order):
            steps[k + 1] = steps[k]
            steps[k + 1, axis] += 1
        cells = np.stack([corner(step) for step in steps], axis=1)
        mixed = cells[(value[cells] < 0).any(axis=1) & (value[cells] >= 0).any(axis=1)]
        faces.append(_cut(mixed, value))
    pairs = np.concatenate(faces)  # (m, 3, 2) the edge of the grid that every corner lies on
    edges, corner_of = np.unique(np.sort(pairs.reshape(-1, 2), axis=1), axis=0, return_inverse=True)
    a, b = value[edges].T
    nodes = points[edges[:, 0]] + (a / (a - b))[:, None] * (points[edges[:, 1]] - points[edges[:, 0]])
    triangles = corner_of.reshape(-1, 3)
    # outward is where the distance grows
    p = nodes[triangles]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    outside = np.where((value[pairs[:, 0]] >= 0)[:, :, None], points[pairs[:, 0]], 0.0).sum(axis=1)
    inside = np.where((value[pairs[:, 0]] < 0)[:, :, None], points[pairs[:, 0]], 0.0).sum(axis=1)
    turned = np.einsum("ij,ij->i", normal, outside - inside) < 0
    triangles[turned] = triangles[turned][:, [0, 2, 1]]
    return nodes, triangles


def _cut(cells: Array, value: Array) -> Array:
    """(m, 3, 2) corners of the triangles in which tetrahedra are cut, each as the edge it lies on."""
    cells = np.take_along_axis(
        cells, np.argsort(value[cells] >= 0, axis=1, kind="stable"), axis=1
    )  # those inside first
    inside = (value[cells] < 0).sum(axis=1)
    found = []
    for count, corners in (
        (1, [((0, 1), (0, 2), (0, 3))]),
        (3, [((3, 0), (3, 1), (3, 2))]),
        (2, [((0, 2), (0, 3), (1, 3)), ((0, 2), (1, 3), (1, 2))]),
    ):
        its = cells[inside == count]
        found += [np.stack([its[:, list(pair)] for pair in triangle], axis=1) for triangle in corners]
    return np.concatenate(found)


def write_latch_arm(path: str | Path) -> None:
    """Write the latch arm as a facet file."""
    oddseam.write_mesh(oddseam.Mesh.from_triangles(*latch_arm(), unit="mm"), path)
