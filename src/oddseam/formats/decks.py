"""What the solver decks have in common: reals in few characters, properties, and what changed."""

from __future__ import annotations

import dataclasses
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.errors import Refusal
from oddseam.model import KINDS, Mesh
from oddseam.model.source import NODE, Records

#: Where our local nodes stand in formats that put the middles of the upright edges before those of the top.
WEDGE_ORDER = (*range(9), 12, 13, 14, 9, 10, 11)
HEX_ORDER = (*range(12), 16, 17, 18, 19, 12, 13, 14, 15)


@dataclass(frozen=True)
class Care:
    """What is done in a deck that is written beyond what changed.

    Attributes
    ----------
    carry_loads : bool
        Whether pressures go to the new elements that lie where loaded ones were.
    trim_references : bool
        Whether what cards name that is gone is taken out of them, and sets get what came in its place.
    """

    carry_loads: bool = False
    trim_references: bool = False


#: Nothing of that.
PLAIN = Care()


def changed_nodes(mesh: Mesh, records: Records | None, as_read: Array | None) -> Array:
    """(n,) bool: nodes that have no record, or are not where their record says (``as_read``)."""
    if records is None or as_read is None or not len(as_read):
        return np.ones(mesh.n_nodes, bool)
    row, missing = IdIndex(records.key[records.role == NODE]).of(mesh.node_ids)
    return np.asarray(missing | (as_read[row] != mesh.nodes).any(axis=1))


def rounded_nodes(mesh: Mesh, changed: Array, width: int) -> Mesh:
    """The mesh with the changed nodes as so many characters hold them."""
    nodes = mesh.nodes.copy()
    for row in np.flatnonzero(changed).tolist():
        nodes[row] = [float(real_text(x, width)) for x in mesh.nodes[row].tolist()]
    return mesh if (nodes == mesh.nodes).all() else dataclasses.replace(mesh, nodes=nodes)


def check_properties(mesh: Mesh, path: Path, kinds: Collection[str], known: Collection[int]) -> None:
    """Refuse parts that a solver would refuse: shells without thickness, anything without material.

    Parts that are as they came with the deck, and those whose property it carries (``known``),
    are taken as they are.
    """
    came = mesh.source.parts if mesh.source is not None and mesh.is_deck else ()
    shells, used = np.zeros(len(mesh.parts), bool), np.zeros(len(mesh.parts), bool)
    for kind, block in mesh.elements.items():
        used[block.part] |= kind in kinds
        shells[block.part] |= KINDS[kind].dimension == 2
    for part, is_used, has_shells in zip(mesh.parts, used.tolist(), shells.tolist(), strict=True):
        if not is_used or part in came or (part.id in known and part.thickness is None):
            continue
        if has_shells and part.thickness is None:
            raise Refusal(
                f"{path}: part {part.name!r} has no thickness, and a solver would refuse the deck; "
                "give --thickness, --young and --poisson (in Python: oddseam.assign_property)"
            )
        material = part.material
        if part.id not in known and (material is None or material.young is None or material.poisson is None):
            raise Refusal(
                f"{path}: part {part.name!r} has no material; give --young and --poisson "
                "(in Python: oddseam.assign_property)"
            )


def check_ids(mesh: Mesh, path: Path, most: int) -> None:
    """Refuse ids that a deck has no room for."""
    for what, ids in (("node", mesh.node_ids), ("element", mesh.element_ids)):
        if len(ids) and (ids.min() < 1 or ids.max() > most):
            bad = int(ids.max() if ids.max() > most else ids.min())
            raise Refusal(f"{path}: {what} id {bad} is outside 1 to {most}, which is all that a deck holds")


def real_text(value: float, width: int) -> str:
    """The value in at most ``width`` characters, with as many digits as fit.

    Sixteen characters hold every single-precision value, and a double to ten digits at least.
    """
    value = value + 0.0
    shortest = repr(value)
    if len(shortest) <= width + 1:  # a leading zero, or a zero in the exponent, may go
        shortest = _with_point(shortest)
        if len(shortest) <= width:
            return shortest
    whole = len(f"{value:.0f}")
    fixed = f"{value:.{width - whole - 1}f}" if whole < width else ""
    if fixed and "." not in fixed:
        fixed += "."
    if fixed.startswith("0."):  # a leading zero may go, which leaves room for one more digit
        fixed = f"{value:.{width - 1}f}"[1:]
    elif fixed.startswith("-0."):
        fixed = "-" + f"{value:.{width - 2}f}"[2:]
    if fixed and abs(value) > 1e-3:
        return fixed
    for digits in range(width - 2, -1, -1):
        text = _with_point(f"{value:.{digits}E}")
        if len(text) <= width:
            return text
    return fixed


def _with_point(text: str) -> str:
    """With a decimal point, as the format wants, and a short exponent."""
    mantissa, mark, exponent = text.upper().partition("E")
    if "." not in mantissa:
        mantissa += "."
    if mantissa.startswith("0.") and mantissa != "0.":
        mantissa = mantissa[1:]
    elif mantissa.startswith("-0.") and mantissa != "-0.":
        mantissa = "-" + mantissa[2:]
    return f"{mantissa}E{int(exponent)}" if mark else mantissa
