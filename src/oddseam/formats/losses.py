"""What a format cannot hold of a mesh, in the same words for all formats."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from oddseam.model import KINDS, Mesh
from oddseam.model.units import METRES


def losses(
    mesh: Mesh,
    *,
    kinds: Collection[str],
    holds: Collection[str] = (),
    triangulated: bool = False,
) -> list[str]:
    """What is lost, one line each.

    Parameters
    ----------
    mesh : Mesh
    kinds : collection of str
        Element kinds that are written as they are.
    holds : collection of str
        Which of "unit", "parts", "ids", "groups", "boundaries", "properties" the format holds.
    triangulated : bool
        Whether other shells are written as triangles; a quadratic element is otherwise written
        with its corners, where the linear kind is held.
    """
    lost = []
    if mesh.unit in METRES and "unit" not in holds:
        lost.append(f"the unit ({mesh.unit})")
    used = mesh.parts_used
    if len(used) > 1 and "parts" not in holds:
        lost.append(f"{len(used)} parts (written as one surface)")
    for name, block in mesh.elements.items():
        if name in kinds:
            continue
        kind = KINDS[name]
        plain = next(k.name for k in KINDS.values() if (k.dimension, k.corners) == (kind.dimension, kind.corners))
        what = f"{len(block):,} {name} elements"
        if kind.dimension == 2 and triangulated:
            what += " as such (written as triangles)"
        elif plain in kinds:
            what += " as such (written with their corners alone)"
        lost.append(what)
    if "ids" not in holds and _are_ids_worth_keeping(mesh):
        lost.append("node and element ids")
    if len(mesh.groups) and "groups" not in holds:
        lost.append(f"{len(mesh.groups)} groups")
    if any(part.boundary for part in used) and "boundaries" not in holds:
        lost.append("boundary kinds")
    if any(part.thickness or part.material for part in used) and "properties" not in holds:
        lost.append("thickness and material of the parts")
    if mesh.creases is not None:
        lost.append("creases")
    if mesh.patches is not None:
        lost.append("patches")
    if len(mesh.account):
        lost.append("the account (keep a .seam file for that)")
    return lost


def _are_ids_worth_keeping(mesh: Mesh) -> bool:
    """Whether ids came with a deck, or were given and do not simply count up."""
    if mesh.source is not None:
        return mesh.source.records is not None
    return any(len(ids) and (np.diff(ids) != 1).any() for ids in (mesh.node_ids, mesh.element_ids))
