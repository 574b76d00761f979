"""A proof of what a surface is: closed, manifold, oriented, outward, free of crossings; and its faults by name.

Decisions are exact for the coordinates as stored; make it on the coordinates that the target
file will hold (``oddseam.formats.as_written``).
"""

from __future__ import annotations

from dataclasses import dataclass

from oddseam.inputs import checked
from oddseam.model.mesh import Mesh
from oddseam.progress import Progress, silent


@dataclass(frozen=True)
class Proof:
    """What was found; every count is of faults, except ``rims``.

    Attributes
    ----------
    free_edges, rims : int
        Open edges, and the number of rims that they form.
    nonmanifold_edges, nonmanifold_nodes, misoriented_edges : int
    duplicate_facets, degenerate_facets : int
    crossing_pairs : int
        Pairs of facets whose interiors meet; duplicates are such pairs too.
    inward_pieces : int
        Closed pieces, not inside another, that enclose a negative volume.
    volume : float or None
        Enclosed volume, if the surface is closed and oriented.
    """

    free_edges: int
    rims: int
    nonmanifold_edges: int
    nonmanifold_nodes: int
    misoriented_edges: int
    duplicate_facets: int
    degenerate_facets: int
    crossing_pairs: int
    inward_pieces: int
    volume: float | None

    @property
    def is_closed(self) -> bool:
        """No free edge."""
        return self.free_edges == 0

    @property
    def is_manifold(self) -> bool:
        """No edge with three faces, no node with two fans."""
        return self.nonmanifold_edges == 0 and self.nonmanifold_nodes == 0

    @property
    def is_oriented(self) -> bool:
        """Neighbours agree, and closed pieces look outward."""
        return self.misoriented_edges == 0 and self.inward_pieces == 0

    @property
    def is_clean(self) -> bool:
        """No fault at all; open rims are none."""
        return not self.faults()

    def _counts(self) -> dict[str, int]:
        """Kinds of fault that occur, with counts."""
        names = ("nonmanifold_edges", "nonmanifold_nodes", "misoriented_edges", "duplicate_facets",
                 "degenerate_facets", "crossing_pairs", "inward_pieces")  # fmt: skip
        words = {name: name.replace("_", " ").replace("nonm", "non-m") for name in names}
        return {words[name]: getattr(self, name) for name in names if getattr(self, name)}

    def faults(self) -> list[str]:
        """One line for each kind of fault: ``"kind: count"``."""
        return [f"{kind}: {count:,}" for kind, count in self._counts().items()]

    def worse_than(self, before: Proof) -> list[str]:
        """The faults of which there are more than there were, as :meth:`faults` has them."""
        known = before._counts()
        return [f"{kind}: {count:,}" for kind, count in self._counts().items() if count > known.get(kind, 0)]


def worse(after: Mesh, before: Mesh) -> list[str]:
    """The faults that a mesh has more of than another one had, which is examined only if there are any."""
    found = prove(after)
    return [] if found.is_clean else found.worse_than(prove(before))


@checked
def prove(mesh: Mesh, *, progress: Progress = silent) -> Proof:
    """Examine the surface of a mesh.

    O(n log n).

    Parameters
    ----------
    mesh : Mesh
        As the target format will read it back.
    progress : callable, optional

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> proof = oddseam.prove(corner)
    >>> proof.is_closed, proof.is_clean, round(proof.volume, 6)
    (True, True, 1.333333)
    """
    c = mesh.connectivity
    pieces = mesh.pieces
    return Proof(
        free_edges=int(c.is_free.sum()),
        rims=c.n_rims,
        nonmanifold_edges=int(c.is_nonmanifold.sum()),
        nonmanifold_nodes=len(c.nonmanifold_nodes),
        misoriented_edges=int((~c.pair_agrees).sum()),
        duplicate_facets=len(mesh.duplicate_triangles),
        degenerate_facets=len(mesh.degenerate_triangles),
        crossing_pairs=len(mesh.crossing_triangles),
        inward_pieces=len(pieces.inward),
        volume=float(pieces.volume.sum()) if pieces.is_solid.any() and pieces.is_solid.all() else None,
    )
