"""Which parts, groups and patches lost all or most of their area in an operation."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.threads import in_runs
from oddseam.geometry.triangles import area_vectors
from oddseam.model.mesh import Mesh

#: What keeps no more than this share of its area is named.
_MOST = 0.5


def names_lost(before: Mesh, gone: Array, after: Mesh, new: Array) -> tuple[str, ...]:
    """What is to be said of names; O(n) if there are any beside one part.

    Parameters
    ----------
    before, after : Mesh
    gone, new : int arrays
        Rows of their triangulations that differ.
    """
    if not len(gone):
        return ()
    lines = []
    area_gone, area_new = (_areas(mesh, rows) for mesh, rows in ((before, gone), (after, new)))
    later = dict(_classes(after))
    for key, members in _classes(before):
        kind, name = key
        lost = area_gone[members[before.triangulation.element[gone]]].sum()
        if key in later:
            lost -= area_new[later[key][after.triangulation.element[new]]].sum()
        if lost <= 0:
            continue
        its = np.flatnonzero(members[before.triangulation.element])
        total = float(_areas(before, its).sum())
        if lost < (1.0 - _MOST) * total:
            continue
        left = (
            "all of its area" if key not in later or lost >= (1.0 - 1e-9) * total else f"{lost / total:.0%} of its area"
        )
        lines.append(f"{kind} {name!r} lost {left}: {int(members.sum()):,} elements, {total:.4g} in area, before")
    return tuple(lines)


def _areas(mesh: Mesh, rows: Array) -> Array:
    """(k,) areas of triangles."""
    if not len(rows):
        return np.zeros(0)
    vectors = in_runs(area_vectors, mesh.nodes, mesh.triangulation.triangles[rows])
    return np.asarray(np.sqrt(np.einsum("ij,ij->i", vectors, vectors)))


def _classes(mesh: Mesh) -> Iterator[tuple[tuple[str, str], Array]]:
    """Kind and name of everything that has elements, and a mark of these; nothing where all is one part."""
    used = mesh.parts_used
    for index, part in enumerate(mesh.parts) if len(used) > 1 else ():
        if part in used:
            yield ("part", part.name), mesh.element_part == index
    for name, members in mesh.groups.elements.items():
        mark = np.zeros(mesh.n_elements, bool)
        mark[members] = True
        yield ("group", name), mark
    if mesh.patches is not None:
        for number, patch in enumerate(mesh.patches.table):
            yield ("patch", patch.name), mesh.patches.label == number
