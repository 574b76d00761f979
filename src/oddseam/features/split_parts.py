"""Parts made of patches."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.model import Elements, Mesh, Part
from oddseam.model.fresh_ids import highest_number
from oddseam.model.parts import BOUNDARY_KINDS
from oddseam.progress import Progress, silent


@recorded()
def split_parts(
    mesh: Mesh, *, boundaries: Mapping[str, str] | None = None, progress: Progress = silent
) -> tuple[Mesh, Outcome]:
    """Make a part of every patch, named like it.

    Thickness and material are those of the part that a patch lies in; a patch that lies in several becomes a part in
    each.  Ids of new parts come above the highest.

    Parameters
    ----------
    mesh : Mesh
        With patches, see ``find_features``.
    boundaries : mapping of str to str, optional
        Boundary kinds by patch: wall, inlet, outlet, symmetry, or a word of your own.
    progress : callable, optional

    Raises
    ------
    Refusal
        If there are no patches, no patch of a name, or no such kind.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> parts = oddseam.split_parts(oddseam.find_features(corner), boundaries={"plane 1": "inlet"}).parts
    >>> [(part.name, part.boundary) for part in parts][:2]
    [('plane 1', 'inlet'), ('plane 2', None)]
    """
    if mesh.patches is None:
        raise Refusal("the mesh has no patches; `oddseam features` finds them")
    names = [patch.name for patch in mesh.patches.table]
    boundaries = boundaries or {}
    for name, kind in boundaries.items():
        if name not in names:
            raise Refusal(f"there is no patch {name!r}; there are {', '.join(names)}")
        if not kind.strip():
            raise Refusal(f"the boundary kind of patch {name!r} is empty; say {', '.join(BOUNDARY_KINDS)}, or a word")
    label, part = mesh.patches.label, mesh.element_part
    pairs, row = np.unique(np.column_stack([label, part]), axis=0, return_inverse=True)
    top = highest_number(mesh, "property")
    parts: list[Part] = []
    for number, (patch, old) in enumerate(pairs.tolist()):
        if patch < 0:  # what lies in no patch stays where it is
            parts.append(mesh.parts[old])
            continue
        several = (pairs[:, 0] == patch).sum() > 1
        name = f"{names[patch]} ({mesh.parts[old].name})" if several else names[patch]
        boundary = boundaries.get(names[patch], mesh.parts[old].boundary)
        parts.append(dataclasses.replace(mesh.parts[old], name=name, id=top + 1 + number, boundary=boundary))
    row = row.reshape(-1)
    elements, start = {}, 0
    for kind, block in mesh.elements.items():
        elements[kind] = Elements(block.connectivity, block.ids, row[start : start + len(block)])
        start += len(block)
    new = dataclasses.replace(mesh, parts=tuple(parts), elements=elements)
    return new, Outcome((Step("make parts of patches", len(parts)),), (), ())
