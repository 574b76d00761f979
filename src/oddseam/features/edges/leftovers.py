"""Facets that no surface explained exactly, though as a whole they plainly belong to one.

Where something was cut, nodes lie on facets and not on the surface that these stand for; after remeshing, all nodes
of a hole do.  What is left between creases and recognised surfaces is given to a neighbour if all of it lies as near
to that surface as the neighbour's own facets do; or to a round surface of its own, if that fits it as a whole.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, distinct, for_kernels
from oddseam.features.kernels import patch_growth
from oddseam.features.patches.recognition import Recognised
from oddseam.geometry.shapes.primitives import Primitive, fit_primitive, measured_each
from oddseam.geometry.triangles import unit_normals
from oddseam.model.connectivity import label_components

#: Nodes of a piece may lie as far from a neighbouring surface as middles of edges there do, and somewhat more.
_SAG = 1.1
#: Facets of a surface are turned from it by no more degrees.
_TURN = 25.0
#: A round surface may miss a whole piece by this share of its size, in the mean, if that turns by so many degrees.
_WHOLE, _LEAST_TURN = 1e-3, 60.0
#: Kinds of those, the likeliest first: a narrow band of a cylinder or a cone is as near to a sphere.
_ROUND = ("cylinder", "cone", "sphere")
#: Kinds of surface that may fit as exactly as any.
_ANY = ("plane", *_ROUND, "torus")
#: A whole piece may miss any surface by so many tolerances.
_MORE = 1.6
#: Facets to which a surface is fitted.
_SAMPLE = 600


def with_leftovers(nodes: Array, triangles: Array, across: Array, found: Recognised, tolerance: float) -> Recognised:
    """Give pieces without a surface to a neighbour, or to a surface of their own, where they belong.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    across : (m, 3) int array
        Facet across each edge, -1 at creases.
    found : Recognised
    tolerance : float
        Root mean square distance of the nodes of a region to its surface; as a whole a piece may miss it by more.
    """
    label, surfaces = found.label.copy(), list(found.surfaces)
    if (label >= 0).all():
        return found
    m = len(triangles)
    row, beyond = np.repeat(np.arange(m), 3), across.ravel()
    both = (beyond >= 0) & (label[row] < 0) & (label[np.maximum(beyond, 0)] < 0)
    piece = label_components(m, row[both], beyond[both])[1]
    border = (beyond >= 0) & (label[row] < 0) & (label[np.maximum(beyond, 0)] >= 0)
    beside = np.unique(np.column_stack([piece[row[border]], label[beyond[border]]]), axis=0)
    every = Facets.of(nodes, triangles)
    sag = _sags(surfaces, label, nodes, triangles)
    free = np.flatnonzero(label < 0).astype(np.int32)
    order = free[np.argsort(piece[free], kind="stable")]
    first = np.flatnonzero(np.r_[True, piece[order][1:] != piece[order][:-1]])
    ends = [np.searchsorted(beside[:, 0], piece[order[first]], side) for side in ("left", "right")]
    for facets, begin, end in zip(np.split(order, first[1:]), *ends, strict=True):
        for k in beside[begin:end, 1].tolist():
            near = _SAG * sag[k] + 3.0 * _MORE * tolerance
            if every.lies_on(facets, surfaces[k], near):
                label[facets] = k
                break
        else:
            surface = every.whole_surface(facets, tolerance, begin == end)
            if surface is not None:
                label[facets] = len(surfaces)
                surfaces.append(surface)
    return Recognised(label, tuple(surfaces))


def _sags(surfaces: Sequence[Primitive], label: Array, nodes: Array, triangles: Array) -> Array:
    """How far the middles of the edges of the facets of every surface lie from it at most."""
    sag = np.zeros(len(surfaces))
    facets = np.flatnonzero(label >= 0)
    its, corners = label[facets], nodes[triangles[facets]]
    for i in range(3):
        middles = 0.5 * (corners[:, i] + corners[:, i - 1])
        np.maximum.at(sag, its, np.abs(measured_each(surfaces, its, middles)[0]))
    return sag


def sag_of(surface: Primitive, nodes: Array, triangles: Array) -> float:
    """How far the middles of the edges of facets lie from a surface at most."""
    return float(_sags((surface,), np.zeros(len(triangles), np.int64), nodes, triangles)[0])


class Facets(NamedTuple):
    """Facets that may lie on a surface: as kernels take them."""

    nodes: Array
    triangles: Array
    normals: Array

    @classmethod
    def of(cls, nodes: Array, triangles: Array) -> Facets:
        """Triangles (m, 3) with their unit normals."""
        return cls(for_kernels(nodes), for_kernels(triangles, np.int32), unit_normals(nodes[triangles]))

    def lies_on(self, facets: Array, surface: Primitive, tolerance: float) -> bool:
        """Whether facets (k,) have their nodes within a tolerance of a surface, and are not turned from it."""
        return bool(patch_growth.lie_on(facets, *surface.code, *self, tolerance, np.cos(np.radians(_TURN))))

    def whole_surface(self, facets: Array, tolerance: float, is_round: bool) -> Primitive | None:
        """A surface that facets (k,) lie on as a whole, within a tolerance; a round one less exactly, if it may be."""
        nodes, triangles, normals = self
        some = facets[np.linspace(0, len(facets) - 1, min(len(facets), _SAMPLE)).astype(np.int64)]
        points, middles = nodes[distinct(triangles[some])], nodes[triangles[some]].mean(axis=1)
        surface = fit_primitive(points, middles, normals[some], _MORE * tolerance, _ANY)
        if surface is not None and self.lies_on(facets, surface, 3.0 * _MORE * tolerance):
            return surface
        if not is_round:
            return None
        its = normals[facets]
        mean = its.mean(axis=0)
        if (its @ mean).min(initial=1.0) > np.cos(np.radians(_LEAST_TURN / 2.0)) * np.linalg.norm(mean):
            return None
        tolerance = _WHOLE * float(np.linalg.norm(np.ptp(points, axis=0)))
        for kind in _ROUND:
            surface = fit_primitive(points, middles, normals[some], tolerance, (kind,))
            if surface is not None:
                near = max(4.0 * tolerance, sag_of(surface, nodes, triangles[facets]))
                if self.lies_on(facets, surface, near):
                    return surface
        return None
