"""Coarsening a surface to a number of facets or within a deviation, features kept.

Edges are collapsed by least quadric error.  If facets of the result cross, what went into them is kept nearer to
where it was, and it is done once more.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.findings.judged.judging import judged
from oddseam.findings.judged.limits import LimitsLike, limits_with
from oddseam.formats import as_held
from oddseam.geometry.threads import in_runs
from oddseam.geometry.triangles import areas, cone_volumes
from oddseam.model import Mesh
from oddseam.model.loss import changed_triangles, measure_loss, vanished_pieces
from oddseam.model.prove import worse
from oddseam.progress import Progress, silent
from oddseam.remeshing.surfaces.assembly import assembled, cut, locked_note, missed
from oddseam.remeshing.surfaces.quadric import Bounds, Coarse, coarsen_sheets
from oddseam.remeshing.surfaces.region import Region, region_of
from oddseam.remeshing.surfaces.sheets import Sheets

#: So often it is done again for facets that cross, what lies beneath them being kept so much nearer to where it was.
_AGAIN, _NEARER = 6, 0.5
#: A number of facets alone would be had at the cost of the shape where creases or thin walls need many of them.
#: Unless a deviation is given no node leaves the planes of its facets by more, in the mean, over the diagonal, ...
_SHAPE = 6e-3
#: ... nor the surface by more in the mean (an open one has no volume to tell what matters), ...
_MEAN, _OPEN_MEAN = 2e-3, 1.25e-3
#: ... nor is more of the space that it encloses swept.
_SWEPT = 0.04
#: The shape is said to be missed where the new surface is this many times farther from it than in the mean, ...
_STANDS_OUT = 6.0
#: ... and by more than this, over the diagonal.
_SEEN = 1e-3


@recorded()
def coarsen(
    mesh: Mesh,
    *,
    facets: int | None = None,
    deviation: float | None = None,
    pick: str | None = None,
    crease: float = 30.0,
    limits: LimitsLike | None = None,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Leave fewer triangles: a number of them, or as a deviation allows.

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
    pick : str, optional
        A pick (see ``pick``), such as ``"part hood"``.  Only its tri and quad elements are coarsened, ``facets`` is of
        these; everything else stays to the last bit, and so do the nodes on the border.
    crease : float
        Edges sharper than this many degrees are creases.
    limits : Limits or mapping of str to float, optional
        Limits of quality that count instead of the usual ones of ``Limits``, such as
        ``{"minimum_angle": 5}``; what is beyond is unmet.
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
    >>> coarse = oddseam.coarsen(dome, facets=100, limits={"minimum_angle": 3, "radius_ratio": 0.02, "skewness": 0.95})
    >>> coarse.n_elements, oddseam.prove(coarse).crossing_pairs
    (100, 0)
    """
    held = limits_with(limits)
    if facets is None and deviation is None:
        raise Refusal("say how many facets, or what deviation")
    if facets is not None and facets < 1:
        raise Refusal(f"facets {facets} is not a number of triangles")
    if deviation is not None and not 0 <= deviation < np.inf:
        raise Refusal(f"deviation {deviation} is not a distance")
    region = region_of(mesh, pick)
    surface = region.surface
    present, goal = len(surface.triangulation.triangles), 0 if facets is None else facets
    if present <= goal:
        return mesh, Outcome((Step("collapse", 0, 0.0, f"there are {present:,} facets, no more"),), (), ())
    progress("finding creases", 0.0)
    sheets = cut(surface, crease, held=region.held)
    progress("coarsening", 0.2)
    bounds = Bounds(goal, deviation) if deviation is not None else _of_shape(surface, sheets, goal)
    result = coarsen_sheets(sheets, bounds)
    frees = len(result.surface.triangles) > goal > 0 and bool(sheets.is_angle.any())
    made = _without_crossings(region, sheets, bounds, None if frees else result, target)
    result, notes = made.result, made.notes
    progress("comparing", 0.9)
    unmet = [f"{fault} after coarsening" for fault in worse(made.written, as_held(mesh, target))]
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
        count = made.surface.n_elements
        steps.append(Step("bound", count, result.gap, "no point of either surface is farther"))
    if deviation is None:
        far = missed(surface, made.surface)
        most = max(_STANDS_OUT * float(np.sqrt(np.mean(far.distance**2))), _SEEN * surface.diagonal)
        notes += far.note(most, f"{most:.3g}, which stands out")
        del far, sheets, result  # room for the comparison
        loss = measure_loss(mesh, made.mesh, None)
        unmet += vanished_pieces(mesh, made.mesh)
    else:
        loss = measure_loss(mesh, made.mesh, deviation)
    step, poor = judged(made.mesh, made.mesh.triangulation.element[changed_triangles(mesh, made.mesh)[1]], held)
    progress("done", 1.0)
    return made.mesh, Outcome((*steps, step), tuple(notes), (*unmet, *poor)).with_loss(loss)


def _of_shape(mesh: Mesh, sheets: Sheets, goal: int) -> Bounds:
    """What keeps the shape where only a number is given."""
    middle = np.mean(mesh.box, axis=0)

    def measured(corners: Array) -> Array:
        return np.column_stack([areas(corners), cone_volumes(corners, middle)])

    area, volume = in_runs(measured, mesh.nodes, mesh.triangulation.triangles).sum(axis=0).tolist()
    spare = _OPEN_MEAN * mesh.diagonal * area
    if (sheets.twin >= 0).all():  # closed
        spare = min(_MEAN * mesh.diagonal * area, _SWEPT * abs(volume))
    return Bounds(goal, shape=_SHAPE * mesh.diagonal, spare=spare)


class _Made(NamedTuple):
    """What came of it: the new surface alone, in the whole mesh, and as the target holds that; what is to be said."""

    result: Coarse
    surface: Mesh
    mesh: Mesh
    written: Mesh
    notes: list[str]


def _without_crossings(
    region: Region, sheets: Sheets, bounds: Bounds, result: Coarse | None, target: str | None
) -> _Made:
    """Coarsened; what came to cross is kept nearer to what it was, or as it was, as far as that helps.

    ``result`` is what came of it first; without, creases of angle alone are let go.
    """
    frees = result is None
    most = np.full(len(sheets.point), bounds.shape)
    best: tuple[int, _Made] | None = None
    for number in range(_AGAIN + 1):
        if number or result is None:
            result = coarsen_sheets(sheets, bounds, most, frees=frees)
        surface, notes = assembled(region.surface, result.surface, region.keeps_ids)
        mesh = region.put_back(surface)
        written = as_held(mesh, target)
        bad = written.unsound_triangles
        if best is None or len(bad) < best[0]:
            best = len(bad), _Made(result, surface, mesh, written, notes)
        if not len(bad):
            break
        beneath = np.isin(result.into, result.corners[_own_rows(region, mesh, len(surface.elements["tri"]), bad)])
        nearer = _NEARER * result.error[result.into] if number + 1 < _AGAIN else np.zeros(len(most))
        most[beneath] = np.minimum(most, nearer)[beneath]
    assert best is not None
    return best[1]


def _own_rows(region: Region, mesh: Mesh, count: int, rows: Array) -> Array:
    """Which of the ``count`` new triangles are among rows of the triangulation; they are the last of their kind."""
    rows = np.unique(rows)
    if region.elements is None:
        return rows
    own = mesh.triangulation.element[rows] - (len(mesh.elements["tri"]) - count)
    return own[(own >= 0) & (own < count)]
