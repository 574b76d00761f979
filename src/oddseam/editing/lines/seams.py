"""Two runs of free edges that are to be joined: two rims, or what of them is near to each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, Point, point_text
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.inputs import PointLike
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim


@dataclass(frozen=True, eq=False)
class Seam:
    """What is to be joined.

    Attributes
    ----------
    chains : list of int arrays
        Nodes of both sides, each in the order of its own rim, so that they run against each other.
    elements : int array
        For the nodes of the first side, an element that has each.
    closed : bool
        Whether both go all round.
    most : float
        How far apart they may be.
    place : (x, y, z)
        The middle of the first.
    notes : tuple of str
        What is left open.
    """

    chains: list[Array]
    elements: Array
    closed: bool
    most: float
    place: Point
    notes: tuple[str, ...]


def seam_between(mesh: Mesh, one: PointLike, two: PointLike | None, within: float | None) -> Seam:
    """The rims nearest to two points, all round, or where they are near to each other.

    Raises
    ------
    Refusal
        If there are not two, or they are nowhere near.
    """
    rims = mesh.connectivity.rims
    if len(rims) < 2:
        raise Refusal(f"the mesh has {len(rims)} rim(s); two are needed")
    first = int(np.argmin(_farthest(mesh, rims, np.array([one], float))))
    away = _farthest(mesh, rims, mesh.nodes[rims[first].nodes] if two is None else np.array([two], float))
    if two is None:
        away[first] = np.inf
        if within is not None and away.min() > within:  # only a part of it can be near
            away = _farthest(mesh, rims, np.array([one], float))
            away[first] = np.inf
    second = int(np.argmin(away))
    if first == second:
        raise Refusal("both points are nearest to the same rim (`mend` sews the sides of a crack)")
    a, b = rims[first], rims[second]
    chains = [a.nodes.astype(np.int64), b.nodes.astype(np.int64)]
    elements = mesh.faces.element[mesh.connectivity.face[a.corners]]
    elements = np.append(elements, elements[-1:]) if not a.closed else elements
    middle = point_of(mesh.nodes[chains[0]].mean(axis=0))
    extent = min(float(np.linalg.norm(np.ptp(mesh.nodes[chain], axis=0))) for chain in chains)
    most = 0.5 * extent if within is None else float(within)
    p, q = (mesh.nodes[chain] for chain in chains)
    gaps = [_distance(p, q, b.closed), _distance(q, p, a.closed)]
    if max(float(its.max()) for its in gaps) <= most and a.closed == b.closed:
        return Seam(chains, elements, a.closed, most, middle, ())
    if within is None:
        if a.closed and b.closed:
            return Seam(chains, elements, True, most, middle, ())
        raise Refusal("one rim goes on where the other has ended; say `distance` to join them where they are near")
    k = int(np.argmin(np.linalg.norm(mesh.nodes[chains[0]] - np.array(one), axis=1)))
    if gaps[0][k] > most:
        k = int(np.argmin(gaps[0]))
    if gaps[0][k] > most:
        raise Refusal(
            f"the rims are {gaps[0][k]:.4g} apart at {point_text(p[k])}, where they are nearest, more than {most:.4g}"
        )
    its = run_near(gaps[0] <= most, k, a.closed)
    run = chains[0][its]
    back = _distance(mesh.nodes[chains[1]], mesh.nodes[run], False)
    m = int(np.argmin(np.linalg.norm(mesh.nodes[chains[1]] - mesh.nodes[chains[0][k]], axis=1)))
    across = chains[1][run_near(back <= most, m, b.closed)]
    if len(run) < 2 or len(across) < 2:
        raise Refusal(
            f"only one node of a rim is nearer than {most:.4g} to the other at {point_text(mesh.nodes[run[0]])}"
        )
    start, stop, over = _trimmed(mesh.nodes, run, across)
    run, its = run[start:stop], its[start:stop]
    left = len(chains[0]) - len(run), len(chains[1]) - len(over)
    note = (
        f"sewn where they are nearer than {most:.4g}: {left[0]} and {left[1]} nodes of the rims are left as they were"
    )
    return Seam([run, over], elements[its], False, most, point_of(mesh.nodes[run].mean(axis=0)), (note,))


def _farthest(mesh: Mesh, rims: list[Rim], places: Array) -> Array:
    """(r,) how far the farthest of some places is from the nodes of each rim."""
    away = []
    for rim in rims:
        found, _ = BoxTree(np.repeat(mesh.nodes[rim.nodes][:, None], 3, axis=1)).closest(places)
        away.append(float(np.linalg.norm(found - places, axis=1).max()))
    return np.array(away)


def _distance(points: Array, chain: Array, closed: bool) -> Array:
    """(k,) how far points are from a line through others."""
    ahead = np.roll(chain, -1, axis=0) if closed else chain[1:]
    start = chain if closed else chain[:-1]
    found, _ = BoxTree(np.stack([start, ahead, ahead], axis=1)).closest(points)
    return np.asarray(np.linalg.norm(found - points, axis=1))


def run_near(near: Array, k: int, closed: bool) -> Array:
    """Places in a row about the k-th that are near."""
    n = len(near)
    before, after = 0, 0
    while before + after < n - 1 and (closed or k - before > 0) and near[(k - before - 1) % n]:
        before += 1
    while before + after < n - 1 and (closed or k + after < n - 1) and near[(k + after + 1) % n]:
        after += 1
    return np.arange(k - before, k + after + 1) % n


def _trimmed(points: Array, one: Array, two: Array) -> tuple[int, int, Array]:
    """Where the first run begins and ends, and the second, without nodes beyond the end of the other.

    They run against each other: the first of one lies across the last of the other.
    """
    start, stop, first, last = 0, len(one), 0, len(two)

    def gap(i: int, j: int) -> float:
        return float(np.linalg.norm(points[one[i]] - points[two[j]]))

    while stop - start > 2 and gap(start + 1, last - 1) < gap(start, last - 1):
        start += 1
    while last - first > 2 and gap(start, last - 2) < gap(start, last - 1):
        last -= 1
    while stop - start > 2 and gap(stop - 2, first) < gap(stop - 1, first):
        stop -= 1
    while last - first > 2 and gap(stop - 1, first + 1) < gap(stop - 1, first):
        first += 1
    return start, stop, two[first:last]
