"""Borders of a mesh sewn together node for node, or joined by a strip of elements."""

from __future__ import annotations

from typing import Literal

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.editing.lines.seams import Seam, seam_between
from oddseam.editing.lines.strip import bridged
from oddseam.editing.zones.acceptance import is_within_limits, said, share, worst_of
from oddseam.errors import Refusal
from oddseam.features.edges.strips import Fold, folded, laid, onto_nodes, paired
from oddseam.features.patches.small import Small
from oddseam.findings.judged.judging import judge_touched
from oddseam.geometry.tolerances import SNAP
from oddseam.inputs import PointLike, check_share
from oddseam.model import Mesh
from oddseam.model.loss import changed_shape
from oddseam.model.origins import new_elements
from oddseam.model.prove import worse
from oddseam.model.rings import grown, having
from oddseam.progress import Progress, silent
from oddseam.remeshing.local.around import like_around
from oddseam.remeshing.local.merging import merge

#: Strips that are wider than this, over the length of edges, are meshed like what is round them.
_WIDE = 1.5
#: Rings of elements that are meshed anew where a side goes to one that stays, tried in turn.
_RINGS = (1, 2, 4)
#: Which side of a seam goes to the other; with none a strip of elements closes the gap.
Moves = Literal["both", "one", "two", "none"]


@recorded(loss=changed_shape, judge=judge_touched)
def stitch(
    mesh: Mesh,
    *,
    one: PointLike,
    two: PointLike | None = None,
    distance: float | None = None,
    moves: Moves = "both",
    snap: float | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Sew two rims together, or close the gap between them with a strip.

    They are sewn node for node, all round or where they are near.

    Where the numbers of nodes differ, edges of either side are split.

    Parameters
    ----------
    mesh : Mesh
    one : (x, y, z)
        The rim with the node nearest to this point.
    two : (x, y, z), optional
        The other one likewise; without, the rim whose nodes are nearest to the first one's.
    distance : float, optional
        No two places that become one, or that a strip joins, are farther apart, and no node goes farther.  Rims that
        are farther apart elsewhere are sewn along the run nearest to ``one``.  Without, half of the shorter rim's
        extent, all round.
    moves : str
        ``"both"`` meet in the middle, and where edges are split elements round them are meshed anew; or rim ``"one"``
        or ``"two"`` goes to the other, whose nodes and elements stay to the last bit: its own nodes end at those of the
        other, its edges are split where that has more, and elements on its side are meshed anew where they are poor;
        or ``"none"`` moves, and a strip of new elements joins them.
    snap : float, optional
        A node this near to one across, over the length of edges there, becomes one with it, else the edge across is
        split; 0.15 by default.
    progress : callable, optional

    Returns
    -------
    Mesh
        Elements that do not touch the rims keep ids, nodes and every bit; a strip wider than elements are long is
        meshed like these, with two rings on either side.

    Raises
    ------
    Refusal
        If both points are nearest to the same rim, the rims are too far apart, or sewing them would make facets cross
        or turn over.

    Notes
    -----
    The rims are laid on each other place by place; about O(k) in their nodes.  A strip takes the shorter diagonal at
    every step (after H. Fuchs, Z. M. Kedem and S. P. Uselton 1977, Optimal surface reconstruction from planar
    contours).

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> turn = np.arange(12) * np.pi / 6
    >>> ring = np.column_stack([np.cos(turn), np.sin(turn), 0 * turn])
    >>> k, a = np.arange(12), (np.arange(12) + 1) % 12
    >>> wall = np.concatenate([np.column_stack([k, a, a + 12]), np.column_stack([k, a + 12, k + 12])])
    >>> low = oddseam.Mesh.from_triangles(np.concatenate([ring, ring + (0, 0, 1)]), wall, unit="mm")
    >>> both = oddseam.combine(low, other=low.replaced(nodes=low.nodes + (0, 0, 1.05)))
    >>> pipe = oddseam.stitch(both, one=(1, 0, 1), two=(1, 0, 1.05))
    >>> pipe.n_nodes, oddseam.prove(pipe).rims
    (36, 2)
    >>> oddseam.stitch(both, one=(1, 0, 1), two=(1, 0, 1.05), moves="none").counts
    {'nodes': 48, 'tri': 72}
    """
    snap = SNAP if snap is None else snap
    check_share("snap", snap)
    seam = seam_between(mesh, one, two, distance)
    new, done = _with_strip(mesh, seam) if moves == "none" else _sewn(mesh, seam, moves, snap)
    return new, Outcome(done, seam.notes)


def _sewn(mesh: Mesh, seam: Seam, moves: Moves, snap: float) -> tuple[Mesh, tuple[Step, ...]]:
    """The mesh with both sides as one."""
    fold = _fold(mesh, seam, snap)
    if fold is not None and moves != "both":
        fold = onto_nodes(mesh.nodes, fold, 1 if moves == "one" else 0)
        if fold.width > seam.most:
            raise Refusal(
                f"a node of the rims at {point_text(seam.place)} would go {fold.width:.4g} to the nearest node of the "
                f"side that stays, more than {seam.most:.4g}: let the other move, or both, or allow a larger `distance`"
            )
    at = point_text(seam.place)
    if fold is None:
        gap = max(float(_gap(mesh.nodes[a], mesh.nodes[b])) for a, b in (seam.chains, seam.chains[::-1]))
        raise Refusal(f"the rims at {at} are {gap:.4g} apart somewhere, more than {seam.most:.4g}; say `distance`")
    thing = Small("seam", fold.width, fold.length, seam.place, "", np.unique(fold.ends), fold)
    one, two = seam.chains
    stays = {"both": np.zeros(0, np.int64), "one": two, "two": one}[moves]
    made = merge(mesh, [thing], set(), seam.most, rims=True, stays=stays)
    if made.refused:
        raise Refusal(f"the rims at {at} cannot be sewn: {made.refused[0]}")
    faults = worse(made.mesh, mesh)
    if faults or len(made.turned):
        why = "; ".join(faults) or f"{len(made.turned)} elements would be turned over"
        raise Refusal(f"the rims at {at} cannot be sewn: {why}")
    new, more = _evened(made.mesh, mesh) if moves == "both" else _settled(made.mesh, mesh, seam, stays)
    beside = np.flatnonzero(having(mesh, np.isin(np.arange(mesh.n_nodes), np.concatenate(seam.chains))))
    ids = np.setdiff1d(new.element_ids, np.setdiff1d(mesh.element_ids, mesh.element_ids[beside]))
    before, after = worst_of(mesh, beside), worst_of(new, np.flatnonzero(np.isin(new.element_ids, ids)))
    return new, (
        Step("sew", len(fold.ends), made.move, f"places, up to {fold.width:.4g} apart", (seam.place,)),
        Step("compare", len(beside), 0.0, f"elements beside, worst: {said(before)}; now {said(after)}"),
        *((Step("split", more, 0.0, "elements, where one side had no node across, and round them"),) if more else ()),
    )


def _evened(new: Mesh, mesh: Mesh) -> tuple[Mesh, int]:
    """The mesh with elements that were split, and those round them, meshed anew where that makes them better."""
    split = new_elements(new, mesh)
    if not len(split):
        return new, 0
    like = like_around(new, split)
    if like is not None:
        again = new_elements(like, new)
        if share(worst_of(like, again)) > share(worst_of(new, split)) and not worse(like, new):
            return like, len(again)
    return new, len(split)


def _settled(new: Mesh, mesh: Mesh, seam: Seam, stays: Array) -> tuple[Mesh, int]:
    """The mesh with elements of the side that moved meshed anew, ring by ring, until they are within the limits."""
    held, went = np.zeros(mesh.n_nodes, bool), np.zeros(mesh.n_nodes, bool)
    held[np.concatenate(seam.chains)], held[stays] = True, False
    went[np.concatenate(seam.chains)] = True
    there = having(mesh, went & held)  # those of the side that moved
    fixed = having(mesh, went & ~held)
    fresh = new_elements(new, mesh)
    touched = np.union1d(np.flatnonzero(np.isin(new.element_ids, mesh.element_ids[there & ~fixed])), fresh)
    best, count = new, len(fresh)
    rank = (is_within_limits(new, touched), share(worst_of(new, touched)))
    for rings in _RINGS:
        if rank[0]:
            break
        around = grown(mesh, there, rings, ~fixed)
        among = ~np.isin(new.element_ids, mesh.element_ids[~around])
        like = like_around(new, touched, rings=rings, among=among)
        if like is None or worse(like, new):
            continue
        again = new_elements(like, mesh)
        its = (is_within_limits(like, again), share(worst_of(like, again)))
        if its > rank:
            best, rank, count = like, its, len(again)
    return best, count


def _fold(mesh: Mesh, seam: Seam, share: float) -> Fold | None:
    one, two = seam.chains
    steps = [np.linalg.norm(np.diff(mesh.nodes[chain], axis=0), axis=1).mean() for chain in (one, two)]
    snap = share * float(min(steps))
    if not seam.closed:
        return laid(mesh.nodes, one, two[::-1], seam.most, snap)
    fold = paired(mesh.nodes, one, two, seam.most) if len(one) == len(two) else None
    return fold or folded(mesh.nodes, [one, two], seam.most, snap=snap)


def _with_strip(mesh: Mesh, seam: Seam) -> tuple[Mesh, tuple[Step, ...]]:
    """The mesh with a strip between both sides."""
    new, width = bridged(mesh, seam)
    faults = worse(new, mesh)
    if faults:
        raise Refusal(f"a strip between the rims at {point_text(seam.place)} would have faults: {'; '.join(faults)}")
    count = new.n_elements - mesh.n_elements
    what = f"elements across the gap, up to {width:.4g} wide, worst: {said(worst_of(new, new_elements(new, mesh)))}"
    done = [Step("bridge", count, 0.0, what, (seam.place,))]
    size = float(np.mean([np.linalg.norm(np.diff(mesh.nodes[chain], axis=0), axis=1).mean() for chain in seam.chains]))
    if width > _WIDE * size:
        like = like_around(new, new_elements(new, mesh))
        if like is not None:
            new = like
            what = f"elements, with two rings on either side, worst: {said(worst_of(new, new_elements(new, mesh)))}"
            done.append(Step("mesh anew", len(new_elements(new, mesh)), 0.0, what))
    return new, tuple(done)


def _gap(one: Array, two: Array) -> float:
    """How far the farthest node of a loop is from the nodes of another."""
    return float(np.linalg.norm(one[:, None] - two[None], axis=2).min(axis=1).max())
