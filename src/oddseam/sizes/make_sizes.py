"""Making a size field for a mesh from a few rules."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.findings.classes.across import INWARD, OUTWARD, Across
from oddseam.inputs import PointLike, checked
from oddseam.model import Mesh
from oddseam.model.prove import prove
from oddseam.progress import Progress, silent
from oddseam.sizes.along import chain_length, chains_along, nearest_chain, round_chains, sources_along
from oddseam.sizes.curvature import largest_curvature
from oddseam.sizes.field import Counted, SizeField
from oddseam.sizes.zones import Body, Zone

#: Facets are sampled so densely, over the size wanted on them.
_STEP = 0.7
#: A facet is cut in no more pieces along an edge.
_MOST = 256


@checked
def make_sizes(
    mesh: Mesh,
    *,
    base: float,
    smallest: float | None = None,
    gradation: float = 0.35,
    per_turn: float | None = None,
    across: float | None = None,
    patch_sizes: Mapping[str, float] | None = None,
    part_sizes: Mapping[str, float] | None = None,
    zones: Sequence[Zone] = (),
    along: Mapping[PointLike, float] | None = None,
    elements_along: Mapping[PointLike, int] | None = None,
    elements_round: int | None = None,
    within: Sequence[tuple[Mesh, float]] = (),
    crease: float = 30.0,
    progress: Progress = silent,
) -> SizeField:
    """Make a size field: by curvature, walls, patches, parts and zones.

    Every rule asks for a size somewhere; the smallest counts, and away from it the size grows.

    Parameters
    ----------
    mesh : Mesh
        With tri or quad elements.
    base : float
        Largest size, in the unit of the mesh.
    smallest : float, optional
        Curvature and walls ask for no less; a hundredth of the base by default.
    gradation : float
        By how much the size grows, over the distance.
    per_turn : float, optional
        Elements round a full turn of curved surface.
    across : float, optional
        Elements across a wall or a gap; they are seen from the middles of facets.
    patch_sizes, part_sizes : mapping of str to float, optional
        Sizes on named patches and parts.
    zones : tuple of Zone
        Places with a size of their own.
    along : mapping of (x, y, z) to float, optional
        Sizes along creases and rims, by the point that each is nearest to.
    elements_along : mapping of (x, y, z) to int, optional
        Instead: so many elements along all of it, from one end to the other or once round, whatever the chord of
        ``remesh`` and finer rules ask for there; one at least between its corners, and no fewer than the size there
        asks for (nodes that lie closer than it already are joined no further).
    elements_round : int, optional
        Elements round every round rim and every end of a bore or pin; ``along`` and ``elements_along`` count instead
        where they say something.
    within : sequence of (Mesh, float)
        Closed meshes, and the size inside of each, on the surface or off it.
    crease : float
        Edges sharper than this many degrees are creases, not curvature.
    progress : callable, optional

    Returns
    -------
    SizeField

    Raises
    ------
    Refusal
        If a number makes no sense, or there is no patch or part of that name.

    Notes
    -----
    About linear in the facets, and in the elements that the field asks for.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> field = oddseam.make_sizes(corner, base=0.5, zones=(oddseam.Zone("sphere", (2, 0, 0, 0.2), size=0.1),))
    >>> field.at([[2, 0, 0], [0, 2, 0]])
    array([0.1, 0.5])
    """
    for name, value in (("smallest", smallest), ("per_turn", per_turn), ("across", across)):
        if value is not None and not value > 0:
            raise Refusal(f"{name} {value} is not positive")
    if elements_round is not None and elements_round < 3:
        raise Refusal(f"{elements_round} elements cannot go round: at least three are needed")
    field = SizeField(base, gradation, tuple(zones), bodies=tuple(_body(*its) for its in within))
    least = 0.01 * base if smallest is None else smallest
    t = mesh.triangulation
    corners = mesh.nodes[t.triangles]
    if per_turn is not None:
        progress("measuring curvature", 0.1)
        drawn = mesh.creases.edges if mesh.creases is not None else None
        curvature = largest_curvature(mesh.nodes, t.triangles, crease, drawn)
        with np.errstate(divide="ignore"):
            wanted = np.clip(2.0 * np.pi / (per_turn * curvature), least, base)
        field = field.finer(*_spread(corners, wanted))
    if across is not None:
        progress("measuring walls and gaps", 0.5)
        field = field.finer(*_across(mesh, across, least))
    label = None if mesh.patches is None else mesh.patches.label
    names = [] if mesh.patches is None else [patch.name for patch in mesh.patches.table]
    for which, rules, of_element, known in (
        ("patch", patch_sizes, label, names),
        ("part", part_sizes, mesh.element_part, [part.name for part in mesh.parts]),
    ):  # fmt: skip
        for name, value in (rules or {}).items():
            if name not in known or of_element is None:
                raise Refusal(f"there is no {which} {name!r}; there are {', '.join(known) or 'none'}")
            if not value > 0:
                raise Refusal(f"size {value} of {which} {name!r} is not positive")
            its = corners[of_element[t.element] == known.index(name)]
            field = field.finer(*_spread(its, np.full((len(its), 3), value)))
    if along or elements_along or elements_round is not None:
        field = _along(mesh, field, along or {}, elements_along or {}, elements_round, crease)
    progress("done", 1.0)
    return field


def _body(mesh: Mesh, value: float) -> Body:
    """What lies inside of a closed mesh, with a size."""
    if not value > 0:
        raise Refusal(f"size {value} inside of a mesh is not positive")
    if not prove(mesh).is_closed:
        raise Refusal("the mesh that a size is to hold inside of is not closed; `oddseam mend` closes it")
    return Body(mesh.nodes[mesh.triangulation.triangles], value)


def _along(
    mesh: Mesh,
    field: SizeField,
    sizes: Mapping[PointLike, float],
    numbers: Mapping[PointLike, int],
    elements_round: int | None,
    crease: float,
) -> SizeField:
    """The field with sizes and numbers of elements along creases and rims; of several for one the last counts."""
    for what, values in (("size", sizes), ("number of elements", numbers)):
        for at, value in values.items():
            if not value > 0:
                raise Refusal(f"the {what} {value} along the crease nearest to {point_text(at)} is not positive")
    chains = chains_along(mesh, crease)
    asked: list[tuple[Array, Any, int | None]] = []
    asked += [] if elements_round is None else [(ends, None, elements_round) for ends in round_chains(chains)]
    if elements_round is not None and not asked:
        raise Refusal("there is no round rim and no round crease that a number of elements could be given round")
    asked += [(nearest_chain(chains, at), size, None) for at, size in sizes.items()]
    asked += [(nearest_chain(chains, at), None, count) for at, count in numbers.items()]
    counted: dict[bytes, Counted] = {}
    for ends, size, elements in asked:
        if elements is not None:
            counted[ends.tobytes()] = Counted(ends, elements)
        field = field.finer(*sources_along(ends, size if elements is None else chain_length(ends) / elements))
    return dataclasses.replace(field, counted=tuple(counted.values()))


def _spread(corners: Array, sizes: Array) -> tuple[Array, Array]:
    """Places on triangles (m, 3, 3), about as dense as the sizes at their corners (m, 3) are small, and sizes there."""
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1, initial=0.0)
    pieces = np.clip(np.ceil(longest / (_STEP * sizes.min(axis=1, initial=np.inf))), 1, _MOST).astype(np.int64)
    points, values = [], []
    for count in np.unique(pieces).tolist():
        its = pieces == count
        i, j = (w.ravel() for w in np.meshgrid(np.arange(count + 1), np.arange(count + 1), indexing="ij"))
        i, j = i[i + j <= count], j[i + j <= count]
        share = np.column_stack([i, j, count - i - j]) / count
        points.append(np.einsum("sk,mkd->msd", share, corners[its]).reshape(-1, 3))
        values.append((sizes[its] @ share.T).ravel())
    return (np.concatenate(points), np.concatenate(values)) if points else (np.zeros((0, 3)), np.zeros(0))


def _across(mesh: Mesh, count: float, least: float) -> tuple[Array, Array]:
    """Sources on facets with a wall behind or a gap before them."""
    across = Across(mesh)
    points, sizes = [], []
    for sense in (INWARD, OUTWARD):
        facet, distance, _ = across.pairs(sense)
        wanted = np.maximum(distance / count, least)
        its_points, its_sizes = _spread(mesh.nodes[across.triangles[facet]], np.repeat(wanted[:, None], 3, axis=1))
        points.append(its_points)
        sizes.append(its_sizes)
    return np.concatenate(points), np.concatenate(sizes)
