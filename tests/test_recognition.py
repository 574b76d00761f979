"""The parts of recognition by themselves: fits, growth, settling, borders, leftovers, and sheets that keep facets."""

from __future__ import annotations

from collections import Counter

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.features.edges.leftovers import with_leftovers
from oddseam.features.edges.ridges import find_ridges
from oddseam.features.find_features import _skin
from oddseam.features.kernels import patch_growth
from oddseam.features.patches.borders import with_borders_that_count
from oddseam.features.patches.recognition import Recognised, recognised, regions_of
from oddseam.geometry.kernels.primitive_fits import fit_surface
from oddseam.geometry.shapes.primitives import PRIMITIVES, Primitive
from oddseam.remeshing.surfaces.sheets import cut_into_sheets

Z = np.array([0.0, 0.0, 1.0])
SOME = {
    "plane": Primitive("plane", np.zeros(3), Z),
    "sphere": Primitive("sphere", np.zeros(3), Z, 1.5),
    "cylinder": Primitive("cylinder", np.zeros(3), Z, 0.8),
    "cone": Primitive("cone", np.zeros(3), Z, 25.0),
    "torus": Primitive("torus", np.zeros(3), Z, 2.0, 0.6),
}


def on_surface(surface, count, random):
    """Random points of an open part of a surface."""
    start = random.uniform(-1.0, 1.0, (count, 3)) + np.array([2.0, 0.5, 1.2])
    for _ in range(4):
        start = surface.projected(start)
    return start


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(PRIMITIVES[1:]), st.integers(0, 10**6))
def test_a_fit_comes_back_to_the_surface_from_a_poor_start(kind, seed):
    random = np.random.default_rng(seed)
    surface = SOME[kind]
    points = on_surface(surface, 80, random)
    code, numbers = surface.code
    start = numbers + 0.05 * random.normal(size=8)
    start[3:6] /= np.linalg.norm(start[3:6])
    start[6] = numbers[6] * 1.05
    mean2 = fit_surface(code, start, points, 1e-3, 500)  # one start in 600 takes hundreds of damped steps
    assert np.sqrt(mean2) < 1e-7
    found = Primitive(kind, start[:3], start[3:6], abs(start[6]), abs(start[7]))
    assert np.abs(found.distance(points)).max() < 1e-6


@pytest.mark.parametrize("kind", PRIMITIVES)
def test_kernels_and_primitives_measure_alike(kind):
    from oddseam.geometry.kernels.primitive_fits import off_surface

    points = np.random.default_rng(3).normal(size=(50, 3))
    surface = SOME[kind]
    code, numbers = surface.code
    found = np.array([off_surface(code, numbers, *point) for point in points])
    assert found[:, 0] == pytest.approx(surface.distance(points), abs=1e-12)
    assert found[:, 1:] == pytest.approx(surface.normal(points), abs=1e-12)


@settings(max_examples=30, deadline=None)
@given(st.lists(st.integers(-1, 5), max_size=40))
def test_regions_are_the_rows_of_each_label(labels):
    label = np.array(labels, np.int32)
    regions = regions_of(label, 6)
    assert [region.tolist() for region in regions] == [np.flatnonzero(label == k).tolist() for k in range(6)]


def grid(n=8):
    nodes, triangles = shapes.sheet(n)
    triangles = triangles.astype(np.int32)
    return nodes, triangles, _skin(nodes, triangles, 30.0).smooth


def test_growing_stops_at_labels_at_the_tolerance_and_at_a_number():
    nodes, triangles, across = grid()
    m = len(triangles)
    normals = np.tile(Z, (m, 1))
    code, numbers = SOME["plane"].code

    def grown(most=m, label=None, tolerance=1e-9, nodes=nodes):
        label = np.full(m, -1, np.int32) if label is None else label
        queue, mark = np.empty(m, np.int32), np.zeros(m, np.int32)
        starts = np.array([0], np.int32)
        count = patch_growth.grow(starts, most, code, numbers, nodes, triangles, normals, across, label, tolerance, 0.9,
                             queue, mark, 1)  # fmt: skip
        return np.sort(queue[:count])

    assert len(grown()) == m and len(grown(most=10)) == 10
    middle = nodes[triangles].mean(axis=1)[:, 0]
    label = np.where(middle > 0.5, 0, -1).astype(np.int32)
    assert len(grown(label=label)) == m // 2
    bent = nodes + np.column_stack([0 * nodes[:, 0], 0 * nodes[:, 0], np.maximum(nodes[:, 0] - 0.5, 0.0)])
    assert (middle[grown(nodes=bent)] < 0.5).all() and len(grown(nodes=bent, tolerance=1.0)) == m


def test_settling_ends_where_two_surfaces_are_the_same():
    nodes, triangles, across = grid()
    label = (np.arange(len(triangles)) % 2).astype(np.int32)
    code, numbers = SOME["plane"].code
    assert (
        patch_growth.settle(label, np.array([code, code]), np.array([numbers, numbers]), nodes, triangles, across) == 0
    )
    tilted = Primitive("plane", np.zeros(3), np.array([0.6, 0.0, 0.8]))
    codes, values = np.array([code, code]), np.array([tilted.code[1], numbers])
    rounds = 0
    while patch_growth.settle(label, codes, values, nodes, triangles, across):
        rounds += 1
        assert rounds < 50
    # nothing but what lies on both stays with the plane that is off
    off = np.abs(tilted.distance(nodes))[triangles].max(axis=1) > 1e-9
    assert (label[off] == 1).all()


def test_halves_of_one_plane_become_one_and_a_fillet_keeps_its_ends():
    nodes, triangles, across = grid()
    half = (nodes[triangles].mean(axis=1)[:, 0] > 0.5).astype(np.int32)
    plane = SOME["plane"]
    label, surfaces = with_borders_that_count(nodes, triangles, across, half, (plane, plane), 1e-9, False)
    assert len(surfaces) == 1 and (label == 0).all()
    nodes, triangles = shapes.fillet(8, 4)
    triangles = triangles.astype(np.int32)
    across = _skin(nodes, triangles, 30.0).smooth
    found = recognised(nodes, triangles, across, 1e-7)
    kept = with_borders_that_count(nodes, triangles, across, found.label, found.surfaces, 1e-7, False)
    assert len(kept[1]) == 3 and (kept[0] == found.label).all()


def test_pieces_cut_out_of_a_round_are_given_back_to_it():
    nodes, triangles = shapes.capped_cylinder(24)
    triangles = triangles.astype(np.int32)
    across = _skin(nodes, triangles, 30.0).smooth
    found = recognised(nodes, triangles, across, 1e-7)
    wall = next(k for k, surface in enumerate(found.surfaces) if surface.kind == "cylinder")
    label = found.label.copy()
    label[np.flatnonzero(label == wall)[[0, 7, 20]]] = -1
    again = with_leftovers(nodes, triangles, across, Recognised(label, found.surfaces), 1e-7)
    assert (again.label == found.label).all() and len(again.surfaces) == 3


def test_a_hole_whose_nodes_lie_on_facets_is_a_cylinder_as_a_whole():
    coarse = oddseam.Mesh.from_triangles(*shapes.capped_cylinder(96), unit="mm")
    even = oddseam.remesh(coarse, size=0.17)  # nodes lie on the facets, off by their sag
    found = oddseam.find_features(even)
    assert sorted(patch.kind for patch in found.patches.table) == ["cylinder", "plane", "plane"]
    assert found.patches.table[0].radius == pytest.approx(1.0, rel=2e-3)


def test_smooth_bodies_have_no_ridges():
    for shape in (shapes.sphere(36), shapes.torus(40, 20), shapes.sphere(60)):
        nodes, triangles = shape
        triangles = triangles.astype(np.int32)
        across = _skin(nodes, triangles, 30.0).smooth
        assert not len(find_ridges(nodes, triangles, across, 5.0, 0.0, np.zeros(len(nodes), bool)))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6))
def test_any_soup_has_patches_that_cover_it(seed):
    """Facets that cross, repeat, are turned, or have no area: everything gets a patch, nothing stops it."""
    random = np.random.default_rng(seed)
    nodes = np.round(random.uniform(0, 3, (12, 3)))
    triangles = random.integers(0, 12, (int(random.integers(1, 40)), 3))
    triangles = triangles[(triangles != np.roll(triangles, 1, axis=1)).all(axis=1)]
    if not len(triangles):
        return
    mesh = oddseam.Mesh.from_triangles(nodes, triangles)
    found = oddseam.find_features(mesh)
    assert (found.patches.label >= 0).all() and found.digest == mesh.digest
    rows = oddseam.list_patches(found)
    assert sum(row.elements for row in rows) == mesh.n_elements


def test_sheets_keep_the_place_of_facets_or_all_of_them():
    nodes, triangles = shapes.sphere(16)
    triangles = triangles.astype(np.int32)
    kept = np.zeros(len(triangles), np.int8)
    kept[5] = 1
    place = cut_into_sheets(nodes, triangles, np.zeros(len(triangles)), 30.0, kept=kept)
    assert place.curves.is_corner.sum() == 3 and len(place.curves.first) == 4 and place.is_splittable.all()
    whole = cut_into_sheets(nodes, triangles, np.zeros(len(triangles)), 30.0, kept=2 * kept)
    assert not whole.is_splittable.any() and not whole.is_angle.any()
    free = cut_into_sheets(nodes, triangles, np.zeros(len(triangles)), 30.0, kept=0 * kept)
    assert len(free.curves.first) == 1


def test_quads_have_patches_too():
    n = 6
    x, y = (w.ravel() for w in np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0), indexing="ij"))
    at = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], axis=-1).reshape(-1, 4)
    nodes = np.column_stack([x, y, 0.3 * np.abs(x - 3.0)])
    ids = np.arange(1, len(quads) + 1)
    mesh = oddseam.Mesh(nodes, {"quad": oddseam.Elements(quads, ids, 0 * ids)}, (oddseam.Part("roof", 1),), unit="mm")
    found = oddseam.find_features(mesh)
    assert len(found.patches.table) == 2 and np.bincount(found.patches.label).tolist() == [18, 18]
    assert (np.abs(nodes[found.creases.edges][..., 0] - 3.0) < 1e-12).all() and len(found.creases.edges) == n


def kinds_of(shape, digits=None):
    points, triangles = shape
    points = points if digits is None else np.round(points, digits)
    found = oddseam.find_features(shapes.mesh((points.astype(np.float32).astype(float), triangles)))
    return Counter(patch.kind for patch in found.patches.table)


@pytest.mark.parametrize("sides, steps, rows", [(16, 4, 1), (24, 6, 1), (32, 12, 1), (36, 4, 2), (64, 40, 3)])
def test_straight_and_bent_runs_of_a_pipe_are_cylinders_and_tori(sides, steps, rows):
    # the straight runs have but one row of facets between tangent bends, or a few
    assert kinds_of(shapes.bent_pipe(sides, steps, rows)) == {"cylinder": 6, "torus": 4, "plane": 2}


def flange(steps=6):
    arc = np.radians(np.linspace(-90.0, -180.0, steps + 1))
    fillet = np.column_stack([38.0 + 3.0 * np.cos(arc), 15.0 + 3.0 * np.sin(arc)])
    return [(25, 0), (70, 0), (70, 12), *fillet, (35, 30), (30, 45), (30, 60), (25, 60)]


@pytest.mark.parametrize("sides", [48, 160])
def test_the_hub_of_a_flange_is_cylinders_and_a_cone_of_one_row_of_facets_each(sides):
    # any circles through three rings are a torus, through two a sphere
    assert kinds_of(shapes.revolved(flange(), sides)) == {"plane": 3, "cylinder": 4, "cone": 1, "torus": 1}


def test_bands_of_a_smooth_surface_of_revolution_are_no_cones():
    height = np.linspace(0.0, 50.0, 26)
    outside = np.column_stack([20.0 + 4.0 * np.sin(height / 9.0), height])
    profile = [*outside.tolist(), (10.0, 50.0), (10.0, 0.0)]
    assert kinds_of(shapes.revolved(profile, 48)) == {"free-form": 1, "plane": 2, "cylinder": 1}


@pytest.mark.parametrize("digits", [3, 2])
def test_what_was_written_with_few_digits_is_recognised_as_what_was_not(digits):
    # rounded, a bore is strips that are exactly flat
    height = np.linspace(0.0, 30.0, 9)
    walls = [*((50.0, z) for z in height), *((20.0, z) for z in height[::-1])]
    points, triangles = shapes.revolved(walls, 120)
    middle = np.array([7.1234, -3.4567, 1.3579])
    assert kinds_of((points @ rotation().T + middle, triangles), digits) == {"plane": 2, "cylinder": 2}
    assert kinds_of((points + middle, triangles), digits) == {"plane": 2, "cylinder": 2}


def rotation():
    return np.linalg.qr(np.random.default_rng(3).normal(size=(3, 3)))[0]


@pytest.mark.parametrize("noise", [0.0, 0.003])
def test_a_fillet_of_a_few_long_strips_of_many_facets_is_a_cylinder(noise):
    # each of its steps is flat by itself, and more facets than a plane takes
    steps = np.radians(np.linspace(-90.0, 0.0, 5))
    fillet = np.column_stack([17.0 + 3.0 * np.cos(steps), 3.0 + 3.0 * np.sin(steps)])
    flat, upright = np.linspace(0.0, 17.0, 16), np.linspace(3.0, 20.0, 16)
    profile = np.concatenate(
        [np.column_stack([flat[:-1], np.zeros(15)]), fillet, np.column_stack([np.full(15, 20.0), upright[1:]])]
    )
    along = np.linspace(0.0, 60.0, 61)
    points = np.array([(x, y, z) for y in along for x, z in profile])
    at = np.arange(len(points)).reshape(61, -1)
    a, b, c, d = at[:-1, :-1].ravel(), at[:-1, 1:].ravel(), at[1:, 1:].ravel(), at[1:, :-1].ravel()
    points += noise * np.random.default_rng(5).normal(size=points.shape)
    assert kinds_of((points, np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])]))) == {
        "plane": 2, "cylinder": 1,
    }  # fmt: skip


def test_mostly_facets_without_any_length_have_patches_too():
    points, triangles = shapes.cube()
    triangles = np.concatenate([triangles, np.zeros((40, 3), int)])
    found = oddseam.find_features(shapes.mesh((points, triangles)))
    assert [patch.kind for patch in found.patches.table[:6]] == 6 * ["plane"]
