"""A deck as it was except for some records: what differs is found by the column, what does not is copied."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.formats.includes import leads_to
from oddseam.formats.losses import Remarks
from oddseam.model import Mesh
from oddseam.model.source import ELEMENT, NODE, Records


@dataclass(frozen=True, eq=False)
class Differences:
    """What a mesh holds otherwise than the records of its deck.

    Attributes
    ----------
    moved : (k, 2) int64 array
        Record and node row of every node that is elsewhere.
    new_nodes : (k,) int64 array
        Rows of the nodes that have no record.
    changed : list of (int, str, int)
        Record, kind and row of every element with other nodes or another part.
    new_elements : list of (str, Array)
        Kind, and rows of the elements that have no record.
    gone : dict of str to (Array, Array)
        Records and ids of the nodes and elements that are no more, under "node" and "element".
    """

    moved: Array
    new_nodes: Array
    changed: list[tuple[int, str, int]]
    new_elements: list[tuple[str, Array]]
    gone: dict[str, tuple[Array, Array]]


def differences(
    mesh: Mesh, records: Records, changed_nodes: Array, kinds: Collection[str], *, by_part: bool
) -> Differences:
    """Compare a mesh with its records; O(n log n).

    Parameters
    ----------
    mesh, records
    changed_nodes : (n,) bool array
        Nodes that are elsewhere than their record says, or have none.
    kinds : collection of str
        Kinds of element that the deck holds.
    by_part : bool
        Whether an element's record names its part.
    """
    gone: dict[str, tuple[Array, Array]] = {}
    at = np.flatnonzero(records.role == NODE)
    row, missing = IdIndex(mesh.node_ids).of(records.key[at])
    gone["node"] = at[missing], records.key[at][missing]
    at, row = at[~missing], row[~missing]
    moved = changed_nodes[row]
    fresh = np.ones(mesh.n_nodes, bool)
    fresh[row] = False
    here = np.flatnonzero(records.role == ELEMENT)
    held = records.key[here]
    first, index = records.element_first, IdIndex(held)
    alive = np.zeros(len(held), bool)
    part_ids = np.array([part.id for part in mesh.parts], np.int64)
    changed: list[tuple[int, str, int]] = []
    new_elements: list[tuple[str, Array]] = []
    for kind, block in mesh.elements.items():
        if kind not in kinds:
            continue
        nodes = mesh.node_ids[block.connectivity]
        record, unknown = index.of(block.ids)
        new_elements.append((kind, np.flatnonzero(unknown)))
        known = np.flatnonzero(~unknown)
        record = record[known]
        alive[record] = True
        same = first[record + 1] - first[record] == nodes.shape[1]
        fit = np.flatnonzero(same)
        as_read = records.element_nodes[first[record[fit]][:, None] + np.arange(nodes.shape[1])]
        same[fit] = (as_read == nodes[known[fit]]).all(axis=1)
        if by_part:
            same &= records.element_part[record] == part_ids[block.part[known]]
        other = np.flatnonzero(~same)
        changed += [(r, kind, k) for r, k in zip(here[record[other]].tolist(), known[other].tolist(), strict=True)]
    gone["element"] = here[~alive], held[~alive]
    return Differences(
        np.column_stack([at[moved], row[moved]]), np.flatnonzero(fresh), changed,
        [(kind, rows) for kind, rows in new_elements if len(rows)], gone,
    )  # fmt: skip


class Rewriting:
    """The text of a deck with some of its records replaced.

    Parameters
    ----------
    records : Records
    """

    def __init__(self, records: Records) -> None:
        self._records = records
        self._text = records.text.tobytes()
        self._edits: dict[tuple[int, int], bytes] = {}

    def record(self, k: int) -> bytes:
        """The text of a record, as it was."""
        return self._text[self._records.start[k] : self._records.start[k + 1]]

    def replace(self, k: int, text: str | bytes) -> None:
        """Put another text in the place of a record; an empty one drops it."""
        start, end = self._records.start[k : k + 2].tolist()
        self._edits[start, end] = text.encode("latin-1", "replace") if isinstance(text, str) else text

    def insert(self, before: int, text: str) -> None:
        """Put a text before a record, or after the last."""
        if text:
            at = int(self._records.start[before])
            ended = at == 0 or self._text[at - 1 : at] in (b"\n", b"\r")
            self._edits[at, at] = self._edits.get((at, at), b"" if ended else b"\n") + text.encode("utf-8")

    def pieces(self, path: Path, statement: re.Pattern[bytes], said: Remarks) -> list[bytes]:
        """The new text, in pieces; ``said`` is told of included files that are written out in place."""
        edits = dict(self._edits)
        for (start, end), included in self._includes():
            inside = [edit for edit in edits if start <= edit[0] and edit[1] <= end and edit != (end, end)]
            words = " ".join(included.decode("latin-1").split())
            if any(a <= start and end <= b for a, b in edits):
                continue  # within one that stands as it stood
            out_of_place = ""
            if inside:
                out_of_place = "what it includes has changed"
            elif not leads_to(included, self._text[start:end], path, statement):
                out_of_place = f"it does not lead to the same from {path.parent}"
            if out_of_place:
                said.converted.append(f"`{words}`, written out in place, for {out_of_place}")
            else:
                edits[start, end] = included
        out, at = [], 0
        for (start, end), text in sorted(edits.items()):
            out += [self._text[at:start], text]
            at = end
        return [*out, self._text[at:]]

    def _includes(self) -> list[tuple[tuple[int, int], bytes]]:
        records = self._records
        first, text = records.include_first.tolist(), records.include_text.tobytes()
        spans = [(int(a), int(b)) for a, b in records.include_span.tolist()]
        return [(span, text[first[i] : first[i + 1]]) for i, span in enumerate(spans) if span[1] > span[0]]
