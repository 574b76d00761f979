"""Which nodes a change drives, and where they are after any share of it."""

from __future__ import annotations

from collections.abc import Callable
from math import comb

import numpy as np

from oddseam.arrays import Array, IdIndex, point_text
from oddseam.errors import Refusal
from oddseam.findings.classes.across import INWARD, Across
from oddseam.model.rings import used_nodes
from oddseam.morphing.changes import Bore, Change, Lattice, Move, Offset, Scale, Shape, Targets, Turn, Wall
from oddseam.morphing.drives.bores import bored
from oddseam.morphing.drives.driven import Driven, Target, rotated, unit
from oddseam.morphing.drives.settling import Level
from oddseam.morphing.drives.shaping import shaped
from oddseam.morphing.follows.skeleton import Skeleton, normals_at
from oddseam.picks import selected
from oddseam.picks.language import Node, parse_pick

#: Steps of picks that say what is meant of the whole mesh, within the material too; others speak of its surface.
_OF_ALL = {"all", "ids", "part", "group", "box", "sphere", "cylinder", "inside"}
_JOINING = ("and", "or", "minus", "not")
#: Steps that name what they select, or mean everything.
_BY_NUMBER = {"all", "ids", "group", *_JOINING}
#: Axes whose directions differ by less are parallel.
_PARALLEL = 1e-6
#: Radii of a round opening differ by no more than this share.
_ROUND = 0.15


def driven_by(change: Change, skeleton: Skeleton) -> Driven:
    """What a change drives.

    Raises
    ------
    PickError
        If a pick selects nothing.
    Refusal
        If what it speaks of is not there.
    """
    match change:
        case Move():
            return _linear(skeleton, change.pick, lambda x: x + np.array(change.by))
        case Scale():
            factor, about = np.array(change.factor), np.array(change.about)
            return _linear(skeleton, change.pick, lambda x: about + factor * (x - about))
        case Turn():
            return _turned(skeleton, change)
        case Offset():
            return _offset(skeleton, change.pick, change.distance)
        case Wall():
            return _offset(skeleton, change.pick, change.thickness - _wall(skeleton, change.pick))
        case Bore():
            return bored(skeleton, change)
        case Targets():
            return _to_targets(skeleton, change)
        case Lattice():
            return _in_lattice(skeleton, change)
        case Shape():
            return _to_shape(skeleton, change)
    raise Refusal(f"{change!r} is no change")


def picked(skeleton: Skeleton, what: str) -> tuple[Array, Array]:
    """(n,) bool nodes that are picked, midside ones between them too, and (m,) bool elements of the surface."""
    surface = skeleton.surface
    tree = parse_pick(what)
    nodes = np.zeros(surface.n_nodes, bool)
    whole = _speaks_of(tree, _OF_ALL | set(_JOINING)) and not _speaks_of_sides(tree, skeleton)
    nodes[selected(skeleton.mesh if whole else surface, what, of="nodes")] = True
    if not _speaks_of(tree, _BY_NUMBER):  # what only cards use is nobody's, unless it is named
        nodes &= used_nodes(skeleton.mesh)
    mid, ends = skeleton.midsides
    nodes[mid[nodes[ends].all(axis=1)]] = True
    elements = np.zeros(surface.n_elements, bool)
    if whole or not nodes[surface.faces.node].any():
        for _, block, span in surface.blocks():
            elements[span] = nodes[block.connectivity].all(axis=1)
    else:
        elements[selected(surface, what)] = True
    return nodes, elements


def _speaks_of(tree: Node, kinds: set[str]) -> bool:
    """Whether a pick is made of some kinds of steps alone."""
    return tree.kind in kinds and all(_speaks_of(below, kinds) for below in tree.below)


def _speaks_of_sides(tree: Node, skeleton: Skeleton) -> bool:
    """Whether it names a group of sides of elements, whose nodes are those of the sides alone."""
    here = tree.kind == "group" and tree.values[0] in skeleton.mesh.groups.sides
    return here or any(_speaks_of_sides(below, skeleton) for below in tree.below)


def _linear(skeleton: Skeleton, what: str, end: Callable[[Array], Array]) -> Driven:
    nodes = np.flatnonzero(picked(skeleton, what)[0])
    start = skeleton.mesh.nodes[nodes]
    step = end(start) - start
    return Driven(nodes, lambda t: start + t * step if t < 1.0 else end(start))


def _turned(skeleton: Skeleton, change: Turn) -> Driven:
    nodes = np.flatnonzero(picked(skeleton, change.pick)[0])
    about, axis = np.array(change.about), unit(change.axis)
    start = skeleton.mesh.nodes[nodes] - about
    return Driven(nodes, lambda t: about + rotated(start, axis, t * change.angle), turn=abs(change.angle))


def _whole_patches(skeleton: Skeleton, elements: Array) -> list[int]:
    """Patches all of whose elements are marked."""
    label = skeleton.label
    count = np.bincount(label[label >= 0], minlength=len(skeleton.table))
    mine = np.bincount(label[(label >= 0) & elements], minlength=len(skeleton.table))
    return np.flatnonzero((mine == count) & (count > 0)).tolist()


def _offset(skeleton: Skeleton, what: str, distance: float) -> Driven:
    """Nodes along their normals; where a whole patch is picked, the surface that it lies on is offset."""
    surface, points = skeleton.surface, skeleton.mesh.nodes
    mark, elements = picked(skeleton, what)
    if not elements.any():
        raise Refusal(f"pick {what!r} has no face of the surface, which an offset is of")
    normal = _with_midsides(skeleton, normals_at(surface, elements))
    targets: dict[int, Target] = {}
    for k in _whole_patches(skeleton, elements):
        level = skeleton.level(k)
        if level is None:
            continue
        its = np.flatnonzero(skeleton.nodes_on(np.array([k])) & normal.any(axis=1))
        sign = 1.0 if float((level.normal(points[its]) * normal[its]).sum()) >= 0 else -1.0
        targets[k] = _shifted(level, sign * distance)
    nodes = np.flatnonzero(mark & normal.any(axis=1))
    start, step = points[nodes], distance * normal[nodes]
    leaves = frozenset(np.unique(skeleton.label[elements]).tolist()) - set(targets)
    return Driven(nodes, lambda t: start + t * step, targets, settles=True, leaves=leaves)


def _shifted(level: Level, distance: float) -> Target:
    return lambda t: (level, t * distance)


def _with_midsides(skeleton: Skeleton, normal: Array) -> Array:
    """Normals at nodes, those of midside nodes between two that have one being the mean of both."""
    mid, ends = skeleton.midsides
    both = np.asarray(normal[ends].any(axis=2)).all(axis=1)
    total = normal[ends[both]].sum(axis=1)
    size = np.linalg.norm(total, axis=1, keepdims=True)
    normal[mid[both]] = total / np.where(size > 0, size, 1.0)
    return normal


def _wall(skeleton: Skeleton, what: str) -> float:
    """How thick the wall behind a pick is: exactly between parallel planes and coaxial cylinders, else the median."""
    _, elements = picked(skeleton, what)
    facet, distance, met = Across(skeleton.surface).pairs(INWARD)
    element = skeleton.surface.triangulation.element
    its = np.flatnonzero(elements[element[facet]])
    if not len(its):
        raise Refusal(f"pick {what!r} has no wall behind it that could be made thicker")
    sides = np.column_stack([skeleton.label[element[facet[its]]], skeleton.label[element[met[its]]]])
    both, count = np.unique(sides, axis=0, return_counts=True)
    here, there = (skeleton.primitives[k] if k >= 0 else None for k in both[np.argmax(count)].tolist())
    if here is not None and there is not None and here.kind == there.kind:
        apart = there.centre - here.centre
        if np.linalg.norm(np.cross(here.axis, there.axis)) < _PARALLEL:
            if here.kind == "plane":
                return abs(float(apart @ here.axis))
            if here.kind == "cylinder" and float(np.linalg.norm(np.cross(apart, here.axis))) < _PARALLEL * here.radius:
                return float(abs(here.radius - there.radius))
    return float(np.median(distance[its]))


def _to_targets(skeleton: Skeleton, change: Targets) -> Driven:
    ids = np.array(list(change.places), np.int64)
    rows, missing = IdIndex(skeleton.mesh.node_ids).of(ids)
    if missing.any():
        raise Refusal(f"there is no node {int(ids[missing][0])} that could go to a target")
    start, end = skeleton.mesh.nodes[rows], np.array(list(change.places.values()))
    order = np.argsort(rows)
    start, end = start[order], end[order]
    return Driven(rows[order], lambda t: start + t * (end - start) if t < 1.0 else end)


def _to_shape(skeleton: Skeleton, change: Shape) -> Driven:
    """All nodes of the patches that a new shape shows; also those that stay, which nothing else moves then."""
    units = {skeleton.mesh.unit, change.mesh.unit} - {None}
    if len(units) > 1:
        raise Refusal(
            f"the new shape is in {change.mesh.unit}, the mesh in {skeleton.mesh.unit}; `convert` takes them to one"
        )
    label = skeleton.label
    which = np.ones(len(skeleton.table), bool)
    if change.pick is not None:
        _, elements = picked(skeleton, change.pick)
        which[:] = False
        which[np.unique(label[elements & (label >= 0)])] = True
    end, off = shaped(skeleton, Skeleton.of(change.mesh), which, change.surface == "recognised")
    nodes = np.flatnonzero(skeleton.nodes_on(np.flatnonzero(which)))
    start, goal = skeleton.mesh.nodes[nodes], end[nodes]
    return Driven(nodes, lambda t: start + t * (goal - start) if t < 1.0 else goal, off=off)


def _in_lattice(skeleton: Skeleton, change: Lattice) -> Driven:
    """Nodes in the box of a lattice.

    With Bernstein polynomials along each side: T. Sederberg, S. Parry (1986), Free-form deformation of solid
    geometric models.
    """
    low, high = np.array(change.low), np.array(change.high)
    inside = ((skeleton.mesh.nodes >= low) & (skeleton.mesh.nodes <= high)).all(axis=1)
    if change.pick is not None:
        inside &= picked(skeleton, change.pick)[0]
    nodes = np.flatnonzero(inside)
    if not len(nodes):
        raise Refusal(f"the lattice from {point_text(low)} to {point_text(high)} holds no node")
    start = skeleton.mesh.nodes[nodes]
    share = (start - low) / (high - low)
    step = np.zeros_like(start)
    for place, push in change.pushes.items():
        weight = np.ones(len(nodes))
        for d, (k, count) in enumerate(zip(place, change.counts, strict=True)):
            degree = count - 1
            weight *= comb(degree, k) * share[:, d] ** k * (1.0 - share[:, d]) ** (degree - k)
        step += weight[:, None] * np.array(push)
    return Driven(nodes, lambda t: start + t * step)
