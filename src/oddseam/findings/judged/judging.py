"""The quality of elements that were made, against the limits."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Step
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.limits import Limits
from oddseam.findings.judged.qualities import beyond_limit, element_quality
from oddseam.findings.judged.worsening import beyond_by_id, is_worse, worsened_by_id
from oddseam.geometry.shapes.quality import sign_of
from oddseam.model import KINDS, Mesh
from oddseam.model.origins import elements_in, nodes_in
from oddseam.model.splicing import extracted

#: So many of the worst elements are named.
_NAMED = 3


def judged(mesh: Mesh, made: Array, limits: Limits, held: Array | None = None) -> tuple[Step, list[str]]:
    """How good some elements are, and what is to be said of those beyond a limit, the worst first.

    Parameters
    ----------
    mesh : Mesh
    made : int array
        Elements; those that are no shells are passed over.
    limits : Limits
    held : int array, optional
        Ids of the nodes that lie on creases, rims and borders: elements between such alone are held by these.
    """
    is_made = np.zeros(mesh.n_elements, bool)
    is_made[made] = True
    words, count, found = [], 0, []
    beyond_any = np.zeros(mesh.n_elements, bool)
    for name, (index, measures) in element_quality(mesh).items():
        its = np.flatnonzero(is_made[index])
        if KINDS[name].dimension != 2 or not len(its):
            continue
        count += len(its)
        for measure, values in measures.items():
            limit, own = float(getattr(limits, measure)), values[its]
            words.append(f"{name} {measure.replace('_', ' ')} {_worst(measure, own):.3g}")
            beyond = np.flatnonzero(beyond_limit(measure, own, limit))
            beyond_any[index[its[beyond]]] = True
            worst = beyond[np.argsort(sign_of(measure) * own[beyond], kind="stable")][:_NAMED]
            if len(beyond):
                said = "; ".join(
                    f"{own[k]:.3g} of element {mesh.element_ids[index[its[k]]]} at {_place(mesh, int(index[its[k]]))}"
                    for k in worst.tolist()
                )
                found.append(f"{name} {measure.replace('_', ' ')}: {len(beyond):,} beyond {limit:g}, {said}")
    total = int(beyond_any.sum())
    first = np.flatnonzero(beyond_any)[:1].tolist()
    places = tuple(point_of(middle_of(mesh, k)) for k in first)
    step = Step("judge", total, 0.0, f"of {count:,} new elements beyond a limit; worst: {', '.join(words)}", places)
    if not total:
        return step, []
    locked = _held_by(mesh, np.flatnonzero(beyond_any), held)
    if len(locked):
        found.append(
            f"{len(locked):,} of these lie between creases, rims and borders alone, which hold them, first at "
            f"{_place(mesh, int(locked[0]))} (erase or absorb what is no edge of the part, or take a smaller size)"
        )
    return step, [
        f"quality: {total:,} of {count:,} new elements are beyond a limit ({found[0]})",
        *(f"quality: {line}" for line in found[1:]),
    ]


def worsened(before: Mesh, after: Mesh, limits: Limits) -> list[str]:
    """What is to be said of measures of shells whose worst value is beyond the limit, and worse than it was."""
    was = {
        (name, measure): _worst(measure, values)
        for name, (_, measures) in element_quality(before).items()
        for measure, values in measures.items()
    }
    lines = []
    for name, (index, measures) in element_quality(after).items():
        for measure, values in measures.items() if KINDS[name].dimension == 2 else ():
            worst, old = _worst(measure, values), was.get((name, measure))
            is_beyond = beyond_limit(measure, np.array([worst]), float(getattr(limits, measure))).any()
            if is_beyond and (old is None or is_worse(measure, np.array([worst]), np.array([old]))[0]):
                k = int(index[np.argmin(sign_of(measure) * values)])
                came = "" if old is None else f"{old:.3g} became "
                at = f"element {after.element_ids[k]} at {_place(after, k)}"
                lines.append(f"quality: the worst {name} {measure.replace('_', ' ')}, {came}{worst:.3g}, of {at}")
    return lines


def judge_touched(before: Mesh, after: Mesh) -> list[str]:
    """What is to be said of new and changed elements that have come to be beyond a limit, or lie farther beyond it.

    Parameters
    ----------
    before, after : Mesh
        What is in both, with the same nodes at the same places, is not looked at.
    """
    touched = _touched(before, after)
    if not len(touched):
        return []
    now = extracted(after, touched)
    row = elements_in(now, before)
    was = extracted(before, np.unique(row[row >= 0]))
    limits, lines = Limits(), []
    for measure, fresh in worsened_by_id(beyond_by_id(was, limits), beyond_by_id(now, limits)).items():
        at = dict(zip(now.element_ids.tolist(), _middles(now).tolist(), strict=True))
        named = "; ".join(
            f"{value:.3g} of element {number} at {point_text(at[number])}" for number, value in fresh[:_NAMED]
        )
        what = measure.replace("_", " ")
        lines.append(
            f"quality: {len(fresh):,} new or changed elements are beyond the {what} of "
            f"{float(getattr(limits, measure)):g}: {named}"
        )
    return lines


def _touched(before: Mesh, after: Mesh) -> Array:
    """Elements that are new, or have other nodes or nodes elsewhere."""
    row = nodes_in(after, before)
    stays = row >= 0
    stays[stays] = (before.nodes[row[stays]] == after.nodes[stays]).all(axis=1)
    found = [np.zeros(0, np.int64)]
    for name, block, span in after.blocks():
        old = before.elements.get(name)
        same = np.zeros(len(block), bool)
        if old is not None:
            of, missing = IdIndex(old.ids).of(block.ids)
            same = ~missing
            was = before.node_ids[old.connectivity[of[same]]]
            same[same] = (was == after.node_ids[block.connectivity[same]]).all(axis=1)
        found.append(span.start + np.flatnonzero(~(same & stays[block.connectivity].all(axis=1))))
    return np.concatenate(found)


def _middles(mesh: Mesh) -> Array:
    """(m, 3) means of the nodes of all elements."""
    return np.concatenate([mesh.nodes[block.connectivity].mean(axis=1) for block in mesh.elements.values()])


def _worst(measure: str, values: Array) -> float:
    return float(values[np.argmin(sign_of(measure) * values)])


def _held_by(mesh: Mesh, elements: Array, held: Array | None) -> Array:
    """Those of some elements all of whose nodes are held."""
    if held is None or not len(elements):
        return elements[:0]
    is_held = np.isin(mesh.node_ids, held)
    t = mesh.triangulation
    free = np.zeros(mesh.n_elements, bool)
    free[t.element[~is_held[t.triangles].all(axis=1)]] = True
    return elements[~free[elements]]


def middle_of(mesh: Mesh, element: int) -> Array:
    """(3,) middle of a shell element."""
    t = mesh.triangulation
    return np.asarray(mesh.nodes[t.triangles[t.element == element]].mean(axis=(0, 1)))


def _place(mesh: Mesh, element: int) -> str:
    return point_text(middle_of(mesh, element))
