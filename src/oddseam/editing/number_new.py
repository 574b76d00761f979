"""Ids of what is new."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.model import Elements, Mesh
from oddseam.model.fresh_ids import taken_ids

Range = tuple[int, int | None]


@recorded()
def number_new(
    mesh: Mesh, *, since: Mesh, node_ids: Range | None = None, element_ids: Range | None = None
) -> tuple[Mesh, Outcome]:
    """Give what has come since an earlier state ids from given ranges.

    Parameters
    ----------
    mesh : Mesh
    since : Mesh
        What it was before; ids that are in there stay, and those that its deck names are not used.
    node_ids, element_ids : (int, int or None), optional
        The first and the last id that may be used, no limit for ``None``; free ones are taken in order.

    Raises
    ------
    Refusal
        If a range has not enough free ids.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> closed = oddseam.fill(tent, near=(0, 0, 0))
    >>> oddseam.number_new(closed, since=tent, element_ids=(9001, 9010)).element_ids.tolist()
    [1, 2, 3, 9001]
    """
    of_nodes, some_nodes = _numbered(mesh.node_ids, since, node_ids, "node")
    of_elements, some_elements = _numbered(mesh.element_ids, since, element_ids, "element")
    blocks = {}
    for name, block, span in mesh.blocks():
        blocks[name] = Elements(block.connectivity, of_elements[span], block.part)
    new = dataclasses.replace(mesh, node_ids=of_nodes, elements=blocks)
    return new, Outcome((Step("number nodes", some_nodes), Step("number elements", some_elements)))


def _numbered(ids: Array, since: Mesh, given: Range | None, what: str) -> tuple[Array, int]:
    """Ids with those that were not there before from a range, and how many these are."""
    fresh = ~np.isin(ids, since.node_ids if what == "node" else since.element_ids)
    if given is None or not fresh.any():
        return ids, 0
    first, last = given
    count = int(fresh.sum())
    if first < 1 or (last is not None and last < first):
        raise Refusal(f"{first} to {last} is not a range of ids")
    taken = np.union1d(ids[~fresh], taken_ids(since, what))
    top = first + count + len(taken) if last is None else last
    free = np.setdiff1d(np.arange(first, min(top, first + count + len(taken)) + 1), taken)
    if len(free) < count:
        raise Refusal(f"{count:,} new {what}s need as many free ids; from {first} to {last} there are {len(free):,}")
    result = ids.copy()
    result[fresh] = free[:count]
    return result, count
