"""What a morph has done to elements: their quality before and after, limits, and facets that have come to cross."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Step
from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.limits import Limits, LimitsLike, by_name
from oddseam.findings.judged.qualities import beyond_limit, element_quality
from oddseam.findings.judged.worsening import is_worse
from oddseam.geometry.exact.crossings import crossing_pairs
from oddseam.geometry.exact.predicates import is_degenerate
from oddseam.geometry.shapes.quality import sign_of
from oddseam.model import KINDS, Mesh
from oddseam.model.rings import having
from oddseam.model.splicing import extracted
from oddseam.morphing.follows.skeleton import Skeleton

#: So many elements are named.
_NAMED = 4


def judged(before: Mesh, after: Mesh, moved: Array, limits: LimitsLike | None) -> tuple[list[Step], list[str], str]:
    """Steps that tell the quality of the elements that moved, notes of the poor among them, and broken limits."""
    touched = np.flatnonzero(having(before, moved))
    one, two = (extracted(mesh, touched) for mesh in (before, after))
    measured = [element_quality(mesh) for mesh in (one, two)]
    known = {name for _, measures in measured[1].values() for name in measures}
    given = by_name(limits)
    unknown = sorted(set(given) - known)
    if unknown and known and not isinstance(limits, Limits):
        raise Refusal(f"there is no measure {unknown[0]!r} to set a limit for; there are {', '.join(sorted(known))}")
    steps, notes, broken = [], [], []
    usual = Limits()
    for kind, (index, measures) in measured[1].items():
        for name, now in measures.items():
            was = measured[0][kind][1][name]
            sign = sign_of(name)
            worst = int(np.argmin(sign * now))
            place = point_of(_middles(two, kind)[worst])
            worst_was = float((sign * was).min() * sign)
            steps.append(
                Step(
                    f"{kind} {name.replace('_', ' ')}",
                    len(now),
                    0.0,
                    f"worst of those touched {worst_was:.4g} before, {now[worst]:.4g} after (element "
                    f"{int(two.element_ids[index[worst]])})",
                    (place,),
                )
            )
            limit = given.get(name, float(getattr(usual, name)))
            fresh = beyond_limit(name, now, limit) & (~beyond_limit(name, was, limit) | is_worse(name, now, was))
            words = name.replace("_", " ")
            if fresh.any() and name not in given:
                what = f"come to be beyond the usual {words} of {limit:g}, or farther"
                notes.append(_listed(two, kind, index, name, now, fresh, what))
            bad = fresh if name in given else np.zeros(len(now), bool)
            if name == "scaled_jacobian" and KINDS[kind].dimension == 3:
                bad |= (now <= 0) & (was > 0)
            if bad.any():
                what = f"would break {words} {limit:g}" if name in given else "would be turned inside out"
                broken.append(_listed(two, kind, index, name, now, bad, what))
    return steps, notes, "; ".join(broken)


def _listed(mesh: Mesh, kind: str, index: Array, name: str, values: Array, which: Array, what: str) -> str:
    """How many elements are meant, what of them, and the worst with their places."""
    rows = np.flatnonzero(which)
    order = rows[np.argsort(values[rows] * sign_of(name), kind="stable")][:_NAMED]
    middles = _middles(mesh, kind)
    named = ", ".join(
        f"{int(mesh.element_ids[index[k]])} ({values[k]:.3g} at {point_text(middles[k])})" for k in order.tolist()
    )
    more = ", ..." if len(rows) > _NAMED else ""
    return f"{len(rows):,} {kind} element(s) {what}: {named}{more}"


def _middles(mesh: Mesh, kind: str) -> Array:
    return np.asarray(mesh.nodes[mesh.elements[kind].connectivity].mean(axis=1))


def turned_pieces(skeleton: Skeleton, points: Array, moved: Array) -> str:
    """Closed pieces that have been turned inside out, in words; empty where there are none."""
    pieces, t = skeleton.surface.pieces, skeleton.surface.triangulation.triangles
    touched = np.unique(pieces.of_triangle[np.asarray(moved[t].any(axis=1))])
    touched = touched[(touched >= 0) & pieces.is_solid[touched]]
    wrong = []
    for piece in touched.tolist():
        corners = points[t[pieces.of_triangle == piece]]
        corners = corners - corners.mean(axis=(0, 1))
        volume = float(np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])))
        if volume * pieces.volume[piece] <= 0:
            wrong.append(point_text(0.5 * (pieces.low[piece] + pieces.high[piece])))
    if not wrong:
        return ""
    return f"{len(wrong):,} closed piece(s) would be turned inside out, about {', '.join(wrong[:_NAMED])}"


def crossings_of(skeleton: Skeleton, points: Array, moved: Array) -> str:
    """Facets that have come to cross others, in words; empty where there are none."""
    t = skeleton.surface.triangulation.triangles
    at_moved = np.asarray(moved[t].any(axis=1))
    if not at_moved.any():
        return ""
    corners = points[t]
    low, high = corners[at_moved].min(axis=(0, 1)), corners[at_moved].max(axis=(0, 1))
    near = np.flatnonzero((corners.max(axis=1) >= low).all(axis=1) & (corners.min(axis=1) <= high).all(axis=1))
    rows = t[near]
    now = crossing_pairs(points, rows, np.flatnonzero(is_degenerate(points[rows]))).astype(np.int64)
    now = now[at_moved[near[now]].any(axis=1)]
    if not len(now):
        return ""
    start = skeleton.mesh.nodes
    was = crossing_pairs(start, rows, np.flatnonzero(is_degenerate(start[rows]))).astype(np.int64)
    width = len(rows)
    fresh = now[~np.isin(now[:, 0] * width + now[:, 1], was[:, 0] * width + was[:, 1])]
    if not len(fresh):
        return ""
    places = [point_text(points[rows[k]].mean(axis=0)) for k in dict.fromkeys(fresh[:, 0].tolist())][:_NAMED]
    return f"{len(fresh):,} pair(s) of facets would come to cross, at {', '.join(places)}"
