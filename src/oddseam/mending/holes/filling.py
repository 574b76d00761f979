"""Filling rims: which go together, with what shape, and what a fill must not do.

A hole in curved surroundings is filled to go on with their curvature; at a crease, and where that
would cross something, the fill is as flat as its border lets it be.  A fill that still crosses the
rest is left out.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array, listed, point_text
from oddseam.mending.holes.bending import bent, is_in_smooth_surroundings
from oddseam.mending.holes.hole import Hole, Patch, cover
from oddseam.mending.holes.islands import islands_of
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.editing import Added, edited
from oddseam.model.origins import new_elements

#: Of more rims than so many at once, and of those of more edges, the fills get no nodes of their own, which takes most
#: of the time.
_MOST_REFINED, _LONGEST_REFINED = 3_000, 3_000


@dataclass
class Filled:
    """What happened to the rims.

    Attributes
    ----------
    rims : int
        How many were filled.
    facets : int
        With how many facets.
    curved : int
        How many of the fills follow the curvature round them.
    plain : int
        How many were filled without new nodes, for they are too many, or too long.
    islands : list of Rim
        Rims that no one asked for, but which lay within one that was filled.
    left : list of (Rim, str)
        Those that were not filled, and why.
    crossing : list of (Rim, str)
        Those whose fills cross others, and which, where they may.
    """

    rims: int = 0
    facets: int = 0
    curved: int = 0
    plain: int = 0
    islands: list[Rim] = field(default_factory=list)
    left: list[tuple[Rim, str]] = field(default_factory=list)
    crossing: list[tuple[Rim, str]] = field(default_factory=list)

    @property
    def text(self) -> str:
        """How they were filled, in words."""
        more = [f"{self.curved:,} with the curvature round them"] * (self.curved > 0)
        more += [f"{self.plain:,} without nodes of their own, for they are many, or long"] * (self.plain > 0)
        more += [f"round {len(self.islands):,} island(s)"] * bool(self.islands)
        return ", ".join([f"with {self.facets:,} facets", *more])


@dataclass(frozen=True, eq=False)
class _Fill:
    """The patches over one rim: each flat, and perhaps curved, and an element that each facet is like."""

    rim: Rim
    holes: list[Hole]
    flat: list[Patch]
    curved: list[Patch]
    like: list[Array]


def fill_rims(mesh: Mesh, rims: list[Rim], *, may_cross: bool = False, flat: bool = False) -> tuple[Mesh, Filled]:
    """Fill the rims of a consistently oriented mesh; a fill that would cross the rest is left out.

    ``may_cross`` makes it all the same, for whoever resolves crossings afterwards; with ``flat`` none follows the
    curvature round it.
    """
    report = Filled()
    within = islands_of(mesh, rims)
    inside = {id(island) for islands in within.values() for island in islands}
    fills: list[_Fill] = []
    are_many = len(rims) > _MOST_REFINED
    for number, rim in enumerate(rims):
        if id(rim) in inside:
            continue
        is_plain = are_many or len(rim.nodes) > _LONGEST_REFINED
        fill, reason = _prepared(mesh, rim, within.get(number, []), flat, is_plain)
        if fill is None:
            report.left.append((rim, reason))
        else:
            fills.append(fill)
            report.plain += is_plain
            report.islands += within.get(number, [])
    curved = [fill.curved is not fill.flat for fill in fills]
    filled = _with_fills(mesh, fills, curved)
    wrong = _crossing(mesh, filled, fills, curved)
    if any(curved[k] for k in wrong):
        curved = [is_curved and k not in wrong for k, is_curved in enumerate(curved)]
        filled = _with_fills(mesh, fills, curved)
        wrong = _crossing(mesh, filled, fills, curved)
    if may_cross:
        report.crossing = [(fills[k].rim, what) for k, what in sorted(wrong.items())]
    elif wrong:
        report.left += [(fills[k].rim, f"its fill would cross {what}") for k, what in sorted(wrong.items())]
        keep = [k for k in range(len(fills)) if k not in wrong]
        fills, curved = [fills[k] for k in keep], [curved[k] for k in keep]
        filled = _with_fills(mesh, fills, curved)
    report.rims, report.curved = len(fills), sum(curved)
    report.facets = filled.n_elements - mesh.n_elements
    return filled, report


def _prepared(mesh: Mesh, rim: Rim, islands: list[Rim], is_flat: bool, is_plain: bool) -> tuple[_Fill | None, str]:
    if not all(one.closed and _runs_along(mesh, one) for one in (rim, *islands)):
        return None, "it is not a plain loop of consistently oriented facets"
    holes = [Hole.along(nodes, corners) for nodes, corners in _simple_loops(rim)]
    for island in islands:
        holes[0] = holes[0].with_island(mesh.nodes, Hole.along(island.nodes, island.corners))
    flat, curved, like = [], [], []
    for hole in holes:
        patch, reason = cover(mesh, hole, is_plain)
        if patch is None:
            return None, reason
        flat.append(patch)
        follows = not is_flat and not is_plain and is_in_smooth_surroundings(mesh, hole, patch)
        curved.append(bent(mesh, hole, patch) if follows else patch)
        every = hole.corner[hole.corner >= 0]
        its = [_neighbour_in_main_part(mesh, corners if len(corners) else every) for corners in patch.sides]
        like.append(np.array(its)[patch.side])
    changed = any(one is not other for one, other in zip(flat, curved, strict=True))
    return _Fill(rim, holes, flat, curved if changed else flat, like), ""


def _with_fills(mesh: Mesh, fills: list[_Fill], curved: list[bool]) -> Mesh:
    """The mesh with the patches in place."""
    points: list[Array] = []
    triangles: list[Array] = []
    like: list[Array] = []
    n_nodes = mesh.n_nodes
    for fill, is_curved in zip(fills, curved, strict=True):
        for hole, patch, elements in zip(fill.holes, fill.curved if is_curved else fill.flat, fill.like, strict=True):
            index = np.concatenate([hole.border, n_nodes + np.arange(len(patch.points))])
            n_nodes += len(patch.points)
            points.append(patch.points)
            triangles.append(index[patch.triangles])
            like.append(elements)
    if not triangles:
        return mesh
    return edited(
        mesh, add=Added(nodes=np.concatenate(points), triangles=np.concatenate(triangles), like=np.concatenate(like))
    )


def _crossing(mesh: Mesh, filled: Mesh, fills: list[_Fill], curved: list[bool]) -> dict[int, str]:
    """Numbers of the fills that cross facets of the mesh, or the fill of an earlier one, or themselves; with what."""
    if filled is mesh:
        return {}
    facets = [
        sum(len(patch.triangles) for patch in (fill.curved if is_curved else fill.flat))
        for fill, is_curved in zip(fills, curved, strict=True)
    ]
    owner = np.repeat(np.arange(len(fills)), facets)
    pairs = filled.crossing_triangles
    new = filled.element_ids[new_elements(filled, mesh)]
    first_new, last_new = int(new.min()), int(new.max())
    ids = filled.element_ids[filled.triangulation.element[pairs]]
    is_new = (ids >= first_new) & (ids <= last_new)
    its = np.flatnonzero(is_new.any(axis=1))
    if not len(its):
        return {}
    of = owner[np.where(is_new, ids, first_new)[its].max(axis=1) - first_new]
    found = {}
    order = np.argsort(of, kind="stable")
    names, first = np.unique(of[order], return_index=True)
    for number, mine in zip(names.tolist(), np.split(its[order], first[1:]), strict=True):
        others = np.unique(ids[mine][~is_new[mine]])
        place = point_text(filled.nodes[filled.triangulation.triangles[pairs[mine[0]]]].mean(axis=(0, 1)))
        what = f"facet(s) {listed(others.tolist())}" if len(others) else "itself or another fill"
        found[number] = f"{what}, first about {place}"
    return found


def _runs_along(mesh: Mesh, rim: Rim) -> bool:
    """Whether every facet runs along the rim in the direction of the first."""
    return bool((mesh.faces.node[rim.corners] == rim.nodes[: len(rim.corners)]).all())


def _simple_loops(rim: Rim) -> list[tuple[Array, Array]]:
    """The loop, cut where it passes a node twice; each with the corners of its edges, the longest first."""
    loops = []
    nodes: list[int] = []
    corners: list[int] = []
    at: dict[int, int] = {}
    for node, corner in zip(rim.nodes.tolist(), rim.corners.tolist(), strict=True):
        if node in at:
            i = at[node]
            loops.append((np.array(nodes[i:]), np.array(corners[i:])))
            for gone in nodes[i:]:
                del at[gone]
            nodes, corners = nodes[:i], corners[:i]
        at[node] = len(nodes)
        nodes.append(node)
        corners.append(corner)
    loops.append((np.array(nodes), np.array(corners)))
    return sorted(loops, key=lambda loop: -len(loop[0]))


def _neighbour_in_main_part(mesh: Mesh, corners: Array) -> int:
    """An element at the rim, of the part that most of the rim belongs to."""
    elements = mesh.faces.element[mesh.connectivity.face[corners]]
    part = mesh.element_part[elements]
    return int(elements[np.argmax(part == np.bincount(part).argmax())])
