"""The figure: a view of the part with numbered rings, and a column with what they mean."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.findings import Finding, Survey, survey
from oddseam.findings.measure import thin_places
from oddseam.geometry.shapes.planes import Plane
from oddseam.geometry.triangles import areas
from oddseam.inputs import PointLike, checked
from oddseam.model import Mesh
from oddseam.picks import selected
from oddseam.pictures.colouring import Colouring, worst_elements
from oddseam.pictures.column import (
    draw_close_ups,
    draw_colour_scale,
    draw_histograms,
    draw_picked,
    draw_quality,
    draw_scale_bar,
)
from oddseam.pictures.labels import draw_area_numbers, draw_chain_numbers
from oddseam.pictures.marks import Mark, choose_marks, draw_rings
from oddseam.pictures.moved import draw_outline
from oddseam.pictures.paint import Paint
from oddseam.pictures.partwise import draw_part_list
from oddseam.pictures.patchwise import (
    draw_chain_list,
    draw_patch_list,
    longest_chains,
)
from oddseam.pictures.scene import COLOURS, Scene
from oddseam.pictures.sheet import FONT, HEIGHT, WIDTH, Sheet
from oddseam.pictures.sized import Lengths
from oddseam.pictures.standing import View, eye_of
from oddseam.pictures.view import Camera, Rendered, render
from oddseam.progress import Progress, silent
from oddseam.sizes import SizeField

if TYPE_CHECKING:
    from matplotlib.axes import Axes

#: What is marked in a picture of lengths: the shortest.
_SHORTEST = {"thickness": "thinnest wall", "gap": "smallest gap"}
_VIEW = (10, 60, 800, 690)  # left, top, width, height in pixels
_TWO_VIEWS = ((10, 88, 622, 560), (648, 88, 622, 560))


@checked
def make_picture(
    mesh: Mesh,
    path: str | Path,
    *,
    view: View | PointLike = "corner",
    title: str | None = None,
    pick: str | None = None,
    hide: str | None = None,
    marked: str | None = None,
    cut: Plane | None = None,
    colour: str | None = None,
    sizes: SizeField | None = None,
    against: Mesh | None = None,
    moved_from: Mesh | None = None,
    before: Mesh | None = None,
    found: Survey | None = None,
    plain: bool = False,
    progress: Progress = silent,
) -> Path:
    """Draw a mesh as a PNG, with what a survey finds marked by rings.

    The picture has 1280 x 800 pixels, the rings have numbers.

    Parameters
    ----------
    mesh : Mesh
    path : str or Path
    view : str or (x, y, z)
        From where: one of the names above, or a vector towards the eye.
    title : str, optional
    pick, hide : str, optional
        Picks of the elements to show, and not to show.
    marked : str, optional
        A pick of elements to show in a colour of their own in their surroundings, and once more from near by.
    cut : str or (point, normal), optional
        A plane, ``"x=12.5"`` or six numbers; what lies between it and the eye is cut away.
    colour : str, optional
        A measure of quality that gives every element its colour, such as ``"minimum_angle"``; the rings then mark the
        worst elements.  With ``"part"`` every part has one, with ``"part_thickness"`` it is that of its property.  With
        ``"patch"`` every patch has one and carries its number, and creases are drawn; with ``"crease"`` these alone, by
        their kind and with their numbers; with ``"thickness"`` or ``"gap"`` it is that of the wall behind an element,
        or of the gap before it.
    sizes : SizeField, optional
        Colour every facet by the edge length that is wanted there.
    against : Mesh, optional
        Colour every facet by how far it is from this one.
    moved_from : Mesh, optional
        Colour every facet by how far its nodes have moved from where they are in this one, and draw its outline.
    before : Mesh, optional
        Drawn beside the mesh, from the same direction and at the same scale.
    found : Survey, optional
        What to mark; the mesh is surveyed if it is not given.
    plain : bool
        Do not survey and mark nothing, which takes a fraction of the time.
    progress : callable, optional

    Solids are shown as whole elements, those of a cut whose middles lie behind it; what speaks of surfaces, such as
    patches, walls and distances, is drawn on their skin.

    Raises
    ------
    Refusal
        If there is nothing to draw, or the view, a plane or a measure is not known.
    PickError
        If a pick is not understood or selects nothing.

    Examples
    --------
    >>> import oddseam, pathlib, tempfile
    >>> tent = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    >>> oddseam.make_picture(tent, pathlib.Path(tempfile.mkdtemp(), "tent.png"), view="top").name
    'tent.png'
    """
    path = Path(path)
    if path.suffix.lower() != ".png":
        raise FormatError(str(path), "pictures are written as .png")
    eye, colour = eye_of(view), None if colour is None else colour.replace("-", "_")
    paint = Paint(eye, pick, hide, cut, colour, not plain and colour is None, None, sizes, against, moved_from)
    mesh, before, moved_from = (paint.surface(one) for one in (mesh, before, moved_from))  # type: ignore[assignment]
    picked = None
    if marked is not None:
        picked = np.zeros(mesh.n_elements, bool)
        picked[selected(mesh, marked)] = True
    paint = replace(paint, marked=picked, moved_from=moved_from)
    scene, scale = paint.on(mesh)
    sheet = Sheet()
    if before is not None:
        was, its = paint.on(before)
        both = (its, scale) if isinstance(its, Colouring) and isinstance(scale, Colouring) else None
        _draw_two(sheet, (before, mesh), (was, scene), eye, title, plain, both)
        sheet.save(path)
        return path
    if found is None and not plain and paint.is_plain:
        progress("surveying", 0.1)
        found = survey(mesh, thin=False)
    marks = [] if found is None else choose_marks(scene.in_sight(found.findings))
    if colour in _SHORTEST and not plain:
        shortest = [replace(it, severity="warning") for it in thin_places(mesh) if it.kind == _SHORTEST[colour]]
        marks = choose_marks(scene.in_sight(shortest))
    if isinstance(scale, Colouring):
        worst, lines = worst_elements(mesh, scale, scene.elements)
        marks, scene = choose_marks(scene.in_sight(worst)), replace(scene, lines=(*scene.lines, lines))
    sheet.text(16, 28, title or _name(mesh), 15, weight="bold")
    sheet.text(16, 54, _subtitle(mesh, scene, found), color="#444444")
    points = scene.points if scene.outline is None else np.concatenate([scene.points, scene.outline.reshape(-1, 3)])
    camera = Camera.around(points, eye, *_VIEW[2:])
    progress("drawing", 0.6)
    axes, seen = _draw_view(sheet, _VIEW, scene, camera, marks, mesh)
    if colour == "patch":
        draw_area_numbers(axes, seen.facet, mesh.patches.label[scene.element])  # type: ignore[union-attr]
    elif colour == "crease":
        draw_chain_numbers(axes, camera, seen.depth, mesh.nodes, longest_chains(mesh))
    _draw_legend(sheet, (scene,), bool(marks))
    _draw_column(sheet, mesh, paint, scene, scale, marks, found)
    sheet.save(path)
    return path


def _draw_column(
    sheet: Sheet,
    mesh: Mesh,
    paint: Paint,
    scene: Scene,
    scale: Colouring | Lengths | None,
    marks: list[Mark],
    found: Survey | None,
) -> None:
    """What stands beside the view: a scale, close-ups of what is marked, a list, or histograms."""
    left = _VIEW[0] + _VIEW[2] + 20
    lists = {"patch": draw_patch_list, "crease": draw_chain_list, "part": draw_part_list}
    if isinstance(scale, Colouring):
        draw_colour_scale(sheet, scale, left, 62)
        draw_close_ups(sheet, scene, marks, left, 272, paint.eye)
        if not marks:
            draw_histograms(sheet, mesh, left, 262, but=scale.measure)
    elif scale is not None:
        scale.draw_scale(sheet, mesh, left, 62)
        draw_close_ups(sheet, scene, marks, left, 290, paint.eye)
        if not marks:
            draw_histograms(sheet, mesh, left, 284)
    elif paint.colour in lists:
        lists[paint.colour](sheet, mesh, left, 66)
    elif paint.marked is not None:
        draw_picked(sheet, scene, paint.marked[scene.element], left, 76, paint.eye)
    elif marks:
        draw_close_ups(sheet, scene, marks, left, 62, paint.eye)
    elif found is not None:
        draw_quality(sheet, mesh, found, left)
    else:
        draw_histograms(sheet, mesh, left, 62)


def _name(mesh: Mesh) -> str:
    """What a mesh that was read is called, and what has become of it since."""
    name = mesh.source.name if mesh.source is not None else "surface"
    return f"{name}, after {mesh.account.last.operation}" if len(mesh.account) else name


def _subtitle(mesh: Mesh, scene: Scene, found: Survey | None) -> str:
    size = mesh.box[1] - mesh.box[0]
    counts = ", ".join(f"{n:,} {name}" for name, n in mesh.counts.items())
    words = [counts, f"{' x '.join(f'{s:.4g}' for s in size)} {mesh.unit_name}"]
    if found is not None:
        words.append(f"{found.n_faults} kind(s) of fault" if found.n_faults else "no fault found")
    return "   |   ".join([*words, *scene.said])


def _draw_view(
    sheet: Sheet, box: tuple[int, int, int, int], scene: Scene, camera: Camera, marks: list[Mark], mesh: Mesh
) -> tuple[Axes, Rendered]:
    """The scene, its rings and a scale bar in a box of the sheet; what is over it, and what was drawn."""
    left, top, width, height = box
    sample = scene.triangles[:: 1 + len(scene.triangles) // 100_000]
    facet = np.sqrt(np.median(areas(scene.nodes[sample]))) * camera.scale
    seen = render(
        scene.nodes, scene.triangles, camera, scene.lines,
        wire=bool(facet > 4.0), colours=scene.colours, element=scene.outlined, cut=scene.cut,
    )  # fmt: skip
    sheet.put(seen.picture, left, top)
    axes = sheet.overlay(left, top, width, height)
    if scene.outline is not None:
        draw_outline(axes, camera, scene.outline)
    draw_rings(axes, camera, seen.depth, marks)
    draw_scale_bar(axes, camera.scale, width, height, unit=mesh.unit or "(unit not known)")
    return axes, seen


def _draw_legend(sheet: Sheet, scenes: tuple[Scene, ...], marked: bool) -> None:
    """What the colours mean, of those that occur."""
    entries = [] if scenes[0].colours is not None else [("outside", "#A8BDCC"), ("inside", "#F0E442")]
    entries += [("cut through solid", "#DECCAD")] * any(
        scene.cut is not None and scene.cut.is_solid.any() for scene in scenes
    )
    for kind in ("free edges", "non-manifold edges", "misoriented edges", "crossing facets", "worst elements"):
        if any(group.kind == kind and len(group.edges) for scene in scenes for group in scene.lines):
            entries.append((kind, COLOURS[kind]))
    x = 20.0
    for name, hue in entries:
        sheet.text(x, HEIGHT - 22, "\u25a0", 12, color=hue)
        sheet.text(x + 20, HEIGHT - 22, name)
        x += 40 + 6.6 * len(name)
    if marked:
        sheet.text(WIDTH - 16, HEIGHT - 22, "dashed ring: on the far side", ha="right", color="#444444")


def _draw_two(
    sheet: Sheet,
    meshes: tuple[Mesh, Mesh],
    scenes: tuple[Scene, Scene],
    eye: Array,
    title: str | None,
    plain: bool,
    colourings: tuple[Colouring, Colouring] | None,
) -> None:
    """Two meshes side by side, each with its rings and a list of what was found, or the scale of its colours."""
    head = title or f"{_name(meshes[1])}: before and after"
    sheet.text(16, 28, head, 15, weight="bold")
    said = "   |   ".join(scenes[1].said)
    sheet.text(WIDTH - 16, 28, said, FONT - 0.5, color="#444444", ha="right")
    points = np.concatenate([scene.points for scene in scenes])
    camera = Camera.around(points, eye, *_TWO_VIEWS[0][2:])
    any_marked = False
    for k, (word, mesh, scene, box) in enumerate(zip(("before", "after"), meshes, scenes, _TWO_VIEWS, strict=True)):
        found = None if plain or colourings is not None else survey(mesh, thin=False)
        marks = [] if found is None else choose_marks(scene.in_sight(found.findings))
        any_marked |= bool(marks)
        done = ", ".join(dict.fromkeys(entry.operation for entry in mesh.account if entry.operation != "skin"))
        sheet.text(box[0] + 6, 58, f"{word}: {done}" if done else word, 11, weight="bold")
        sheet.text(box[0] + 6, 78, _subtitle(mesh, replace(scene, said=()), found), FONT - 0.5, color="#444444")
        _draw_view(sheet, box, scene, camera, marks, mesh)
        if colourings is not None:
            draw_colour_scale(sheet, colourings[k], box[0] + 150, box[1] + box[3] - 36)
        if found is not None:
            _list_findings(sheet, found.findings, marks, box)
    _draw_legend(sheet, scenes, any_marked)


def _list_findings(
    sheet: Sheet, findings: tuple[Finding, ...], marks: list[Mark], box: tuple[int, int, int, int]
) -> None:
    """The findings under a view, in two columns, with the numbers of their rings."""
    marked = {mark.finding.kind for mark in marks}
    shown = sorted((f for f in findings if f.severity != "note"), key=lambda f: f.kind not in marked)
    if len(shown) > 8:
        sheet.text(box[0] + 6, box[1] + box[3] + 98, f"and {len(shown) - 8} more kinds", color="#444444")
    if not shown:
        sheet.text(box[0] + 6, box[1] + box[3] + 14, "no fault found", 11, weight="bold", color="#009E73")
    for row, finding in enumerate(shown[:8]):
        x, y = box[0] + 6 + (row // 4) * (box[2] / 2), box[1] + box[3] + 14 + (row % 4) * 21
        rings = ", ".join(str(mark.number) for mark in marks if mark.finding.kind == finding.kind)
        sheet.text(x, y, rings, FONT + 1, weight="bold", color=COLOURS.get(finding.kind, "#000000"))
        sheet.text(
            x + max(46.0, 10.0 + 7.4 * len(rings)),
            y,
            f"{finding.kind}: {finding.count:,}, {finding.n_places:,} place(s)",
        )
