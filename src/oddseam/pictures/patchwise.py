"""Patches in colours of their own, creases as lines, and the lists of what they are."""

from __future__ import annotations

import heapq

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.features.edges.chains import creases_of, numbered_chains
from oddseam.features.list_creases import list_creases
from oddseam.features.list_patches import list_patches
from oddseam.model import Mesh
from oddseam.model.shape import CREASE_KINDS
from oddseam.pictures.sheet import FONT, Sheet
from oddseam.pictures.view import Lines

#: Light colours for surfaces; neighbours get different ones.
HUES = np.array(
    [
        [0.45, 0.71, 0.91], [0.97, 0.76, 0.36], [0.47, 0.78, 0.64], [0.89, 0.62, 0.77], [0.95, 0.90, 0.47],
        [0.60, 0.62, 0.86], [0.93, 0.60, 0.47], [0.72, 0.84, 0.47], [0.76, 0.70, 0.64],
    ]
)  # fmt: skip
_NO_PATCH = (0.80, 0.81, 0.82)
_INK = (0.10, 0.12, 0.14)
_MOST_LISTED = 22
#: So many chains carry their number.
_MOST_NUMBERED = 60
_KINDS = {
    "angle": (0.10, 0.12, 0.14), "recognised": (0.0, 0.45, 0.70), "drawn": (0.84, 0.37, 0.0),
    "crossing": (0.80, 0.47, 0.65),
}  # fmt: skip


def patch_colours(mesh: Mesh) -> Array:
    """(p + 1, 3) a colour for every patch, other than those of its neighbours where that can be; the last for none."""
    beside = [{other - 1 for other in row.neighbours} for row in list_patches(mesh)]
    hue = np.full(len(beside), -1)
    for turn, k in enumerate(_most_entangled_first(beside)):
        taken = {int(hue[other]) for other in beside[k]}
        free = [h for h in range(len(HUES)) if h not in taken] or list(range(len(HUES)))
        hue[k] = free[turn % len(free)]
    return np.concatenate([HUES[hue], [_NO_PATCH]])


def _most_entangled_first(beside: list[set[int]]) -> list[int]:
    """An order in which each has few neighbours before it: on a plane or a ball never more than five.

    D. W. Matula, L. L. Beck (1983), Smallest-last ordering and clustering and graph coloring algorithms.
    """
    degree = [len(its) for its in beside]
    heap = [(count, k) for k, count in enumerate(degree)]
    heapq.heapify(heap)
    done = [False] * len(beside)
    order = []
    while heap:
        count, k = heapq.heappop(heap)
        if done[k] or count > degree[k]:
            continue
        done[k] = True
        order.append(k)
        for other in beside[k]:
            degree[other] -= 1
            heapq.heappush(heap, (degree[other], other))
    return order[::-1]


def crease_lines(mesh: Mesh) -> Lines:
    """The creases as dark lines."""
    if mesh.creases is None:
        raise Refusal("the mesh has no creases; `oddseam features` finds them")
    return Lines("creases", mesh.creases.edges, _INK, pen=2)


def creases_by_kind(mesh: Mesh) -> tuple[Lines, ...]:
    """The creases as lines, each kind in a colour of its own."""
    creases = creases_of(mesh)
    return tuple(
        Lines(name, creases.edges[creases.kind == k], _KINDS[name], pen=3) for k, name in enumerate(CREASE_KINDS)
    )


def longest_chains(mesh: Mesh) -> dict[int, Array]:
    """Edges of the longest chains of creases by their number."""
    number, lengths = numbered_chains(mesh)
    edges = creases_of(mesh).edges
    return {k: edges[number == k] for k in range(1, min(len(lengths), _MOST_NUMBERED) + 1)}


def draw_chain_list(sheet: Sheet, mesh: Mesh, left: int, top: int) -> None:
    """The longest chains of creases, and what the colours mean."""
    rows = list_creases(mesh)
    sheet.text(left, top, f"{len(rows):,} chains of creases", FONT + 1.5, weight="bold")
    for k, (name, hue) in enumerate(_KINDS.items()):
        sheet.text(left + 100 * k, top + 26, "\u25a0", 13, color=hue)
        sheet.text(left + 20 + 100 * k, top + 26, name, FONT - 0.5)
    for k, row in enumerate(rows[:_MOST_LISTED]):
        y = top + 56 + 27 * k
        ends = "closed" if row.end is None else f"{row.open_ends} open end(s)" if row.open_ends else ""
        sheet.text(left, y - 6, f"{row.number}  {', '.join(row.kinds)}", FONT, weight="bold")
        words = [f"{row.length:.5g} long", f"{row.edges:,} edges", *([ends] if ends else [])]
        sheet.text(left + 22, y + 7, ", ".join(words), FONT - 1.5, color="#444444")
    if len(rows) > _MOST_LISTED:
        sheet.text(
            left + 22, top + 56 + 27 * _MOST_LISTED, f"and {len(rows) - _MOST_LISTED:,} shorter ones", FONT - 0.5
        )


def draw_patch_list(sheet: Sheet, mesh: Mesh, left: int, top: int) -> None:
    """The largest patches, each with its colour."""
    rows, colours = list_patches(mesh), patch_colours(mesh)
    creases = 0 if mesh.creases is None else len(mesh.creases.edges)
    sheet.text(left, top, f"{len(rows):,} patches, {creases:,} crease edges", FONT + 1.5, weight="bold")
    for k, row in enumerate(rows[:_MOST_LISTED]):
        y = top + 30 + 27 * k
        sheet.text(left, y, "\u25a0", 15, color=tuple(np.clip(colours[k] * 0.92, 0.0, 1.0)))
        sheet.text(left + 22, y - 6, f"{row.number}  {row.name}", FONT, weight="bold")
        words = [f"area {row.area:.5g}"]
        if row.radius is not None:
            words.insert(0, f"half angle {row.radius:.4g}\u00b0" if row.kind == "cone" else f"radius {row.radius:.5g}")
        if row.tube is not None:
            words.insert(1, f"tube {row.tube:.5g}")
        sheet.text(left + 22, y + 7, ", ".join(words), FONT - 1.5, color="#444444")
    if len(rows) > _MOST_LISTED:
        sheet.text(
            left + 22, top + 30 + 27 * _MOST_LISTED, f"and {len(rows) - _MOST_LISTED:,} smaller ones", FONT - 0.5
        )
