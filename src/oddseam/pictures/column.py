"""The right column: close-ups with a list, or the quality."""

from __future__ import annotations

import textwrap

import numpy as np

from oddseam.arrays import Array
from oddseam.findings import Limits, Place, Survey
from oddseam.findings.qualities import beyond_limit, element_quality
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh
from oddseam.pictures.colouring import Colouring, draw_scale
from oddseam.pictures.marks import Mark
from oddseam.pictures.scene import Scene
from oddseam.pictures.sheet import FONT, Sheet
from oddseam.pictures.view import Camera, render

_SHOT = (168, 108)
_STEP = 117


def draw_close_ups(sheet: Sheet, scene: Scene, marks: list[Mark], left: int, top: int, eye: Array) -> None:
    """One row for each mark: the place from near by, and what it is."""
    width, height = _SHOT
    for row, mark in enumerate(marks):
        upper = top + row * _STEP
        sheet.put(_close_up(scene, mark.place, eye), left, upper)
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
    lines += textwrap.wrap(mark.finding.advice, 38)[:2]
    return "\n".join(lines)


def _close_up(scene: Scene, place: Place, eye: Array) -> Array:
    """The surroundings of a place, seen about along their normal, with all that is further off cut away."""
    centre = np.array(place.centre)
    away = np.linalg.norm(scene.nodes - centre, axis=1)[scene.triangles]
    distance = np.minimum(np.minimum(away[:, 0], away[:, 1]), away[:, 2])
    by_distance = np.argsort(distance, kind="stable")
    within = int(np.searchsorted(distance[by_distance], 0.5 * place.size))
    nearest = scene.nodes[scene.triangles[by_distance[: min(within, 24) or 24]]]
    edge = float(np.median(np.linalg.norm(nearest[:, 1] - nearest[:, 0], axis=1)))
    reach = max(0.75 * place.size, 5.0 * edge)
    near = np.flatnonzero(distance < 2.2 * reach)
    camera = Camera.looking(_look(area_vectors(nearest), eye), centre, 2.0 * reach, *_SHOT)
    colours = None if scene.colours is None else scene.colours[near]
    picture, _ = render(
        scene.nodes, scene.triangles[near], camera, scene.lines, wire=True, colours=colours, element=scene.element[near]
    )
    return picture


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
