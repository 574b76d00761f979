"""Names of patches."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.model import Mesh, Patches


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
