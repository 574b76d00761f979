"""Names and boundary kinds of patches, and parts made of them."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.model import Elements, Mesh, Part, Patches
from oddseam.model.fresh_ids import highest_number
from oddseam.model.parts import BOUNDARY_KINDS


@recorded()
def name_patches(mesh: Mesh, names: Mapping[str, str]) -> tuple[Mesh, Outcome]:
    """Rename patches; those that get one name become one.

    Parameters
    ----------
    mesh : Mesh
        With patches, see ``find_features``.
    names : mapping of str to str
        New names by the present ones.

    Raises
    ------
    Refusal
        If there is no patch of a name, or a new one is empty.

    Notes
    -----
    The creases between patches that become one stay: they are edges of the part.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> named = oddseam.name_patches(oddseam.find_features(corner), {"plane 1": "lid"})
    >>> named.patches.table[0].name
    'lid'
    """
    if mesh.patches is None:
        raise Refusal("the mesh has no patches; `oddseam features` finds them")
    known = [patch.name for patch in mesh.patches.table]
    for old, new in names.items():
        if old not in known:
            raise Refusal(f"there is no patch {old!r}; there are {', '.join(known)}")
        if not new.strip():
            raise Refusal(f"the new name of patch {old!r} is empty")
    wanted = [names.get(name, name) for name in known]
    first = {name: k for k, name in reversed(list(enumerate(wanted)))}
    kept = sorted(first.values())
    new_label = np.array([kept.index(first[name]) for name in wanted] + [-1])
    table = []
    for k in kept:
        members = [patch for patch, name in zip(mesh.patches.table, wanted, strict=True) if name == wanted[k]]
        patch = dataclasses.replace(members[0], name=wanted[k])
        if len(members) > 1:
            area = sum(member.area or 0.0 for member in members)
            is_same = all(dataclasses.replace(one, name="", area=0) == dataclasses.replace(patch, name="", area=0)
                          for one in members)  # fmt: skip
            patch = dataclasses.replace(patch, area=area) if is_same else dataclasses.replace(
                patch, kind="free-form", axis=None, centre=None, radius=None, tube=None, area=area
            )  # fmt: skip
        table.append(patch)
    patches = Patches(new_label[mesh.patches.label], tuple(table))
    steps = (Step("rename patches", len(names)), Step("join patches", len(known) - len(table)))
    return mesh.replaced(patches=patches), Outcome(steps, (), ())


@recorded()
def split_parts(mesh: Mesh, *, boundaries: Mapping[str, str] | None = None) -> tuple[Mesh, Outcome]:
    """Make a part of every patch, named like it.

    Thickness and material are those of the part that a patch lies in; a patch that lies in several becomes a part in
    each.  Ids of new parts come above the highest.

    Parameters
    ----------
    mesh : Mesh
        With patches, see ``find_features``.
    boundaries : mapping of str to str, optional
        Boundary kinds by patch: wall, inlet, outlet, symmetry, or a word of your own.

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
