"""Creases drawn, taken out, tidied up and named."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.editing.lines.chosen_creases import Which, chosen_creases
from oddseam.errors import Refusal
from oddseam.features.edges.chains import creases_of
from oddseam.features.edges.drawing import drawn
from oddseam.features.edges.tidying import tidied
from oddseam.features.patches.bounding import with_creases
from oddseam.findings.classes.finding import point_of
from oddseam.inputs import IdsLike, PointsLike
from oddseam.model import Creases, Groups, Mesh
from oddseam.progress import Progress, silent


@recorded()
def make_creases(
    mesh: Mesh,
    *,
    nodes: IdsLike | Sequence[IdsLike] | None = None,
    through: PointsLike | Sequence[PointsLike] | None = None,
    erase: Which | Sequence[str] | None = None,
    gaps: float = 0.0,
    stubs: float = 0.0,
    loops: float = 0.0,
    even: bool = False,
    names: Mapping[str, str] | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Draw, erase, tidy up and name creases; the command lists them too.

    It is done in this order, whatever of it is asked for.  Patches are split and joined as the creases bound them.
    Remeshing finds edges that turn by more than its own angle again: give it ``crease=179`` if the creases of the mesh
    are to be all.

    Parameters
    ----------
    mesh : Mesh
        With creases, see ``find_features``; to draw the first none are needed.
    nodes : sequence of int, or several, optional
        Draw a crease along nodes with these ids; between two that no edge joins it takes the shortest way along edges.
    through : sequence of (x, y, z), or several, optional
        Draw a crease through these points, straight across facets, which are split.  It runs in the plane that holds
        two points and the normal of the surface; where it comes near to a node it goes through that.
    erase : int, str or (x, y, z), or several, optional
        Take creases out: a chain by its number in ``list_creases``, several (``"3, 7-9"``), a kind
        (``"recognised"``), the edges of a pick (``"box (0, 0, 0) (9, 9, 9)"``), or the chain that is nearest to a
        point.
    gaps : float
        An end in the open is led on, along edges of the mesh, to a crease that is not farther than this; so are the
        two ends of a loop that is nearly closed.
    stubs : float
        Chains that end in the open and are shorter go.
    loops : float
        Closed chains that are shorter go.
    even : bool
        Whether chains that go to and fro like the teeth of a saw are led along the shortest edges near by, where they
        are no creases by angle.  Where no edges lead straighter that is noted (draw one across facets there).
    names : mapping of str to str, optional
        Name creases, given as for ``erase``: a group of their nodes, which lasts through remeshing and is written to
        decks; what was in a group of that name before goes.
    progress : callable, optional

    Raises
    ------
    Refusal
        If the mesh has no creases, or not these; a node is unknown, there is no way, or a line meets a rim or an edge
        of more than two facets; a length is negative, or a name empty.
    PickError
        If what is to be erased or named is neither a number, a kind, nor a pick.

    Notes
    -----
    Linear in the size of the mesh for each point, and in the facets on the way.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 9, 0]]
    >>> sheet = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [0, 2, 3]], unit="mm")
    >>> drawn = oddseam.make_creases(sheet, through=[(9, 3, 0), (3, 9, 0)], names={"1": "lip"})
    >>> len(drawn.creases.edges), drawn.n_elements, list(drawn.groups.nodes)
    (2, 6, ['lip'])
    """
    new, done = mesh, []
    for ids in _chains(nodes, int):
        new, outcome = drawn(new, ids, None)
        done.append(outcome)
    for points in _chains(through, tuple):
        new, outcome = drawn(new, None, points)
        done.append(outcome)
    for which in _several(erase):
        new, outcome = _without(new, which)
        done.append(outcome)
    if gaps or stubs or loops or even:
        new, outcome = tidied(new, gaps, stubs, loops, even)
        done.append(outcome)
    for which, name in (names or {}).items():
        new, outcome = _named(new, which, name)
        done.append(outcome)
    if not done:
        creases_of(mesh)
    return new, Outcome(
        tuple(step for one in done for step in one.steps), tuple(note for one in done for note in one.notes)
    )


def _chains(given: Any, of: type) -> list[Any]:
    """One chain of ids (``int``) or points (``tuple``), or several, as a list of chains."""
    if given is None:
        return []
    is_one = not given or (isinstance(given[0], of) and not isinstance(_first(given[0]), tuple))
    return [given] if is_one else list(given)


def _first(of: Any) -> Any:
    return of[0] if isinstance(of, tuple) and of else None


def _several(which: Which | Sequence[str] | None) -> list[Which]:
    """What stands for creases, as a list."""
    if isinstance(which, tuple) and all(isinstance(one, str) for one in which):
        return list(which)
    return [] if which is None else [which]  # type: ignore[list-item]  # texts are told apart above


def _without(mesh: Mesh, which: Which) -> tuple[Mesh, Outcome]:
    """The mesh without some creases."""
    creases, gone = creases_of(mesh), chosen_creases(mesh, which)
    new = with_creases(mesh, Creases(creases.edges[~gone], creases.kind[~gone]), creases)
    ends = mesh.nodes[creases.edges[gone]]
    length = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum())
    places = (point_of(ends[0].mean(axis=0)),)
    return new, Outcome((Step("erase", int(gone.sum()), 0.0, f"edges, {length:.6g} long", places),), (), ())


def _named(mesh: Mesh, which: Which, name: str) -> tuple[Mesh, Outcome]:
    """The mesh with a group of the nodes of some creases."""
    if not name.strip():
        raise Refusal("the name of the creases is empty")
    chosen = chosen_creases(mesh, which)
    members = np.unique(creases_of(mesh).edges[chosen])
    groups = mesh.groups
    new = mesh.replaced(groups=Groups({**groups.nodes, name.strip(): members}, groups.elements, groups.sides))
    return new, Outcome((Step("name", int(chosen.sum()), 0.0, f"edges, {len(members):,} nodes in {name.strip()!r}"),))
