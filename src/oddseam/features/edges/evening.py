"""Ragged chains led along shorter ways: saw teeth are evened out.

A chain is ragged where it turns sharply to and fro.  From before such a place to behind it, the shortest way
along edges of the mesh takes its place, if that stays near and is a good deal shorter; a smooth curve, however
strongly it bends, has no such places and stays.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.features.patches.curves import neighbours_along
from oddseam.model import Mesh
from oddseam.model.shape import CREASE_KINDS

_ANGLE = CREASE_KINDS.index("angle")
#: A chain that turns by more degrees, one way and then the other, goes to and fro.
_TURN = 30.0
#: Turns belong together if so many edges at most lie between them.
_BETWEEN = 3
#: The new way must be shorter by this share at least, and so many mean edges of the old at most away from it.
_SHORTER, _REACH = 0.04, 2.0


@dataclass(frozen=True, eq=False)
class Evened:
    """Edges and kinds after teeth were evened out, how many runs of teeth were, and a node of each that stays."""

    edges: Array
    kind: Array
    count: int
    left: list[int]


def evened(mesh: Mesh, edges: Array, kind: Array) -> Evened:
    """Lead ragged chains along shorter ways; edges that are creases by angle stay."""
    start, to = neighbours_along(mesh.connectivity.edges, mesh.n_nodes)
    kinds = dict(zip(map(tuple, edges.tolist()), kind.tolist(), strict=True))
    beside: dict[int, set[int]] = {}
    for a, b in kinds:
        beside.setdefault(a, set()).add(b)
        beside.setdefault(b, set()).add(a)
    count, left = 0, []
    for chain in _chains(beside):
        for run in _ragged_runs(mesh.nodes, chain):
            if any(kinds.get(_key(a, b), _ANGLE) == _ANGLE for a, b in zip(run[:-1], run[1:], strict=True)):
                continue  # what turns is an edge of the part, or was led elsewhere
            way = _shortest(mesh.nodes, start, to, run, beside)
            old, new = (float(np.linalg.norm(np.diff(mesh.nodes[its], axis=0), axis=1).sum()) for its in (run, way))
            if not way or new > (1.0 - _SHORTER) * old:
                left.append(run[len(run) // 2])
                continue
            its = max(kinds[_key(a, b)] for a, b in zip(run[:-1], run[1:], strict=True))
            for a, b in zip(run[:-1], run[1:], strict=True):
                del kinds[_key(a, b)]
                beside[a].discard(b)
                beside[b].discard(a)
            for a, b in zip(way[:-1], way[1:], strict=True):
                kinds[_key(a, b)] = its
                beside.setdefault(a, set()).add(b)
                beside.setdefault(b, set()).add(a)
            count += 1
    return Evened(np.array(list(kinds), np.int32).reshape(-1, 2), np.array(list(kinds.values()), np.int8), count, left)


def _key(a: int, b: int) -> tuple[int, int]:
    return (a, b) if a < b else (b, a)


def _chains(beside: dict[int, set[int]]) -> list[list[int]]:
    """Nodes of the chains between nodes where other than two edges meet; closed ones end where they begin."""
    done: set[tuple[int, int]] = set()
    ends = [node for node, others in beside.items() if len(others) != 2]
    found = []
    for begin in [*ends, *beside]:
        for other in sorted(beside[begin]):
            if _key(begin, other) in done:
                continue
            chain = [begin, other]
            done.add(_key(begin, other))
            while len(beside[chain[-1]]) == 2 and chain[-1] != begin:
                (ahead,) = beside[chain[-1]] - {chain[-2]}
                if _key(chain[-1], ahead) in done:
                    break
                done.add(_key(chain[-1], ahead))
                chain.append(ahead)
            found.append(chain)
    return found


def _ragged_runs(nodes: Array, chain: list[int]) -> list[list[int]]:
    """Pieces of a chain that go to and fro, each from a node before the first turn to one behind the last."""
    if len(chain) < 3:
        return []
    is_closed = chain[0] == chain[-1]
    step = np.diff(nodes[chain], axis=0)
    if is_closed:
        step = np.concatenate([step, step[:1]])
    length = np.maximum(np.linalg.norm(step, axis=1, keepdims=True), 1e-300)
    step = step / length
    # turns at the inner nodes, and whether each is to the other side than the one before
    turn = np.cross(step[:-1], step[1:])
    angle = np.degrees(np.arctan2(np.linalg.norm(turn, axis=1), (step[:-1] * step[1:]).sum(axis=1)))
    sharp = np.flatnonzero(angle > _TURN)
    runs: list[list[int]] = []
    group: list[int] = []
    for k in [*sharp.tolist(), len(chain) + _BETWEEN + 1]:
        if group and k - group[-1] > _BETWEEN:
            to_and_fro = sum(float(turn[a] @ turn[b]) < 0 for a, b in zip(group[:-1], group[1:], strict=True))
            if to_and_fro >= 1:
                first, last = max(group[0], 0), min(group[-1] + 2, len(chain) - 1)
                runs.append(chain[first : last + 1])
            group = []
        group.append(k)
    return runs


def _shortest(nodes: Array, start: Array, to: Array, run: list[int], beside: dict[int, set[int]]) -> list[int]:
    """The shortest way along edges from the first to the last of some nodes, near them and past no other crease."""
    if run[0] == run[-1]:
        return []
    points = nodes[run]
    reach = _REACH * float(np.linalg.norm(np.diff(points, axis=0), axis=1).mean())
    own, begin, end = set(run), run[0], run[-1]
    best, last = {begin: 0.0}, {begin: -1}
    heap = [(0.0, begin)]
    while heap:
        length, at = heapq.heappop(heap)
        if at == end:
            way = [end]
            while last[way[-1]] >= 0:
                way.append(last[way[-1]])
            return way[::-1]
        if length > best[at]:
            continue
        for other in to[start[at] : start[at + 1]].tolist():
            if other not in own and (beside.get(other) or np.linalg.norm(points - nodes[other], axis=1).min() > reach):
                continue
            reached = length + float(np.linalg.norm(nodes[other] - nodes[at]))
            if reached < best.get(other, np.inf):
                best[other], last[other] = reached, at
                heapq.heappush(heap, (reached, other))
    return []
