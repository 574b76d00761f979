"""Which patch of a new shape each patch has become, and where the change is more than one of shape.

By kind, direction, place and size, and by what lies beside them: an assignment of least cost (H. Kuhn 1955, The
Hungarian method for the assignment problem), whose costs are then raised where neighbours do not correspond.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.geometry.triangles import area_vectors
from oddseam.morphing.drives.network import Network, Signature
from oddseam.morphing.follows.skeleton import Skeleton

#: What a difference in kind, in direction, in place over the diagonal, in size, and in what lies beside costs.
_KIND, _DIRECTION, _PLACE, _SIZE, _BESIDE = 1.0, 1.0, 6.0, 0.3, 2.0
#: Rounds of raising the costs.
_ROUNDS = 4
#: Patches that differ so much are none that became each other.
_DEAREST = 6.0
#: What to do instead.
ADVICE = "a morph cannot do that; in shells `oddseam splice` or `cut` can, a solid has to be meshed anew"


def matched(old: Network, new: Network, picked: Array) -> dict[int, int]:
    """By old patch, of those picked (p,), the new one.

    Raises
    ------
    Refusal
        If patches or pieces appear, vanish, part or join; it names them and the place.
    """
    ours = np.flatnonzero(picked)
    is_whole = bool(picked.all())
    _check_pieces(old.skeleton, new.skeleton, is_whole)
    one, two = _Features(old.skeleton), _Features(new.skeleton)
    base = one.costs(two, max(old.skeleton.mesh.diagonal, new.skeleton.mesh.diagonal))[ours]
    pairs = _assigned(base, ours)
    for _ in range(_ROUNDS):
        raised = base + _BESIDE * _strangers(old, new, ours, pairs, base.shape)
        again = _assigned(raised, ours)
        if again == pairs:
            break
        pairs = again
    cost = {k: base[row, pairs[k]] for row, k in enumerate(ours.tolist()) if k in pairs}
    pairs = {k: to for k, to in pairs.items() if cost[k] <= _DEAREST}
    lost = [k for k in ours.tolist() if k not in pairs]
    come = sorted(set(range(len(new.skeleton.table))) - set(pairs.values())) if is_whole else []
    if lost or come:
        words = [f"{one.name(k)} has no counterpart in the new shape" for k in lost[:3]]
        words += [f"{two.name(k)} of the new shape is not there yet" for k in come[:3]]
        raise Refusal(f"the change is one of topology: {'; '.join(words)}; {ADVICE}")
    _check_neighbours(old, new, pairs, one, two)
    return pairs


class _Features:
    """What tells patches from each other."""

    def __init__(self, skeleton: Skeleton) -> None:
        self.skeleton = skeleton
        t = skeleton.surface.triangulation
        label = skeleton.label[t.element]
        corners = skeleton.surface.nodes[t.triangles]
        vectors = 0.5 * area_vectors(corners)
        size = np.linalg.norm(vectors, axis=1)
        count = len(skeleton.table)
        known = label >= 0
        self.area = np.bincount(label[known], size[known], minlength=count)
        weighted = corners.mean(axis=1) * size[:, None]
        total = np.column_stack([np.bincount(label[known], weighted[known, d], minlength=count) for d in range(3)])
        self.centre = total / np.maximum(self.area, 1e-300)[:, None]
        facing = np.column_stack([np.bincount(label[known], vectors[known, d], minlength=count) for d in range(3)])
        self.facing = facing / np.maximum(self.area, 1e-300)[:, None]
        arm = corners.mean(axis=1)[known] - self.centre[label[known]]
        length = np.linalg.norm(arm, axis=1)
        out = np.einsum("ij,ij->i", arm, vectors[known]) / np.where(length > 0, length, 1.0)
        self.bulge = np.bincount(label[known], out, minlength=count) / np.maximum(self.area, 1e-300)
        self.kind = [patch.kind for patch in skeleton.table]
        self.axis = np.array([patch.axis if patch.axis is not None else (0.0, 0.0, 0.0) for patch in skeleton.table])

    def name(self, k: int) -> str:
        """A patch and its place."""
        centre = np.where(np.abs(self.centre[k]) < 1e-9 * self.skeleton.mesh.diagonal, 0.0, self.centre[k])
        return f"{self.skeleton.table[k].name} about {point_text(centre)}"

    def costs(self, other: _Features, diagonal: float) -> Array:
        """(p, q) how much patches differ from those of another skeleton."""
        cost = _PLACE * np.linalg.norm(self.centre[:, None] - other.centre, axis=2) / diagonal
        cost += _SIZE * np.abs(np.log(np.maximum(self.area, 1e-300)[:, None] / np.maximum(other.area, 1e-300)))
        # what they look towards, in the mean, and whether away from their middle: sides of a plate, bores and pins
        cost += _DIRECTION * np.linalg.norm(self.facing[:, None] - other.facing, axis=2)
        cost += _DIRECTION * np.abs(self.bulge[:, None] - other.bulge)
        kinds = sorted({*self.kind, *other.kind})
        mine, its = (np.array([kinds.index(kind) for kind in kind_of]) for kind_of in (self.kind, other.kind))
        cost += _KIND * (mine[:, None] != its)
        along = np.abs(self.axis @ other.axis.T)
        both = np.asarray(self.axis.any(axis=1))[:, None] & other.axis.any(axis=1)
        cost += np.where(both & (mine[:, None] == its), _DIRECTION * (1.0 - along), 0.0)
        return np.asarray(cost)


def _assigned(cost: Array, ours: Array) -> dict[int, int]:
    from scipy.optimize import linear_sum_assignment

    rows, columns = linear_sum_assignment(cost)
    return dict(zip(ours[rows].tolist(), columns.tolist(), strict=True))


def _strangers(old: Network, new: Network, ours: Array, pairs: dict[int, int], shape: tuple[int, ...]) -> Array:
    """(p, q) share of the neighbours of two patches that do not correspond."""
    from scipy.sparse import csr_matrix

    def table(rows: list[set[int]]) -> csr_matrix:
        row = np.repeat(np.arange(len(rows)), [len(its) for its in rows])
        column = np.array([k for its in rows for k in its], np.int64)
        return csr_matrix((np.ones(len(row)), (row, column)), shape=(len(rows), shape[1]))

    mine = table([{pairs[k] for k in old.neighbours[patch] if k in pairs} for patch in ours.tolist()])
    its = table(new.neighbours)
    both = (mine @ its.T).toarray()
    either = mine.sum(axis=1) + its.sum(axis=1).T - both
    return np.asarray(np.where(either > 0, 1.0 - both / np.maximum(either, 1.0), 0.0))


def _check_pieces(old: Skeleton, new: Skeleton, is_whole: bool) -> None:
    """Refuse where pieces have come together or apart."""
    counts = [skeleton.surface.connectivity.n_pieces for skeleton in (old, new)]
    if is_whole and counts[0] != counts[1]:
        word = "join" if counts[1] < counts[0] else "part"
        raise Refusal(
            f"the change is one of topology: pieces {word}, {counts[0]:,} became {counts[1]:,}, such as that at "
            f"{point_text(_odd_piece(old, new))}; {ADVICE}"
        )


def _odd_piece(old: Skeleton, new: Skeleton) -> Array:
    """The middle of the piece that is farthest from any of the other shape."""
    middles = []
    for skeleton in (old, new):
        pieces = skeleton.surface.pieces
        middles.append(0.5 * (pieces.low + pieces.high))
    more, fewer = sorted(middles, key=len, reverse=True)
    away = np.linalg.norm(more[:, None] - fewer, axis=2).min(axis=1)
    return np.asarray(more[np.argmax(away)])


def _check_neighbours(old: Network, new: Network, pairs: dict[int, int], one: _Features, two: _Features) -> None:
    """Refuse where patches have come to touch, no longer do, or have got more or fewer borders."""
    for k, to in pairs.items():
        beside = {pairs[other] for other in old.neighbours[k] if other in pairs}
        its = {other for other in new.neighbours[to] if other in pairs.values()}
        if beside != its:
            other = min(beside ^ its)
            word = "touches" if other in its else "no longer touches"
            raise Refusal(
                f"the change is one of topology: {one.name(k)} {word} {two.name(other)} of the new shape; {ADVICE}"
            )
        if old.loops[k] != new.loops[to]:
            word = "a hole appears in" if new.loops[to] > old.loops[k] else "a hole closes in"
            raise Refusal(f"the change is one of topology: {word} {one.name(k)}; {ADVICE}")


def translated(signature: Signature, pairs: dict[int, int]) -> Signature | None:
    """The same patches of the new shape, or ``None`` where one of them has none."""
    if any(k not in pairs for k in signature if k >= 0):
        return None
    return tuple(sorted(pairs.get(k, k) for k in signature))
