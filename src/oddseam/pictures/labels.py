"""Numbers on a picture, each well within the area that it names."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.pictures.view import Camera

if TYPE_CHECKING:
    from matplotlib.axes import Axes

#: A number needs so many pixels around it.
_ROOM = 6.0
#: Numbers of chains keep so many pixels apart.
_APART = 16.0
#: Places along a chain that are tried.
_TRIED = 15


def draw_area_numbers(axes: Axes, facet: Array, label: Array) -> None:
    """Number every area that is seen, where it is farthest from its border.

    Parameters
    ----------
    axes : Axes
        In pixels.
    facet : (h, w) int array
        The triangle at every pixel, or -1.
    label : (m,) int array
        Area of every triangle, from 0 on; -1 for none.
    """
    from scipy import ndimage

    image = np.append(label, -1)[facet]
    inner = np.zeros(image.shape, bool)
    inner[1:-1, 1:-1] = image[1:-1, 1:-1] >= 0
    for shift in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        inner[1:-1, 1:-1] &= image[1:-1, 1:-1] == np.roll(image, shift, (0, 1))[1:-1, 1:-1]
    room = ndimage.distance_transform_edt(inner)
    names = np.unique(image[image >= 0])
    for name, (row, column) in zip(names.tolist(), ndimage.maximum_position(room, image, names), strict=True):
        if room[row, column] >= _ROOM:
            _number(axes, column, row, name + 1, min(6.0 + 0.12 * float(room[row, column]), 9.0))


def draw_chain_numbers(axes: Axes, camera: Camera, depth: Array, nodes: Array, chains: Mapping[int, Array]) -> None:
    """Number chains of edges (k, 2), each near its middle where that is seen, the first before others."""
    taken = np.zeros((0, 2))
    for number, edges in chains.items():
        middles = nodes[edges].mean(axis=1)
        tree = BoxTree(middles[:, None].repeat(3, axis=1))
        start = tree.order[tree.closest(middles.mean(axis=0)[None])[1][0]]
        order = np.argsort(np.linalg.norm(middles - middles[start], axis=1), kind="stable")
        xy, z = camera.project(middles[order[:: max(len(order) // _TRIED, 1)]])
        for (x, y), height in zip(xy.tolist(), z.tolist(), strict=True):
            row, column = int(y), int(x)
            if not (0 <= row < depth.shape[0] and 0 <= column < depth.shape[1]):
                continue
            if depth[row, column] > height + 3.0 / camera.scale:
                continue  # something is in front
            if len(taken) and np.linalg.norm(taken - (x, y), axis=1).min() < _APART:
                continue
            taken = np.concatenate([taken, [[x, y]]])
            _number(axes, x, y, number, 8.0)
            break


def _number(axes: Axes, x: float, y: float, number: int, size: float) -> None:
    from matplotlib.patheffects import withStroke

    axes.text(x, y, str(number), fontsize=size, weight="bold", color="#14181c", ha="center", va="center",
              path_effects=[withStroke(linewidth=2.2, foreground="white")], zorder=6)  # fmt: skip
