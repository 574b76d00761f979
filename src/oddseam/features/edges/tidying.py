"""The network of creases tidied up: gaps closed, stubs and small loops dropped, teeth evened out."""

from __future__ import annotations

import heapq

import numpy as np

from oddseam.accounts import Outcome, Step
from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.features.edges.chains import anchored_nodes, creases_of
from oddseam.features.edges.evening import evened
from oddseam.features.patches.bounding import with_creases
from oddseam.features.patches.curves import chains_of, is_stub, neighbours_along
from oddseam.model import Creases, Mesh
from oddseam.model.shape import CREASE_KINDS

_DRAWN = CREASE_KINDS.index("drawn")
#: A way along edges may be so much longer than the gap that it closes.
_ROUND = 1.6
#: So many places are named.
_NAMED = 5


def tidied(mesh: Mesh, gaps: float, stubs: float, loops: float, even: bool) -> tuple[Mesh, Outcome]:
    """The mesh with gaps in creases closed, then without stubs and small loops, then with teeth evened out.

    Raises
    ------
    Refusal
        If the mesh has no creases, or a length is negative.
    """
    creases = creases_of(mesh)
    for name, value in (("gaps", gaps), ("stubs", stubs), ("loops", loops)):
        if value < 0:
            raise Refusal(f"{name} {value} is not a length")
    anchored = anchored_nodes(mesh)
    edges, kind = creases.edges, creases.kind
    steps = []
    if gaps > 0:
        more = _closed_gaps(mesh, edges, anchored, gaps)
        edges = np.concatenate([edges, more])
        kind = np.concatenate([kind, np.full(len(more), _DRAWN, np.int8)])
        steps.append(Step("close gaps", len(more), 0.0, "edges drawn"))
    if stubs > 0:
        gone = is_stub(mesh.nodes, edges, anchored, stubs)
        edges, kind = edges[~gone], kind[~gone]
        steps.append(Step("prune stubs", int(gone.sum()), 0.0, f"edges of chains in the open, below {stubs:g}"))
    if loops > 0:
        gone = _small_loops(mesh.nodes, edges, loops)
        edges, kind = edges[~gone], kind[~gone]
        steps.append(Step("drop loops", int(gone.sum()), 0.0, f"edges of closed chains, below {loops:g}"))
    notes = []
    if even:
        done = evened(mesh, edges, kind)
        edges, kind = done.edges, done.kind
        steps.append(Step("even out", done.count, 0.0, "ragged pieces of chains, led along shorter ways"))
        places = ", ".join(point_text(mesh.nodes[node]) for node in done.left[:_NAMED])
        if done.left:
            notes.append(f"{len(done.left):,} ragged piece(s) stay, for no edges lead straighter: at {places}")
    new = with_creases(mesh, Creases(edges, kind), creases)
    return new, Outcome(tuple(steps), tuple(notes), ())


def _closed_gaps(mesh: Mesh, edges: Array, anchored: Array, most: float) -> Array:
    """(k, 2) edges of the mesh that lead from ends in the open to the nearest creases."""
    c, n = mesh.connectivity, mesh.n_nodes
    start, to = neighbours_along(c.edges, n)
    degree = np.bincount(edges.ravel(), minlength=n)
    is_target = (degree > 0) | anchored
    neighbours: dict[int, list[int]] = {}
    for a, b in edges.tolist():
        neighbours.setdefault(a, []).append(b)
        neighbours.setdefault(b, []).append(a)
    found = []
    for begin in np.flatnonzero((degree == 1) & ~anchored).tolist():
        if len(neighbours[begin]) != 1:
            continue  # the way from another end has come here
        near = _along_chain(mesh.nodes, neighbours, begin, 2.0 * _ROUND * most)
        path = _way(mesh.nodes, start, to, begin, is_target, near, most)
        for a, b in zip(path[:-1], path[1:], strict=True):
            found.append((min(a, b), max(a, b)))
            neighbours.setdefault(a, []).append(b)
            neighbours.setdefault(b, []).append(a)
            is_target[[a, b]] = True
    return np.unique(np.array(found, np.int32).reshape(-1, 2), axis=0)


def _along_chain(nodes: Array, neighbours: dict[int, list[int]], begin: int, most: float) -> dict[int, float]:
    """How far nodes are from an end along its own chain, up to a length."""
    far, at, last = {begin: 0.0}, begin, -1
    while True:
        ahead = [other for other in neighbours[at] if other != last]
        if len(ahead) != 1 or ahead[0] in far:
            return far
        step = far[at] + float(np.linalg.norm(nodes[ahead[0]] - nodes[at]))
        if step > most:
            return far
        last, at = at, ahead[0]
        far[at] = step


def _way(
    nodes: Array, start: Array, to: Array, begin: int, is_target: Array, near: dict[int, float], most: float
) -> list[int]:
    """The shortest way along edges to a target within reach; not back to the chain it comes from by a detour."""
    best, last = {begin: 0.0}, {begin: -1}
    heap = [(0.0, begin)]
    while heap:
        length, at = heapq.heappop(heap)
        if length > best[at]:
            continue
        # going to its own chain makes sense only where that closes a loop far longer than the way
        if at != begin and is_target[at] and not near.get(at, np.inf) < 3.0 * length:
            if float(np.linalg.norm(nodes[at] - nodes[begin])) > most:
                continue
            path = [at]
            while last[path[-1]] >= 0:
                path.append(last[path[-1]])
            return path[::-1]
        for other in to[start[at] : start[at + 1]].tolist():
            step = length + float(np.linalg.norm(nodes[other] - nodes[at]))
            if step <= _ROUND * most and step < best.get(other, np.inf) and other not in (last[at], begin):
                best[other], last[other] = step, at
                heapq.heappush(heap, (step, other))
    return []


def _small_loops(nodes: Array, edges: Array, most: float) -> Array:
    """(e,) bool: edges of closed chains that are shorter."""
    degree = np.bincount(edges.ravel(), minlength=len(nodes))
    chain = chains_of(edges, degree != 2)
    total = np.bincount(chain, np.linalg.norm(np.diff(nodes[edges], axis=1)[:, 0], axis=1))
    # a closed chain has all its nodes twice
    key = np.sort((chain[:, None].astype(np.int64) * len(nodes) + edges).ravel())
    once = np.ones(len(key), bool)
    once[1:] &= key[1:] != key[:-1]
    once[:-1] &= key[1:] != key[:-1]
    is_open = np.zeros(len(total), bool)
    is_open[key[once] // len(nodes)] = True
    return np.asarray((~is_open & (total < most))[chain])
