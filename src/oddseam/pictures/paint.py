"""What is shown of a mesh, and in which colours: by quality, parts, patches, lengths, sizes, distances or moves."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from oddseam.arrays import Array
from oddseam.features.find_features import find_features
from oddseam.findings.classes.distances import surface_of
from oddseam.findings.classes.local_lengths import local_lengths
from oddseam.geometry.shapes.planes import Plane
from oddseam.geometry.triangles import numbered_edges
from oddseam.model import Mesh
from oddseam.model.skin import has_solids, skin
from oddseam.pictures.colouring import Colouring, colouring_of
from oddseam.pictures.moved import moves_of_elements, outline_of
from oddseam.pictures.partwise import part_colours, thickness_of_parts
from oddseam.pictures.patchwise import crease_lines, creases_by_kind, patch_colours
from oddseam.pictures.scene import Scene, scene_of
from oddseam.pictures.sized import LENGTHS, Lengths, facet_distances
from oddseam.pictures.solids import solid_scene
from oddseam.pictures.view import OUTSIDE, Lines
from oddseam.sizes import SizeField

#: What speaks of surfaces: of solids it is drawn on their skin.
_OF_SURFACES = ("patch", "crease", "thickness", "gap")
#: What is picked, and surfaces that are only to be seen through their lines.
_PICKED, _PALE = (0.90, 0.45, 0.10), (0.86, 0.88, 0.90)
#: The border of what is picked.
_BORDER = (0.70, 0.22, 0.02)


@dataclass(frozen=True, eq=False)
class Paint:
    """What is asked for, see ``make_picture``.

    ``eye`` is a vector towards the eye, ``marked`` (m,) the elements that are picked, if that is drawn, and
    ``crossings`` says whether facets that cross are looked for.
    """

    eye: Array
    pick: str | None
    hide: str | None
    cut: Plane | None
    colour: str | None
    crossings: bool
    marked: Array | None = None
    sizes: SizeField | None = None
    against: Mesh | None = None
    moved_from: Mesh | None = None

    @property
    def is_of_surfaces(self) -> bool:
        """Whether what is drawn is of surfaces alone."""
        return self.is_measured or self.colour in _OF_SURFACES

    @property
    def is_measured(self) -> bool:
        """Whether colours are lengths that a field or another mesh gives."""
        return any(other is not None for other in (self.sizes, self.against, self.moved_from))

    @property
    def is_plain(self) -> bool:
        """Whether colours leave room for what a survey finds."""
        named = self.colour in ("patch", "crease", "part", *LENGTHS)
        return not (named or self.is_measured or self.marked is not None)

    def surface(self, mesh: Mesh | None) -> Mesh | None:
        """The mesh itself, or the skin of its solids where that is drawn; with patches where these are."""
        if mesh is None or not self.is_of_surfaces or not has_solids(mesh):
            return mesh
        return find_features(skin(mesh)) if self.colour in ("patch", "crease") else skin(mesh)

    def on(self, mesh: Mesh) -> tuple[Scene, Colouring | Lengths | None]:
        """What is shown of a mesh, and the scale of its colours if they have one."""
        if has_solids(mesh):
            scene = solid_scene(mesh, self.eye, pick=self.pick, hide=self.hide, cut=self.cut)
        else:
            scene = scene_of(
                mesh, self.eye, pick=self.pick, hide=self.hide, cut=self.cut, crossings=self.crossings
            )  # fmt: skip
        if self.marked is not None:
            its = self.marked[scene.element]
            return replace(scene, colours=np.where(its[:, None], _PICKED, OUTSIDE), lines=(_outline(scene, its),)), None
        if self.is_measured:
            return self._measured(mesh, scene)
        if self.colour in LENGTHS:
            by_part = self.colour == "part_thickness"
            its = thickness_of_parts(mesh) if by_part else local_lengths(mesh, self.colour)  # type: ignore[arg-type]
            lengths = Lengths.of_elements(mesh, self.colour, its)
            return replace(scene, colours=lengths.colours(its[scene.element])), lengths
        match self.colour:
            case None:
                return scene, None
            case "part":
                return replace(scene, colours=part_colours(mesh)[mesh.element_part[scene.element]]), None
            case "crease":
                pale = np.full((len(scene.triangles), 3), _PALE)
                return replace(scene, colours=pale, lines=creases_by_kind(mesh)), None
            case "patch":
                of_element = patch_colours(mesh)[mesh.patches.label[scene.element]]  # type: ignore[union-attr]
                return replace(scene, colours=of_element, lines=(crease_lines(mesh),)), None
        colouring = colouring_of(mesh, self.colour)
        return replace(scene, colours=colouring.colours(scene.element)), colouring

    def _measured(self, mesh: Mesh, scene: Scene) -> tuple[Scene, Lengths]:
        """The scene coloured by lengths that a field or another mesh gives."""
        if self.sizes is not None:
            wanted = Lengths.of_field(mesh, self.sizes)
            middles = scene.nodes[scene.triangles].mean(axis=1)
            return replace(scene, colours=wanted.colours(self.sizes.at(middles))), wanted
        if self.against is not None:
            other = surface_of(self.against)
            off = Lengths.of_distance(mesh, other)
            return replace(scene, colours=off.colours(facet_distances(scene.nodes, scene.triangles, other))), off
        assert self.moved_from is not None
        moves = moves_of_elements(self.moved_from, mesh)
        shifts = Lengths.of_moves(mesh, moves)
        colours = shifts.colours(np.where(moves > 0, moves, np.nan)[scene.element])
        return replace(scene, colours=colours, outline=outline_of(self.moved_from)), shifts


def _outline(scene: Scene, is_picked: Array) -> Lines:
    """The border of what is picked, with a pen, so that needles are seen too."""
    ends, edge, _ = numbered_edges(scene.triangles[is_picked], len(scene.nodes))
    once = np.bincount(edge.ravel(), minlength=len(ends)) == 1
    return Lines("picked", ends[once], _BORDER, pen=2)
