"""Refining a pick: conforming, nothing else touched, and all that travels with a mesh following."""

from __future__ import annotations

import dataclasses
import subprocess
import sys

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st
from test_regions import contents, deck

import oddseam
from oddseam.geometry.shapes.quality import quality


def area(mesh: oddseam.Mesh) -> float:
    corners = mesh.nodes[mesh.triangulation.triangles]
    return float(
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    )


def angles(mesh: oddseam.Mesh) -> np.ndarray:
    return quality(mesh.nodes[mesh.triangulation.triangles])["minimum_angle"]


def wall() -> oddseam.Mesh:
    """The deck without its stringer, with groups of each sort."""
    mesh = oddseam.delete(deck(), "part stringer")
    quads = np.arange(64)
    groups = oddseam.Groups(
        nodes={"side": np.arange(9), "corner": np.array([0])},
        elements={"pressed": quads[:8]},
        sides={"top": np.column_stack([quads, 0 * quads]), "rim": np.column_stack([quads[:8], np.full(8, 5)])},
    )
    return dataclasses.replace(mesh, groups=groups)


def test_every_edge_of_the_pick_is_halved_and_the_rest_stays():
    mesh = wall()
    picked = set(mesh.element_ids[oddseam.pick(mesh, "near (2.5, 2.5, 0)")].tolist())
    new = oddseam.refine(mesh, "near (2.5, 2.5, 0)")
    before, after = contents(mesh), contents(new)
    gone = before.keys() - after.keys()
    assert picked < gone and len(gone) == 5  # itself, and the four across its edges
    assert all(after[i] == before[i] for i in before.keys() - gone)
    assert area(new) == pytest.approx(area(mesh), rel=1e-14)
    assert new.counts["quad"] == 72 - 5 + 4 and new.counts["tri"] == 12
    assert oddseam.prove(new).free_edges == oddseam.prove(mesh).free_edges


def test_a_t_joint_stays_joined():
    mesh = wall()
    new = oddseam.refine(mesh, "part rib", times=2)
    c, proof = new.connectivity, oddseam.prove(new)
    assert proof.nonmanifold_edges == 4 * 8
    assert (c.face_count[c.is_nonmanifold] == 3).all()
    # the rib has ten free edges, each in four pieces now, and at its two ends the rim of the wall is split too
    assert proof.free_edges == oddseam.prove(mesh).free_edges + 3 * 10


def test_groups_and_creases_follow():
    mesh = wall()
    mesh = dataclasses.replace(mesh, creases=oddseam.Creases(np.array([[36, 37], [37, 38]]), np.array([0, 0], np.int8)))
    new = oddseam.refine(mesh, "part wall")
    assert len(new.groups.nodes["side"]) == 17 and len(new.groups.nodes["corner"]) == 1
    assert len(new.groups.elements["pressed"]) == 32
    top, rim = new.groups.sides["top"], new.groups.sides["rim"]
    assert len(top) == 256 and (top[:, 1] == 0).all()
    assert len(rim) == 16
    block = new.elements["quad"]
    at = {i: row for row, i in enumerate(block.ids.tolist())}
    for element, side in rim.tolist():
        row = at[int(new.element_ids[element])]
        ends = new.nodes[block.connectivity[row][[side - 2, (side - 1) % 4]]]
        assert (ends[:, 0] == 0).all()  # the edge at x = 0 that the group was given on
    assert len(new.creases.edges) == 4
    assert np.ptp(new.nodes[new.creases.edges][:, :, 1], axis=1) == pytest.approx(0.5)


def test_new_nodes_go_onto_recognised_surfaces():
    mesh = oddseam.find_features(shapes.mesh(shapes.capped_cylinder(24), unit="mm"))
    new = oddseam.refine(mesh, "all", times=2)
    flat = oddseam.refine(mesh, "all", times=2, surface="facets")
    wall_nodes = np.abs(new.nodes[:, 2] - new.nodes[:, 2].mean()) < 1.4
    radius = np.linalg.norm(new.nodes[wall_nodes][:, :2], axis=1)
    assert np.abs(radius - 1.0).max() < 1e-9
    assert oddseam.prove(new).volume > oddseam.prove(flat).volume
    assert oddseam.prove(flat).volume == pytest.approx(oddseam.prove(mesh).volume, rel=1e-12)
    assert oddseam.prove(new).is_closed and oddseam.prove(new).is_clean


def test_down_to_a_size():
    mesh = shapes.mesh(shapes.torus(40, 20), unit="mm")
    new = oddseam.refine(mesh, "sphere (2.7, 0, 0) 0.6", size=0.06)
    ends = new.nodes[new.connectivity.edges]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    inside = np.linalg.norm(ends.mean(axis=1) - (2.7, 0, 0), axis=1) < 0.3
    assert inside.sum() > 100 and length[inside].max() <= 0.06
    assert angles(new).min() > 0.5 * angles(mesh).min()
    assert oddseam.prove(new).is_closed and oddseam.prove(new).volume == pytest.approx(oddseam.prove(mesh).volume)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.integers(1, 4))
def test_random_picks_keep_shape_angles_and_closedness(seed, times):
    chance = np.random.default_rng(seed)
    nodes, triangles = shapes.sphere(12)
    mesh = shapes.mesh((nodes * chance.uniform(0.5, 3.0, 3), triangles), unit="mm")
    ids = " ".join(map(str, chance.choice(mesh.element_ids, 3, replace=False)))
    new = oddseam.refine(mesh, f"ids {ids}", times=times)
    proof = oddseam.prove(new)
    assert proof.is_closed and not proof.nonmanifold_edges and not proof.misoriented_edges
    assert proof.volume == pytest.approx(oddseam.prove(mesh).volume, rel=1e-12)
    assert angles(new).min() >= 0.499 * angles(mesh).min()


def test_what_would_lose_a_node_is_refused():
    with pytest.raises(oddseam.Refusal, match=r"line element 9000 and 7 others use edges that would be split"):
        oddseam.refine(deck(), "part wall")
    with pytest.raises(oddseam.Refusal, match="no tri or quad"):
        oddseam.refine(deck(), "part stringer")
    with pytest.raises(oddseam.Refusal, match="not both"):
        oddseam.refine(wall(), "all", times=2, size=0.1)


def test_the_command_line_refines(tmp_path):
    oddseam.write_mesh(wall(), tmp_path / "wall.seam")
    done = subprocess.run(
        [sys.executable, "-m", "oddseam", "refine", tmp_path / "wall.seam", "sphere (2, 2, 0) 1.5", "--times", "2", "-o",
         tmp_path / "fine.seam"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "halve (2)" in done.stdout
    assert oddseam.read_mesh(tmp_path / "fine.seam").n_elements > 72
