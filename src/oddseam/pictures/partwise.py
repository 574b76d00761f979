"""Parts in colours of their own, and the list of what they are."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.model import Mesh
from oddseam.pictures.patchwise import HUES
from oddseam.pictures.sheet import FONT, Sheet

_MOST_LISTED = 22


def part_colours(mesh: Mesh) -> Array:
    """(p, 3) a colour for every part; a hue that comes again is darker."""
    number = np.arange(len(mesh.parts))
    shade = 0.82 ** (number // len(HUES))
    return np.asarray(HUES[number % len(HUES)] * shade[:, None])


def thickness_of_parts(mesh: Mesh) -> Array:
    """(m,) thickness that the part of every element has, nan without one."""
    of_part = np.array([np.nan if part.thickness is None else part.thickness for part in mesh.parts])
    return np.asarray(of_part[mesh.element_part])


def draw_part_list(sheet: Sheet, mesh: Mesh, left: int, top: int) -> None:
    """The largest parts, each with its colour, its property and its elements."""
    count = np.bincount(mesh.element_part, minlength=len(mesh.parts))
    order = [k for k in np.argsort(-count, kind="stable").tolist() if count[k]]
    colours = part_colours(mesh)
    sheet.text(left, top, f"{len(order):,} parts", FONT + 1.5, weight="bold")
    for k, row in enumerate(order[:_MOST_LISTED]):
        part, y = mesh.parts[row], top + 30 + 27 * k
        sheet.text(left, y, "\u25a0", 15, color=tuple(np.clip(colours[row] * 0.92, 0.0, 1.0)))
        sheet.text(left + 22, y - 6, f"{part.id}  {part.name[:40]}", FONT, weight="bold")
        words = [f"{count[row]:,} elements"]
        words += [f"thickness {part.thickness:.5g}"] if part.thickness else []
        words += [part.boundary] if part.boundary else []
        words += [part.material.name or f"material {part.material.id}"] if part.material else []
        sheet.text(left + 22, y + 7, ", ".join(words), FONT - 1.5, color="#444444")
    if len(order) > _MOST_LISTED:
        sheet.text(
            left + 22, top + 30 + 27 * _MOST_LISTED, f"and {len(order) - _MOST_LISTED:,} smaller ones", FONT - 0.5
        )
