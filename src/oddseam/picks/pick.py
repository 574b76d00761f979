"""What a pick selects of a mesh."""

from __future__ import annotations

from oddseam.arrays import Array
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.picks.selection import Of, selected


@checked
def pick(mesh: Mesh, pick: str, *, of: Of = "elements") -> Array:
    """Pick elements, nodes, edges or rims by what or where they are.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        Such as ``"part hood and not sphere (0, 0, 9) 2.5"``; see the page on picks.
    of : str
        ``"elements"``; ``"nodes"``, by their own places where the pick is of places, else those of the elements;
        ``"edges"`` of faces, those of a finding of edges, else with both nodes picked; or ``"rims"`` with all nodes
        picked.

    Returns
    -------
    (k,) int64 array
        Indices, ascending; of edges and rims those in ``mesh.connectivity``.

    Raises
    ------
    PickError
        If the text cannot be understood (with the column), names what is not there, or
        selects nothing.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.pick(corner, "ids 2-3 or near (0.6, 0.6, 0.6)").tolist()
    [1, 2, 3]
    >>> oddseam.pick(corner, "sphere (0, 0, 0) 2", of="nodes").tolist()
    [0, 1, 2, 3]
    """
    return selected(mesh, pick, of)
