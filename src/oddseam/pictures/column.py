"""The right column: close-ups with a list, or the quality."""

from __future__ import annotations

import textwrap
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.findings import Limits, Survey
from oddseam.findings.judged.qualities import beyond_limit, element_quality
from oddseam.geometry.triangles import area_vectors, boxes
from oddseam.model import Mesh
from oddseam.pictures.colouring import Colouring, draw_scale
from oddseam.pictures.marks import Mark
from oddseam.pictures.scene import Scene
from oddseam.pictures.sheet import FONT, Sheet
from oddseam.pictures.view import Camera, Lines, render

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_SHOT = (168, 108)
_STEP = 117
_LARGE = (430, 430)
#: A close-up shows no more than so many times the size of its place.
_AROUND = 1.5
#: It shows the other side where lines take up so many times the room there.
_MORE = 3.0


def draw_close_ups(sheet: Sheet, scene: Scene, marks: list[Mark], left: int, top: int, eye: Array) -> None:
    """One row for each mark: the place from near by, and what it is."""
    width, height = _SHOT
    for row, mark in enumerate(marks):
        upper = top + row * _STEP
        picture, scale = _close_up(scene, mark, eye)
        sheet.put(picture, left, upper)
        draw_scale_bar(sheet.overlay(left, upper, width, height), scale, width, height, FONT - 2.0)
        sheet.frame(left, upper, width, height, mark.colour)
        x, y = left + width + 12, upper + 8
        sheet.text(x, y, f"{mark.number}  {mark.finding.kind}", FONT + 1.5, weight="bold", color=mark.colour)
        sheet.text(x, y + 14, _describe(mark), FONT - 0.5, va="top", linespacing=1.35)


def _describe(mark: Mark) -> str:
    place = mark.place
    at = ", ".join(f"{c:.4g}" for c in place.centre)
    what, named = mark.finding.of.split(" (")[0], ""
    if place.count == 1:
        what, named = what.removesuffix("s"), f" {place.ids[0]}" if place.ids else ""
    items = f"{what}{named}" if named else f"{place.count:,} {what}"
    extent = f"{place.length:.4g} long" if place.length else f"{place.size:.4g} across"
    lines = [f"at ({at})", f"{items}, {extent}"]
    if mark.finding.n_places > 1:
        lines.append(f"one of {mark.finding.n_places:,} places")
    lines += textwrap.wrap(mark.finding.advice, 38, max_lines=2, placeholder=" ...")
    return "\n".join(lines)


def draw_scale_bar(axes: Axes, scale: float, width: float, height: float, size: float = FONT, unit: str = "") -> None:
    """A bar of a round length, about a quarter of the width long, in the lower left corner."""
    from matplotlib.patheffects import withStroke

    room = 0.25 * width / scale
    power = 10.0 ** np.floor(np.log10(room))
    length = max(step * power for step in (1, 2, 5) if step * power <= room)
    x, y = 0.02 * width + 4.0, height - 8.0 - 0.5 * size
    pen = withStroke(linewidth=4.5, foreground="white")
    axes.plot([x, x + length * scale], [y, y], color="#222222", lw=2.5, solid_capstyle="butt", path_effects=[pen])
    halo = [withStroke(linewidth=2.2, foreground="white")]
    axes.text(x, y - 4, f"{length:g} {unit}".strip(), fontsize=size, va="bottom", path_effects=halo)


def _close_up(scene: Scene, mark: Mark, eye: Array) -> tuple[Array, float]:
    """The surroundings of a place; the picture and its scale."""
    place, centre = mark.place, np.array(mark.place.centre)
    distance = _distances(scene, centre)
    by_distance = np.argsort(distance, kind="stable")
    within = int(np.searchsorted(distance[by_distance], 0.5 * place.size))
    nearest = scene.nodes[scene.triangles[by_distance[: min(within, 24) or 24]]]
    edge = float(np.median(np.linalg.norm(nearest[:, 1] - nearest[:, 0], axis=1)))
    # the place fills a good part of the picture, however large the facets round it are
    reach = max(0.75 * place.size, min(5.0 * edge, _AROUND * place.size) if place.size > 0 else 5.0 * edge)
    look = _look(area_vectors(nearest), eye)
    near = _near(scene, distance, reach)
    own = tuple(lines for lines in scene.lines if lines.kind == mark.finding.kind)
    ahead, behind = (_pixels_of(near, own, centre, reach, its) for its in (look, -look)) if own else (1, 0)
    # what is marked by lines may be hidden from the one side
    return _shot(near, centre, reach, -look if behind > _MORE * ahead else look, _SHOT)


def _pixels_of(scene: Scene, lines: tuple[Lines, ...], centre: Array, reach: float, look: Array) -> int:
    """How many pixels of a close-up some lines change."""
    drawn, bare = (_shot(replace(scene, lines=its), centre, reach, look, _SHOT)[0] for its in (lines, ()))
    return int((drawn != bare).any(axis=2).sum())


def near_by(scene: Scene, centre: Array, reach: float, look: Array, size: tuple[int, int]) -> tuple[Array, float]:
    """What lies about a point, with all that is further off cut away; the picture and its scale."""
    return _shot(_near(scene, _distances(scene, centre), reach), centre, reach, look, size)


def _near(scene: Scene, distance: Array, reach: float) -> Scene:
    """The scene with those triangles alone that a close-up shows."""
    rows = np.flatnonzero(distance < 2.2 * reach)
    colours = None if scene.colours is None else scene.colours[rows]
    faces = None if scene.faces is None else scene.faces[rows]
    return replace(scene, triangles=scene.triangles[rows], element=scene.element[rows], colours=colours, faces=faces)


def _shot(scene: Scene, centre: Array, reach: float, look: Array, size: tuple[int, int]) -> tuple[Array, float]:
    camera = Camera.looking(look, centre, 2.0 * reach, *size)
    shown = render(
        scene.nodes, scene.triangles, camera, scene.lines, wire=True, colours=scene.colours, element=scene.outlined
    )
    return shown.picture, camera.scale


def _distances(scene: Scene, centre: Array) -> Array:
    """(m,) distance of the box of every triangle from a point."""
    low, high = boxes(scene.nodes[scene.triangles])
    return np.asarray(np.linalg.norm(np.maximum(np.maximum(low - centre, centre - high), 0.0), axis=1))


def look_from_outside(scene: Scene, rows: Array, eye: Array) -> Array:
    """A direction from which some triangles are seen from the front, where that can be."""
    return _look(area_vectors(scene.nodes[scene.triangles[rows]]), eye)


def _look(vectors: Array, eye: Array) -> Array:
    """Towards the eye that sees the facets with these area vectors from the front, where that can be."""
    eye = eye / np.linalg.norm(eye)
    size = np.linalg.norm(vectors, axis=1)
    front = vectors @ eye > 0
    if size[front].sum() < 0.3 * size.sum():
        front = ~front  # nearly all look away
    mean = vectors[front].sum(axis=0)
    length = float(np.linalg.norm(mean))
    look = mean / length if length > 0.3 * size[front].sum() > 0 else eye
    # a slant shows steps that a view along the normal hides
    return np.asarray(look + 0.35 * eye)


def draw_colour_scale(sheet: Sheet, colouring: Colouring, left: int, top: int) -> None:
    """The histogram of the measure that colours the elements."""
    draw_scale(sheet.histogram(left + 12, top + 40, 400, 120), colouring)


def draw_picked(sheet: Sheet, scene: Scene, is_picked: Array, left: int, top: int, eye: Array) -> None:
    """How many elements are picked, and what they look like in their surroundings."""
    rows = np.flatnonzero(is_picked)
    points = scene.nodes[scene.triangles[rows]].reshape(-1, 3)
    low, high = points.min(axis=0), points.max(axis=0)
    size = float(np.linalg.norm(high - low))
    sheet.text(left, top, f"{len(np.unique(scene.element[rows])):,} elements picked", FONT + 2.0, weight="bold")
    corners = " to ".join("(" + ", ".join(f"{c:.5g}" for c in corner) + ")" for corner in (low, high))
    sheet.text(left, top + 20, f"from {corners}", FONT - 1.0, color="#444444")
    picture, scale = near_by(scene, (low + high) / 2, 0.9 * size, look_from_outside(scene, rows, eye), _LARGE)
    sheet.put(picture, left, top + 40)
    sheet.frame(left, top + 40, *_LARGE, "#888888")
    draw_scale_bar(sheet.overlay(left, top + 40, *_LARGE), scale, *_LARGE)


def draw_quality(sheet: Sheet, mesh: Mesh, found: Survey, left: int) -> None:
    """Where nothing has to be marked, the quality is worth the room."""
    sheet.text(left, 76, "No fault found", 12, weight="bold", color="#009E73")
    edges = found.summary["edge_length"]
    volume = found.proof.volume
    lines = [f"area {found.summary['area']:.6g}, " + (f"volume {volume:.6g}" if volume is not None else "not closed")]
    if edges:
        lines.append(f"edges {edges[0]:.3g} to {edges[2]:.3g}, median {edges[1]:.3g}")
    sheet.text(left, 102, "\n".join(lines), va="top", linespacing=1.5)
    draw_histograms(sheet, mesh, left, 180)


def draw_histograms(sheet: Sheet, mesh: Mesh, left: int, top: int, but: str = "") -> None:
    """Smallest angle and radius ratio (not the measure that is shown already), while there is room."""
    for kind, (_, measures) in element_quality(mesh).items():
        for measure, span in (
            ("minimum_angle", (0.0, 60.0 if kind.startswith("tri") else 90.0)),
            ("radius_ratio", (0.0, 1.0)),
        ):
            if top > 560:
                return
            if measure == but or measure not in measures:
                continue
            values, limit = measures[measure], float(getattr(Limits(), measure))
            axes = sheet.histogram(left + 12, top + 20, 400, 150)
            axes.hist(values, bins=60, range=span, color="#56B4E9")
            axes.axvline(limit, color="#D55E00", lw=1.5)
            name = measure.replace("_", " ") + (" (degrees)" if measure == "minimum_angle" else "")
            beyond = int(beyond_limit(measure, values, limit).sum())
            worst = f"worst {values.min():.3g}, median {np.median(values):.3g}; {beyond:,} below the limit of {limit:g}"
            axes.set_title(f"{kind}, {name}\n{worst}", fontsize=FONT, loc="left")
            top += 240
