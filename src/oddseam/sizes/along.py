"""Sizes along a crease or a rim, and inside of another mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.features.creases import sharp_pairs
from oddseam.features.curves import chains_of
from oddseam.geometry.boxtree import BoxTree
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh

#: A chain has sources so densely, over its size.
_STEP = 0.5


@dataclass(frozen=True)
class Line:
    """A size, or a number of elements, along the crease or rim that is nearest to a point.

    Parameters
    ----------
    near : (x, y, z)
    size : float, optional
        Edge length along it.
    elements : int, optional
        Instead: about so many edges along all of it, from one end to the other or once round (within 2 %; more where
        the chord of ``remesh`` asks for more).

    Raises
    ------
    Refusal
        If not one of both is given, or it is not positive.

    Examples
    --------
    >>> import oddseam
    >>> oddseam.Line((0, 0, 9), elements=24).elements
    24
    """

    near: tuple[float, float, float]
    size: float | None = None
    elements: int | None = None

    def __post_init__(self) -> None:
        if (self.size is None) == (self.elements is None):
            raise Refusal("a line has a size or a number of elements, one of both")
        value = self.size if self.size is not None else self.elements
        if len(self.near) != 3 or not np.isfinite(self.near).all():
            raise Refusal(f"a line is near to a point of three numbers, not {self.near}")
        if value is None or not 0 < value < np.inf:
            raise Refusal(f"{'size' if self.size is not None else 'elements'} {value} of a line is not positive")


def sources_along(mesh: Mesh, line: Line, crease: float) -> tuple[Array, Array]:
    """Places along the chain that is nearest to the point of a line, and sizes there.

    Chains are of creases of the mesh, of edges that turn by more than an angle, and of rims; they end where other
    than two of these meet.
    """
    c = mesh.connectivity
    edges = [c.edges[c.is_free]]
    if mesh.creases is not None:
        edges.append(mesh.creases.edges)
    t = mesh.triangulation
    vectors = area_vectors(mesh.nodes[t.triangles])
    normal: Array = np.column_stack(
        [np.bincount(t.element, vectors[:, d], minlength=mesh.n_elements) for d in range(3)]
    )
    area = np.linalg.norm(normal, axis=1)
    normal = (normal / np.where(area > 0, area, 1.0)[:, None])[mesh.faces.element]
    edges.append(c.edges[c.pair_edges[sharp_pairs(normal, c.face[c.pairs], c.pair_agrees, crease)]])
    every = np.unique(np.sort(np.concatenate(edges), axis=1), axis=0)
    if not len(every):
        raise Refusal("there is no crease and no rim that a size could be given along")
    degree = np.bincount(every.ravel(), minlength=mesh.n_nodes)
    chain = chains_of(every, degree != 2)
    tree = BoxTree(mesh.nodes[every[:, [0, 1, 1]]])
    _, row = tree.closest(np.array([line.near], float))
    its = mesh.nodes[every[chain == chain[tree.order[row[0]]]]]
    length = np.linalg.norm(its[:, 1] - its[:, 0], axis=1)
    if not length.sum() > 0:
        raise Refusal(f"the crease nearest to {point_text(line.near)} has no length")
    wanted = line.size if line.size is not None else float(length.sum()) / float(line.elements or 1)
    points = []
    for (a, b), long in zip(its, length.tolist(), strict=True):
        count = max(int(np.ceil(long / (_STEP * wanted))), 1)
        points.append(a + (np.arange(count + 1) / count)[:, None] * (b - a))
    found = np.concatenate(points)
    return found, np.full(len(found), wanted)
