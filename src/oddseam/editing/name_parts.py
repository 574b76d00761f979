"""Names and kinds of boundary of parts."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.model import Mesh


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
        check_name(new, [name for name in known if name != old and name not in names])
    if len(set(names.values())) < len(names):
        raise Refusal("two parts would get the same name")
    parts = [dataclasses.replace(part, name=names.get(part.name, part.name)) for part in mesh.parts]
    for name, kind in (boundaries or {}).items():
        if name not in [part.name for part in parts]:
            raise Refusal(f"there is no part {name!r}; there are {', '.join(part.name for part in parts)}")
        parts = [dataclasses.replace(part, boundary=kind) if part.name == name else part for part in parts]
    steps = (Step("rename parts", len(names)), Step("set boundary kinds", len(boundaries or {})))
    return mesh.replaced(parts=tuple(parts)), Outcome(steps)


def check_name(name: str, taken: list[str]) -> None:
    """Refuse a name of a part that is empty or taken."""
    if not name.strip():
        raise Refusal("the name of a part is empty")
    if name in taken:
        raise Refusal(f"there is a part {name!r} already")
