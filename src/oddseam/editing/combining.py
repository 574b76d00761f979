"""Two meshes in one, and borders of it sewn together node for node."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.features.small import Small
from oddseam.features.strips import folded, paired
from oddseam.findings.finding import point_of
from oddseam.model import KINDS, Elements, Groups, Mesh, Part, Patches
from oddseam.model.editing import joint_creases
from oddseam.model.proof import worse
from oddseam.model.shape import Creases
from oddseam.remeshing.merging import merge

Point = tuple[float, float, float]
#: A node this near to one across, over the length of edges, becomes one with it; else the edge there is split.
_SNAP = 0.15
#: Which side of a seam goes to the other.
SIDES = ("both", "one", "two")


@recorded("combine")
def combine(mesh: Mesh, *, other: Mesh) -> tuple[Mesh, Outcome]:
    """Put another mesh beside a mesh, in one; nothing is joined yet.

    Parameters
    ----------
    mesh : Mesh
        Keeps its ids, its parts and its source.
    other : Mesh
        Its ids stay where they are free, else all of them go above the highest; so do the ids of its parts.

    Raises
    ------
    Refusal
        If both say what unit they are in, and it is not the same.

    Examples
    --------
    >>> import oddseam
    >>> tent = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    >>> oddseam.combine(tent, other=tent).counts
    {'nodes': 6, 'tri': 2}
    """
    if mesh.unit is not None and other.unit is not None and mesh.unit != other.unit:
        raise Refusal(f"one mesh is in {mesh.unit}, the other in {other.unit}; `change_unit` converts")
    n = mesh.n_nodes
    node_ids = _free(mesh.node_ids, other.node_ids)
    element_ids = _free(mesh.element_ids, other.element_ids)
    blocks, at_one, at_two = {}, 0, 0
    order_one, order_two = np.empty(mesh.n_elements, np.int64), np.empty(other.n_elements, np.int64)
    total = 0
    starts = {name: sum(len(b) for b in list(other.elements.values())[:k]) for k, name in enumerate(other.elements)}
    for name in KINDS:
        one, two = mesh.elements.get(name), other.elements.get(name)
        sides = []
        if one is not None:
            sides.append(one)
            order_one[at_one : at_one + len(one)] = total + np.arange(len(one))
            at_one, total = at_one + len(one), total + len(one)
        if two is not None:
            ids = element_ids[starts[name] : starts[name] + len(two)]
            sides.append(Elements(two.connectivity + n, ids, two.part + len(mesh.parts)))
            order_two[at_two : at_two + len(two)] = total + np.arange(len(two))
            at_two, total = at_two + len(two), total + len(two)
        if sides:
            columns = [
                np.concatenate([getattr(its, what) for its in sides]) for what in ("connectivity", "ids", "part")
            ]
            blocks[name] = Elements(*columns)
    patches = None
    if mesh.patches is not None and other.patches is not None:
        label = np.full(total, -1, np.int32)
        label[order_one] = mesh.patches.label
        label[order_two] = np.where(other.patches.label >= 0, other.patches.label + len(mesh.patches.table), -1)
        patches = Patches(label, (*mesh.patches.table, *other.patches.table))
    moved = None if other.creases is None else Creases(other.creases.edges + n, other.creases.kind)
    new = dataclasses.replace(
        mesh,
        nodes=np.concatenate([mesh.nodes, other.nodes]),
        node_ids=np.concatenate([mesh.node_ids, node_ids]),
        elements=blocks,
        parts=(*mesh.parts, *_renamed(mesh.parts, other.parts)),
        groups=_both(mesh.groups, other.groups, order_one, order_two, n),
        creases=joint_creases(mesh.creases, moved),
        patches=patches,
    )
    return new, Outcome((Step("combine", other.n_elements, 0.0, f"elements, {other.n_nodes:,} nodes"),))


def _free(known: Array, ids: Array) -> Array:
    """Ids that are not known: as they are, or all of them above the highest."""
    return ids if not np.isin(ids, known).any() else ids + int(known.max()) - int(ids.min()) + 1


def _renamed(known: tuple[Part, ...], parts: tuple[Part, ...]) -> list[Part]:
    """Parts with ids and names that are free."""
    numbers, names = {part.id for part in known}, {part.name for part in known}
    found = []
    for part in parts:
        number, name, count = part.id, part.name, 1
        while number in numbers:
            number = max(numbers) + 1
        while name in names:
            count += 1
            name = f"{part.name} ({count})"
        numbers.add(number)
        names.add(name)
        found.append(dataclasses.replace(part, id=number, name=name))
    return found


def _both(one: Groups, two: Groups, order_one: Array, order_two: Array, n: int) -> Groups:
    """Groups of both; those of one name become one."""
    nodes = dict(one.nodes)
    for name, its in two.nodes.items():
        nodes[name] = np.concatenate([nodes.get(name, its[:0]), its + n])
    elements = {name: order_one[its] for name, its in one.elements.items()}
    for name, its in two.elements.items():
        elements[name] = np.concatenate([elements.get(name, its[:0]), order_two[its]])
    sides = {name: np.column_stack([order_one[its[:, 0]], its[:, 1]]) for name, its in one.sides.items()}
    for name, its in two.sides.items():
        moved = np.column_stack([order_two[its[:, 0]], its[:, 1]])
        sides[name] = np.concatenate([sides.get(name, moved[:0]), moved])
    return Groups(nodes, elements, sides)


@recorded("stitch")
def stitch(
    mesh: Mesh, *, one: Point, two: Point | None = None, within: float | None = None, moves: str = "both"
) -> tuple[Mesh, Outcome]:
    """Sew two closed rims together, node for node; where their numbers of nodes differ, edges of either are split.

    Parameters
    ----------
    mesh : Mesh
    one : (x, y, z)
        The rim with the node nearest to this point.
    two : (x, y, z), optional
        The other one likewise; without, the rim whose nodes are nearest to the first one's.
    within : float, optional
        No two places that become one may be farther apart; without, half of the shorter rim's extent.
    moves : str
        ``"both"`` meet in the middle, or rim ``"one"`` or ``"two"`` goes to the other, which stays to the last bit.

    Returns
    -------
    Mesh
        Elements that do not touch the rims keep ids, nodes and every bit.

    Raises
    ------
    Refusal
        If both points are nearest to the same rim, a rim is not closed, the rims are too far apart, or sewing them
        would make facets cross or turn over.

    Notes
    -----
    The rims are laid on each other place by place; O(k) in their nodes.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> turn = np.arange(12) * np.pi / 6
    >>> ring = np.column_stack([np.cos(turn), np.sin(turn), 0 * turn])
    >>> k, a = np.arange(12), (np.arange(12) + 1) % 12
    >>> wall = np.concatenate([np.column_stack([k, a, a + 12]), np.column_stack([k, a + 12, k + 12])])
    >>> low = oddseam.Mesh.from_triangles(np.concatenate([ring, ring + (0, 0, 1)]), wall, unit="mm")
    >>> high = low.replaced(nodes=low.nodes + (0, 0, 1.05))
    >>> pipe = oddseam.stitch(oddseam.combine(low, other=high), one=(1, 0, 1), two=(1, 0, 1.05))
    >>> pipe.n_nodes, oddseam.prove(pipe).rims
    (36, 2)
    """
    if moves not in SIDES:
        raise Refusal(f"moves {moves!r} is none of {', '.join(SIDES)}")
    c = mesh.connectivity
    rims = [rim.nodes.astype(np.int64) for rim in c.rims if rim.closed]
    if len(rims) < 2:
        raise Refusal(f"the mesh has {len(rims)} closed rim(s); two are needed")
    first = int(np.argmin([np.linalg.norm(mesh.nodes[its] - np.array(one), axis=1).min() for its in rims]))
    places = mesh.nodes[rims[first]] if two is None else np.array([two])
    away = np.array([_gap(places, mesh.nodes[its]) for its in rims])
    if two is None:
        away[first] = np.inf
    second = int(np.argmin(away))
    if first == second:
        raise Refusal("both points are nearest to the same rim")
    loops = [rims[first], rims[second]]
    extent = min(float(np.linalg.norm(np.ptp(mesh.nodes[loop], axis=0))) for loop in loops)
    most = 0.5 * extent if within is None else within
    fold = paired(mesh.nodes, loops[0], loops[1], most) if len(loops[0]) == len(loops[1]) else None
    if fold is None:
        steps = [np.linalg.norm(np.diff(mesh.nodes[loop], axis=0), axis=1).mean() for loop in loops]
        fold = folded(mesh.nodes, loops, most, snap=_SNAP * float(min(steps)))
    if fold is None:
        gap = max(float(_gap(mesh.nodes[a], mesh.nodes[b])) for a, b in (loops, loops[::-1]))
        raise Refusal(
            f"the rims are {gap:.4g} apart somewhere, more than {most:.4g}; say `within` to sew them all the same"
        )
    place = point_of(mesh.nodes[loops[0]].mean(axis=0))
    seam = Small("seam", fold.width, fold.length, place, "", np.unique(fold.ends), fold)
    stays = {"both": np.zeros(0, np.int64), "one": loops[1], "two": loops[0]}[moves]
    made = merge(mesh, [seam], set(), most, rims=True, stays=stays)
    if made.refused:
        raise Refusal(f"the rims at {point_text(place)} cannot be sewn: {made.refused[0]}")
    faults = worse(made.mesh, mesh)
    if faults or len(made.turned):
        why = "; ".join(faults) or f"{len(made.turned)} elements would be turned over"
        raise Refusal(f"the rims at {point_text(place)} cannot be sewn: {why}")
    added = made.mesh.n_elements - mesh.n_elements
    done = (
        Step("sew", len(fold.ends), made.move, f"places, up to {fold.width:.4g} apart", (place,)),
        Step("split", added, 0.0, "more elements, where one side had no node"),
    )
    return made.mesh, Outcome(done)


def _gap(one: Array, two: Array) -> float:
    """How far the farthest node of a loop is from the nodes of another."""
    return float(np.linalg.norm(one[:, None] - two[None], axis=2).min(axis=1).max())
