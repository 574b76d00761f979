"""Two meshes in one, and borders of it sewn together node for node."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.model import KINDS, Elements, Groups, Mesh, Part, Patches
from oddseam.model.editing import joint_creases
from oddseam.model.fresh_ids import fresh_ids, taken_ids, taken_numbers
from oddseam.model.held_back import held_back
from oddseam.model.loss import kept_shape
from oddseam.model.shape import Creases
from oddseam.progress import Progress, silent


@recorded(loss=kept_shape)
def combine(mesh: Mesh, other: Mesh, *, progress: Progress = silent) -> tuple[Mesh, Outcome]:
    """Put another mesh beside a mesh, in one; nothing is joined yet.

    Parameters
    ----------
    mesh : Mesh
        Keeps its ids, its parts and its source.
    other : Mesh
        Its ids stay where they are free, else all of them go above the highest; so do the ids of its parts.  Of a deck
        only nodes, elements, parts and groups come along: the account lists what does not.
    progress : callable, optional

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
        raise Refusal(f"one mesh is in {mesh.unit}, the other in {other.unit}; `convert` takes them to one")
    n = mesh.n_nodes
    node_ids = _free(mesh, "node", other.node_ids)
    element_ids = _free(mesh, "element", other.element_ids)
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
        parts=(*mesh.parts, *_renamed(mesh, other.parts)),
        groups=_both(mesh.groups, other.groups, order_one, order_two, n),
        creases=joint_creases(mesh.creases, moved),
        patches=patches,
    )
    step = Step("combine", other.n_elements, 0.0, f"elements, {other.n_nodes:,} nodes")
    return new, Outcome((step,), tuple(held_back(other)))


def _free(mesh: Mesh, what: str, ids: Array) -> Array:
    """Ids that are free in a mesh: as they are, or all of them moved by one number to where they are."""
    if not np.isin(ids, taken_ids(mesh, what)).any():
        return ids
    low = int(ids.min())
    return ids + int(fresh_ids(mesh, what, int(ids.max()) - low + 1)[0]) - low


def _renamed(mesh: Mesh, parts: tuple[Part, ...]) -> list[Part]:
    """Parts with ids and names that are free, and materials whose ids are free or mean the same."""
    numbers, names = taken_numbers(mesh, "property"), {part.name for part in mesh.parts}
    same = {part.material.id: part.material for part in mesh.parts if part.material is not None}
    materials, renumbered = taken_numbers(mesh, "material"), dict[int, int]()
    found = []
    for part in parts:
        number, name, count = part.id, part.name, 1
        while number in numbers:
            number = max(numbers) + 1
        while name in names:
            count += 1
            name = f"{part.name} ({count})"
        material = part.material
        if material is not None and same.get(material.id) != material:
            if material.id not in renumbered:
                free = material.id if material.id not in materials else max(materials) + 1
                materials.add(free)
                renumbered[material.id] = free
            material = dataclasses.replace(material, id=renumbered[material.id])
        numbers.add(number)
        names.add(name)
        found.append(dataclasses.replace(part, id=number, name=name, material=material))
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
