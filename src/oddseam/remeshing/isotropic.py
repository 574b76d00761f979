"""Isotropic remeshing of a surface to a wanted edge length, features kept.

Curves (creases, rims, borders of parts) get their nodes first, spaced by the size and by how
far a chord may leave them; then rounds of split, collapse, flip and tangential smoothing with
projection to the original surface make the facets even.
"""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh
from oddseam.model.proof import prove
from oddseam.progress import Progress, silent
from oddseam.remeshing.assembly import assembled, check_surface, compared, cut, locked_note
from oddseam.remeshing.net import Fineness
from oddseam.remeshing.surface import remesh_sheets

#: How far a chord may leave a crease, over the size, unless told otherwise: a round hole keeps
#: its diameter to a few percent of an element.
CHORD = 0.0185


@recorded("remesh")
def remesh(
    mesh: Mesh,
    *,
    size: float,
    crease: float = 30.0,
    chord: float | None = None,
    growth: float = 0.35,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Remesh the surface with even triangles.

    Creases, rims and borders between parts, element groups and patches are kept: their corners
    stay where they are, and the nodes between lie on the original curve.  Other nodes lie on
    the original surface.  Where more than two facets meet in an edge, and where surfaces touch
    in a node, nodes stay as they are.

    Parameters
    ----------
    mesh : Mesh
        Of tri and quad elements.
    size : float
        Wanted edge length, in the unit of the mesh.
    crease : float
        Edges where the surface turns by more degrees are creases.
    chord : float, optional
        How far an edge may leave the crease it stands for; 1.85 % of the size by default.
        Edges along tight curves are shorter than the size for its sake.
    growth : float
        By how much the size may grow, over the distance.
    progress : callable, optional

    Raises
    ------
    Refusal
        If there are elements that hang on the nodes of the surface, or the settings make no
        sense.

    Notes
    -----
    About linear in the larger of the numbers of facets before and after.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> fine = oddseam.remesh(corner, size=0.5)
    >>> fine.n_elements > 80, oddseam.prove(fine).is_closed
    (True, True)
    """
    chord = CHORD * size if chord is None else chord
    _check(mesh, size, crease, chord, growth)
    progress("finding creases", 0.0)
    sheets = cut(mesh, crease)
    result = remesh_sheets(sheets, Fineness(size, chord, growth), progress=progress)
    progress("putting together", 0.95)
    new, notes = assembled(mesh, result.surface)
    unmet = [f"{fault} after remeshing" for fault in prove(new).worse_than(prove(mesh))]
    notes += locked_note(sheets)
    steps = (
        Step("place nodes on creases and rims", result.n_curve_nodes, 0.0, f"{len(sheets.curves.first) - 1:,} curves"),
        Step("split", result.n_splits),
        Step("collapse", result.n_collapses),
        Step("flip", result.n_flips),
        Step("smooth", result.n_moves, 0.0, "nodes slid on the original surface"),
        compared(mesh, new),
    )
    progress("done", 1.0)
    return new, Outcome(steps, tuple(notes), tuple(unmet))


def _check(mesh: Mesh, size: float, crease: float, chord: float, growth: float) -> None:
    for name, value in (("size", size), ("chord", chord), ("growth", growth)):
        if not 0 < value < np.inf:
            raise Refusal(f"{name} {value} is not positive")
    check_surface(mesh, crease)
    area = float(np.linalg.norm(area_vectors(mesh.nodes[mesh.triangulation.triangles]), axis=1).sum())
    expected = area / (0.433 * size * size)
    if expected > 5e7:
        raise Refusal(
            f"a size of {size:g} would make about {expected:.2g} facets; the part is {mesh.diagonal:g} across, "
            "is the size in the same unit?"
        )
