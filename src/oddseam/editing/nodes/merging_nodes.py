"""A node merged into another one, by their ids."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step
from oddseam.arrays import listed, point_text
from oddseam.editing.nodes.node_changes import complaints, row_of
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.qualities import inverted_indices
from oddseam.model import Mesh
from oddseam.model.editing import merged
from oddseam.remeshing.local.merging import without_collapsed


def merged_nodes(mesh: Mesh, keep: int, gone: int, *, collapse: bool) -> tuple[Mesh, Outcome]:
    """The mesh with a node merged into another one, which stays where it is.

    Raises
    ------
    Refusal
        If there is no such node, solids or lines have both, solids would be turned inside out, or more than two facets
        would come to meet in an edge.
    """
    if keep == gone:
        raise Refusal(f"node {keep} cannot be merged into itself")
    kept, lost = row_of(mesh, keep), row_of(mesh, gone)
    for name, block in mesh.elements.items():
        both = (block.connectivity == kept).any(axis=1) & (block.connectivity == lost).any(axis=1)
        if both.any() and name not in ("tri", "quad") and not (collapse and name == "tet"):
            say = "; they may go with `collapse`" if name == "tet" else ""
            raise Refusal(
                f"{int(both.sum())} {name} element(s), such as {int(block.ids[both][0])}, have both nodes{say}"
            )
    into = np.arange(mesh.n_nodes)
    into[lost] = kept
    new = without_collapsed(merged(mesh, into), np.zeros(0, np.int64))
    turned = np.setdiff1d(new.element_ids[inverted_indices(new)], mesh.element_ids[inverted_indices(mesh)])
    if len(turned):
        raise Refusal(f"{len(turned):,} solid(s) would be turned inside out: {listed(turned.tolist())}")
    edges = [int(one.connectivity.is_nonmanifold.sum()) for one in (mesh, new)]
    if edges[1] > edges[0]:
        raise Refusal(f"more than two facets would meet in an edge at node {keep}, {point_text(mesh.nodes[kept])}")
    move = float(np.linalg.norm(mesh.nodes[kept] - mesh.nodes[lost]))
    dropped = mesh.n_elements - new.n_elements
    steps = (Step("merge", 1, move, "node", (point_of(mesh.nodes[kept]),)), Step("collapse", dropped, 0.0, "elements"))
    return new, Outcome(steps, (), tuple(complaints(mesh, new, lost, row_of(new, keep))))
