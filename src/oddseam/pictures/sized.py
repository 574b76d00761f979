"""Facets coloured by a length: the size that is wanted, the wall behind them or the gap before them; and the scale."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.findings.classes.distances import distance_to
from oddseam.geometry.triangles import areas
from oddseam.model import Mesh
from oddseam.pictures.sheet import FONT, Sheet
from oddseam.sizes import SizeField

_BINS = 40
#: Scales: bright where a size is large, and where a wall, a gap or a distance is small.
_OF_SIZES, _OF_WALLS = "viridis", "viridis_r"
#: Distances below this share of the largest have one colour; below this share of the diagonal there are none.
_SPAN, _SAME = 1e-3, 1e-12
#: What has no such length.
_NONE = (0.80, 0.81, 0.82)
#: Lengths of elements that can be drawn, and what they are called.
LENGTHS = {
    "thickness": "thickness of the wall", "gap": "gap before the surface", "part_thickness": "thickness of the part",
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Lengths:
    """Lengths in colours, on a logarithmic scale.

    ``values`` (t,) are those of all triangles of the mesh, nan where there is none; ``low`` and ``high`` the span,
    ``scale`` the name of the scale; ``or_less`` whether smaller values are given as ``low``.
    """

    title: str
    values: Array
    low: float
    high: float
    scale: str
    or_less: bool = False

    @classmethod
    def of_field(cls, mesh: Mesh, field: SizeField) -> Lengths:
        """The sizes that a field asks for."""
        sizes = field.at(mesh.nodes)
        low, high = float(sizes.min(initial=field.base)), float(sizes.max(initial=field.least))
        values = field.at(mesh.nodes[mesh.triangulation.triangles].mean(axis=1))
        return cls("wanted edge length", values, low, max(high, low * (1.0 + 1e-6)), _OF_SIZES)

    @classmethod
    def of_elements(cls, mesh: Mesh, what: str, lengths: Array) -> Lengths:
        """Walls or gaps at all elements, one of ``LENGTHS``."""
        values = lengths[mesh.triangulation.element]
        known = values[~np.isnan(values)]
        if not len(known):
            why = "no part has one" if what == "part_thickness" else "no facet faces another one the other way"
            raise Refusal(f"nothing has a {what.replace('_', ' ')}: {why}")
        low, high = float(known.min()), float(known.max())
        return cls(LENGTHS[what], values, low, max(high, low * (1.0 + 1e-6)), _OF_WALLS)

    @classmethod
    def of_distance(cls, mesh: Mesh, other: Mesh) -> Lengths:
        """How far every facet is from another surface, its middle or the farthest of its corners."""
        values = facet_distances(mesh.nodes, mesh.triangulation.triangles, other)
        high = float(values.max(initial=0.0))
        if high <= _SAME * mesh.diagonal:
            raise Refusal("the surfaces are the same to the last digits; there is no distance to draw")
        low = max(high * _SPAN, float(values.min()))
        return cls(f"distance to {_name(other)}", np.maximum(values, low), low, high, _OF_WALLS, True)

    @classmethod
    def of_moves(cls, mesh: Mesh, moves: Array) -> Lengths:
        """How far the nodes of every element have moved at most."""
        values = moves[mesh.triangulation.element]
        high = float(values.max(initial=0.0))
        if not high > 0:
            raise Refusal("no node has moved; there is no displacement to draw")
        low = high * _SPAN
        return cls("displacement", np.where(values > 0, np.maximum(values, low), np.nan), low, high, _OF_WALLS, True)

    def colours(self, values: Array) -> Array:
        """(k, 3) colours of lengths."""
        from matplotlib import colormaps

        share = np.log(np.maximum(values, self.low) / self.low) / np.log(self.high / self.low)
        colours = colormaps[self.scale](np.clip(np.nan_to_num(share), 0.0, 1.0))[:, :3]
        colours[np.isnan(values)] = _NONE
        return np.asarray(colours)

    def draw_scale(self, sheet: Sheet, mesh: Mesh, left: int, top: int) -> None:
        """How much of the surface has which length, in the colours of the scale."""
        known = ~np.isnan(self.values)
        area = areas(mesh.nodes[mesh.triangulation.triangles[known]])
        edges = np.geomspace(self.low, self.high * (1.0 + 1e-9), _BINS + 1)
        count, _ = np.histogram(self.values[known], edges, weights=area)
        axes = sheet.histogram(left + 12, top + 40, 400, 120)
        colours = self.colours(np.sqrt(edges[1:] * edges[:-1]))
        axes.bar(edges[:-1], count, np.diff(edges), align="edge", color=colours)
        axes.set_xscale("log")
        ticks = np.unique(np.array([f"{tick:.2g}" for tick in np.geomspace(self.low, self.high, 5)], float))
        axes.set_xticks(ticks, [f"{tick:g}" for tick in ticks])
        axes.minorticks_off()
        none = "" if known.all() else f"; none on {int((~known).sum()):,} facets"
        span = f"{self.low:.3g}{' or less' if self.or_less else ''} to {self.high:.3g}{none}"
        title = f"{self.title} ({mesh.unit_name}), share of the area\n{span}"
        axes.set_title(title, fontsize=FONT, loc="left")


def facet_distances(nodes: Array, triangles: Array, other: Mesh) -> Array:
    """(t,) how far facets are from another surface: their middle, or the farthest of their corners."""
    used, local = np.unique(triangles, return_inverse=True)
    corners = distance_to(nodes[used], other)[local.reshape(triangles.shape)].max(axis=1, initial=0.0)
    return np.asarray(np.maximum(corners, distance_to(nodes[triangles].mean(axis=1), other)))


def _name(mesh: Mesh) -> str:
    return mesh.source.name if mesh.source is not None else "the other one"
