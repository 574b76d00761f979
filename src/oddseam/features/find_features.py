"""Creases and patches of a mesh: what an engineer sees in it."""

from __future__ import annotations

import dataclasses

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.features.edges.leftovers import with_leftovers
from oddseam.features.edges.noise import decimal_step, estimate_noise
from oddseam.features.edges.ridges import find_ridges
from oddseam.features.patches.borders import with_borders_that_count
from oddseam.features.patches.recognition import Recognised, recognised, regions_of
from oddseam.geometry.edge_keys import edges_among
from oddseam.geometry.shapes.primitives import LEAST_POINTS, Primitive
from oddseam.geometry.triangles import area_vectors, corner_pairs, numbered_edges, turn_angles
from oddseam.model import Creases, Mesh, Patch, Patches
from oddseam.model.connectivity import label_components
from oddseam.model.shape import CREASE_KINDS
from oddseam.progress import Progress, silent

#: Surfaces are sought exactly first: this over the diagonal, or so many units in the last place of single precision.
_EXACT, _ULPS = 1e-7, 4.0
#: Where that explains this share of the area there is no noise; else it is estimated, ...
_EXPLAINED = 0.9
#: ... and taken so many times; where it cannot be, these are tried, over the diagonal.
_MARGIN, _LEVELS = 1.3, (1e-6, 1e-5, 1.5e-4)
#: Nodes whose coordinates were rounded to a step are off by this share of it: half of it along every axis at most.
_ROUNDED = 0.5
#: What round surfaces become by that is flat strips, exactly: if there are so many surfaces, and with that noise no
#: more than this share of them, it is that.
_MANY, _SIMPLER = 12, 0.5
#: It is reckoned with once more if it turns out to be less than this share of what was taken.
_FINER = 0.85
#: ... unless that loses this share of the area.
_LOST = 0.01


@dataclasses.dataclass(frozen=True, eq=False)
class _Skin:
    """Triangles of a mesh, the facet across each of their edges, and where that is a crease by angle."""

    nodes: Array
    triangles: Array
    across: Array
    smooth: Array
    area: Array


@recorded()
def find_features(
    mesh: Mesh, *, crease: float = 30.0, ridge: float = 5.0, noise: float | None = None, progress: Progress = silent
) -> tuple[Mesh, Outcome]:
    """Find creases and patches: planes, cylinders and so on.

    Creases are edges where the surface turns by more than an angle; borders of planes, cylinders, cones, spheres
    and tori, tangent ones too; and ridges and valleys of small angle on free-form surface.  Noise of the nodes
    and the steps of a tessellation are not creases.  Patches are what lies between.  Creases that were drawn, or where
    surfaces crossed, are kept; those found earlier are found anew.

    Parameters
    ----------
    mesh : Mesh
        With tri or quad elements.
    crease : float
        Edges sharper than this many degrees are creases.
    ridge : float
        Least angle in degrees of a ridge on free-form surface.
    noise : float, optional
        Standard deviation of the nodes, in the unit of the mesh; it is estimated if not given.
    progress : callable, optional

    Returns
    -------
    Mesh
        With ``creases`` and ``patches``; remeshing and coarsening keep them.

    Raises
    ------
    Refusal
        If there is no surface, or an angle makes no sense.

    Notes
    -----
    About O(n log n).  See :mod:`oddseam.features.patches.recognition` and :mod:`oddseam.features.edges.ridges` for the
    methods and their literature.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> turn = np.arange(24) * np.pi / 12
    >>> ring = np.column_stack([np.cos(turn), np.sin(turn)])
    >>> nodes = np.concatenate([np.column_stack([ring, np.full(24, z)]) for z in (0.0, 3.0)])
    >>> k, a = np.arange(24), (np.arange(24) + 1) % 24
    >>> pipe = np.concatenate([np.column_stack([k, a, a + 24]), np.column_stack([k, a + 24, k + 24])])
    >>> found = oddseam.find_features(oddseam.Mesh.from_triangles(nodes, pipe, unit="mm"))
    >>> [(patch.kind, round(patch.radius, 6)) for patch in found.patches.table], len(found.creases.edges)
    ([('cylinder', 1.0)], 0)
    """
    for name, angle in (("crease", crease), ("ridge", ridge)):
        if not 0 < angle < 180:
            raise Refusal(f"{name} {angle} is not between 0 and 180 degrees")
    if noise is not None and not 0 <= noise <= mesh.diagonal:
        raise Refusal(f"noise {noise:g} is not a distance within the part, which is {mesh.diagonal:.4g} across")
    t = mesh.triangulation
    if not len(t.triangles):
        raise Refusal("the mesh has no surface to find features of; `oddseam skin` takes that of solids")
    progress("finding neighbours", 0.0)
    skin = _skin(mesh.nodes, t.triangles, crease)
    progress("recognising surfaces", 0.1)
    found, used = _surfaces(skin, mesh, noise)
    progress("finding ridges", 0.7)
    label = found.label
    same = (skin.smooth >= 0) & (label[np.maximum(skin.smooth, 0)] == label[:, None]) & (label >= 0)[:, None]
    border = (skin.smooth >= 0) & (label[np.maximum(skin.smooth, 0)] != label[:, None])
    anchors = np.zeros(len(mesh.nodes), bool)
    for is_crease in (skin.smooth < 0, border):
        row, side = np.nonzero(is_crease)
        anchors[skin.triangles[row, side]] = anchors[skin.triangles[row, (side + 1) % 3]] = True
    open_to_ridges = np.where(same | border, np.int32(-1), skin.smooth)
    ridges = find_ridges(skin.nodes, skin.triangles, open_to_ridges, ridge, used, anchors)
    progress("drawing patches", 0.9)
    by_angle = (skin.across >= 0) & (skin.smooth < 0)
    recognised_edges = border.copy()
    recognised_edges.reshape(-1)[ridges] = True
    creases = _creases(mesh, skin, by_angle, recognised_edges)
    patches = _patches(mesh, skin, found, creases)
    steps = (
        Step(
            "creases by angle",
            int((creases.kind == CREASE_KINDS.index("angle")).sum()),
            0.0,
            f"over {crease:g} degrees",
        ),
        Step("borders of surfaces", len(_ends(skin, border)), 0.0, f"{len(found.surfaces):,} simple surfaces"),
        Step("ridges and valleys", len(ridges), 0.0, f"edges on free-form surface, from {ridge:g} degrees on"),
        Step("patches", len(patches.table)),
    )
    progress("done", 1.0)
    notes = (
        f"nodes are assumed to be off their surfaces by {used:.3g} ({'given' if noise is not None else 'estimated'})",
    )
    return mesh.replaced(creases=creases, patches=patches), Outcome(steps, notes if used > 0 else (), ())


def with_features(mesh: Mesh, crease: float) -> Mesh:
    """The mesh, with creases and patches found if it has none."""
    return find_features(mesh, crease=crease) if mesh.creases is None else mesh


def _skin(nodes: Array, triangles: Array, crease: float) -> _Skin:
    m = len(triangles)
    _, edge, step = numbered_edges(triangles, len(nodes))
    _, a, b = corner_pairs(edge)
    agree = step.ravel()[a] + step.ravel()[b] == 0
    a, b = a[agree], b[agree]
    across = np.full(3 * m, -1, np.int32)
    across[a], across[b] = b // 3, a // 3
    vectors = area_vectors(nodes[triangles])
    sharp = turn_angles(vectors[a // 3], vectors[b // 3]) > crease
    smooth = across.copy()
    smooth[a[sharp]] = smooth[b[sharp]] = -1
    area = np.linalg.norm(vectors, axis=1)
    return _Skin(nodes, triangles, across.reshape(-1, 3), smooth.reshape(-1, 3), area)


def exact_tolerance(mesh: Mesh) -> float:
    """How far nodes may be from a surface that they are on exactly."""
    return max(_EXACT * mesh.diagonal, _ULPS * float(np.abs(mesh.nodes).max()) * float(np.finfo(np.float32).eps))


def _surfaces(skin: _Skin, mesh: Mesh, noise: float | None) -> tuple[Recognised, float]:
    """Simple surfaces, and the noise that was reckoned with."""
    exact = exact_tolerance(mesh)

    def at(tolerance: float) -> tuple[Recognised, float]:
        found = recognised(skin.nodes, skin.triangles, skin.smooth, tolerance)
        label, surfaces = with_borders_that_count(
            skin.nodes, skin.triangles, skin.smooth, found.label, found.surfaces, tolerance, tolerance > exact
        )
        rest = with_leftovers(skin.nodes, skin.triangles, skin.smooth, Recognised(label, surfaces), tolerance)
        return rest, float(skin.area[label >= 0].sum() / max(float(skin.area.sum()), 1e-300))

    if noise is not None:
        return at(max(exact, _MARGIN * noise))[0], noise
    found, share = at(exact)
    step = decimal_step(skin.nodes, skin.triangles)
    if step > 0 and (share < _EXPLAINED or len(found.surfaces) >= _MANY):
        rounded, its_share = at(_MARGIN * _ROUNDED * step)
        is_simpler = len(rounded.surfaces) <= _SIMPLER * len(found.surfaces)
        if its_share >= _EXPLAINED * share if is_simpler else its_share > share:
            return rounded, _ROUNDED * step
    if share >= _EXPLAINED:
        return found, 0.0
    estimate = estimate_noise(skin.nodes, skin.triangles, skin.smooth)
    levels = [_MARGIN * estimate] if estimate > 0 else [level * mesh.diagonal for level in _LEVELS]
    for level in levels:
        if level <= exact:
            continue
        more, its_share = at(level)
        if its_share > share and (estimate > 0 or its_share >= _EXPLAINED):
            # the distances from what was found tell the noise better
            again = _MARGIN * _scatter(skin, more)
            if exact < again < _FINER * level:
                better, share = at(again)
                if share >= its_share - _LOST:
                    return better, again / _MARGIN
            return more, level / _MARGIN
    return found, estimate if estimate > exact else 0.0


def _scatter(skin: _Skin, found: Recognised) -> float:
    """Root mean square distance of nodes to the surfaces that their facets lie on."""
    total, count = 0.0, 0
    regions = regions_of(found.label, len(found.surfaces))
    for surface, its in zip(found.surfaces, regions, strict=True):
        distance = surface.distance(skin.nodes[np.unique(skin.triangles[its])])
        total += float(distance @ distance)
        count += max(len(distance) - LEAST_POINTS[surface.kind], 0)
    return float(np.sqrt(total / max(count, 1)))


def _ends(skin: _Skin, is_crease: Array) -> Array:
    """(k, 2) nodes of edges (m, 3), each once, the lower first."""
    row, side = np.nonzero(is_crease)
    ends = np.column_stack([skin.triangles[row, side], skin.triangles[row, (side + 1) % 3]])
    return np.unique(np.sort(ends, axis=1), axis=0)


def _creases(mesh: Mesh, skin: _Skin, by_angle: Array, recognised_edges: Array) -> Creases:
    """The creases that were found, and those that were drawn before, each edge once."""
    edges, kinds = [], []
    if mesh.creases is not None:
        stays = np.isin(mesh.creases.kind, [CREASE_KINDS.index("drawn"), CREASE_KINDS.index("crossing")])
        edges.append(mesh.creases.edges[stays])
        kinds.append(mesh.creases.kind[stays])
    for kind, which in (("angle", by_angle), ("recognised", recognised_edges)):
        edges.append(_ends(skin, which))
        kinds.append(np.full(len(edges[-1]), CREASE_KINDS.index(kind), np.int8))
    every, first = np.unique(np.concatenate(edges), axis=0, return_index=True)
    return Creases(every, np.concatenate(kinds)[first])


def _patches(mesh: Mesh, skin: _Skin, found: Recognised, creases: Creases) -> Patches:
    """What hangs together without crossing a crease, the largest first."""
    m = len(skin.triangles)
    corner = np.flatnonzero(skin.across.ravel() >= 0)
    start, end = skin.triangles.ravel()[corner], np.roll(skin.triangles, -1, axis=1).ravel()[corner]
    ends = np.column_stack([np.minimum(start, end), np.maximum(start, end)])
    is_open = ~edges_among(ends, creases.edges, len(skin.nodes))
    count, patch = label_components(m, corner[is_open] // 3, skin.across.ravel()[corner[is_open]])
    area = np.bincount(patch, skin.area, minlength=count)
    order = np.argsort(-area, kind="stable")
    rank = np.empty(count, np.int64)
    rank[order] = np.arange(count)
    label = np.full(mesh.n_elements, -1, np.int32)
    element = mesh.triangulation.element
    label[element[::-1]] = rank[patch][::-1]
    surface = np.full(count, -1)
    surface[rank[patch]] = found.label
    numbers: dict[str, int] = {}
    table = [
        described(found.surfaces[surface[k]] if surface[k] >= 0 else None, float(area[order[k]]), numbers)
        for k in range(count)
    ]
    return Patches(label, tuple(table))


def described(surface: Primitive | None, area: float, numbers: dict[str, int]) -> Patch:
    """A patch on a surface, named by its kind and the next of the numbers of that."""
    kind = surface.kind if surface is not None else "free-form"
    numbers[kind] = numbers.get(kind, 0) + 1
    name = f"{kind} {numbers[kind]}"
    if surface is None:
        return Patch(name, area=area)

    def three(values: Array) -> tuple[float, float, float]:
        return float(values[0]), float(values[1]), float(values[2])

    return Patch(
        name,
        kind,
        axis=None if kind == "sphere" else three(surface.axis),
        centre=three(surface.centre),
        radius=None if kind == "plane" else surface.radius,
        tube=surface.tube if kind == "torus" else None,
        area=area,
    )
