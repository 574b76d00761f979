"""A view of a surface: camera, shading, and lines that respect what is in front."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import unit_normals
from oddseam.pictures.kernels.raster import draw_lines, fill_triangles

#: Finer than the picture by this much, then averaged: smooth outlines.
_FINER = 2
PAPER = np.array([1.0, 1.0, 1.0])
#: The outside of the surface, and the inside where it shows.
OUTSIDE = np.array([0.66, 0.74, 0.80])
INSIDE = np.array([0.94, 0.89, 0.26])
_INK = np.array([0.16, 0.20, 0.24], np.float32)
#: What is solid where it is cut, and its hatching: so many pixels of the finer picture from line to line.
SECTION = np.array([0.87, 0.80, 0.68])
_HATCH = 14


@dataclass(frozen=True, eq=False)
class Camera:
    """A parallel projection.

    ``axes`` (3, 3) holds right, up and towards the eye in rows; ``centre`` is in the middle of
    the picture; ``scale`` is in pixels for one unit.
    """

    axes: Array
    centre: Array
    scale: float
    width: int
    height: int

    @classmethod
    def looking(cls, toward_eye: Array, centre: Array, across: float, width: int, height: int) -> Camera:
        """Look from a direction at a centre so that ``across`` fits the smaller side."""
        eye = np.asarray(toward_eye, float)
        eye = eye / np.linalg.norm(eye)
        up = np.array([0.0, 0.0, 1.0]) if abs(eye[2]) < 0.95 else np.array([0.0, 1.0, 0.0])
        right = np.cross(up, eye)
        right /= np.linalg.norm(right)
        axes = np.stack([right, np.cross(eye, right), eye])
        return cls(axes, centre, min(width, height) / max(across, 1e-300), width, height)

    @classmethod
    def around(cls, points: Array, toward_eye: Array, width: int, height: int) -> Camera:
        """Look from a direction so that all points fit with a margin."""
        camera = cls.looking(toward_eye, points.mean(axis=0), 1.0, width, height)
        seen = points @ camera.axes.T
        low, high = seen.min(axis=0), seen.max(axis=0)
        span = np.maximum(high - low, 1e-9 * max(float((high - low).max()), 1e-300))
        scale = 0.9 * min(width / span[0], height / span[1])
        return cls(camera.axes, (low + high) / 2 @ camera.axes, scale, width, height)

    def project(self, points: Array) -> tuple[Array, Array]:
        """Pixels (n, 2), counted from the upper left, and depth (n,), larger is nearer."""
        seen = (points - self.centre) @ self.axes.T
        xy = np.column_stack([self.width / 2 + self.scale * seen[:, 0], self.height / 2 - self.scale * seen[:, 1]])
        return xy, seen[:, 2]


@dataclass(frozen=True, eq=False)
class Lines:
    """Edges (k, 2) of a kind, to be drawn in a colour (three shares of 1) with a pen of some pixels."""

    kind: str
    edges: Array
    colour: tuple[float, float, float]
    pen: int = 2


@dataclass(frozen=True, eq=False)
class Cut:
    """A plane, what lies before which was cut away, and for every triangle (m,) whether it bounds a solid."""

    point: Array
    normal: Array
    is_solid: Array

    def depths(self, camera: Camera) -> Array:
        """(height, width) depth of the plane at every pixel."""
        right, up, toward = camera.axes @ self.normal
        y, x = np.mgrid[: camera.height, : camera.width]
        across, above = (x + 0.5 - camera.width / 2) / camera.scale, (camera.height / 2 - y - 0.5) / camera.scale
        away = (self.point - camera.centre) @ self.normal
        return np.asarray((away - right * across - up * above) / toward)


@dataclass(frozen=True, eq=False)
class Rendered:
    """What was drawn.

    Attributes
    ----------
    picture : (height, width, 3) float array
    depth : (height, width) float array
        -inf where there is no surface.
    facet : (height, width) int array
        The row of the triangle that is seen, -1 where there is none, or a cut face.
    """

    picture: Array
    depth: Array
    facet: Array


def render(
    nodes: Array,
    triangles: Array,
    camera: Camera,
    lines: tuple[Lines, ...] = (),
    wire: bool = False,
    colours: Array | None = None,
    element: Array | None = None,
    cut: Cut | None = None,
) -> Rendered:
    """Draw a surface.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    camera : Camera
    lines : tuple of Lines
        Over the surface, where nothing is in front.
    wire : bool
        Whether to show the borders of facets.
    colours : (m, 3) float array, optional
        Colour of every triangle, from both sides; by default the outside and the inside have
        one each.
    element : (m,) int array, optional
        Which element every triangle is of; there is no border between those of one.
    cut : Cut, optional
        Where the surface was cut away: what is solid there is filled.
    """
    fine = Camera(camera.axes, camera.centre, camera.scale * _FINER, camera.width * _FINER, camera.height * _FINER)
    xy, z = fine.project(nodes)
    depth = np.full((fine.height, fine.width), -np.inf)
    ident: Array = np.full((fine.height, fine.width), -1, np.int32)
    triangles = np.ascontiguousarray(triangles, np.int32)
    fill_triangles(np.ascontiguousarray(xy), np.ascontiguousarray(z), triangles, depth, ident)
    shown, back = np.unique(ident, return_inverse=True)  # far fewer than there are, where there are many
    first = 1 if shown[0] < 0 else 0
    shown, ident = shown[first:], (back - first).reshape(ident.shape)
    normals = unit_normals(nodes[triangles[shown]]) @ camera.axes.T
    paint = np.where((normals[:, 2] >= 0)[:, None], OUTSIDE, INSIDE) if colours is None else colours[shown]
    of = shown if element is None else element[shown]
    if cut is not None:
        # where the first that is met beyond the cut looks away, the cut is within what is solid
        solid = np.append(cut.is_solid[shown] & (normals[:, 2] < 0), False)[ident]
        depth[solid] = cut.depths(fine)[solid]
        ident[solid] = len(shown)
        normals = np.concatenate([normals, [[0.0, 0.0, 1.0]]])
        paint, of, shown = np.concatenate([paint, [SECTION]]), np.append(of, -1), np.append(shown, -1)
    canvas = _shaded(ident, normals, paint)
    _ink_outlines(canvas, ident, normals, wire, of)
    if cut is not None:
        row, column = np.nonzero(solid)
        canvas[row, column] *= np.where((row + column) % _HATCH < 2, np.float32(0.72), np.float32(1.0))[:, None]
    for group in lines:
        if len(group.edges):
            slack = 3.0 / fine.scale
            edges = np.ascontiguousarray(group.edges, np.int32)
            colour, heights = np.array(group.colour, np.float32), np.ascontiguousarray(z)
            draw_lines(xy, heights, edges, depth, slack, colour, group.pen * _FINER, canvas)
    tiles = [(slice(i, None, _FINER), slice(j, None, _FINER)) for i in range(_FINER) for j in range(_FINER)]
    picture = np.add.reduce([canvas[tile] for tile in tiles]) / np.float32(len(tiles))
    facet = np.append(shown, -1)[ident[::_FINER, ::_FINER]]
    return Rendered(picture, np.maximum.reduce([depth[tile] for tile in tiles]), facet)


def _shaded(ident: Array, normals: Array, colours: Array) -> Array:
    light = np.array([-0.35, 0.45, 0.82])
    facing = np.where(normals[:, 2] >= 0, 1.0, -1.0)
    strength = np.clip((normals * facing[:, None]) @ light, 0.0, 1.0)
    colour = colours * (0.45 + 0.6 * strength[:, None])
    palette = np.concatenate([np.clip(colour, 0.0, 1.0), PAPER[None]]).astype(np.float32)
    canvas: Array = palette[ident]  # -1, no facet, takes the paper at the end
    return canvas


def _ink_outlines(canvas: Array, ident: Array, normals: Array, wire: bool, element: Array) -> None:
    """Darken pixels where the element changes: a lot at sharp edges, a little at the others."""
    for axis in (0, 1):
        one = ident[:-1] if axis == 0 else ident[:, :-1]
        two = ident[1:] if axis == 0 else ident[:, 1:]
        part = canvas[:-1] if axis == 0 else canvas[:, :-1]
        row, column = np.nonzero(one != two)
        a, b = one[row, column], two[row, column]
        both = (a >= 0) & (b >= 0)
        turn = np.zeros(len(a))
        turn[both] = np.einsum("ij,ij->i", normals[a[both]], normals[b[both]])
        strength = np.where(turn < 0.85, 0.75, 0.28 if wire else 0.0)
        strength[both & (element[a] == element[b])] = 0.0
        part[row, column] += strength[:, None].astype(np.float32) * (_INK - part[row, column])
