"""Changes given by a new faceted shape: what becomes what, where nodes land, and topology that differs."""

from __future__ import annotations

import numpy as np
import pytest
import solids
from test_morph import assert_only_coordinates, share_of_quality

import oddseam
from oddseam.demo import write_bearing_block, write_bearing_block_new
from oddseam.findings.classes.distances import distance_to, surface_of


def facets(mesh: oddseam.Mesh) -> oddseam.Mesh:
    return oddseam.as_written(surface_of(mesh), "stl")


@pytest.fixture(scope="module")
def bearing(tmp_path_factory):
    folder = tmp_path_factory.mktemp("bearing")
    return oddseam.read_mesh(write_bearing_block(folder / "bearing_block.bdf"), unit="mm")


@pytest.fixture(scope="module")
def new_bearing(tmp_path_factory):
    folder = tmp_path_factory.mktemp("new")
    return oddseam.read_mesh(write_bearing_block_new(folder / "new.stl"), unit="mm")


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["hex", "tet", "wedge", "mixed", "hex20", "tet10", "wedge15"])
def test_block_takes_a_new_shape(kind):
    block = solids.solid(solids.bored_block(), kind)
    goal = solids.bored_block(11.3, 57.0, 43.0, around=56, rings=9, rows=13, height=64.0, bore=(2.0, -1.0))
    target = facets(solids.solid(goal, "hex"))
    new = oddseam.morph(block, oddseam.Shape(target))
    assert_only_coordinates(block, new)
    skin = surface_of(new)
    assert distance_to(skin.nodes, target).max() < 1e-5  # midside nodes as well
    assert "off their surfaces at most" in new.account.last.outcome.steps[0].detail
    assert share_of_quality(block, new) > 0.6
    smooth = oddseam.morph(block, oddseam.Shape(target, surface="recognised"))
    at = np.abs(np.hypot(block.nodes[:, 0], block.nodes[:, 2]) - 10.0) < 1e-9
    out = np.hypot(smooth.nodes[at, 0] - 2.0, smooth.nodes[at, 2] + 1.0)
    assert np.abs(out - 11.3).max() < 1e-4
    if kind == "hex":
        box = 57.0 * 64.0 * 43.0
        # the given facets cut 56 corners off the bore, the mesh 32
        assert solids.volume(new) == pytest.approx(box - np.pi * 11.3**2 * 43.0, rel=4e-3)


@pytest.mark.slow
def test_creases_go_to_creases(bearing, new_bearing):
    new = oddseam.morph(bearing, oddseam.Shape(new_bearing))
    was, goal = oddseam.find_features(oddseam.skin(bearing)), oddseam.find_features(new_bearing)
    from oddseam.geometry.trees.boxtree import BoxTree

    lines = goal.creases.edges[:, [0, 1, 1]]
    nodes = oddseam.skin(new).nodes[np.unique(was.creases.edges)]
    closest, _ = BoxTree(goal.nodes[lines]).closest(nodes)
    assert np.linalg.norm(closest - nodes, axis=1).max() < 1e-5
    assert share_of_quality(bearing, new) > 0.9
    same = oddseam.morph(
        bearing, [oddseam.Bore((0, 20, 25), diameter=41.5), oddseam.Offset("near (-54,20,14) flat 5", 4)]
    )
    found = oddseam.compare(new, same)
    assert max(found.there.most, found.back.most) < 0.2  # chords of the given facets
    assert found.volume[0] == pytest.approx(found.volume[1], rel=2e-3)


def test_the_same_shape_changes_nothing(bearing):
    new = oddseam.morph(bearing, oddseam.Shape(facets(bearing)))
    assert (new.nodes == bearing.nodes).all()


def test_some_patches_take_the_new_shape_between_borders_that_stay():
    block = solids.solid(solids.bored_block(), "hex")
    target = facets(solids.solid(solids.bored_block(12.0, height=66.0, around=48), "hex"))
    ends = "near (25, 0, 0) flat 5 or near (25, 40, 0) flat 5"
    new = oddseam.morph(block, oddseam.Shape(target, pick=f"surface (10, 20, 0) or {ends}", surface="recognised"))
    at = np.abs(np.hypot(block.nodes[:, 0], block.nodes[:, 2]) - 10.0) < 1e-9
    assert np.abs(np.hypot(new.nodes[at, 0], new.nodes[at, 2]) - 12.0).max() < 1e-4
    for axis in (0, 2):  # the sides, which were not picked
        side = np.abs(np.abs(block.nodes[:, axis]) - 30.0) < 1e-9
        assert (new.nodes[side] == block.nodes[side]).all()
    whole = oddseam.morph(block, oddseam.Shape(target))
    assert whole.nodes[:, 2].max() == pytest.approx(33.0, abs=1e-5)


def hole_closes():
    return solids.solid(solids.bored_block(), "tet"), solids.solid(solids.grid(*[np.linspace(-30, 30, 9)] * 3), "hex")


def hole_opens():
    return tuple(reversed(hole_closes()))


def pieces_join():
    one = solids.grid(np.linspace(0, 4, 5), *[np.linspace(0, 4, 5)] * 2)
    two = solids.grid(np.linspace(5, 9, 5), *[np.linspace(0, 4, 5)] * 2)
    whole = solids.grid(np.linspace(0, 9, 8), *[np.linspace(0, 4, 6)] * 2)
    return solids.solid(solids.merged(one, two), "hex"), solids.solid(whole, "hex")


def patch_vanishes():
    tube = solids.solid(solids.flanged_tube(), "hex")
    nodes, hexes = solids.flanged_tube(56)
    out = np.hypot(nodes[:, 0], nodes[:, 1])[hexes].max(axis=1)
    used, index = np.unique(hexes[out < 27.0], return_inverse=True)
    return tube, solids.solid((nodes[used], index.reshape(-1, 8)), "hex")


def rib_vanishes():
    panel = solids.ribbed_panel()
    ids = panel.element_ids[
        (panel.nodes[panel.elements["quad"].connectivity][:, :, 2].max(axis=1) > 0)
        & (panel.nodes[panel.elements["quad"].connectivity][:, :, 1].min(axis=1) > 40)
    ]
    return panel, oddseam.delete(panel, "ids " + " ".join(map(str, ids.tolist())), unused_nodes=True)


@pytest.mark.parametrize(
    ("pair", "words"),
    [
        (hole_closes, r"cylinder 1 about \(0, 20, 0\) has no counterpart"),
        (hole_opens, r"cylinder 1 about \(0, 20, 0\) of the new shape is not there yet"),
        (pieces_join, "pieces join, 2 became 1"),
        (patch_vanishes, "cylinder 3 about .* has no counterpart"),
        (rib_vanishes, "has no counterpart"),
    ],
)
def test_changes_of_topology_are_named(pair, words):
    mesh, goal = pair()
    with pytest.raises(oddseam.Refusal, match=f"the change is one of topology: .*{words}.*`oddseam splice` or `cut`"):
        oddseam.morph(mesh, oddseam.Shape(facets(goal)))


def test_a_drain_through_the_foot_is_refused(bearing, tmp_path):
    drain = oddseam.read_mesh(write_bearing_block_new(tmp_path / "drain.stl", drain=True), unit="mm")
    with pytest.raises(oddseam.Refusal, match=r"plane 10 about \(-55.*is not there yet.*`oddseam splice` or `cut`"):
        oddseam.morph(bearing, oddseam.Shape(drain))


def test_units_have_to_agree(bearing, new_bearing):
    other = oddseam.convert(new_bearing, to_unit="cm")
    with pytest.raises(oddseam.Refusal, match="the new shape is in cm, the mesh in mm"):
        oddseam.morph(bearing, oddseam.Shape(other))


def test_a_free_form_surface_follows():
    from shapes import torus

    nodes, triangles = torus(100, 40)
    mesh = oddseam.Mesh.from_triangles(nodes * (1, 1, 1.3), triangles, unit="mm")
    other = torus(130, 52, big=2.1, small=0.75)
    target = oddseam.Mesh.from_triangles(other[0] * (1, 1, 1.3), other[1], unit="mm")
    new = oddseam.morph(mesh, oddseam.Shape(target))
    assert distance_to(new.nodes, target).max() < 1e-12
    assert distance_to(target.nodes, new).max() < 0.05
