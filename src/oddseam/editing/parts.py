"""Parts made of what is picked, their names, and kinds of boundary."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.model import Elements, Mesh
from oddseam.model.fresh_ids import highest_number
from oddseam.picks import selected


@recorded()
def make_part(mesh: Mesh, pick: str, *, name: str, boundary: str | None = None) -> tuple[Mesh, Outcome]:
    """Make a part of what is picked.

    Thickness and material are those of the part that most of it lies in.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        A pick of elements, see ``pick``.
    name : str
        Of the new part, which gets an id above the highest.
    boundary : str, optional
        Its kind of boundary: wall, inlet, outlet, symmetry, or a word of your own.

    Raises
    ------
    Refusal
        If there is a part of that name, or the name is empty.
    PickError
        If the pick cannot be understood, or selects nothing.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> made = oddseam.make_part(corner, "ids 4", name="slope", boundary="inlet")
    >>> [(part.name, part.boundary) for part in made.parts]
    [('surface', None), ('slope', 'inlet')]
    """
    _check(name, [part.name for part in mesh.parts])
    chosen = selected(mesh, pick)
    most = int(np.bincount(mesh.element_part[chosen]).argmax())
    new_id = 1 + highest_number(mesh, "property")
    part = dataclasses.replace(mesh.parts[most], name=name, id=new_id, boundary=boundary or mesh.parts[most].boundary)
    number = mesh.element_part.copy()
    number[chosen] = len(mesh.parts)
    elements, at = {}, 0
    for kind, block in mesh.elements.items():
        elements[kind] = Elements(block.connectivity, block.ids, number[at : at + len(block)])
        at += len(block)
    new = dataclasses.replace(mesh, parts=(*mesh.parts, part), elements=elements)
    emptied = [one.name for one in mesh.parts if one not in new.parts_used and one in mesh.parts_used]
    notes = (f"no element is left in: {', '.join(map(repr, emptied))}",) if emptied else ()
    return new, Outcome((Step("make part", len(chosen), 0.0, f"elements, {name!r}"),), notes)


@recorded()
def name_parts(
    mesh: Mesh, names: Mapping[str, str], *, boundaries: Mapping[str, str] | None = None
) -> tuple[Mesh, Outcome]:
    """Rename parts, and give them kinds of boundary; ids stay.

    Parameters
    ----------
    mesh : Mesh
    names : mapping of str to str
        New names by the present ones.
    boundaries : mapping of str to str, optional
        Kinds of boundary by the new names: wall, inlet, outlet, symmetry, or a word of your own.

    Raises
    ------
    Refusal
        If there is no part of a name, or a new name is empty or taken.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.name_parts(corner, {"surface": "hood"}, boundaries={"hood": "wall"}).parts[0].name
    'hood'
    """
    known = [part.name for part in mesh.parts]
    for old, new in names.items():
        if old not in known:
            raise Refusal(f"there is no part {old!r}; there are {', '.join(known)}")
        _check(new, [name for name in known if name != old and name not in names])
    if len(set(names.values())) < len(names):
        raise Refusal("two parts would get one name")
    parts = [dataclasses.replace(part, name=names.get(part.name, part.name)) for part in mesh.parts]
    for name, kind in (boundaries or {}).items():
        if name not in [part.name for part in parts]:
            raise Refusal(f"there is no part {name!r}; there are {', '.join(part.name for part in parts)}")
        parts = [dataclasses.replace(part, boundary=kind) if part.name == name else part for part in parts]
    steps = (Step("rename parts", len(names)), Step("set boundary kinds", len(boundaries or {})))
    return mesh.replaced(parts=tuple(parts)), Outcome(steps)


def _check(name: str, taken: list[str]) -> None:
    if not name.strip():
        raise Refusal("the name of a part is empty")
    if name in taken:
        raise Refusal(f"there is a part {name!r} already")
