"""Where a line in a zone comes across edges that stay: nodes there, which split these edges."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.editing.zones.bounds import PART_BORDER
from oddseam.editing.zones.zone import Zone
from oddseam.errors import Refusal
from oddseam.model import KINDS

#: Shares of the size: a point this near to an edge lies on it; a crossing this near to a node is there.
_ON, _AT = 0.02, 0.1


class Crossed(NamedTuple):
    """A line with its crossings.

    Attributes
    ----------
    number : (k,) int array
        The nodes of the line in order: of the zone, or beyond those the new ones.
    points : (p, 3) array
        The new nodes.
    splits : (s, 3) int array
        Ends of an edge that stays, and a node that splits it.
    """

    number: Array
    points: Array
    splits: Array


def crossed(zone: Zone, number: Array, points: Array, *, closed: bool, splits: Collection[str]) -> Crossed:
    """A line of nodes brought across the edges that stay, and on to free edges.

    Parameters
    ----------
    zone : Zone
    number : (k,) int array
        Nodes of the zone's local mesh, or after them new ones.
    points : (p, 3) array
        The new ones.
    closed : bool
        Whether the last node is joined to the first.
    splits : collection of str
        Kinds of bound that may be split.

    Raises
    ------
    Refusal
        If the line comes to an edge of another kind.
    """
    local, chart = zone.local, zone.chart
    slits = np.concatenate([zone.slits, zone.border])
    within = len(zone.slits)
    nodes = [*np.concatenate([local.nodes, points])]
    flat = [*chart.flat(np.array(nodes))]
    found: list[tuple[int, int, int]] = []
    if not len(slits):
        return Crossed(number, points, np.zeros((0, 3), np.int64))
    a, b = np.array(flat)[slits].transpose(1, 0, 2)
    along = b - a
    length = np.linalg.norm(along, axis=1)
    squared = np.where(length > 0, length, 1.0) ** 2
    kinds = _kind_of(zone, slits)

    def check(slit: int, at: Array, *, across: bool) -> None:
        what = kinds[slit]
        if what == "free edge" and _lines_on(zone, *slits[slit].tolist()):
            what = "line element"
        if what == "free edge" and not across:
            return
        if slit >= within or what not in splits:  # beyond the border there is nothing to be seen from here
            raise Refusal(leaves(what or "border of what can be seen from one direction", at))

    for node in np.unique(number[number >= local.n_nodes]).tolist():
        share = np.clip(np.einsum("ij,ij->i", flat[node] - a, along) / squared, 0.0, 1.0)
        away = np.linalg.norm(a + share[:, None] * along - flat[node], axis=1)
        slit = int(np.argmin(away))
        if away[slit] <= _ON * zone.size:
            check(slit, nodes[node], across=False)
            one, two = slits[slit].tolist()
            nodes[node] = nodes[one] + share[slit] * (nodes[two] - nodes[one])
            flat[node] = a[slit] + share[slit] * along[slit]
            found.append((one, two, node))
    on = {(one, node) for one, _, node in found} | {(two, node) for _, two, node in found}
    ends = list(zip(number.tolist(), np.roll(number, -1).tolist(), strict=True))[: len(number) if closed else -1]
    line: list[int] = []
    for start, end in ends:
        line.append(start)
        steps: list[tuple[float, int]] = []
        ahead = flat[end] - flat[start]
        det = ahead[0] * along[:, 1] - ahead[1] * along[:, 0]
        away = a - flat[start]
        safe = np.where(det != 0, det, 1.0)
        t = (away[:, 0] * along[:, 1] - away[:, 1] * along[:, 0]) / safe
        u = (away[:, 0] * ahead[1] - away[:, 1] * ahead[0]) / safe
        for slit in np.flatnonzero((det != 0) & (t > 0) & (t < 1) & (u >= 0) & (u <= 1)).tolist():
            one, two = slits[slit].tolist()
            if {start, end} & {one, two} or ({(one, start), (one, end)} & on and {(two, start), (two, end)} & on):
                continue
            check(slit, nodes[one] + u[slit] * (nodes[two] - nodes[one]), across=True)
            if min(u[slit], 1.0 - u[slit]) * length[slit] <= _AT * zone.size:
                steps.append((float(t[slit]), one if u[slit] < 0.5 else two))
                continue
            steps.append((float(t[slit]), len(nodes)))
            found.append((one, two, len(nodes)))
            nodes.append(nodes[one] + u[slit] * (nodes[two] - nodes[one]))
            flat.append(a[slit] + u[slit] * along[slit])
        for _, node in sorted(steps):  # two edges may meet in one
            line += [node] if node != line[-1] else []
    if not closed:
        line.append(int(number[-1]))
    new = np.array(nodes[local.n_nodes :]).reshape(-1, 3)
    return Crossed(np.array(line, np.int64), new, np.array(found, np.int64).reshape(-1, 3))


def leaves(what: str, at: Array) -> str:
    """That a line comes to a bound, and what to do."""
    way = "split it there (`split_lines`), or imprint" if what == "line element" else "imprint"
    return f"the line comes to a {what} at {point_text(at)}; {way} piece by piece"


class Rings(NamedTuple):
    """Rings round an opening, shifted to where line elements come to the outermost one.

    Attributes
    ----------
    rings : list of (n, 2) array
    node : (n,) int array
        Nodes of the zone that nodes of the outermost ring are, or -1.
    splits : (s, 3) int array
        Ends of an edge that stays, and the place on the ring that splits it.
    ends : (l, 2) int array
        Line elements of the zone's local mesh that come to the ring, and the place on it.
    """

    rings: list[Array]
    node: Array
    splits: Array
    ends: Array


def met_by_lines(zone: Zone, rings: list[Array]) -> Rings:
    """Rings (n, 2) in the plane with a place of each on every edge that crosses the outermost, the last.

    These are of line elements, and of borders between parts.

    Raises
    ------
    Refusal
        If two come to one place.
    """
    flat, outer = zone.chart.flat(zone.local.nodes), rings[-1]
    rings, n = [ring.copy() for ring in rings], len(outer)
    node, taken = np.full(n, -1), np.zeros(n, bool)
    splits, ends = [], []
    start, ahead = outer, np.roll(outer, -1, axis=0) - outer
    slits = zone.slits[np.isin(_kind_of(zone, zone.slits).astype(str), ("line element", PART_BORDER))]
    for one, two in slits.tolist():
        along = flat[two] - flat[one]
        det = ahead[:, 0] * along[1] - ahead[:, 1] * along[0]
        away = flat[one] - start
        safe = np.where(det != 0, det, 1.0)
        t = (away[:, 0] * along[1] - away[:, 1] * along[0]) / safe
        u = (away[:, 0] * ahead[:, 1] - away[:, 1] * ahead[:, 0]) / safe
        for side in np.flatnonzero((det != 0) & (t >= 0) & (t < 1) & (u >= 0) & (u < 1)).tolist():
            k = round(side + t[side]) % n
            if taken[k]:
                where = point_text(zone.chart.raised(outer[k : k + 1])[0])
                raise Refusal(f"two edges that stay come to the node of the outline at {where}; give it more nodes")
            taken[k] = True
            shift = float(t[side]) if k == side else 1.0 - float(t[side])
            toward = (k + 1) % n if k == side else k - 1
            for ring, was in zip(rings, [ring.copy() for ring in rings], strict=True):
                ring[k] = was[k] + shift * (was[toward] - was[k])
            share = float(u[side])
            if min(share, 1.0 - share) * float(np.linalg.norm(along)) <= _AT * zone.size:
                node[k] = one if share < 0.5 else two
                rings[-1][k] = flat[node[k]]
            else:
                splits.append((one, two, k))
            ends += [(element, k) for element in _lines_on(zone, one, two)]
    return Rings(rings, node, np.array(splits, np.int64).reshape(-1, 3), np.array(ends, np.int64).reshape(-1, 2))


def _lines_on(zone: Zone, one: int, two: int) -> list[int]:
    """Line elements of the zone's local mesh between two nodes."""
    found = []
    for name, block, span in zone.local.blocks():
        if KINDS[name].dimension == 1:
            found += (span.start + np.flatnonzero(np.isin(block.connectivity[:, :2], (one, two)).all(axis=1))).tolist()
    return found


def _kind_of(zone: Zone, edges: Array) -> Array:
    """(e,) what bound each edge is."""
    keys = np.sort(edges, axis=1) @ [zone.local.n_nodes, 1]
    kinds = np.full(len(edges), "", dtype=object)
    for what, bounds in zone.bounds.items():
        kinds[np.isin(keys, np.sort(bounds, axis=1) @ [zone.local.n_nodes, 1])] = what
    return kinds
