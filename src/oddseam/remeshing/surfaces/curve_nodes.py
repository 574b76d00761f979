"""Nodes on curves: where they are wanted, and putting them there from coarse to fine."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.remeshing.kernels import curve_spacing, round_steps
from oddseam.remeshing.kernels.half_edges import FIXED, FREE, PASSING, Net
from oddseam.remeshing.surfaces.net import Fineness, with_room
from oddseam.remeshing.surfaces.sheets import Sheets
from oddseam.sizes import SizeField
from oddseam.sizes.along import chain_length

#: So often a piece of a curve is halved at most to see how the size changes along it.
_HALVINGS = 12
#: A curve lies along a chain if its nodes are no farther from it than this share of the size of the chain.
_ON = 1e-6


class Wanted(NamedTuple):
    """Nodes wanted inside the curves, one curve after the other.

    ``arc`` (k,) is how far along its curve each lies, ``size`` (k,) the spacing there,
    ``first`` (c + 1,) where each curve begins; ``along`` holds the arcs of the curves' own nodes.
    """

    arc: Array
    size: Array
    first: Array
    along: Array


def wanted_nodes(sheets: Sheets, fineness: Fineness) -> Wanted:
    """Space nodes along the curves by the size and by how far a chord may leave its curve."""
    curves = sheets.curves
    points = np.ascontiguousarray(sheets.point[curves.node])
    step = np.zeros(len(points))
    if len(points):
        step[1:] = np.linalg.norm(np.diff(points, axis=0), axis=1)
        step[curves.first[:-1]] = 0.0
    total = np.cumsum(step)
    along = total - np.repeat(total[curves.first[:-1]], np.diff(curves.first)) if len(points) else total
    # the size between two nodes of a curve may be smaller than at both
    dense, at, begin = _sampled(points, along, curves.first, fineness)
    size = fineness.field.at(dense)
    spacing, chords = np.empty(len(dense)), fineness.chords(size)
    curve_spacing.spacing_along(dense, at, begin, size, chords, spacing)
    first = np.zeros(len(curves.first), np.int64)
    room = 16 + 2 * len(dense)
    while True:
        arc, its_size = np.empty(room), np.empty(room)
        count = int(curve_spacing.place_nodes(dense, at, begin, spacing, chords, arc, its_size, first))
        if count <= room:
            return _as_counted(sheets, fineness.field, Wanted(arc[:count], its_size[:count], first, along))
        room = count


def _as_counted(sheets: Sheets, field: SizeField, wanted: Wanted) -> Wanted:
    """The same, except for curves along chains with a number of elements, which have that, evenly."""
    number = _numbers(sheets, field)
    if not number:
        return wanted
    begin, curves = wanted.first, sheets.curves
    arcs, sizes = [], []
    for c in range(len(begin) - 1):
        its = slice(begin[c], begin[c + 1])
        if c in number and sheets.is_splittable[c]:
            total = float(wanted.along[curves.first[c + 1] - 1])
            arcs.append(total * np.arange(1, number[c]) / number[c])
            sizes.append(np.full(number[c] - 1, total / number[c]))
        else:
            arcs.append(wanted.arc[its])
            sizes.append(wanted.size[its])
    first = np.concatenate([[0], np.cumsum([len(its) for its in arcs])]).astype(np.int64)
    return Wanted(np.concatenate(arcs), np.concatenate(sizes), first, wanted.along)


def _numbers(sheets: Sheets, field: SizeField) -> dict[int, int]:
    """How many edges curves are to have by the chains that they lie along, shared out by length."""
    curves = sheets.curves
    found: dict[int, int] = {}
    for line in field.counted:
        tree = BoxTree(line.ends[:, [0, 1, 1]])
        points = sheets.point[curves.node]
        low, high = line.ends.min(axis=(0, 1)), line.ends.max(axis=(0, 1))
        reach = _ON * float((high - low).max())
        near = ((points >= low - reach) & (points <= high + reach)).all(axis=1)
        away = np.full(len(points), np.inf)
        away[near] = np.linalg.norm(tree.closest(points[near])[0] - points[near], axis=1)
        on = [
            c for c, (i, j) in enumerate(zip(curves.first[:-1].tolist(), curves.first[1:].tolist(), strict=True))
            if (away[i:j] <= reach).all()
        ]  # fmt: skip
        length = np.array(
            [np.linalg.norm(np.diff(points[curves.first[c] : curves.first[c + 1]], axis=0), axis=1).sum() for c in on]
        )
        if not length.sum() > 0:
            continue
        # curves are met once from either side where a chain parts two sheets: each side has them all
        share = line.elements * length / min(length.sum(), chain_length(line.ends))
        count = np.maximum(np.floor(share), 1).astype(np.int64)
        over = round(float(share.sum())) - int(count.sum())
        for k in np.argsort(count - share, kind="stable")[: max(over, 0)].tolist():
            count[k] += 1
        found |= dict(zip(on, count.tolist(), strict=True))
    return found


def _sampled(points: Array, along: Array, first: Array, fineness: Fineness) -> tuple[Array, Array, Array]:
    """Points, arcs and beginnings of the curves with more points where the size changes."""
    if fineness.field.is_even or not len(points):
        return points, along, first
    for _ in range(_HALVINGS):
        size = fineness.field.at(points)
        length = np.diff(along)
        # the size may have fallen by the gradation times half of the length
        far = length > np.minimum(size[:-1], size[1:])
        far &= 0.5 * fineness.field.gradation * length > 0.25 * np.minimum(size[:-1], size[1:])
        if not far.any():
            break
        row = np.flatnonzero(far)
        points = np.insert(points, row + 1, 0.5 * (points[row] + points[row + 1]), axis=0)
        along = np.insert(along, row + 1, 0.5 * (along[row] + along[row + 1]))
        first = first + np.searchsorted(row, first - 1)
    return np.ascontiguousarray(points), along, first


def put_on_curves(net: Net, sheets: Sheets, wanted: Wanted, field: SizeField, refine: Callable[[Net, int], Net]) -> Net:
    """Put the wanted nodes on the curves.

    Where facets are far larger than the size this goes from coarse to fine, every second node
    of a curve first, and ``refine(net, level)`` splits the facets beside it to about the spacing
    of the curve, 2**level sizes: a curve much finer than its surroundings would have needles on
    it, and splitting them would make more.
    """
    curves = sheets.curves
    _set_kinds(net, sheets, wanted)
    curve_of = np.repeat(np.arange(len(curves.first) - 1), np.diff(wanted.first))
    rank = 1 + np.arange(len(curve_of)) - wanted.first[:-1][curve_of]
    done = np.zeros(len(curve_of), bool)
    node, along, first = curves.node, wanted.along, curves.first
    for level in range(_coarser(sheets, field), -1, -1):
        now = np.flatnonzero(~done & (rank % 2**level == 0))
        done[now] = True
        net = with_room(net, len(now))
        before = int(net.used[0])
        made = np.full(len(now), -1, np.int64)
        round_steps.insert_nodes(
            net, node, sheets.is_splittable, along, first, wanted.arc[now], wanted.size[now],
            np.searchsorted(curve_of[now], np.arange(len(first))), 1e-7 * field.least, made,
        )  # fmt: skip
        new = made >= before
        owner = np.concatenate([np.repeat(np.arange(len(first) - 1), np.diff(first)), curve_of[now[new]]])
        node, along = np.concatenate([node, made[new]]), np.concatenate([along, wanted.arc[now[new]]])
        order = np.lexsort((along, owner))
        node, along = node[order], along[order]
        first = np.searchsorted(owner[order], np.arange(len(first)))
        net = refine(net, level)
    return net


def _set_kinds(net: Net, sheets: Sheets, wanted: Wanted) -> None:
    """Which nodes of curves stay; the ends of a curve are as fine as the curve beside them."""
    curves = sheets.curves
    net.kind[curves.node[net.kind[curves.node] == FREE]] = PASSING
    for c, (i, j) in enumerate(zip(curves.first[:-1].tolist(), curves.first[1:].tolist(), strict=True)):
        if not sheets.is_splittable[c]:
            net.kind[curves.node[i:j]] = FIXED
        elif wanted.first[c + 1] > wanted.first[c]:
            for end, k in ((curves.node[i], wanted.first[c]), (curves.node[j - 1], wanted.first[c + 1] - 1)):
                net.size[end] = min(net.size[end], wanted.size[k])


def _coarser(sheets: Sheets, field: SizeField) -> int:
    """How often the longest edge, over its size, has to be halved to come near that."""
    ends = sheets.point[sheets.triangles]
    if not len(ends):
        return 0
    length = np.linalg.norm(ends - np.roll(ends, 1, axis=1), axis=2).max(axis=1)
    # somewhere on a facet the size may be smaller than in its middle
    size = np.maximum(field.at(ends.mean(axis=1)) - field.gradation * length, field.least)
    return max(int(np.floor(np.log2((length / size).max()))), 0) if length.max() > 0 else 0
