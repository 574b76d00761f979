"""What a change at one node does to the elements there."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.errors import Refusal
from oddseam.findings import Limits
from oddseam.findings.judged.worsening import beyond_by_id, worsened_by_id
from oddseam.model import Mesh
from oddseam.model.rings import grown
from oddseam.model.splicing import extracted

#: So many elements are named.
_NAMED = 6


def row_of(mesh: Mesh, node: int) -> int:
    """The index of a node; refused if there is none of that id."""
    row, missing = IdIndex(mesh.node_ids).of(np.array([node], np.int64))
    if missing[0]:
        raise Refusal(f"there is no node {node}")
    return int(row[0])


def elements_round(mesh: Mesh, row: int, rings: int) -> Array:
    """(m,) bool: elements with a node, and rings round them."""
    held = [(block.connectivity == row).any(axis=1) for block in mesh.elements.values()]
    mask = np.concatenate([np.zeros(0, bool), *held])
    if not mask.any():
        raise Refusal(f"no element uses node {int(mesh.node_ids[row])}")
    return grown(mesh, mask, rings, np.ones(mesh.n_elements, bool))


def complaints(mesh: Mesh, new: Mesh, row: int, new_row: int) -> list[str]:
    """Elements at a node that have come to be beyond a limit or lie farther beyond it, and facets that cross others."""
    limits, said = Limits(), []
    at = extracted(new, np.flatnonzero(elements_round(new, new_row, 0)))
    before = beyond_by_id(extracted(mesh, np.flatnonzero(elements_round(mesh, row, 0))), limits)
    for measure, fresh in worsened_by_id(before, beyond_by_id(at, limits)).items():
        over = sum(value <= 0 for _, value in fresh) if measure == "scaled_jacobian" else 0
        words = f"{over} inside out; " if over else ""
        words += ", ".join(f"{number} ({value:.3g})" for number, value in fresh[:_NAMED])
        more = ", ..." if len(fresh) > _NAMED else ""
        limit = getattr(limits, measure)
        said.append(f"{measure.replace('_', ' ')} beyond {limit:g}: {len(fresh)} element(s): {words}{more}")
    low, high = at.nodes.min(axis=0), at.nodes.max(axis=0)
    crossed = [len(_nearby(one, low, high).unsound_triangles) for one in (mesh, new)]
    if crossed[1] > crossed[0]:
        said.append(f"{crossed[1] - crossed[0]} facet(s) at the node cross others, or have no area")
    return said


def _nearby(mesh: Mesh, low: Array, high: Array) -> Mesh:
    """The elements whose boxes reach into a box."""
    near = np.zeros(mesh.n_elements, bool)
    for _, block, span in mesh.blocks():
        corners = mesh.nodes[block.connectivity]
        meets = (corners.max(axis=1) >= low).all(axis=1) & (corners.min(axis=1) <= high).all(axis=1)
        near[span] = meets
    return extracted(mesh, np.flatnonzero(near))
