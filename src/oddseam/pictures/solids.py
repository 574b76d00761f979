"""What is shown of a mesh with solids: whole elements, by the faces that no other one that is shown shares."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.geometry.shapes.planes import Plane, as_plane
from oddseam.model import KINDS, Elements, Mesh
from oddseam.model.faces import triangulate
from oddseam.model.rings import corner_means
from oddseam.model.skin import outer_faces
from oddseam.pictures.scene import Scene, shown_of


def solid_scene(
    mesh: Mesh, toward_eye: Array, *, pick: str | None = None, hide: str | None = None, cut: Plane | None = None
) -> Scene:
    """Solids and shells that are shown; of a cut, those whose middles lie behind it, each as a whole.

    O(n) in the number of elements.

    Raises
    ------
    Refusal
        If nothing is left to be drawn.
    """
    shown, said = shown_of(mesh, pick, hide)
    if cut is not None:
        point, normal = as_plane(cut)
        normal = -normal if normal @ toward_eye < 0 else normal
        shown &= (corner_means(mesh) - point) @ normal <= 0
        where = ", ".join(f"{c:.4g}" for c in point)
        said.append(f"whole elements behind ({where}) across ({', '.join(f'{c:.3g}' for c in normal + 0.0)})")
    kept, rows = dict[str, Elements](), [np.zeros(0, np.int64)]
    shells, of_shells = dict[str, list[Array]](), dict[str, list[Array]]()
    for name, block, span in mesh.blocks():
        its = np.flatnonzero(shown[span])
        if KINDS[name].dimension == 3 and len(its):
            kept[name] = Elements(block.connectivity[its], block.ids[its], block.part[its])
            rows.append(span.start + its)
        elif KINDS[name].dimension == 2:
            shells.setdefault(name, []).append(block.connectivity[its])
            of_shells.setdefault(name, []).append(span.start + its)
    solid = np.concatenate(rows)
    for name, (table, element, _) in outer_faces(dataclasses.replace(_bare(mesh), elements=kept)).items():
        shells.setdefault(name, []).append(table)
        of_shells.setdefault(name, []).append(solid[element])
    faces, owner = {}, []
    for name in (name for name in KINDS if name in shells):
        table = np.concatenate(shells[name])
        faces[name] = Elements(table, np.arange(len(table)), np.zeros(len(table), np.int32))
        owner.append(np.concatenate(of_shells[name]))
    t = triangulate(mesh.nodes, faces)
    if not len(t.triangles):
        raise Refusal("nothing is left to draw; pick or cut less away")
    of_face = np.concatenate(owner)[t.element]
    return Scene(mesh.nodes, t.triangles, of_face, (), tuple(said), faces=t.element, whole=np.flatnonzero(shown))


def _bare(mesh: Mesh) -> Mesh:
    """The nodes and parts alone."""
    return Mesh(mesh.nodes, {}, mesh.parts, mesh.node_ids)
