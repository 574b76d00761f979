"""Displacements of the nodes of a mesh from where they were, and the outline that it had."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.features.find_features import find_features
from oddseam.model import Mesh
from oddseam.model.origins import nodes_in
from oddseam.pictures.view import Camera

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_INK = (0.75, 0.22, 0.05)


def moves_of_elements(before: Mesh, after: Mesh) -> Array:
    """(m,) how far the nodes of each element have moved at most.

    Raises
    ------
    Refusal
        If a node was not there before.
    """
    row = nodes_in(after, before)
    if (row < 0).any():
        raise Refusal(f"node {int(after.node_ids[row < 0][0])} was not there before; there is no displacement to draw")
    moves = np.linalg.norm(after.nodes - before.nodes[row], axis=1)
    found = [moves[block.connectivity].max(axis=1, initial=0.0) for block in after.elements.values()]
    return np.concatenate([np.zeros(0), *found])


def outline_of(mesh: Mesh) -> Array:
    """(k, 2, 3) ends of the creases and free edges of a mesh."""
    creases = find_features(mesh).creases
    c = mesh.connectivity
    edges = [c.edges[c.is_free]]
    if creases is not None:
        edges.append(creases.edges)
    return np.asarray(mesh.nodes[np.concatenate(edges)])


def draw_outline(axes: Axes, camera: Camera, outline: Array) -> None:
    """Thin lines over the picture."""
    from matplotlib.collections import LineCollection

    xy, _ = camera.project(outline.reshape(-1, 3))
    axes.add_collection(LineCollection(list(xy.reshape(-1, 2, 2)), colors=[_INK], linewidths=0.9, zorder=4))
