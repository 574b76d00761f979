"""Coarsening a surface to a number of facets or within a deviation, features kept.

Edges are collapsed by least quadric error.  If facets of the result cross, what went into them is kept nearer to
where it was, and it is done once more.
"""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.formats import as_held
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh
from oddseam.model.proof import prove
from oddseam.progress import Progress, silent
from oddseam.remeshing.assembly import assembled, check_surface, compared, cut, locked_note
from oddseam.remeshing.quadric import Bounds, Coarse, coarsen_sheets
from oddseam.remeshing.sheets import Sheets

#: So often it is done again for facets that cross, what lies beneath them being kept so much nearer to where it was.
_AGAIN, _NEARER = 6, 0.5
#: A number of facets alone would be had at the cost of the shape where creases or thin walls need many of them.
#: Unless a deviation is given no node leaves the planes of its facets by more, in the mean, over the diagonal, ...
_SHAPE = 6e-3
#: ... nor the surface by more in the mean (an open one has no volume to tell what matters), ...
_MEAN, _OPEN_MEAN = 2e-3, 1.25e-3
#: ... nor is more of the space that it encloses swept.
_SWEPT = 0.04


@recorded("coarsen")
def coarsen(
    mesh: Mesh,
    *,
    facets: int | None = None,
    deviation: float | None = None,
    crease: float = 30.0,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Coarsen the surface to a number of triangles, or as far as a deviation allows.

    Creases, rims and borders between parts, element groups and patches are kept: their corners stay where
    they are, and the nodes between go along them.  The topology stays, and no facet is turned over.  Where
    ``facets`` cannot be had that way, creases of angle alone are let go, as far as the shape allows.

    Parameters
    ----------
    mesh : Mesh
        Of tri and quad elements.
    facets : int, optional
        Triangles to be left; more are left if fewer would lose the shape, unless a deviation is given.
    deviation : float, optional
        No point of either surface may be farther from the other, in the unit of the mesh.  What is
        reported is an upper bound by construction, not a sample; the truth is mostly more than half of it.
    crease : float
        Edges where the surface turns by more degrees are creases.
    target : str, optional
        Format that the result is meant for, such as ``"stl"``: that no facets cross is seen to on the coordinates
        as that format holds them.
    progress : callable, optional

    Returns
    -------
    Mesh
        The account says in ``outcome.unmet`` if more facets had to stay, or some cross.

    Raises
    ------
    Refusal
        If there are elements that hang on the nodes of the surface, or the settings make no sense.

    Notes
    -----
    O(n log n).

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> u, v = (w.ravel() for w in np.meshgrid(np.arange(21.0), np.arange(21.0)))
    >>> at = np.arange(441).reshape(21, 21)
    >>> a, b, c, d = (w.ravel() for w in (at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]))
    >>> triangles = np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])
    >>> dome = oddseam.Mesh.from_triangles(np.column_stack([u, v, np.sqrt(900 - (u - 10) ** 2)]), triangles, unit="mm")
    >>> coarse = oddseam.coarsen(dome, facets=100)
    >>> coarse.n_elements, coarse.account.last.outcome.unmet
    (100, ())
    """
    if facets is None and deviation is None:
        raise Refusal("say how many facets, or what deviation")
    if facets is not None and facets < 1:
        raise Refusal(f"facets {facets} is no number of triangles")
    if deviation is not None and not 0 <= deviation < np.inf:
        raise Refusal(f"deviation {deviation} is no distance")
    check_surface(mesh, crease)
    present, goal = len(mesh.triangulation.triangles), 0 if facets is None else facets
    if present <= goal:
        return mesh, Outcome((Step("collapse", 0, 0.0, f"there are {present:,} facets, no more"),), (), ())
    progress("finding creases", 0.0)
    sheets = cut(mesh, crease)
    progress("coarsening", 0.2)
    bounds = Bounds(goal, deviation) if deviation is not None else _of_shape(mesh, goal)
    result = coarsen_sheets(sheets, bounds)
    frees = len(result.surface.triangles) > goal > 0 and bool(sheets.is_angle.any())
    result, new, held, notes = _without_crossings(mesh, sheets, bounds, None if frees else result, target)
    progress("comparing", 0.9)
    before = prove(as_held(mesh, target))
    unmet = [f"{fault} after coarsening" for fault in prove(held).worse_than(before)]
    if facets is not None and len(result.surface.triangles) > facets:
        unmet.append(
            f"{len(result.surface.triangles):,} facets are left instead of {facets:,}: creases, rims, borders and "
            "holes need them, or surfaces that are close together, or "
            + ("the shape (give a deviation to go on)" if deviation is None else "the deviation")
        )
    notes += locked_note(sheets)
    if frees:
        notes.append(
            f"creases of more than {crease:g} degrees need more than {facets:,} facets: their nodes were let go for "
            "the number, those that the shape misses least first (drawn creases stay)"
        )
    merged = int((result.into != np.arange(len(result.into))).sum())
    steps = [Step("collapse", merged, 0.0, f"edges, {len(sheets.curves.first) - 1:,} curves kept")]
    if deviation is not None:
        steps.append(Step("bound", new.n_elements, result.gap, "no point of either surface is farther"))
    steps.append(compared(mesh, new))
    progress("done", 1.0)
    return new, Outcome(tuple(steps), tuple(notes), tuple(unmet))


def _of_shape(mesh: Mesh, goal: int) -> Bounds:
    """What keeps the shape where only a number is given."""
    area = float(np.linalg.norm(area_vectors(mesh.nodes[mesh.triangulation.triangles]), axis=1).sum())
    solid = mesh.pieces.is_solid
    if len(solid) and solid.all():
        spare = min(_MEAN * mesh.diagonal * area, _SWEPT * abs(float(mesh.pieces.volume.sum())))
    else:
        spare = _OPEN_MEAN * mesh.diagonal * area
    return Bounds(goal, shape=_SHAPE * mesh.diagonal, spare=spare)


def _without_crossings(
    mesh: Mesh, sheets: Sheets, bounds: Bounds, result: Coarse | None, target: str | None
) -> tuple[Coarse, Mesh, Mesh, list[str]]:
    """Coarsened; what came to cross is kept nearer to what it was, or as it was, as far as that helps.

    ``result`` is what came of it first; without, creases of angle alone are let go.  Of the two meshes the second is
    as the target holds it.
    """
    frees = result is None
    most = np.full(len(sheets.point), bounds.shape)
    best: list[tuple[int, Coarse, Mesh, Mesh, list[str]]] = []
    for number in range(_AGAIN + 1):
        if number or result is None:
            result = coarsen_sheets(sheets, bounds, most, frees=frees)
        new, notes = assembled(mesh, result.surface)
        held = as_held(new, target)
        bad = np.concatenate([held.crossing_triangles.ravel(), held.degenerate_triangles])
        if not best or len(bad) < best[-1][0]:
            best.append((len(bad), result, new, held, notes))
        if not len(bad):
            break
        beneath = np.isin(result.into, result.corners[np.unique(bad)])
        nearer = _NEARER * result.error[result.into] if number + 1 < _AGAIN else np.zeros(len(most))
        most[beneath] = np.minimum(most, nearer)[beneath]
    return best[-1][1:]
