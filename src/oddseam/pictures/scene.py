"""What is shown of a mesh: some of its elements, cut by a plane, with lines and colours."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.findings import Finding, Place
from oddseam.findings.classes.meant import meant_joints
from oddseam.geometry.exact.clipping import clip_triangles
from oddseam.geometry.exact.crossing_lines import crossing_lines
from oddseam.geometry.shapes.planes import Plane, as_plane
from oddseam.model import Mesh
from oddseam.picks import selected
from oddseam.pictures.view import Cut, Lines

#: Okabe-Ito colours, given to the kinds of finding by us.
COLOURS = {
    "free edges": "#D55E00",
    "cracks": "#D55E00",
    "T-junctions": "#D55E00",
    "non-manifold edges": "#0072B2",
    "non-manifold nodes": "#0072B2",
    "misoriented edges": "#E69F00",
    "inside-out pieces": "#E69F00",
    "duplicate facets": "#56B4E9",
    "degenerate facets": "#56B4E9",
    "coincident nodes": "#56B4E9",
    "crossing facets": "#CC79A7",
    "crumbs": "#009E73",
    "poor elements": "#000000",
    "worst elements": "#CC79A7",
}
#: The edge of a cut.
_SECTION = (0.16, 0.20, 0.24)


@dataclass(frozen=True, eq=False)
class Scene:
    """What is drawn.

    Attributes
    ----------
    nodes, triangles : (n, 3) float and (m, 3) int arrays
    element : (m,) int array
        Element index of every triangle.
    lines : tuple of Lines
    said : tuple of str
        What is left out.
    colours : (m, 3) float array, optional
    outline : (k, 2, 3) float array, optional
        Ends of lines that are drawn over all else.
    cut : Cut, optional
        The plane before which all was cut away.
    faces : (m,) int array, optional
        What borders are drawn between, if not between elements: the faces of solids.
    whole : (k,) int array, optional
        All elements that are shown, those behind others too; those of the triangles without.
    """

    nodes: Array
    triangles: Array
    element: Array
    lines: tuple[Lines, ...] = ()
    said: tuple[str, ...] = ()
    colours: Array | None = None
    outline: Array | None = None
    cut: Cut | None = None
    faces: Array | None = None
    whole: Array | None = None

    @property
    def elements(self) -> Array:
        """(k,) elements that are shown."""
        return np.unique(self.element) if self.whole is None else self.whole

    @property
    def outlined(self) -> Array:
        """(m,) what borders are drawn between."""
        return self.element if self.faces is None else self.faces

    @property
    def points(self) -> Array:
        """The nodes that are used."""
        return np.asarray(self.nodes[np.unique(self.triangles)])

    def in_sight(self, findings: Sequence[Finding]) -> list[Finding]:
        """The findings with those places that lie at something shown."""
        if not self.said:
            return list(findings)
        points = self.points

        def is_near(place: Place) -> bool:
            nearest = float(np.linalg.norm(points - place.centre, axis=1).min())
            return nearest <= 0.5 * place.size * (1.0 + 1e-9)

        return [replace(f, places=tuple(filter(is_near, f.places))) for f in findings]


def scene_of(
    mesh: Mesh, toward_eye: Array, *, pick: str | None = None, hide: str | None = None, cut: Plane | None = None,
    crossings: bool = False,
) -> Scene:  # fmt: skip
    """What is shown; with ``crossings`` the lines along which facets cross as well.

    Raises
    ------
    Refusal
        If nothing is left to be drawn.
    """
    t = mesh.triangulation
    if not len(t.triangles):
        raise Refusal("the mesh has neither shells nor solids to draw")
    shown, said = shown_of(mesh, pick, hide)
    rows = np.flatnonzero(shown[t.element])
    nodes, lines = mesh.nodes, _finding_lines(mesh, shown)
    if crossings:
        ends, more = _lines_of_crossings(mesh, shown)
        nodes, lines = np.concatenate([nodes, ends]), (*lines, more)
    scene = Scene(nodes, t.triangles[rows], t.element[rows], lines, tuple(said))
    if cut is not None and len(rows):
        whole = np.append(mesh.pieces.is_solid, False)[mesh.pieces.of_triangle] & _is_shown_whole(mesh, shown)
        scene = _cut(scene, whole[rows], *as_plane(cut), toward_eye)
    if not len(scene.triangles):
        raise Refusal("nothing is left to draw: pick more, or cut less away")
    return scene


def shown_of(mesh: Mesh, pick: str | None, hide: str | None) -> tuple[Array, list[str]]:
    """(m,) bool: elements that picks leave to be shown, and what is said of that."""
    shown = np.ones(mesh.n_elements, bool)
    if pick is not None:
        shown[:] = False
        shown[selected(mesh, pick)] = True
    if hide is not None:
        shown[selected(mesh, hide)] = False
    return shown, [f"only {pick}"] * (pick is not None) + [f"without {hide}"] * (hide is not None)


def _finding_lines(mesh: Mesh, shown: Array) -> tuple[Lines, ...]:
    """Edges that are a finding, where an element at them is shown."""
    from matplotlib.colors import to_rgb

    c = mesh.connectivity
    corner = np.flatnonzero(shown[mesh.faces.element[c.face]] & (c.edge_of >= 0))
    seen = np.zeros(len(c.edges), bool)
    seen[c.edge_of[corner]] = True
    wrong = np.zeros(len(c.edges), bool)
    wrong[c.pair_edges[~c.pair_agrees]] = True
    odd = c.is_nonmanifold & ~meant_joints(mesh)
    kinds = (("misoriented edges", wrong), ("non-manifold edges", odd), ("free edges", c.is_free))
    return tuple(Lines(kind, c.edges[which & seen], to_rgb(COLOURS[kind])) for kind, which in kinds)


def _lines_of_crossings(mesh: Mesh, shown: Array) -> tuple[Array, Lines]:
    """Ends of the segments along which facets cross that are shown both, and the segments from them."""
    from matplotlib.colors import to_rgb

    t, pairs = mesh.triangulation, mesh.crossing_triangles
    pairs = pairs[shown[t.element[pairs]].all(axis=1)]
    found = crossing_lines(mesh.nodes, t.triangles, pairs)
    ends = found.ends[~found.in_plane].reshape(-1, 3)
    edges = mesh.n_nodes + np.arange(len(ends)).reshape(-1, 2)
    return ends, Lines("crossing facets", edges, to_rgb(COLOURS["crossing facets"]))


def _is_shown_whole(mesh: Mesh, shown: Array) -> Array:
    """(m,) bool: triangles of pieces no facet of which is hidden."""
    t, piece = mesh.triangulation, mesh.pieces.of_triangle
    whole = np.ones(len(mesh.pieces.volume) + 1, bool)
    whole[piece[~shown[t.element]]] = False
    return np.asarray(whole[piece])


def _cut(scene: Scene, is_solid: Array, point: Array, normal: Array, toward_eye: Array) -> Scene:
    """Without what lies between the plane and the eye; with the outline of the section, and its faces if solid."""
    if normal @ toward_eye < 0:
        normal = -normal
    nodes, triangles, origin, section = clip_triangles(scene.nodes, scene.triangles, point, normal)
    behind = (nodes - point) @ normal <= 0
    lines = tuple(replace(group, edges=group.edges[behind[group.edges].all(axis=1)]) for group in scene.lines)
    where = ", ".join(f"{c:.4g}" for c in point)
    said = f"cut through ({where}) across ({', '.join(f'{c:.3g}' for c in normal + 0.0)})"
    return Scene(
        nodes, triangles, scene.element[origin], (Lines("section", section, _SECTION), *lines), (*scene.said, said),
        cut=Cut(point, normal / np.linalg.norm(normal), is_solid[origin]),
    )  # fmt: skip
