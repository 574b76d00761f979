"""Nodes that cards of a deck refer to, which the library does not interpret."""

from __future__ import annotations

from oddseam.formats.includes import as_one
from oddseam.formats.nastran.cards import NODES, REFERENCES
from oddseam.formats.nastran.scanning import Scan
from oddseam.model.source import Records


def referred_nodes(records: Records) -> set[int]:
    """Ids of nodes that loads, supports, rigid elements and so on refer to."""
    scan = Scan(as_one(records.text.tobytes()))
    return {
        number
        for name, refer in REFERENCES.items()
        for _, card in scan.cards(name)
        for kind, number in refer(card)
        if kind == NODES
    }
