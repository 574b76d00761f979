"""Which parts, groups and patches lost all or most of their area in an operation."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.threads import in_runs
from oddseam.geometry.triangles import area_vectors
from oddseam.model.mesh import Mesh

#: What keeps no more than this share of its area is named.
_MOST = 0.5


def names_lost(
    before: Mesh, gone: Array, gone_area: Array, after: Mesh, new: Array, new_area: Array
) -> tuple[str, ...]:
    """What is to be said of names; O(n) if there are any beside one part.

    Parameters
    ----------
    before, after : Mesh
    gone, new : int arrays
        Rows of their triangulations that differ.
    gone_area, new_area : float arrays
        Areas of these.
    """
    if not len(gone):
        return ()
    lines = []
    still = {*_kinds(after), ("part", "")}  # of which there may be one by now
    for kind in _kinds(before):
        names, label = _labelled(before, kind)
        lost = _summed(label[before.triangulation.element[gone]], gone_area, len(names))
        if kind in still:
            its_names, its_label = _labelled(after, kind)
            came = _summed(its_label[after.triangulation.element[new]], new_area, len(its_names))
            held = dict(zip(its_names, came.tolist(), strict=True))
            lost -= np.array([held.get(name, 0.0) for name in names])
        if not (lost > 0).any():
            continue
        total = _summed(label[before.triangulation.element], _areas(before), len(names))
        count = np.bincount(label[label >= 0], minlength=len(names))
        for k in np.flatnonzero((lost > 0) & (lost >= (1.0 - _MOST) * total)).tolist():
            left = "all" if lost[k] >= (1.0 - 1e-9) * total[k] else f"{lost[k] / total[k]:.0%}"
            elements = f"{count[k]:,} elements, {total[k]:.4g} in area, before"
            lines.append(f"{kind[0]} {names[k]!r} lost {left} of its area: {elements}")
    return tuple(lines)


def _summed(label: Array, area: Array, count: int) -> Array:
    """(count,) area by label; what has none counts nowhere."""
    has = label >= 0
    return np.bincount(label[has], area[has], count)


def part_areas(mesh: Mesh) -> Array:
    """(p,) the area of every part."""
    return _summed(mesh.element_part[mesh.triangulation.element], _areas(mesh), len(mesh.parts))


def _areas(mesh: Mesh) -> Array:
    """(t,) areas of all triangles."""
    vectors = in_runs(area_vectors, mesh.nodes, mesh.triangulation.triangles)
    return np.asarray(np.sqrt(np.einsum("ij,ij->i", vectors, vectors)))


def _kinds(mesh: Mesh) -> list[tuple[str, str]]:
    """What elements are told apart by: parts where there are several, each group by its name, and patches."""
    found = [("part", "")] * (len(mesh.parts_used) > 1) + [("group", name) for name in mesh.groups.elements]
    return found + [("patch", "")] * (mesh.patches is not None)


def _labelled(mesh: Mesh, kind: tuple[str, str]) -> tuple[list[str], Array]:
    """Names of a kind, and the number among these for every element, or -1."""
    what, group = kind
    if what == "group":
        label = np.full(mesh.n_elements, -1, np.int32)
        label[mesh.groups.elements[group]] = 0
        return [group], label
    if what == "patch" and mesh.patches is not None:
        return [patch.name for patch in mesh.patches.table], mesh.patches.label
    return [part.name for part in mesh.parts], mesh.element_part
