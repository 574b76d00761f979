"""Numbered rings: which places are marked, and how."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.findings import Finding, Place
from oddseam.pictures.scene import COLOURS
from oddseam.pictures.view import Camera

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MOST_MARKS = 6


@dataclass(frozen=True)
class Mark:
    """One numbered ring."""

    number: int
    finding: Finding
    place: Place

    @property
    def colour(self) -> str:
        """Colour of the finding."""
        return COLOURS.get(self.finding.kind, "#000000")


def choose_marks(findings: Sequence[Finding]) -> list[Mark]:
    """The worst place of every finding in turn, then the next ones, six at most.

    A place within one that is marked already is passed over: one ring shows both.
    """
    shown = [f for f in findings if f.places and f.severity != "note"]
    marks: list[Mark] = []

    def is_marked(place: Place) -> bool:
        return any(
            np.linalg.norm(np.subtract(mark.place.centre, place.centre)) <= 0.5 * max(mark.place.size, place.size)
            for mark in marks
        )

    for depth in range(max((len(f.places) for f in shown), default=0)):
        for finding in shown:
            if depth < len(finding.places) and len(marks) < _MOST_MARKS and not is_marked(finding.places[depth]):
                marks.append(Mark(len(marks) + 1, finding, finding.places[depth]))
    return marks


def draw_rings(axes: Axes, camera: Camera, depth: Array, marks: list[Mark]) -> None:
    """Rings with numbers beside them; dashed where the place is hidden."""
    from matplotlib.patches import Circle
    from matplotlib.patheffects import withStroke

    halo = [withStroke(linewidth=3.5, foreground="white")]
    for mark in marks:
        xy, z = camera.project(np.array([mark.place.centre]))
        x, y = float(xy[0, 0]), float(xy[0, 1])
        row, column = int(np.clip(y, 0, depth.shape[0] - 1)), int(np.clip(x, 0, depth.shape[1] - 1))
        reach = mark.place.size / 2 + 4.0 / camera.scale
        hidden = depth[row, column] > z[0] + reach
        radius = float(np.clip(mark.place.size * camera.scale * 0.6 + 4, 11, 90))
        ring = Circle((x, y), radius, fill=False, lw=2.0, ec=mark.colour, ls="--" if hidden else "-", zorder=5)
        ring.set_path_effects([withStroke(linewidth=4.5, foreground="white")])
        axes.add_patch(ring)
        at = 0.72 * radius + 8
        axes.text(x + at, y - at, str(mark.number), fontsize=12, weight="bold", color=mark.colour,
                  ha="center", va="center", path_effects=halo, zorder=6)  # fmt: skip
