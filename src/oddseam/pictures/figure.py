"""The figure: the part, numbered rings where something was found, close-ups and a list."""

from __future__ import annotations

import textwrap
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError, Refusal
from oddseam.findings import Finding, Place, Survey, survey
from oddseam.findings.qualities import element_quality
from oddseam.formats.files import write_whole
from oddseam.geometry.triangles import area_vectors
from oddseam.model import Mesh
from oddseam.pictures.view import Camera, Lines, render

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

#: Directions from which a part can be looked at.
DIRECTIONS = {
    "corner": (1.0, -1.5, 0.9), "below": (1.0, -1.5, -0.9), "behind": (-1.0, 1.5, 0.9),
    "front": (0.0, -1.0, 0.0), "back": (0.0, 1.0, 0.0), "left": (-1.0, 0.0, 0.0),
    "right": (1.0, 0.0, 0.0), "top": (0.0, 0.0, 1.0), "bottom": (0.0, 0.0, -1.0),
}  # fmt: skip
#: Okabe-Ito colours, given to the kinds of finding by us.
COLOURS = {
    "free edges": "#D55E00",
    "non-manifold edges": "#0072B2",
    "non-manifold nodes": "#0072B2",
    "misoriented edges": "#E69F00",
    "inside-out pieces": "#E69F00",
    "duplicate facets": "#CC79A7",
    "degenerate facets": "#CC79A7",
    "coincident nodes": "#56B4E9",
    "crossing facets": "#56B4E9",
    "crumbs": "#009E73",
    "poor elements": "#000000",
}
_WIDTH, _HEIGHT, _DPI = 1280, 800, 100
_MAIN = (10, 60, 800, 690)  # left, top, width, height in pixels
_MOST_MARKS = 6
_FONT = 9.0


@dataclass(frozen=True)
class Mark:
    """One numbered ring."""

    number: int
    finding: Finding
    place: Place


def draw(
    mesh: Mesh,
    path: str | Path,
    *,
    direction: str | tuple[float, float, float] = "corner",
    title: str | None = None,
    found: Survey | None = None,
) -> Path:
    """Draw a mesh as a PNG of 1280 x 800 pixels, with what a survey finds marked by numbered rings.

    Parameters
    ----------
    mesh : Mesh
    path : str or Path
    direction : str or (x, y, z)
        One of ``DIRECTIONS``, or a vector towards the eye.
    title : str, optional
    found : Survey, optional
        What to mark; the mesh is surveyed if it is not given.

    Raises
    ------
    Refusal
        If there is no surface to draw, or the direction is not known.
    """
    path = Path(path)
    if path.suffix.lower() != ".png":
        raise FormatError(str(path), "pictures are written as .png")
    if not len(mesh.triangulation.triangles):
        raise Refusal("the mesh has no surface to draw")
    eye = _eye(direction)
    found = survey(mesh) if found is None else found
    marks = choose_marks(found)
    figure = _figure(mesh, eye, title or _default_title(mesh), found, marks)

    def fill(file: BinaryIO) -> None:
        figure.savefig(file, format="png", dpi=_DPI, metadata={"Software": None}, pil_kwargs={"compress_level": 3})

    write_whole(path, fill)
    return path


def _eye(direction: str | tuple[float, float, float]) -> Array:
    if isinstance(direction, str):
        if direction not in DIRECTIONS:
            raise Refusal(f"direction {direction!r} is not known; use one of {', '.join(DIRECTIONS)} or x,y,z")
        return np.array(DIRECTIONS[direction])
    eye = np.array(direction, float)
    if eye.shape != (3,) or not np.isfinite(eye).all() or not np.linalg.norm(eye) > 0:
        raise Refusal("a direction has three numbers that are not all zero")
    return eye


def _default_title(mesh: Mesh) -> str:
    return mesh.source.name if mesh.source is not None else "surface"


def choose_marks(found: Survey) -> list[Mark]:
    """The worst place of every finding in turn, then the next ones, six at most.

    A place within one that is marked already is passed over: one ring shows both.
    """
    shown = [f for f in found.findings if f.places and f.severity != "note"]
    marks: list[Mark] = []

    def is_marked(place: Place) -> bool:
        return any(
            np.linalg.norm(np.subtract(mark.place.centre, place.centre)) <= 0.5 * max(mark.place.size, place.size)
            for mark in marks
        )

    for depth in range(max((len(f.places) for f in shown), default=0)):
        for finding in shown:
            if depth < len(finding.places) and len(marks) < _MOST_MARKS and not is_marked(finding.places[depth]):
                marks.append(Mark(len(marks) + 1, finding, finding.places[depth]))
    return marks


# ---------------------------------------------------------------------- layout


def _figure(mesh: Mesh, eye: Array, title: str, found: Survey, marks: list[Mark]) -> Figure:
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=(_WIDTH / _DPI, _HEIGHT / _DPI), dpi=_DPI, facecolor="white")
    FigureCanvasAgg(figure)
    figure.text(0.012, 0.965, title, fontsize=15, weight="bold", va="center")
    figure.text(0.012, 0.932, _subtitle(mesh, found), fontsize=_FONT, color="#444444", va="center")
    axes = _axes(figure, *_MAIN)
    left, top, width, height = _MAIN
    triangles = mesh.triangulation.triangles
    camera = Camera.around(mesh.nodes[np.unique(triangles)], eye, width, height)
    lines = _finding_lines(mesh)
    facet = np.sqrt(np.median(np.linalg.norm(area_vectors(mesh.nodes[triangles]), axis=1))) * camera.scale
    picture, depth = render(mesh.nodes, triangles, camera, lines, wire=bool(facet > 4.0))
    _put(figure, picture, left, top)
    _rings(axes, camera, depth, marks)
    _scale_bar(axes, camera, mesh)
    _legend(figure, mesh, found)
    column = left + width + 20
    if marks:
        _close_ups(figure, mesh, marks, lines, column, eye)
    else:
        _quality_panel(figure, mesh, found, column)
    return figure


def _subtitle(mesh: Mesh, found: Survey) -> str:
    size = mesh.box[1] - mesh.box[0]
    counts = ", ".join(f"{n:,} {name}" for name, n in mesh.counts.items())
    box = " x ".join(f"{s:.4g}" for s in size)
    faults = f"{found.n_faults} kind(s) of fault" if found.n_faults else "no fault found"
    return f"{counts}   |   {box} {mesh.unit_name}   |   {faults}"


def _axes(figure: Figure, left: float, top: float, width: float, height: float) -> Axes:
    box = (left / _WIDTH, 1 - (top + height) / _HEIGHT, width / _WIDTH, height / _HEIGHT)
    axes = figure.add_axes(box)
    axes.set_axis_off()
    axes.set_xlim(0, width)
    axes.set_ylim(height, 0)
    return axes


def _put(figure: Figure, picture: Array, left: int, top: int) -> None:
    """Put a picture into the figure, pixel for pixel."""
    figure.figimage(picture, left, _HEIGHT - top - len(picture), origin="upper", zorder=-1)


def _finding_lines(mesh: Mesh) -> tuple[Lines, ...]:
    from matplotlib.colors import to_rgb

    c = mesh.connectivity
    groups = (
        ("misoriented edges", c.edges[c.pair_edges[~c.pair_agrees]]),
        ("non-manifold edges", c.edges[c.is_nonmanifold]),
        ("free edges", c.edges[c.is_free]),
    )
    return tuple(Lines(edges, to_rgb(COLOURS[kind]), 2) for kind, edges in groups)


def _rings(axes: Axes, camera: Camera, depth: Array, marks: list[Mark]) -> None:
    """Rings with numbers beside them; dashed where the place is hidden."""
    from matplotlib.patches import Circle
    from matplotlib.patheffects import withStroke

    halo = [withStroke(linewidth=3.5, foreground="white")]
    for mark in marks:
        xy, z = camera.project(np.array([mark.place.centre]))
        x, y = float(xy[0, 0]), float(xy[0, 1])
        row, column = int(np.clip(y, 0, depth.shape[0] - 1)), int(np.clip(x, 0, depth.shape[1] - 1))
        reach = mark.place.size / 2 + 4.0 / camera.scale
        hidden = depth[row, column] > z[0] + reach
        radius = float(np.clip(mark.place.size * camera.scale * 0.6 + 4, 11, 90))
        colour = COLOURS.get(mark.finding.kind, "#000000")
        ring = Circle((x, y), radius, fill=False, lw=2.0, ec=colour, ls="--" if hidden else "-", zorder=5)
        ring.set_path_effects([withStroke(linewidth=4.5, foreground="white")])
        axes.add_patch(ring)
        at = 0.72 * radius + 8
        axes.text(x + at, y - at, str(mark.number), fontsize=12, weight="bold", color=colour,
                  ha="center", va="center", path_effects=halo, zorder=6)  # fmt: skip


def _scale_bar(axes: Axes, camera: Camera, mesh: Mesh) -> None:
    room = 0.25 * camera.width / camera.scale
    power = 10.0 ** np.floor(np.log10(room))
    length = max(step * power for step in (1, 2, 5) if step * power <= room)
    x, y = 16.0, camera.height - 14.0
    axes.plot([x, x + length * camera.scale], [y, y], color="#222222", lw=2.5, solid_capstyle="butt")
    axes.text(x, y - 8, f"{length:g} {mesh.unit or '(unit not known)'}", fontsize=_FONT, va="bottom")


def _legend(figure: Figure, mesh: Mesh, found: Survey) -> None:
    """What the colours mean, of those that occur."""
    c = mesh.connectivity
    entries = [("outside", "#A8BDCC"), ("inside", "#F0E442")]
    for kind, there in (
        ("free edges", bool(c.is_free.any())),
        ("non-manifold edges", bool(c.is_nonmanifold.any())),
        ("misoriented edges", bool((~c.pair_agrees).any())),
    ):
        if there:
            entries.append((kind, COLOURS[kind]))
    x = 20.0
    for name, colour in entries:
        figure.text(x / _WIDTH, 22 / _HEIGHT, "\u25a0", color=colour, fontsize=12, va="center")
        figure.text((x + 16) / _WIDTH, 22 / _HEIGHT, name, fontsize=_FONT, va="center")
        x += 34 + 6.6 * len(name)
    figure.text(1 - 16 / _WIDTH, 22 / _HEIGHT, "dashed ring: on the far side" if found.n_faults else "",
                fontsize=_FONT, va="center", ha="right", color="#444444")  # fmt: skip


# ---------------------------------------------------------------------- the right column


def _close_ups(figure: Figure, mesh: Mesh, marks: list[Mark], lines: tuple[Lines, ...], left: int, eye: Array) -> None:
    from matplotlib.patches import Rectangle
    from matplotlib.transforms import IdentityTransform

    width, height, step = 168, 108, 117
    for row, mark in enumerate(marks):
        top = 62 + row * step
        _put(figure, _close_up(mesh, mark.place, lines, eye, width, height), left, top)
        colour = COLOURS.get(mark.finding.kind, "#000000")
        frame = Rectangle((left, _HEIGHT - top - height), width, height, transform=IdentityTransform())
        frame.set(fill=False, edgecolor=colour, linewidth=2.0)
        figure.add_artist(frame)
        x, y = (left + width + 12) / _WIDTH, 1 - (top + 8) / _HEIGHT
        heading = f"{mark.number}  {mark.finding.kind}"
        figure.text(x, y, heading, fontsize=_FONT + 1.5, weight="bold", color=colour, va="center")
        figure.text(x, y - 14 / _HEIGHT, _describe(mark), fontsize=_FONT - 0.5, va="top", linespacing=1.35)


def _describe(mark: Mark) -> str:
    place = mark.place
    at = ", ".join(f"{c:.4g}" for c in place.centre)
    lines = [f"at ({at})", f"{place.count:,} {mark.finding.of.split(' (')[0]}, {place.size:.4g} across"]
    if mark.finding.n_places > 1:
        lines.append(f"one of {mark.finding.n_places:,} places")
    lines += textwrap.wrap(mark.finding.advice, 40)[:2]
    return "\n".join(lines)


def _close_up(mesh: Mesh, place: Place, lines: tuple[Lines, ...], eye: Array, width: int, height: int) -> Array:
    """The surroundings of a place, seen along their mean normal, with all that is further off cut away."""
    triangles = mesh.triangulation.triangles
    centre = np.array(place.centre)
    away = np.linalg.norm(mesh.nodes - centre, axis=1)[triangles]
    distance = np.minimum(np.minimum(away[:, 0], away[:, 1]), away[:, 2])
    by_distance = np.argsort(distance, kind="stable")
    within = int(np.searchsorted(distance[by_distance], 0.5 * place.size))
    nearest = mesh.nodes[triangles[by_distance[: min(within, 24) or 24]]]
    edge = float(np.median(np.linalg.norm(nearest[:, 1] - nearest[:, 0], axis=1)))
    reach = max(0.75 * place.size, 5.0 * edge)
    near = np.flatnonzero(distance < 2.2 * reach)
    vectors = area_vectors(nearest)
    mean = vectors.sum(axis=0)
    length = float(np.linalg.norm(mean))
    look = mean / length if length > 0.3 * np.linalg.norm(vectors, axis=1).sum() else eye
    # a slant shows steps that a view along the normal hides
    look = look / np.linalg.norm(look) + 0.35 * eye / np.linalg.norm(eye)
    camera = Camera.looking(look, centre, 2.0 * reach, width, height)
    picture, _ = render(mesh.nodes, triangles[near], camera, lines, wire=True)
    return picture


def _quality_panel(figure: Figure, mesh: Mesh, found: Survey, left: float) -> None:
    """Where nothing has to be marked, the quality is worth the room."""
    figure.text(left / _WIDTH, 1 - 80 / _HEIGHT, "No fault found", fontsize=12, weight="bold", color="#009E73")
    edges: Any = found.summary["edge_length"]
    volume = found.proof.volume
    lines = [f"area {found.summary['area']:.6g}, " + (f"volume {volume:.6g}" if volume is not None else "not closed")]
    if edges:
        lines.append(f"edges {edges[0]:.3g} to {edges[2]:.3g}, median {edges[1]:.3g}")
    figure.text(left / _WIDTH, 1 - 102 / _HEIGHT, "\n".join(lines), fontsize=_FONT, va="top", linespacing=1.5)
    top = 180.0
    for kind, (_, measures) in element_quality(mesh).items():
        for measure, span in (
            ("minimum_angle", (0.0, 60.0 if kind.startswith("tri") else 90.0)),
            ("radius_ratio", (0.0, 1.0)),
        ):
            if top > 560:
                return
            if measure not in measures:
                continue
            row = next(r for r in found.quality if r.kind == kind and r.measure == measure)
            box = ((left + 12) / _WIDTH, 1 - (top + 170) / _HEIGHT, 400 / _WIDTH, 150 / _HEIGHT)
            axes = figure.add_axes(box)
            axes.hist(measures[measure], bins=60, range=span, color="#56B4E9")
            axes.axvline(row.limit, color="#D55E00", lw=1.5)
            axes.set_yticks([])
            axes.tick_params(labelsize=_FONT - 1)
            for side in ("top", "left", "right"):
                axes.spines[side].set_visible(False)
            name = measure.replace("_", " ") + (" (degrees)" if measure == "minimum_angle" else "")
            worst = f"worst {row.minimum:.3g}, median {row.median:.3g}; {row.beyond:,} below the limit of {row.limit:g}"
            axes.set_title(f"{kind}, {name}\n{worst}", fontsize=_FONT, loc="left")
            top += 240
