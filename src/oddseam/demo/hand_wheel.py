"""The hand wheel of the gate of Alder Weir: its rim with the hub, and its five spokes, meshed apart.

Lengths in millimetres.  The spokes are open tubes that end a little before the rim and the hub, under an angle: ten
oblique footprints, and no openings for them.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

import oddseam
from oddseam.arrays import Array

#: Radii of the rim and the hub, and of their tubes; height of the rim over the hub.
RIM, RIM_TUBE, HUB, HUB_TUBE, HEIGHT = 200.0, 16.0, 46.0, 19.0, 60.0
#: How many spokes, their radius, by how many degrees they lead, and how far they end before the rim and the hub.
SPOKES, SPOKE, LEAD, SHORT = 5, 8.0, 14.0, 3.0


def _ring(big: float, small: float, height: float, around: int, across: int) -> tuple[Array, Array]:
    u, v = (np.arange(n) * 2 * np.pi / n for n in (around, across))
    out = big + small * np.cos(v)[None, :] + 0 * u[:, None]
    z = height + small * np.sin(v)[None, :] + 0 * u[:, None]
    nodes = np.stack([out * np.cos(u)[:, None], out * np.sin(u)[:, None], z], axis=-1).reshape(-1, 3)
    i, j = (w.ravel() for w in np.meshgrid(np.arange(around), np.arange(across), indexing="ij"))
    a, b = i * across + j, ((i + 1) % around) * across + j
    c, d = ((i + 1) % around) * across + (j + 1) % across, i * across + (j + 1) % across
    return nodes, np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])


def spoke_axes() -> list[tuple[Array, Array]]:
    """Middles of both ends of every spoke, at the hub and at the rim."""
    axes = []
    for k in range(SPOKES):
        turn, lead = 2 * np.pi * k / SPOKES, np.radians(LEAD)
        hub = np.array([HUB * np.cos(turn), HUB * np.sin(turn), 0.0])
        rim = np.array([RIM * np.cos(turn + lead), RIM * np.sin(turn + lead), HEIGHT])
        ahead = (rim - hub) / np.linalg.norm(rim - hub)
        axes.append((hub + (HUB_TUBE + SHORT) * ahead, rim - (RIM_TUBE + SHORT) * ahead))
    return axes


def _tube(begin: Array, end: Array, around: int, along: int) -> tuple[Array, Array]:
    axis = (end - begin) / np.linalg.norm(end - begin)
    one = np.cross(axis, [0.0, 0.0, 1.0])
    one /= np.linalg.norm(one)
    turn = np.arange(around) * 2 * np.pi / around
    ring = SPOKE * (np.cos(turn)[:, None] * one + np.sin(turn)[:, None] * np.cross(axis, one))
    nodes = np.concatenate([begin + s * (end - begin) + ring for s in np.linspace(0.0, 1.0, along + 1)])
    r, k = (w.ravel() for w in np.meshgrid(np.arange(along), np.arange(around), indexing="ij"))
    a, b = r * around + k, r * around + (k + 1) % around
    return nodes, np.concatenate([np.column_stack([a, b, b + around]), np.column_stack([a, b + around, a + around])])


def _mesh(*shapes: tuple[Array, Array]) -> oddseam.Mesh:
    first = np.cumsum([0, *(len(nodes) for nodes, _ in shapes)])
    triangles = [triangles + k for (_, triangles), k in zip(shapes, first, strict=False)]
    nodes = np.concatenate([nodes for nodes, _ in shapes])
    return oddseam.Mesh.from_triangles(nodes, np.concatenate(triangles), unit="mm")


def write_hand_wheel(folder: str | Path) -> tuple[Path, Path]:
    """Write the rim with the hub, and the spokes, as two facet files into a folder; their paths."""
    rim = _mesh(_ring(RIM, RIM_TUBE, HEIGHT, 200, 20), _ring(HUB, HUB_TUBE, 0.0, 60, 24))
    spokes = _mesh(*(_tube(begin, end, 20, 28) for begin, end in spoke_axes()))
    paths = Path(folder) / "hand_wheel_rim.stl", Path(folder) / "hand_wheel_spokes.stl"
    for mesh, path in zip((rim, spokes), paths, strict=True):
        oddseam.write_mesh(mesh, path)
    return paths
