"""Ids for what is new: never one that there was before, or that a card names."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.model.references import NODE_IDS
from oddseam.model.source import ELEMENT, NODE

if TYPE_CHECKING:
    from oddseam.model.mesh import Mesh

#: The highest id of eight digits.
MOST_IDS = 99_999_999
#: Where ids end; what has longer ones already goes on above.
_ENDS = (MOST_IDS, 999_999_999, 2**62)


def fresh_ids(mesh: Mesh, what: str, count: int) -> Array:
    """(count,) ids in a row for new nodes or elements.

    They lie above the highest that the mesh ever had, and that its deck names in any card.  Where that leaves no room
    in eight digits, they come from the largest run of free ones.

    Parameters
    ----------
    mesh : Mesh
    what : str
        ``"node"`` or ``"element"``; these are counted apart.
    count : int

    Raises
    ------
    Refusal
        If there are not so many free ids in a row.
    """
    if not count:
        return np.zeros(0, np.int64)
    last = max(mesh.last_ids[what != NODE_IDS], int(_ids(mesh, what).max(initial=0)))
    source = mesh.source
    references = None if source is None else source.references
    top = max(last, references.top(what) if references is not None else 0)
    most = next(most for most in _ENDS if last <= most)
    if top + count <= most:
        return np.arange(top + 1, top + 1 + count)
    known = taken_ids(mesh, what)
    edges = np.concatenate([[0], known[known <= most], [most + 1]])
    room = np.diff(edges) - 1
    widest = int(np.argmax(room))
    if room[widest] < count:
        raise Refusal(
            f"{count:,} new {what}s need as many free ids in a row; the longest run up to {most} has {room[widest]:,}: "
            "renumber the mesh, or give a range"
        )
    return np.arange(edges[widest] + 1, edges[widest] + 1 + count)


def _ids(mesh: Mesh, what: str) -> Array:
    return mesh.node_ids if what == NODE_IDS else mesh.element_ids


def taken_ids(mesh: Mesh, what: str) -> Array:
    """Ids that are not free, ascending: of the mesh, of its deck as it was read, and those that cards name singly."""
    ids = _ids(mesh, what)
    source = mesh.source
    if source is None or source.records is None or source.references is None:
        return np.unique(ids)
    records, role = source.records, NODE if what == NODE_IDS else ELEMENT
    held = records.key[records.role == role]
    return np.unique(np.concatenate([ids, held, source.references.single(what)]))


def taken_numbers(mesh: Mesh, what: str) -> set[int]:
    """Ids of every ``"property"`` (a part) or ``"material"`` of the mesh, and of those that cards of its deck give."""
    held = {part.id for part in mesh.parts}
    if what != "property":
        held = {part.material.id for part in mesh.parts if part.material is not None}
    references = None if mesh.source is None else mesh.source.references
    return held if references is None else held | references.taken.get(what, frozenset())


def highest_number(mesh: Mesh, what: str) -> int:
    """The highest of :func:`taken_numbers`, 0 without any."""
    return max(taken_numbers(mesh, what), default=0)
