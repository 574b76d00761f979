"""Cards that refer to what is gone: found by the table of cards, told with every id."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.losses import Dangling, Remarks
from oddseam.model import Mesh
from oddseam.model.fresh_ids import MOST_IDS
from oddseam.model.references import ELEMENT_IDS, NODE_IDS
from oddseam.model.source import ELEMENT, NODE, Records


def gone_ids(mesh: Mesh, records: Records) -> dict[str, Array]:
    """Ids that the deck had when it was read and the mesh has no more, ascending, by what they are of."""
    gone = {}
    for what, role, ids in ((NODE_IDS, NODE, mesh.node_ids), (ELEMENT_IDS, ELEMENT, mesh.element_ids)):
        held = records.key[records.role == role]
        gone[what] = np.sort(held[~np.isin(held, ids)])
    return gone


def find_dangling(mesh: Mesh, changed: Collection[int] = ()) -> list[Dangling]:
    """The cards of the deck that a mesh came from which refer to what it has no more; O((n + r) log n).

    Parameters
    ----------
    mesh : Mesh
    changed : collection of int, optional
        Records that are not written as they were.
    """
    source = mesh.source
    if source is None or source.records is None or source.references is None:
        return []
    records, references = source.records, source.references
    line = None
    found = []
    stands = _standing(mesh, records)
    for what, gone in gone_ids(mesh, records).items():
        if not len(gone):
            continue
        its: dict[str, tuple[set[int], list[Array]]] = {}
        for row, of in references.hits(what, gone):
            record = int(references.record[row])
            if record in changed or not stands[record]:
                continue
            cards, ids = its.setdefault(references.names[references.name[row]], (set(), []))
            cards.add(record)
            ids.append(gone[of])
        if its and line is None:
            line = 1 + np.cumsum(np.concatenate([[0], records.text]) == ord("\n"))
        for name, (cards, ids) in its.items():
            lines = tuple(int(line[records.start[record]]) for record in sorted(cards)) if line is not None else ()
            found.append(Dangling(name, len(cards), what, tuple(np.unique(np.concatenate(ids)).tolist()), lines))
    return found


def _standing(mesh: Mesh, records: Records) -> Array:
    """(k,) bool: records that are not of an element that is gone."""
    stands = np.ones(len(records.role), bool)
    at = np.flatnonzero(records.role == ELEMENT)
    stands[at] = np.isin(records.key[at], mesh.element_ids)
    return stands


def list_low_ids(mesh: Mesh, records: Records, said: Remarks) -> None:
    """Tell of new ids that lie among those of the deck, for there was no room above."""
    for what, role, ids in ((NODE_IDS, NODE, mesh.node_ids), (ELEMENT_IDS, ELEMENT, mesh.element_ids)):
        held = records.key[records.role == role]
        new = ids[~np.isin(ids, held)]
        if not len(new):
            continue
        references = mesh.source.references if mesh.source is not None else None
        top = max(int(held.max(initial=0)), references.top(what) if references is not None else 0)
        low = new[new < top]
        if len(low) and top + len(new) > MOST_IDS:
            said.listed.append(
                f"{len(low):,} new {what}s have ids from the largest run of free ones, {low.min()} to {low.max()}: "
                f"above {top}, which the deck names, there is no room for all"
            )


def list_dangling(mesh: Mesh, said: Remarks, changed: Collection[int] = ()) -> None:
    """Tell what is gone, all that refers to it, and the cards of which it is not known whether they do."""
    source = mesh.source
    if source is None or source.records is None or source.references is None:
        return
    list_low_ids(mesh, source.records, said)
    counts = [(what, len(ids)) for what, ids in gone_ids(mesh, source.records).items() if len(ids)]
    if not counts:
        return
    gone = " and ".join(f"{count:,} {what}{'' if count == 1 else 's'}" for what, count in counts)
    said.listed.append(f"{gone} of the original deck {'is' if counts == [(counts[0][0], 1)] else 'are'} gone")
    its = find_dangling(mesh, changed)
    said.dangling += its
    said.listed += map(str, its)
    unsearched = source.references.unsearched
    if unsearched:
        kinds = ", ".join(f"{count:,} {name}" for name, count in sorted(unsearched.items()))
        said.listed.append(f"not searched for ids, for they are in no table of cards: {kinds}")
