"""Lines laid into a surface run by run, each of which can be seen from one direction."""

from __future__ import annotations

import dataclasses
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.editing.lines.imprinted_lines import brought_to, with_line
from oddseam.editing.zones.zone import Zone
from oddseam.errors import Refusal
from oddseam.model import Creases, Mesh
from oddseam.model.editing import joint_creases
from oddseam.model.shape import CREASE_KINDS

#: Normals of one run are within an angle of this cosine of their mean.
_ONE_RUN = 0.9


class Path(NamedTuple):
    """A line in a surface.

    Attributes
    ----------
    mesh : Mesh
    rows : (k,) int array
        Its nodes in order, one for each crossing with a sharp edge too.
    zones : list of Zone
        What was meshed anew for it.
    worst : (angle, Jacobian)
        Of the new elements.
    """

    mesh: Mesh
    rows: Array
    zones: list[Zone]
    worst: tuple[float, float]


def with_path(
    mesh: Mesh, points: Array, normals: Array, ids: Array, *, closed: bool, split_lines: bool = False
) -> Path:
    """The mesh with points (k, 3) of its surface as nodes joined by edges.

    Parameters
    ----------
    mesh : Mesh
    points, normals : (k, 3) arrays
        See ``brought_to``.
    ids : (k,) int array
        Of the elements that the points lie in.
    closed : bool
        Whether the last is joined to the first.
    split_lines : bool
        See ``imprint``.

    Raises
    ------
    Refusal
        As ``imprint`` does along a direction, except for lines that turn all round.
    """
    start = _element_at(mesh, points[0], ids[0])
    try:
        made = with_line(mesh, points.copy(), normals, start, closed=closed, opening=False, split_lines=split_lines)
    except Refusal:
        runs = _runs(normals, closed)
        if len(runs) == 1:
            raise
        return _by_runs(mesh, points, normals, ids, runs, split_lines)
    return Path(made[0], made[1], [made[2]], made[3])


def _element_at(mesh: Mesh, point: Array, number: int) -> int:
    """The element that a point lies in, by its id; if that has gone, the nearest."""
    row, gone = IdIndex(mesh.element_ids).of(np.array([number]))
    return int(brought_to(mesh, point[None], None)[2][0] if gone[0] else row[0])


def _by_runs(mesh: Mesh, points: Array, normals: Array, ids: Array, runs: list[Array], split_lines: bool) -> Path:
    """The mesh with a line laid into it run by run; the last run ends where the first begins, or nowhere."""
    lines = [(points[run], normals[run], ids[run], False) for run in runs]
    paths = with_paths(mesh, lines, split_lines=split_lines)
    rows = [path.rows[:-1] for path in paths]
    if runs[-1][-1] != 0:
        rows.append(paths[-1].rows[-1:])
    worst = min(path.worst[0] for path in paths), min(path.worst[1] for path in paths)
    return Path(paths[-1].mesh, np.concatenate(rows), [zone for path in paths for zone in path.zones], worst)


def with_paths(
    mesh: Mesh,
    lines: list[tuple[Array, Array, Array, bool]],
    *,
    split_lines: bool = False,
    drawn: Array | None = None,
) -> list[Path]:
    """Lines laid into a mesh one after the other, which keep to each other; the last has the mesh of all.

    Each is points, normals, ids and whether it is closed, see ``with_path``.  The rows are those of that mesh.  Edges
    ``drawn`` (e, 2) are of lines that are there already.
    """
    before, added, paths, ids = mesh.creases, [np.zeros((0, 2), np.int64)], [], []
    if drawn is not None and len(drawn) and lines:
        mesh, there = _drawn(mesh, drawn)
        added.append(there)
    for points, normals, numbers, closed in lines:
        path = with_path(mesh, points, normals, numbers, closed=closed, split_lines=split_lines)
        ids.append(path.mesh.node_ids[path.rows])
        ends = np.column_stack([path.rows, np.roll(path.rows, -1)])[: None if closed else -1]
        mesh, its = _drawn(path.mesh, ends)
        added.append(its)
        paths.append(path)
    mesh = _without(mesh, before, np.concatenate(added))
    index = IdIndex(mesh.node_ids)
    return [path._replace(mesh=mesh, rows=index.of(its)[0]) for path, its in zip(paths, ids, strict=True)]


def _drawn(mesh: Mesh, ends: Array) -> tuple[Mesh, Array]:
    """The mesh with edges as drawn creases, to which later lines keep, and the ids of their nodes."""
    ends = np.sort(ends, axis=1)
    drawn = Creases(ends, np.full(len(ends), CREASE_KINDS.index("drawn"), np.int8))
    return mesh.replaced(creases=joint_creases(mesh.creases, drawn)), np.sort(mesh.node_ids[ends], axis=1)


def _without(mesh: Mesh, before: Creases | None, ids: Array) -> Mesh:
    """The mesh without drawn creases between some nodes; without any, if there were none before."""
    if before is None or mesh.creases is None:
        return dataclasses.replace(mesh, creases=None)
    own = {tuple(pair) for pair in ids.tolist()}
    pairs = np.sort(mesh.node_ids[mesh.creases.edges], axis=1).tolist()
    is_drawn = mesh.creases.kind == CREASE_KINDS.index("drawn")
    stays = ~is_drawn | np.array([tuple(pair) not in own for pair in pairs], bool)
    return dataclasses.replace(mesh, creases=Creases(mesh.creases.edges[stays], mesh.creases.kind[stays]))


def _runs(normals: Array, closed: bool) -> list[Array]:
    """Places of the line in runs, each beginning where the one before ends."""
    n = len(normals)
    place = np.arange(n + closed) % n
    runs, begin = [], 0
    while begin < len(place) - 1:
        end = begin + 2
        while end < len(place) and _is_one_run(normals[place[begin : end + 1]]):
            end += 1
        runs.append(place[begin:end])
        begin = end - 1
    return runs


def _is_one_run(normals: Array) -> bool:
    total = normals.sum(axis=0)
    return bool((normals @ total).min() >= _ONE_RUN * np.linalg.norm(total))
