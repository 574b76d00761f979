"""Patches after their creases have changed."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.arrays import Array
from oddseam.features.edges.leftovers import Facets
from oddseam.features.find_features import described, exact_tolerance
from oddseam.geometry.edge_keys import edges_among
from oddseam.geometry.triangles import areas
from oddseam.model import Creases, Mesh, Patch, Patches
from oddseam.model.connectivity import label_components


def with_creases(mesh: Mesh, creases: Creases, before: Creases | None) -> Mesh:
    """The mesh with other creases, and patches split and joined as these ask for.

    A patch that a new crease cuts in pieces becomes several: the largest keeps its name.  Patches with no crease
    between them any more become one; it has the name of the largest, and its surface only if all had that.  To what
    has none by now a surface is fitted as a whole.

    Parameters
    ----------
    mesh : Mesh
    creases : Creases
        Those it is to have.
    before : Creases or None
        Those that its patches were bounded by.
    """
    if mesh.patches is None:
        return mesh.replaced(creases=creases)
    face = mesh.faces.element
    old, new = (pieces_between(mesh, its) for its in (before, creases))
    label = mesh.patches.label[face].astype(np.int64)
    corners = mesh.nodes[mesh.triangulation.triangles]
    of_element = np.bincount(mesh.triangulation.element, areas(corners), minlength=mesh.n_elements)
    area = of_element[face]

    # pieces of what hung together before, the largest first; all but that become patches of their own
    pair, of_pair = np.unique(np.column_stack([old, new, label]), axis=0, return_inverse=True)
    size = np.bincount(of_pair, area)
    order = np.lexsort((-size, pair[:, 2], pair[:, 0]))
    again = np.zeros(len(pair), bool)
    again[order[1:]] = (pair[order[1:]][:, [0, 2]] == pair[order[:-1]][:, [0, 2]]).all(axis=1)
    again &= pair[:, 2] >= 0
    table = list(mesh.patches.table)
    source = np.concatenate([np.arange(len(table)), pair[again, 2]])
    label_of_pair = pair[:, 2].copy()
    label_of_pair[again] = len(table) + np.arange(int(again.sum()))
    label = label_of_pair[of_pair]

    # what hangs together now is one
    known = np.flatnonzero(label >= 0)
    _, group = label_components(len(source) + int(new.max(initial=-1)) + 1, label[known], len(source) + new[known])
    total = np.bincount(label[known], area[known], minlength=len(source))
    used = np.flatnonzero(np.bincount(label[known], minlength=len(source)))
    leader: dict[int, int] = {}
    for k in used[np.argsort(-total[used], kind="stable")].tolist():
        leader.setdefault(int(group[k]), k)
    kept = sorted(leader.values())
    number_of = np.full(len(source) + 1, -1)
    number_of[used] = np.searchsorted(kept, [leader[k] for k in group[used].tolist()])
    members_of: dict[int, list[int]] = {}
    for k in used.tolist():
        members_of.setdefault(int(number_of[k]), []).append(k)
    of_source = np.bincount(source[used], minlength=len(table))
    names: set[str] = set()
    rows, is_other = [], []
    for new_number, k in enumerate(kept):
        members = members_of[new_number]
        patch = table[source[k]]
        surfaces = {(table[source[j]].kind, table[source[j]].axis, table[source[j]].centre) for j in members}
        if len(surfaces) > 1:
            patch = Patch(patch.name)
        name, number = patch.name, 1
        while name in names:
            number += 1
            name = f"{patch.name} ({number})"
        names.add(name)
        rows.append(dataclasses.replace(patch, name=name, area=float(total[members].sum())))
        is_other.append(len(members) > 1 or of_source[source[k]] > 1)
    result = mesh.patches.label.copy()
    result[face] = number_of[label]
    facets = Facets.of(mesh.nodes, mesh.triangulation.triangles)
    for number in np.flatnonzero(is_other).tolist():
        if rows[number].kind == "free-form":
            rows[number] = _fitted(mesh, facets, np.flatnonzero(result == number), rows[number])
    return mesh.replaced(creases=creases, patches=Patches(result, tuple(rows)))


def _fitted(mesh: Mesh, facets: Facets, elements: Array, patch: Patch) -> Patch:
    """A patch on the surface that all of its elements lie on, if there is one."""
    t = mesh.triangulation
    its = np.flatnonzero(np.isin(t.element, elements)).astype(np.int32)
    surface = facets.whole_surface(its, exact_tolerance(mesh), is_round=True)
    if surface is None:
        return patch
    return dataclasses.replace(described(surface, patch.area or 0.0, {}), name=patch.name)


def pieces_between(mesh: Mesh, creases: Creases | None) -> Array:
    """(f,) which faces hang together without crossing a crease."""
    c = mesh.connectivity
    pairs = c.face[c.pairs]
    if creases is not None:
        pairs = pairs[~edges_among(c.edges[c.pair_edges], creases.edges, mesh.n_nodes)]
    return label_components(len(mesh.faces), pairs[:, 0], pairs[:, 1])[1].astype(np.int64)
