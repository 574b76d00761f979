"""Facets coloured by a size field, with the scale."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh
from oddseam.pictures.sheet import FONT, Sheet
from oddseam.sizes import SizeField

_BINS = 40
_SCALE = "viridis"


def _share(sizes: Array, low: float, high: float) -> Array:
    """Where sizes lie between the least and the largest, on a logarithmic scale."""
    span = np.log(high / low) if high > low else 1.0
    return np.asarray(np.clip(np.log(np.maximum(sizes, low) / low) / span, 0.0, 1.0))


def size_colours(mesh: Mesh, triangles: Array, nodes: Array, field: SizeField) -> Array:
    """(m, 3) colours of triangles, bright where the size is large."""
    from matplotlib import colormaps

    low, high = _span(mesh, field)
    return np.asarray(colormaps[_SCALE](_share(field.at(nodes[triangles].mean(axis=1)), low, high))[:, :3])


def draw_size_scale(sheet: Sheet, mesh: Mesh, field: SizeField, left: int, top: int) -> None:
    """How much of the surface has which size, in the colours of the scale."""
    from matplotlib import colormaps

    corners = mesh.nodes[mesh.triangulation.triangles]
    sizes = field.at(corners.mean(axis=1))
    area = np.linalg.norm(area_vectors(corners), axis=1)
    low, high = _span(mesh, field)
    edges = np.geomspace(low, high * (1.0 + 1e-9), _BINS + 1)
    count, _ = np.histogram(sizes, edges, weights=area)
    axes = sheet.histogram(left + 12, top + 40, 400, 120)
    middle = np.sqrt(edges[1:] * edges[:-1])
    axes.bar(edges[:-1], count, np.diff(edges), align="edge", color=colormaps[_SCALE](_share(middle, low, high)))
    axes.set_xscale("log")
    ticks = np.unique(np.array([f"{tick:.2g}" for tick in np.geomspace(low, high, 5)], float))
    axes.set_xticks(ticks, [f"{tick:g}" for tick in ticks])
    axes.minorticks_off()
    title = f"wanted edge length ({mesh.unit_name}), share of the area\n{low:.3g} to {high:.3g}"
    axes.set_title(title, fontsize=FONT, loc="left")


def _span(mesh: Mesh, field: SizeField) -> tuple[float, float]:
    sizes = field.at(mesh.nodes)
    low, high = float(sizes.min(initial=field.base)), float(sizes.max(initial=field.least))
    return low, max(high, low * (1.0 + 1e-6))
