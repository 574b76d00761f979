"""Isotropic remeshing of a surface to a wanted edge length, features kept.

Curves (creases, rims, borders of parts) get their nodes first, spaced by the size and by how
far a chord may leave them; then rounds of split, collapse, flip and tangential smoothing with
projection to the original surface make the facets even.
"""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.geometry.boxtree import BoxTree
from oddseam.model import Creases, Elements, Groups, Mesh, Patches
from oddseam.model.proof import prove
from oddseam.progress import Progress, silent
from oddseam.remeshing.net import Fineness
from oddseam.remeshing.sheets import cut_into_sheets
from oddseam.remeshing.surface import Result, remesh_sheets

#: How far a chord may leave a crease, over the size, unless told otherwise: a round hole keeps
#: its diameter to a few percent of an element.
CHORD = 0.0185


@recorded("remesh")
def remesh(
    mesh: Mesh,
    *,
    size: float,
    crease: float = 30.0,
    chord: float | None = None,
    growth: float = 0.35,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Remesh the surface with even triangles.

    Creases, rims and borders between parts, element groups and patches are kept: their corners
    stay where they are, and the nodes between lie on the original curve.  Other nodes lie on
    the original surface.  Where more than two facets meet in an edge, and where surfaces touch
    in a node, nodes stay as they are.

    Parameters
    ----------
    mesh : Mesh
        Of tri and quad elements.
    size : float
        Wanted edge length, in the unit of the mesh.
    crease : float
        Edges where the surface turns by more degrees are creases.
    chord : float, optional
        How far an edge may leave the crease it stands for; 1.85 % of the size by default.
        Edges along tight curves are shorter than the size for its sake.
    growth : float
        By how much the size may grow, over the distance.
    progress : callable, optional

    Raises
    ------
    Refusal
        If there are elements that hang on the nodes of the surface, or the settings make no
        sense.

    Notes
    -----
    About linear in the larger of the numbers of facets before and after.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> fine = oddseam.remesh(corner, size=0.5)
    >>> fine.n_elements > 80, oddseam.prove(fine).is_closed
    (True, True)
    """
    chord = CHORD * size if chord is None else chord
    _check(mesh, size, crease, chord, growth)
    t = mesh.triangulation
    facet_class = _classes(mesh)
    drawn = mesh.creases.edges if mesh.creases is not None else None
    progress("finding creases", 0.0)
    sheets = cut_into_sheets(mesh.nodes, t.triangles, facet_class[t.element], crease, drawn)
    result = remesh_sheets(sheets, Fineness(size, chord, growth), progress=progress)
    progress("putting together", 0.95)
    new, notes = _assemble(mesh, result)
    unmet = [f"{fault} after remeshing" for fault in prove(new).worse_than(prove(mesh))]
    locked = int(sheets.is_locked.sum())
    if locked:
        notes.append(f"{locked:,} nodes stay as they were, where more than two facets meet or surfaces touch")
    steps = (
        Step("place nodes on creases and rims", result.n_curve_nodes, 0.0, f"{len(sheets.curves.first) - 1:,} curves"),
        Step("split", result.n_splits),
        Step("collapse", result.n_collapses),
        Step("flip", result.n_flips),
        Step("smooth", result.n_moves, 0.0, "nodes slid on the original surface"),
        Step("compare", mesh.n_nodes, _largest_distance(mesh, new), "of an original node to the new surface"),
    )
    progress("done", 1.0)
    return new, Outcome(steps, tuple(notes), tuple(unmet))


def _check(mesh: Mesh, size: float, crease: float, chord: float, growth: float) -> None:
    for name, value in (("size", size), ("chord", chord), ("growth", growth)):
        if not 0 < value < np.inf:
            raise Refusal(f"{name} {value} is not positive")
    if not 0 < crease < 180:
        raise Refusal(f"crease {crease} is not between 0 and 180 degrees")
    others = [name for name in mesh.elements if name not in ("tri", "quad")]
    if others:
        what = ", ".join(f"{len(mesh.elements[name]):,} {name}" for name in others)
        raise Refusal(
            f"the mesh has {what} elements, which would lose their nodes; remesh surfaces of tri and quad only "
            "(`oddseam skin` takes that of solids)"
        )
    if not mesh.n_elements:
        raise Refusal("the mesh has no surface to remesh")
    area = 0.5 * float(np.linalg.norm(_doubles(mesh), axis=1).sum())
    expected = area / (0.433 * size * size)
    if expected > 5e7:
        raise Refusal(
            f"a size of {size:g} would make about {expected:.2g} facets; the part is {mesh.diagonal:g} across, "
            "is the size in the same unit?"
        )


def _largest_distance(mesh: Mesh, new: Mesh) -> float:
    """Largest distance of a node of the surface to the new surface."""
    points = mesh.nodes[np.unique(mesh.triangulation.triangles)]
    closest, _ = BoxTree(new.nodes[new.triangulation.triangles]).closest(points)
    return float(np.linalg.norm(closest - points, axis=1).max())


def _doubles(mesh: Mesh) -> Array:
    p = mesh.nodes[mesh.triangulation.triangles]
    return np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])


def _classes(mesh: Mesh) -> Array:
    """(m,) class of every element: its part, patch and element groups."""
    columns = [mesh.element_part]
    if mesh.patches is not None:
        columns.append(mesh.patches.label)
    for index in mesh.groups.elements.values():
        member = np.zeros(mesh.n_elements, np.int32)
        member[index] = 1
        columns.append(member)
    if len(columns) == 1:
        return mesh.element_part
    label = np.unique(np.column_stack(columns), axis=0, return_inverse=True)[1]
    return np.asarray(label.ravel(), np.int32)


def _assemble(mesh: Mesh, result: Result) -> tuple[Mesh, list[str]]:
    """The new mesh: parts, patches and element groups follow the region a facet lies in."""
    of_element = mesh.triangulation.element[result.facet_origin]
    m = len(result.triangles)
    keeps_ids = mesh.source is not None and mesh.source.records is not None
    old_ids = mesh.node_ids
    kept = result.node_origin >= 0
    top = int(old_ids.max()) if len(old_ids) else 0
    first = int(mesh.element_ids.max()) + 1 if keeps_ids else 1
    if keeps_ids:
        node_ids = np.empty(len(result.points), np.int64)
        node_ids[kept] = old_ids[result.node_origin[kept]]
        node_ids[~kept] = top + 1 + np.arange(int((~kept).sum()))
    else:
        node_ids = np.arange(1, len(result.points) + 1)
    carried = mesh.groups.carried(result.node_origin, of_element, sides=False)
    notes = [f"node group {name!r}: only nodes on corners stay in it" for name in mesh.groups.nodes]
    notes += [f"side group {name!r} is dropped, its elements are new" for name in mesh.groups.sides]
    patches = None
    if mesh.patches is not None:
        patches = Patches(mesh.patches.label[of_element], mesh.patches.table)
    creases = None
    if mesh.creases is not None:
        creases = Creases(result.crease_edges, np.zeros(len(result.crease_edges), np.int8))
    block = Elements(result.triangles, np.arange(first, first + m), mesh.element_part[of_element])
    new = dataclasses.replace(
        mesh,
        nodes=result.points,
        node_ids=node_ids,
        elements={"tri": block},
        groups=Groups(carried.nodes, carried.elements),
        patches=patches,
        creases=creases,
    )
    return new, notes
