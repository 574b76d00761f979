"""Groups made of what is picked."""

from __future__ import annotations

from typing import Literal

from oddseam.accounts import Outcome, Step, recorded
from oddseam.model import Groups, Mesh
from oddseam.picks import selected


@recorded()
def make_group(
    mesh: Mesh, pick: str, *, name: str, of: Literal["elements", "nodes"] = "elements"
) -> tuple[Mesh, Outcome]:
    """Make a group of the elements or nodes of a pick.

    One of that name is replaced.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        See ``pick``.
    name : str
        Of the group.
    of : str
        What the group holds: elements or nodes.

    Raises
    ------
    PickError
        If the pick cannot be understood, or selects nothing.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> len(oddseam.pick(oddseam.make_group(corner, "near (0.5, 0.5, 0)", name="foot"), "group foot"))
    1
    """
    chosen = selected(mesh, pick, of)
    groups = mesh.groups
    kept = {"nodes": dict(groups.nodes), "elements": dict(groups.elements)}
    kept[of][name] = chosen
    new = mesh.replaced(groups=Groups(kept["nodes"], kept["elements"], groups.sides))
    return new, Outcome((Step("make group", len(chosen), 0.0, f"{of} in {name!r}"),))
