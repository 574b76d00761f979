"""The arrays that the half-edge kernels work on: made from sheets, and given more room."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import areas
from oddseam.remeshing.kernels.half_edges import FIXED, FREE, Net
from oddseam.remeshing.surfaces.sheets import Sheets
from oddseam.sizes import SizeField

#: Area of an equilateral triangle, over the square of its edge.
_AREA = 0.433


#: How far a chord may leave a crease, over the size, unless told otherwise: a round hole keeps
#: its diameter to a few percent of an element.
CHORD = 0.0185


@dataclass(frozen=True, eq=False)
class Fineness:
    """How fine: the wanted edge length anywhere, and the distance of a chord from its curve if it is given."""

    field: SizeField
    chord: float | None = None

    def chords(self, sizes: Array) -> Array:
        """(k,) how far chords of these lengths may leave their curve."""
        return CHORD * sizes if self.chord is None else np.full(len(sizes), self.chord)


def build(sheets: Sheets, fineness: Fineness, inserted: int) -> Net:
    """The net of cut sheets, with room for the nodes to be put on curves and those expected between them."""
    m, n = len(sheets.triangles), len(sheets.point)
    expected = int(1.3 * expected_facets(sheets.point[sheets.triangles], fineness.field)) // 2
    rows, facets = n + inserted + expected + 64, m + 2 * inserted + 2 * expected + 64

    def room(values: Array, count: int, fill: float) -> Array:
        wide = np.full((count, *values.shape[1:]), fill, values.dtype)
        wide[: len(values)] = values
        return wide

    return Net(
        point=room(sheets.point, rows, 0.0),
        origin=room(sheets.triangles.ravel(), 3 * facets, -1),
        twin=room(sheets.twin, 3 * facets, -1),
        curve=room(sheets.half_curve, 3 * facets, -1),
        region=room(sheets.region, facets, -1),
        out=room(sheets.out, rows, -1),
        kind=room(_first_kinds(sheets), rows, FREE),
        size=np.full(rows, fineness.field.base),
        axis=np.zeros((0, 3)),
        used=np.array([n, m], np.int64),
    )


def expected_facets(corners: Array, field: SizeField) -> float:
    """About how many facets of the wanted size cover triangles (m, 3, 3)."""
    area = areas(corners)
    return float((area / (_AREA * field.at(corners.mean(axis=1)) ** 2)).sum())


def _first_kinds(sheets: Sheets) -> Array:
    kind = np.full(len(sheets.point), FREE, np.int8)
    kind[sheets.curves.is_corner | sheets.is_locked] = FIXED
    return kind


def with_room(net: Net, nodes: int) -> Net:
    """The net, larger if these nodes could not be put on edges of it."""
    while net.used[0] + nodes > len(net.point) or net.used[1] + 2 * nodes > len(net.region):
        net = grown(net)
    return net


def grown(net: Net) -> Net:
    """The same net with half as much room again."""

    def more(values: Array, fill: float) -> Array:
        return np.concatenate([values, np.full((len(values) // 2 + 64, *values.shape[1:]), fill, values.dtype)])

    facets = len(net.region)
    extra = facets // 2 + 64
    return Net(
        point=more(net.point, 0.0),
        origin=np.concatenate([net.origin, np.full(3 * extra, -1, np.int32)]),
        twin=np.concatenate([net.twin, np.full(3 * extra, -1, np.int32)]),
        curve=np.concatenate([net.curve, np.full(3 * extra, -1, np.int32)]),
        region=more(net.region, -1),
        out=more(net.out, -1),
        kind=more(net.kind, FREE),
        size=more(net.size, 1.0),
        axis=more(net.axis, 0.0) if len(net.axis) else net.axis,
        used=net.used,
    )


def wanted_valence(net: Net) -> Array:
    """(n,) int8: 6 inside, 4 on a border; on a crease the mean of what both sides want."""
    wanted = np.full(len(net.point), 6, np.int8)
    used = int(net.used[0])
    out = net.out[:used]
    alive = np.flatnonzero(out >= 0)
    wanted[alive[net.twin[out[alive]] < 0]] = 4
    return wanted
