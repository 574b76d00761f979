"""Mend: from a torn facet surface to one that is proven closed, manifold and oriented."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from oddseam.accounts import Outcome, recorded
from oddseam.arrays import Array, IdIndex
from oddseam.formats import as_held
from oddseam.mending.advice import advice
from oddseam.mending.checks import is_worse, other_space, remaining_faults
from oddseam.mending.contacts.overlaps import MOST_PAIRS
from oddseam.mending.settings import Asked, Close, Overlaps, Settings, Trim, settings_of
from oddseam.mending.stages import Work
from oddseam.model import Mesh
from oddseam.model.editing import as_it_was
from oddseam.model.loss import measure_loss
from oddseam.progress import Progress, silent


@recorded()
def mend(
    mesh: Mesh,
    *,
    close: Close | float = "small",
    gap: float | None = None,
    keep_joints: bool | None = None,
    overlaps: Overlaps | None = None,
    trim: Trim | None = None,
    crumbs: float | None = None,
    fins: float | None = None,
    deviation: float | None = None,
    target: str | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Mend a surface: join, sew, fill, turn and unite it, and prove it.

    Nodes that coincide along rims are joined, duplicate and degenerate facets dropped without
    tearing, cracks sewn together, fins and inner walls dropped, surfaces that only touch parted;
    crumbs are dropped, neighbours are made to agree, closed pieces and open ones that enclose space to look outward,
    and small rims are filled with well-shaped facets.  Only nodes beside a crack move, and those of open pieces that
    barely go through what they abut on, no farther than ``gap``; for a target of single precision, all nodes are
    rounded to it first.

    Parameters
    ----------
    mesh : Mesh
    close : {"small", "all", "none"} or float
        Which rims to fill: those up to 5 % of the diagonal, none, or those up to a diameter; larger ones are left and
        listed.  ``"all"`` says that this is one solid: every rim is spanned, all pieces are made one, and what lies
        within goes; what was spanned is listed by width and place.
    gap : float, optional
        Widest gap between two rims that is sewn together as a crack, a ten-thousandth of the
        diagonal by default (more only where the coordinates are coarser); 0 to sew nothing.  A
        wider gap that tapers to its ends is filled, up to three times that.
    keep_joints : bool, optional
        Whether edges with three facets and nodes that coincide are meant, as in a shell model:
        then nothing is joined, sewn or parted.  By default they are in a solver deck, and not
        elsewhere.
    overlaps : {"union", "imprint", "keep"}, optional
        What becomes of facets that cross: one surface round all that is solid (open sheets have no inside: they stay as
        they are, and are listed where they cross); all facets stay and share nodes and edges; or they are left.
        Left in a solver deck by default, made one elsewhere.
    trim : {"inside", "outside"}, optional
        Of open sheets that a solid cuts, the side to be cut off: what sticks into the solid, or what hangs
        outside; by default neither.  With ``overlaps="union"`` only.
    crumbs : float, optional
        Floating pieces smaller than this are dropped; 0 keeps all.  By default half a percent of the diagonal, if the
        others enclose space and these are next to nothing beside them.
    fins : float, optional
        How far fins, folds and walls of zero thickness may stand off what stays, as they go; half a percent of the
        diagonal by default.  Others go too, but that is unmet (``keep_joints`` keeps them).
    deviation : float, optional
        How far any of what was given may be from the result, except for crumbs, fins, and what lies within the solid; a
        thousandth of the diagonal by default.  What is farther is unmet.
    target : str, optional
        Format that the result is meant for, such as ``"stl"``: the proof is made on the
        coordinates as that format holds them.
    progress : callable, optional

    Returns
    -------
    Mesh
        The account's last entry says in ``outcome.unmet`` what is left and where; it is empty
        only if the result is proven closed where that was asked, manifold, oriented and free of
        crossings, and nothing was lost.

    Notes
    -----
    O(n log n), and a time that grows with the number of pairs of facets that cross.  What would end with more faults
    than were given is done without resolving crossings, and not at all if that does not help.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> shut = oddseam.mend(tent, close="all")
    >>> oddseam.prove(shut).is_closed, round(oddseam.prove(shut).volume, 6)
    (True, 1.333333)
    """
    said = Asked(close, gap, keep_joints, overlaps, trim, crumbs, fins, deviation, target)
    asked = settings_of(mesh, said)
    crossing = len(mesh.crossing_triangles) if asked.one_solid else 0
    if crossing > MOST_PAIRS:
        asked = settings_of(mesh, said._replace(close="small"))
    work = Work(mesh, asked, progress)
    work.run()
    if crossing > MOST_PAIRS:
        reason = f"{crossing:,} pairs of facets cross, and {MOST_PAIRS:,} at most are cut at once"
        work.unmet.insert(0, f"this was not made one solid: {reason}; only small rims were filled")
    if is_worse(as_held(work.mesh, target), as_held(mesh, target), asked.overlaps == "imprint"):
        work = _instead(mesh, asked, progress)
    if not asked.keep_joints and work.mesh is not mesh:
        work.unmet += other_space(mesh, work.oriented, work.mesh)
    work.unmet[:0] = advice(mesh, work.mesh, asked, work.unmet, _mended)
    progress("measuring what was lost", 0.95)
    outcome = Outcome(tuple(work.steps), tuple(work.notes), tuple(work.unmet))
    gone, loose = (_rows(mesh, ids) for ids in (work.asked_to_go, work.loose))
    loss = measure_loss(mesh, work.mesh, asked.tolerance, gone, (loose, asked.fins))
    progress("done", 1.0)
    return as_it_was(mesh, work.mesh), outcome.with_loss(loss)


def _rows(mesh: Mesh, ids: Array) -> Array:
    """Elements by their ids, those that are there."""
    row, missing = IdIndex(mesh.element_ids).of(ids)
    return np.asarray(row[~missing])


def _instead(mesh: Mesh, asked: Settings, progress: Progress) -> Work:
    """The mesh mended without resolving crossings, or as it was, where that is better."""
    if asked.overlaps != "keep":
        work = Work(mesh, replace(asked, overlaps="keep", one_solid=False), progress)
        work.run()
        work.unmet.insert(
            0, "crossings were left as they were: resolved, the result had more faults than it had before"
        )
        if not is_worse(as_held(work.mesh, asked.target), as_held(mesh, asked.target), False):
            return work
    work = Work(mesh, asked, progress)
    work.unmet = ["nothing was changed: mended, it had more faults than before"]
    work.unmet += remaining_faults(as_held(mesh, asked.target), asked.keep_joints)
    return work


def _mended(mesh: Mesh, asked: Settings) -> Mesh | None:
    """The mesh mended, without a word; ``None`` if that encloses another space."""
    work = Work(mesh, asked, silent)
    work.run()
    return None if other_space(mesh, work.oriented, work.mesh) else work.mesh
