"""Compiling every kernel ahead of time, by drills that run them all on tiny input."""

from __future__ import annotations

import gc
import importlib
import multiprocessing
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import NoReturn

import numpy as np

from oddseam.geometry.threads import cores
from oddseam.read_only import is_writable

_TETRAHEDRON = (
    np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]]),
    np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]], np.int32),
)


def warm_up(*, fresh: bool = False) -> float:
    """Compile what is not compiled for this processor yet, or with ``fresh`` everything; returns the seconds it took.

    As many processes as there are cores take the drills in their order: the longest come first, and those that share
    helpers are far from each other, so that what one has compiled is there for the next.
    """
    start = time.perf_counter()
    if fresh:
        _forget()
    workers = cores()
    if workers == 1:
        for drill in DRILLS:
            _do(drill)
    else:
        with ProcessPoolExecutor(workers, multiprocessing.get_context("spawn")) as pool:
            for done in [pool.submit(_do, drill) for drill in DRILLS]:
                done.result()
    return time.perf_counter() - start


def _forget() -> None:
    """Remove what was compiled and is kept where it can be written to."""
    root = Path(__file__).parent
    for source in root.rglob("kernels/[!_]*.py"):
        name = ".".join(("oddseam", *source.relative_to(root).with_suffix("").parts))
        for one in vars(importlib.import_module(name)).values():
            kept = getattr(getattr(one, "_cache", None), "kept", None)
            for folder in {source.parent / "__pycache__", *([Path(kept.cache_path)] if kept is not None else [])}:
                for path in folder.glob("*.nb[ic]"):
                    if is_writable(folder):
                        path.unlink(missing_ok=True)


def _do(drill: Callable[[], None]) -> None:
    """Run a drill without collecting garbage: a compiler makes millions of objects, and nearly all of them last."""
    collects = gc.isenabled()
    gc.disable()
    try:
        drill()
    finally:
        if collects:
            gc.enable()


def remeshing() -> None:
    """Remesh a tetrahedron, finer round a corner."""
    from oddseam.remeshing.surfaces.net import Fineness
    from oddseam.remeshing.surfaces.sheets import cut_into_sheets
    from oddseam.remeshing.surfaces.surface import remesh_sheets
    from oddseam.sizes import SizeField, Zone

    nodes, triangles = _TETRAHEDRON
    field = SizeField(0.4, zones=(Zone("sphere", (0.0, 0.0, 0.0, 0.1), size=0.3),))
    remesh_sheets(cut_into_sheets(nodes, triangles, np.zeros(4, np.int32), 30.0), Fineness(field))


def coarsening() -> None:
    """Coarsen an octahedron."""
    from oddseam.remeshing.surfaces.quadric import Bounds, coarsen_sheets
    from oddseam.remeshing.surfaces.sheets import cut_into_sheets

    nodes = np.array([[1.0, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]])
    sides = [(0, 1), (1, 2), (2, 3), (3, 0)]
    triangles = np.array([(a, b, 4) for a, b in sides] + [(b, a, 5) for a, b in sides], np.int32)
    coarsen_sheets(cut_into_sheets(nodes, triangles, np.zeros(8, np.int32), 150.0), Bounds(4))


def quads() -> None:
    """Make quads of a square."""
    from oddseam.remeshing.surfaces.net import Fineness
    from oddseam.remeshing.surfaces.sheets import cut_into_sheets
    from oddseam.remeshing.surfaces.surface import remesh_sheets
    from oddseam.sizes import SizeField

    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    sheets = cut_into_sheets(nodes, triangles, np.zeros(2, np.int32), 30.0)
    remesh_sheets(sheets, Fineness(SizeField(0.3)), quads=True)


def rounding() -> None:
    """Put the nodes of a curve onto a round surface."""
    from oddseam.remeshing.kernels.curve_spacing import sum_round

    points = np.array([[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [2.0, 0.5, 0.0]])
    halves, node = np.array([[0, 1, 2]], np.int32), np.arange(3, dtype=np.int32)
    sum_round(points, node, halves, np.ones((1, 3)), np.zeros((3, 3)), np.zeros(3))


def connectivity() -> None:
    """Number the edges, the outer faces and the components of a facet, and measure it."""
    from oddseam.model.connectivity import Connectivity, label_components
    from oddseam.model.faces import Faces
    from oddseam.model.kernels.outer_marks import mark_outer
    from oddseam.model.kernels.piece_sums import sum_pieces

    faces = Faces(np.arange(3, dtype=np.int32), np.array([0, 3]), np.zeros(1, np.int32))
    assert len(Connectivity(faces, 3).edges) == 3
    label_components(3, np.array([0]), np.array([2]))
    facet, of, box = np.array([[0, 1, 2]], np.int32), np.zeros(1, np.int32), np.zeros((2, 1, 3))
    sum_pieces(np.eye(3), facet, of, np.zeros(3), np.zeros((1, 2)), box[0], box[1])
    mark_outer(np.array([[-1, 0, 1, 2], [-1, 0, 1, 2]], np.int32), 3, np.zeros(2, np.bool_))


def trees() -> None:
    """Ask the trees for what is closest, along a ray, and around; weld two points; lower a size."""
    from oddseam.geometry.trees.boxtree import BoxTree
    from oddseam.geometry.trees.rays import RayTree
    from oddseam.geometry.trees.winding_tree import WindingTree
    from oddseam.geometry.welding import weld_exact
    from oddseam.sizes.field import SizeField

    weld_exact(np.zeros((2, 3)))
    corners = np.eye(3)[None] + np.arange(6)[:, None, None]
    tree = BoxTree(corners)
    tree.closest(np.zeros((2, 3)))
    tree.near(np.zeros((2, 3)), 1.0)
    WindingTree(corners).at(np.zeros((2, 3)))
    rays = RayTree(np.eye(3), np.array([[0, 1, 2], [0, 2, 1]], np.int32))
    rays.along_normals(np.arange(2), 1.0, 1.0)
    rays.all_along(np.zeros((1, 3)), np.ones(3), np.zeros(1, np.int64))
    SizeField(1.0).finer(np.eye(3), np.full(3, 0.5)).at(np.zeros((2, 3)))


def crossings() -> None:
    """Find a crossing, and judge a pair."""
    from oddseam.geometry.exact.crossings import crossing_among, crossing_pairs

    nodes = np.array([[0.0, 0, 0], [2, 0, 0], [0, 2, 0], [0.5, 0.5, -1], [0.5, 0.5, 1], [3, 3, 0]])
    triangles = np.array([[0, 1, 2], [3, 4, 5]], np.int32)
    crossing_among(nodes, triangles, crossing_pairs(nodes, triangles).astype(np.int64))


def features() -> None:
    """Find ridges, grow patches, walk through bands and fit a cylinder."""
    from oddseam.features.edges.bands import Bands
    from oddseam.features.edges.leftovers import Facets
    from oddseam.features.edges.ridges import find_ridges
    from oddseam.features.patches.recognition import recognised
    from oddseam.geometry.kernels.primitive_fits import fit_surface
    from oddseam.geometry.shapes.primitives import Primitive, measured_each

    points = np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1], [-1, 0, 0], [0, -1, 0]])
    fit_surface(1, np.array([0.1, 0, 0, 0, 0, 1, 1, 0]), points, 1e-3, 3)
    nodes = np.array([[x, y, 0.0] for y in range(4) for x in range(4)])
    at = np.arange(16).reshape(4, 4)
    a, b, c, d = (w.ravel() for w in (at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]))
    triangles = np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])]).astype(np.int32)
    recognised(nodes, triangles, np.full((18, 3), -1, np.int32), 1e-6)
    across, label = np.array([[1, -1, -1], [0, 2, -1], [-1, 1, -1]], np.int32), np.full(3, -1, np.int32)
    bands = Bands(nodes, triangles[:3], across, np.ones(3), np.eye(3), label, 0.0)
    list(bands.at(1, 3, 1))
    plane = Primitive("plane", nodes[0], np.eye(3)[2])
    measured_each([plane], np.zeros(3), np.eye(3))
    Facets.of(nodes, triangles).lies_on(np.zeros(1, np.int32), plane, 1e-6)
    nodes = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0.1], [0, -1, 0.1]])
    triangles = np.array([[0, 1, 2], [1, 0, 3]], np.int32)
    find_ridges(nodes, triangles, np.array([[1, -1, -1], [0, -1, -1]], np.int32), 5.0, 0.0, np.zeros(4, bool))


def polygons() -> None:
    """Fill a loop of edges, and cut a polygon into triangles."""
    from oddseam.geometry.shapes.polygons import triangulate_polygons
    from oddseam.mending.kernels.loop_triangles import triangulate_loop

    p = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    triangulate_loop(p, np.zeros((4, 3)), np.zeros((4, 4), np.bool_), np.empty((2, 3), np.int32))
    points = np.array([[0, 0, 0], [2, 0, 0], [1, 0.5, 0], [2, 2, 0], [0, 2, 0.0]])
    triangulate_polygons(points, np.array([0, 5]))


def morphing() -> None:
    """Sum up what a triangle and a tetrahedron resist with, and relax them."""
    from oddseam.morphing.kernels.elastic_sums import assemble, columns, incidence, strains
    from oddseam.morphing.kernels.mesh_relaxing import distortions, relax

    points, u = np.eye(4, 3), np.zeros((4, 3))
    row, nodes = np.array([0, -1, -1, -1], np.int32), np.zeros(1, np.int64)
    begin, column = np.array([0, 1]), np.zeros(1, np.int32)
    for corners in ([[0, 1, 2]], [[0, 1, 2, 3]]):
        simplices = np.array(corners, np.int32)
        first, of = np.zeros(2, np.int64), np.zeros(1, np.int32)
        incidence(simplices, row, first, of[:0])
        incidence(simplices, row, first, of)
        columns(0, 1, simplices, row, first, of, begin, column[:0])
        columns(0, 1, simplices, row, first, of, begin, column)
        assemble(0, 1, points, simplices, np.ones(1), row, first, of, begin, column, u, np.zeros(1), np.zeros((1, 3)))
        strains(0, 1, points, simplices, u, np.zeros(1))
        relax(points.copy(), points, np.zeros((1, 3)), simplices, nodes, row, np.array([0, 1]), of, 0.5, 1)
        distortions(0, 1, points, points, simplices, np.zeros(1))


def pictures() -> None:
    """Draw a triangle and a line."""
    from oddseam.pictures.kernels.raster import draw_lines, fill_triangles

    xy, z = np.array([[1.0, 1.0], [6.0, 1.0], [1.0, 6.0]]), np.zeros(3)
    depth, ident = np.full((8, 8), -np.inf), np.full((8, 8), -1, np.int32)
    fill_triangles(xy, z, np.array([[0, 1, 2]], np.int32), depth, ident)
    ends, colour, canvas = np.array([[0, 1]], np.int32), np.zeros(3, np.float32), np.zeros((8, 8, 3), np.float32)
    draw_lines(xy, z, ends, depth, 0.1, colour, 2, canvas)


def numbers() -> None:
    """Read numbers from text, whole and real."""
    from oddseam.formats.columns import Columns
    from oddseam.formats.text import line_of, numbers_in

    def fail(row: int, reason: str) -> NoReturn:
        raise ValueError(f"{row}: {reason}")

    text = np.frombuffer(b"1 2.5e3 0.12345678901234567890\n", np.uint8)
    numbers_in(text, 0)
    line_of(text, 2)
    columns = Columns(text, np.array([[[0, 1]]]), fail)
    columns.whole(0, "warm-up")
    columns.real(0, "warm-up")


def facet_files() -> None:
    """Read a facet from every format of facets that is text or has runs of bytes."""
    from oddseam.formats.kernels.ply_walks import walk_bytes, walk_numbers
    from oddseam.formats.text import obj_statements, stl_facets
    from oddseam.formats.threemf_runs import TRIANGLES, VERTICES

    corners = b"".join(b"vertex %d %d 0\n" % xy for xy in ((0, 0), (1, 0), (0, 1)))
    facet = b"facet normal 0 0 1\nouter loop\n" + corners + b"endloop\nendfacet\n"
    stl_facets(np.frombuffer(b"solid a\n" + facet + b"endsolid a\n", np.uint8), 0)
    obj_statements(np.frombuffer(b"o one\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", np.uint8), 0)
    starts, counts, one = np.zeros((1, 1), np.int64), np.zeros(1, np.int64), np.ones(1, np.int64)
    walk_bytes(np.frombuffer(b"\x01\x00", np.uint8), 0, 1, one, one, False, 0, starts, counts)
    walk_numbers(np.array([1.0, 0.0]), 0, 1, np.ones(1, np.bool_), 0, starts, counts)
    for run in (VERTICES, TRIANGLES):
        run.scan(run.opening + b" " + b" ".join(name + b"'1'" for name in run.names) + b"/>")


def decks() -> None:
    """Cut the lines of both kinds of decks into fields."""
    from oddseam.formats.includes import as_one
    from oddseam.formats.keyword.keyword_lines import Lines
    from oddseam.formats.nastran.scanning import Scan

    scan = Scan(as_one(b"GRID,1,,0.,0.,1.-1\nGRID    2               0.0     0.0     0.0\n"))
    fields = scan.fields(np.arange(2), 5)
    fields.whole(0, "GRID")
    fields.real(4, "GRID")
    lines = Lines(as_one(b"*NODE\n1, 0., 0.\n** no data\n"))
    columns, _ = lines.fields(lines.data_rows(lines.blocks[0]), 2)
    columns.whole(0, "node")
    columns.real(1, "node")


#: All drills: every kernel of the package is run by one of them.
DRILLS = (
    remeshing,
    coarsening,
    crossings,
    morphing,
    features,
    numbers,
    quads,
    trees,
    facet_files,
    decks,
    polygons,
    connectivity,
    pictures,
    rounding,
)
