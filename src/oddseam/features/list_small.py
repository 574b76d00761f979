"""What is small in the network of creases, listed."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from oddseam.arrays import Point
from oddseam.features.find_features import with_features
from oddseam.features.patches.small import double_edges, small_things
from oddseam.inputs import checked
from oddseam.listing import Listing, column
from oddseam.model import Mesh
from oddseam.progress import Progress, silent


@dataclass(frozen=True)
class SmallThing:
    """Something small in the network of creases.

    Attributes
    ----------
    kind : str
        ``"edge"``: a piece of a crease or rim between corners; ``"sliver"``: a patch between sides that are nowhere
        farther apart; ``"double edge"``: two creases that run side by side across a wider patch.
    width, length : float
    patch : str
    place : (x, y, z)
    """

    kind: str
    width: float = column(".4g")
    length: float = column(".4g")
    patch: str = column()
    place: Point = column()  # noqa: RUF009  (it makes a field)


@checked
def list_small(mesh: Mesh, *, below: float, crease: float = 30.0, progress: Progress = silent) -> Listing[SmallThing]:
    """List what is smaller than a size: tiny edges, slivers, double edges.

    Parameters
    ----------
    mesh : Mesh
        Of a mesh without creases these are found first, see ``find_features``.
    below : float
        In the unit of the mesh.
    crease : float
        Edges that are sharper than so many degrees are creases, where these have to be found.
    progress : callable, optional

    Returns
    -------
    Listing of SmallThing
        The narrowest first.

    Raises
    ------
    Refusal
        If the size is not positive.

    Notes
    -----
    O(n log n) in the number of facets.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 9, 0], [0, 0.1, 5], [9, 0.1, 5]]
    >>> roof = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [0, 2, 3], [0, 4, 5], [0, 5, 1]], unit="mm")
    >>> len(oddseam.list_small(oddseam.find_features(roof), below=0.5))
    0
    """
    mesh = with_features(mesh, crease)
    found = small_things(mesh, below)
    found += double_edges(mesh, below, found)
    found.sort(key=lambda it: it.width)
    rows = tuple(SmallThing(it.kind, it.width, it.length, it.name, it.place) for it in found)
    counts = Counter(row.kind for row in rows)
    many = ", ".join(f"{count:,} {kind}{'s' if count > 1 else ''}" for kind, count in counts.items())
    return Listing(rows, SmallThing, f"below {below:g}: {many or 'nothing'}", mesh.diagonal)
