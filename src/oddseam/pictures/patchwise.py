"""Patches in colours of their own, with creases as lines, and the list of what they are."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.features.description import describe_patches
from oddseam.model import Mesh
from oddseam.pictures.sheet import FONT, Sheet
from oddseam.pictures.view import Lines

#: Light colours for surfaces; neighbours get different ones.
_HUES = np.array(
    [
        [0.45, 0.71, 0.91], [0.97, 0.76, 0.36], [0.47, 0.78, 0.64], [0.89, 0.62, 0.77], [0.95, 0.90, 0.47],
        [0.60, 0.62, 0.86], [0.93, 0.60, 0.47], [0.72, 0.84, 0.47], [0.76, 0.70, 0.64],
    ]
)  # fmt: skip
_NO_PATCH = (0.80, 0.81, 0.82)
_INK = (0.10, 0.12, 0.14)
_MOST_LISTED = 22


def patch_colours(mesh: Mesh) -> Array:
    """(p + 1, 3) a colour for every patch, other than those of its neighbours where that can be; the last for none."""
    rows = describe_patches(mesh)
    hue = np.full(len(rows), -1)
    for k, row in enumerate(rows):
        taken = {int(hue[other - 1]) for other in row["neighbours"]}
        free = [h for h in range(len(_HUES)) if h not in taken]
        hue[k] = free[k % len(free)] if free else k % len(_HUES)
    return np.concatenate([_HUES[hue], [_NO_PATCH]])


def crease_lines(mesh: Mesh) -> Lines:
    """The creases as dark lines."""
    if mesh.creases is None:
        raise Refusal("the mesh has no creases; `oddseam features` finds them")
    return Lines("creases", mesh.creases.edges, _INK, pen=2)


def list_patches(sheet: Sheet, mesh: Mesh, left: int, top: int) -> None:
    """The largest patches, each with its colour."""
    rows, colours = describe_patches(mesh), patch_colours(mesh)
    creases = 0 if mesh.creases is None else len(mesh.creases.edges)
    sheet.text(left, top, f"{len(rows):,} patches, {creases:,} crease edges", FONT + 1.5, weight="bold")
    for k, row in enumerate(rows[:_MOST_LISTED]):
        y = top + 30 + 27 * k
        sheet.text(left, y, "\u25a0", 15, color=tuple(np.clip(colours[k] * 0.92, 0.0, 1.0)))
        sheet.text(left + 22, y - 6, f"{row['number']}  {row['name']}", FONT, weight="bold")
        words = [f"area {row['area']:.5g}"]
        if row["radius"] is not None:
            words.insert(
                0, f"half angle {row['radius']:.4g}\u00b0" if row["kind"] == "cone" else f"radius {row['radius']:.5g}"
            )
        if row["tube"] is not None:
            words.insert(1, f"tube {row['tube']:.5g}")
        sheet.text(left + 22, y + 7, ", ".join(words), FONT - 1.5, color="#444444")
    if len(rows) > _MOST_LISTED:
        sheet.text(
            left + 22, top + 30 + 27 * _MOST_LISTED, f"and {len(rows) - _MOST_LISTED:,} smaller ones", FONT - 0.5
        )
