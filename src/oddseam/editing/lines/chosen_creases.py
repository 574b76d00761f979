"""Creases by the numbers of their list, by kind, place, or a pick."""

from __future__ import annotations

import re

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import PickError, Refusal
from oddseam.features.edges.chains import creases_of, numbered_chains
from oddseam.geometry.edge_keys import edges_among
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.inputs import PointLike
from oddseam.model import Mesh
from oddseam.model.shape import CREASE_KINDS
from oddseam.picks import selected

#: What stands for creases: numbers or ranges, one of the kinds, a point, or a pick of edges.
Which = int | str | PointLike

_NUMBERS = re.compile(r"\d+(\s*-\s*\d+)?(\s*,\s*\d+(\s*-\s*\d+)?)*")
#: A point, such as ``(1, 2, 3)`` or ``1.0,2,3``; what is whole numbers alone are numbers of creases.
_POINT = re.compile(r"\(?((?:\s*[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?\s*,?){3})\)?")


def chosen_creases(mesh: Mesh, which: Which) -> Array:
    """(k,) bool: the crease edges that a number, numbers such as ``"3, 7-9"``, a kind, a point or a pick stand for.

    Raises
    ------
    Refusal
        If there are no creases, or none of these.
    PickError
        If what is not a number, kind or point is no pick either.
    """
    creases = creases_of(mesh)
    text = str(which).strip()
    is_numbers, point = _NUMBERS.fullmatch(text), _POINT.fullmatch(text)
    if point is not None and not is_numbers:
        which = tuple(float(word) for word in point[1].split(","))
    if isinstance(which, tuple):
        tree = BoxTree(mesh.nodes[creases.edges[:, [0, 1, 1]]])
        _, row = tree.closest(np.array([which], float))
        number, _ = numbered_chains(mesh)
        return np.asarray(number == number[tree.order[row[0]]])
    if is_numbers:
        number, lengths = numbered_chains(mesh)
        found = np.zeros(len(number), bool)
        for word in text.split(","):
            first, last = (int(k) for k in (word.split("-") * 2)[:2])
            if not 1 <= first <= last <= len(lengths):
                raise Refusal(f"there are no creases {word.strip()}; the list has 1 to {len(lengths):,}")
            found |= (number >= first) & (number <= last)
        return found
    if text in CREASE_KINDS:
        found = creases.kind == CREASE_KINDS.index(text)
        if not found.any():
            raise Refusal(f"there are no creases of the kind {text!r}")
        return np.asarray(found)
    edges = mesh.connectivity.edges[selected(mesh, text, of="edges")]
    found = edges_among(creases.edges, edges, mesh.n_nodes)
    if not found.any():
        raise PickError(f"pick {text!r} selects edges, but no crease")
    return np.asarray(found)
