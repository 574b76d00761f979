"""A part of a mesh is taken out, worked on, and put back."""

from __future__ import annotations

import numpy as np
import shapes

import oddseam
from oddseam.model.editing import Added, edited, merged
from oddseam.model.groups import Groups
from oddseam.model.shape import Creases
from oddseam.model.splicing import extracted, spliced


def ball() -> tuple[oddseam.Mesh, np.ndarray]:
    """A ball with groups and creases, and the elements of its upper half."""
    mesh = shapes.mesh(shapes.sphere(16), unit="mm")
    upper = np.flatnonzero(mesh.nodes[mesh.triangulation.triangles][..., 2].min(axis=1) > -1e-9)
    c = mesh.connectivity
    return mesh.replaced(
        node_ids=10 + 3 * np.arange(mesh.n_nodes),
        groups=Groups({"all": np.arange(mesh.n_nodes)}, {"upper": upper}, {"sides": np.column_stack([upper, 0 * upper])}),
        creases=Creases(c.edges, np.zeros(len(c.edges), int)),
    ), upper  # fmt: skip


def test_a_part_put_back_unchanged_changes_nothing():
    mesh, upper = ball()
    again = spliced(mesh, upper, extracted(mesh, upper))
    assert again.digest == mesh.digest
    assert {tuple(e) for e in again.creases.edges.tolist()} == {tuple(e) for e in mesh.creases.edges.tolist()}


def test_what_is_made_of_a_part_comes_last_with_new_ids_and_the_rest_stays():
    mesh, upper = ball()
    part = extracted(mesh, upper)
    top = int(np.argmax(part.nodes[:, 2]))
    at_top = np.flatnonzero((part.triangulation.triangles == top).any(axis=1))
    ring = np.array([np.roll(t, -t.tolist().index(top))[1:] for t in part.triangulation.triangles[at_top]])
    new = np.column_stack([ring, np.full(len(ring), part.n_nodes)])
    raised = edited(
        part, drop=at_top, add=Added(nodes=part.nodes[[top]] + [0, 0, 0.5], triangles=new, like=at_top, derived=True)
    )
    result = spliced(mesh, upper, raised)
    proof = oddseam.prove(result)
    assert proof.is_closed and proof.is_clean and result.n_elements == mesh.n_elements
    stays = ~np.isin(mesh.element_ids, part.element_ids[at_top])
    assert result.element_ids[: stays.sum()].tolist() == mesh.element_ids[stays].tolist()
    assert (result.element_ids[stays.sum() :] > mesh.element_ids.max()).all()
    before, after = (
        mesh.nodes[mesh.triangulation.triangles[stays]],
        result.nodes[result.triangulation.triangles[: stays.sum()]],
    )
    assert np.array_equal(before, after)
    assert result.node_ids[-1] > mesh.node_ids.max() and result.nodes[-1, 2] == 1.5
    assert mesh.node_ids[np.argmax(mesh.nodes[:, 2])] not in result.node_ids
    assert len(result.groups.elements["upper"]) == len(upper)


def test_a_part_whose_border_was_changed_cannot_be_put_back():
    mesh, upper = ball()
    part = extracted(mesh, upper)
    rim = np.flatnonzero(np.abs(part.nodes[:, 2]) < 1e-9)
    into = np.arange(part.n_nodes)
    into[rim[1]] = rim[0]
    assert spliced(mesh, upper, merged(part, into)) is None
    moved = part.nodes.copy()
    moved[rim[0], 2] += 0.1
    assert spliced(mesh, upper, part.replaced(nodes=moved)) is None
    gone = np.flatnonzero(np.isin(part.triangulation.triangles, rim).sum(axis=1) == 2)[:1]
    assert spliced(mesh, upper, edited(part, drop=gone)) is None
