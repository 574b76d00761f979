"""Parts made of what is picked."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.editing.name_parts import check_name
from oddseam.model import Elements, Mesh
from oddseam.model.fresh_ids import highest_number
from oddseam.picks import selected
from oddseam.progress import Progress, silent


@recorded()
def make_part(
    mesh: Mesh, pick: str, *, name: str, boundary: str | None = None, progress: Progress = silent
) -> tuple[Mesh, Outcome]:
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
    progress : callable, optional

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
    check_name(name, [part.name for part in mesh.parts])
    chosen = selected(mesh, pick)
    most = int(np.bincount(mesh.element_part[chosen]).argmax())
    new_id = 1 + highest_number(mesh, "property")
    part = dataclasses.replace(mesh.parts[most], name=name, id=new_id, boundary=boundary or mesh.parts[most].boundary)
    number = mesh.element_part.copy()
    number[chosen] = len(mesh.parts)
    elements = {}
    for kind, block, span in mesh.blocks():
        elements[kind] = Elements(block.connectivity, block.ids, number[span])
    new = dataclasses.replace(mesh, parts=(*mesh.parts, part), elements=elements)
    emptied = [one.name for one in mesh.parts if one not in new.parts_used and one in mesh.parts_used]
    notes = (f"no element is left in: {', '.join(map(repr, emptied))}",) if emptied else ()
    return new, Outcome((Step("make part", len(chosen), 0.0, f"elements, {name!r}"),), notes)
