"""Elements coloured by a measure of quality, and the histogram that is also the scale."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.findings import Finding, Limits, Place
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.qualities import beyond_limit, element_quality
from oddseam.geometry.shapes.quality import MORE_IS_WORSE, sign_of
from oddseam.geometry.triangles import boxes
from oddseam.model import KINDS, Mesh
from oddseam.pictures.scene import COLOURS
from oddseam.pictures.view import Lines

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.colors import Colormap

_BINS = 48
#: What has no such measure.
_PLAIN = (0.72, 0.74, 0.76)
_WORST = 4


@dataclass(frozen=True, eq=False)
class Colouring:
    """Values of one measure for all elements (nan where there is none), with the span of the scale."""

    measure: str
    values: Array
    low: float
    high: float
    limit: float

    @property
    def name(self) -> str:
        """The measure in words."""
        degrees = " (degrees)" if self.measure in ("minimum_angle", "warpage") else ""
        return self.measure.replace("_", " ") + degrees

    @property
    def scale(self) -> Colormap:
        """The scale, whose better end is bright."""
        from matplotlib import colormaps

        return colormaps["viridis_r" if self.measure in MORE_IS_WORSE else "viridis"]

    def colours(self, element: Array) -> Array:
        """(k, 3) colours of elements."""
        share = (self.values[element] - self.low) / (self.high - self.low)
        colours = self.scale(np.clip(np.nan_to_num(share), 0.0, 1.0))[:, :3]
        colours[np.isnan(share)] = _PLAIN
        return np.asarray(colours)


def colouring_of(mesh: Mesh, measure: str) -> Colouring:
    """Take a measure of shells and solids.

    Raises
    ------
    Refusal
        If no element has that measure.
    """
    values = np.full(mesh.n_elements, np.nan)
    known: list[str] = []
    widest = 60.0
    for kind, (index, measures) in element_quality(mesh).items():
        known += [name for name in measures if name not in known]
        if measure in measures:
            values[index] = measures[measure]
            widest = 90.0 if kind.startswith("quad") else widest
    if measure not in known:
        raise Refusal(f"the elements have no measure {measure!r} to be coloured by; they have {', '.join(known)}")
    limit = float(getattr(Limits(), measure))
    span = {
        "minimum_angle": (0.0, widest), "aspect_ratio": (1.0, 2.0 * limit), "warpage": (0.0, 2.0 * limit),
    }.get(measure, (0.0, 1.0))  # fmt: skip
    return Colouring(measure, values, *span, limit)


def worst_elements(mesh: Mesh, colouring: Colouring, among: Array) -> tuple[list[Finding], Lines]:
    """A finding for each of the worst few elements of some beyond the limit, and their edges."""
    from matplotlib.colors import to_rgb

    beyond = among[beyond_limit(colouring.measure, colouring.values[among], colouring.limit)]
    sign = sign_of(colouring.measure)
    worst = beyond[np.argsort(sign * colouring.values[beyond], kind="stable")][:_WORST]
    findings, edges = [], [np.zeros((0, 2), np.int32)]
    for e in worst.tolist():
        kind, row = _at(mesh, e)
        edges.append(mesh.elements[kind].connectivity[row][np.array(KINDS[kind].edges)])
        low, high = (end[0] for end in boxes(mesh.nodes[edges[-1]].reshape(1, -1, 3)))
        size = float(np.linalg.norm(high - low))
        place = Place(point_of((low + high) / 2), size, 1, (int(mesh.element_ids[e]),))
        name = f"{colouring.measure.replace('_', ' ')} {colouring.values[e]:.3g}"
        advice = "`oddseam remesh` makes even elements." if KINDS[kind].dimension == 2 else ""
        findings.append(Finding(name, "warning", 1, "elements (element ids)", "", advice, (place,), 1))
    return findings, Lines("worst elements", np.concatenate(edges), to_rgb(COLOURS["worst elements"]))


def _at(mesh: Mesh, element: int) -> tuple[str, int]:
    """Kind of an element, and its row among these."""
    for name, block in mesh.elements.items():
        if element < len(block):
            return name, element
        element -= len(block)
    raise IndexError(element)


def draw_scale(axes: Axes, colouring: Colouring) -> None:
    """The histogram, its bars in the colours of the scale, with the limit."""
    values = colouring.values[~np.isnan(colouring.values)]
    count, at = np.histogram(np.clip(values, colouring.low, colouring.high), _BINS, (colouring.low, colouring.high))
    axes.bar(at[:-1], count, np.diff(at), align="edge", color=colouring.scale((np.arange(_BINS) + 0.5) / _BINS))
    axes.axvline(colouring.limit, color="#D55E00", lw=1.5)
    beyond = int(beyond_limit(colouring.measure, values, colouring.limit).sum())
    worst = values.max() if colouring.measure in MORE_IS_WORSE else values.min()
    axes.set_title(
        f"{colouring.name}\nworst {worst:.3g}, median {np.median(values):.3g}; "
        f"{beyond:,} of {len(values):,} beyond the limit of {colouring.limit:g}",
        fontsize=9, loc="left",
    )  # fmt: skip
