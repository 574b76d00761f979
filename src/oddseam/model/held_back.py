"""What a second deck holds that an operation with two meshes does not bring along."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import listed
from oddseam.model.mesh import Mesh


def held_back(other: Mesh, *, groups: bool = False) -> list[str]:
    """Lines for the account: cards by kind and count, frames, and what else stays behind; nothing for no deck.

    Parameters
    ----------
    other : Mesh
        The second one.
    groups : bool
        Whether its groups of nodes, elements and sides stay behind as well.
    """
    found = []
    if groups and len(other.groups):
        names = [*other.groups.nodes, *other.groups.elements, *other.groups.sides]
        found.append(f"groups not brought along: {', '.join(names)}")
    source = other.source
    if source is None or source.records is None:
        return found
    if source.carried:
        cards = ", ".join(f"{count:,} {name}" for name, count in sorted(source.carried.items()))
        found.append(f"cards of {source.name} not brought along: {cards}")
    records = source.records
    given = np.unique(records.node_frame[records.node_frame > 0]).tolist()
    if given:
        count = int((records.node_frame > 0).sum())
        found.append(
            f"frames of {source.name} not brought along: {count:,} nodes given in frame(s) {listed(given)} come to be "
            "given in the basic one, and so do directions of results"
        )
    return found
