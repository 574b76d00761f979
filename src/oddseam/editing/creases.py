"""Creases taken out and named: chains by the numbers of their list, by kind, place, or a pick."""

from __future__ import annotations

import re

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import PickError, Refusal
from oddseam.features.bounding import with_creases
from oddseam.features.chains import creases_of, numbered_chains
from oddseam.findings.finding import point_of
from oddseam.geometry.boxtree import BoxTree
from oddseam.inputs import PointLike
from oddseam.model import Creases, Groups, Mesh
from oddseam.model.shape import CREASE_KINDS
from oddseam.picks import pick

#: What stands for creases: numbers or ranges, one of the kinds, a point, or a pick of edges.
Which = int | str | PointLike

_NUMBERS = re.compile(r"\d+(\s*-\s*\d+)?(\s*,\s*\d+(\s*-\s*\d+)?)*")


@recorded("erase crease")
def erase_crease(mesh: Mesh, which: Which) -> tuple[Mesh, Outcome]:
    """Take creases out of the network.

    Parameters
    ----------
    mesh : Mesh
        With creases, see ``find_features``.
    which : int, str or (x, y, z)
        A chain by its number in ``list_creases``, several (``"3, 7-9"``), a kind (``"recognised"``), the edges of a
        pick (``"box (0, 0, 0) (9, 9, 9)"``), or the chain that is nearest to a point.

    Returns
    -------
    Mesh
        Patches that they parted are one.  Remeshing finds edges that turn by more than its own angle again: give it
        ``crease=179`` if the creases of the mesh are to be all.

    Raises
    ------
    Refusal
        If the mesh has no creases, or not these.
    PickError
        If what is said is neither a number, a kind, nor a pick.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> without = oddseam.erase_crease(oddseam.find_features(corner), (1, 0, 0))
    >>> len(without.creases.edges), len(without.patches.table)
    (5, 3)
    """
    creases, gone = creases_of(mesh), chosen_creases(mesh, which)
    new = with_creases(mesh, Creases(creases.edges[~gone], creases.kind[~gone]), creases)
    ends = mesh.nodes[creases.edges[gone]]
    length = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum())
    places = (point_of(ends[0].mean(axis=0)),)
    return new, Outcome((Step("erase", int(gone.sum()), 0.0, f"edges, {length:.6g} long", places),), (), ())


@recorded("name crease")
def name_crease(mesh: Mesh, which: Which, name: str) -> tuple[Mesh, Outcome]:
    """Give creases a name: a group of their nodes, which lasts through remeshing and is written to decks.

    Parameters
    ----------
    mesh : Mesh
        With creases, see ``find_features``.
    which : int, str or (x, y, z)
        As for ``erase_crease``.
    name : str
        Of the group; what was in it before goes.

    Raises
    ------
    Refusal
        If the mesh has no creases, or not these, or the name is empty.
    PickError
        If what is said is neither a number, a kind, nor a pick.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> named = oddseam.name_crease(oddseam.find_features(corner), (1, 0, 0), "foot")
    >>> named.groups.nodes["foot"].tolist()
    [0, 1]
    """
    if not name.strip():
        raise Refusal("the name of the creases is empty")
    chosen = chosen_creases(mesh, which)
    members = np.unique(creases_of(mesh).edges[chosen])
    groups = mesh.groups
    new = mesh.replaced(groups=Groups({**groups.nodes, name.strip(): members}, groups.elements, groups.sides))
    return new, Outcome((Step("name", int(chosen.sum()), 0.0, f"edges, {len(members):,} nodes in {name.strip()!r}"),))


def chosen_creases(mesh: Mesh, which: Which) -> Array:
    """(k,) bool: the crease edges that a number, numbers such as ``"3, 7-9"``, a kind, a point or a pick stand for.

    Raises
    ------
    Refusal
        If there are no creases, or none of these.
    PickError
        If what is no number, kind or point is no pick either.
    """
    creases = creases_of(mesh)
    if isinstance(which, tuple):
        tree = BoxTree(mesh.nodes[creases.edges[:, [0, 1, 1]]])
        _, row = tree.closest(np.array([which], float))
        number, _ = numbered_chains(mesh)
        return np.asarray(number == number[tree.order[row[0]]])
    text = str(which).strip()
    if _NUMBERS.fullmatch(text):
        number, lengths = numbered_chains(mesh)
        found = np.zeros(len(number), bool)
        for word in text.split(","):
            first, last = (int(k) for k in (word.split("-") * 2)[:2])
            if not 1 <= first <= last <= len(lengths):
                raise Refusal(f"there are no creases {word.strip()}; the list has 1 to {len(lengths):,}")
            found |= (number >= first) & (number <= last)
        return found
    if text in CREASE_KINDS:
        found = creases.kind == CREASE_KINDS.index(text)
        if not found.any():
            raise Refusal(f"there are no creases of the kind {text!r}")
        return np.asarray(found)
    edges = mesh.connectivity.edges[pick(mesh, text, of="edges")]
    key = edges[:, 0].astype(np.int64) * mesh.n_nodes + edges[:, 1]
    found = np.isin(creases.edges[:, 0].astype(np.int64) * mesh.n_nodes + creases.edges[:, 1], key)
    if not found.any():
        raise PickError(f"pick {text!r} selects edges, but no crease")
    return np.asarray(found)
