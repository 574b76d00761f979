"""Quads: most of the elements, square enough, aligned with creases, joined like triangles."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
import shapes
from test_regions import contents, deck

import oddseam
from oddseam.geometry.shapes.quality import quality


def of_kind(mesh: oddseam.Mesh, kind: str, measure: str) -> np.ndarray:
    block = mesh.elements.get(kind)
    return np.ones(0) if block is None else quality(mesh.nodes[block.connectivity])[measure]


def share(mesh: oddseam.Mesh) -> float:
    return len(mesh.elements["quad"]) / mesh.n_elements


def lengths(mesh: oddseam.Mesh) -> np.ndarray:
    ends = mesh.nodes[mesh.connectivity.edges]
    return np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)


def check(mesh: oddseam.Mesh, size: float, least_share: float = 0.85) -> None:
    assert share(mesh) > least_share
    jacobian = of_kind(mesh, "quad", "scaled_jacobian")
    assert (jacobian > 0.5).mean() >= 0.99 and jacobian.min() > 0.2
    assert of_kind(mesh, "tri", "minimum_angle").min(initial=60.0) > 15.0
    assert ((lengths(mesh) > 0.6 * size) & (lengths(mesh) < 1.6 * size)).mean() > 0.95
    proof = oddseam.prove(mesh)
    assert not (proof.crossing_pairs or proof.nonmanifold_edges or proof.misoriented_edges or proof.degenerate_facets)


@pytest.mark.slow
@pytest.mark.parametrize(
    "name, shape, size",
    [
        ("cube", shapes.cube(), 0.06),
        ("torus", shapes.torus(60, 30), 0.12),
        ("globe", shapes.sphere(48), 0.08),
        ("drum", shapes.capped_cylinder(48), 0.1),
    ],
)
def test_closed_shapes_become_quads(name, shape, size):
    given = shapes.mesh(shape, unit="mm")
    new = oddseam.remesh(given, size=size, quads=True)
    check(new, size)
    assert oddseam.prove(new).is_closed
    assert oddseam.prove(new).volume == pytest.approx(oddseam.prove(given).volume, rel=8e-3)


def test_a_square_is_nearly_a_grid():
    new = oddseam.remesh(shapes.mesh(shapes.sheet(8), unit="mm"), size=0.05, quads=True)
    check(new, 0.05, 0.95)
    assert 370 < len(new.elements["quad"]) < 430
    # most edges run along the sides
    ends = new.nodes[new.connectivity.edges]
    along = ends[:, 1] - ends[:, 0]
    angle = np.degrees(np.arctan2(along[:, 1], along[:, 0])) % 90.0
    assert (np.minimum(angle, 90.0 - angle) < 20.0).mean() > 0.85


@pytest.mark.slow
def test_the_cowl_by_quads(mended_cowl):
    new = oddseam.remesh(oddseam.find_features(mended_cowl), size=5.0, quads=True)
    check(new, 5.0)
    assert oddseam.prove(new).is_closed
    step = next(s for s in new.account.last.outcome.steps if s.name == "pair")
    assert step.count == len(new.elements["quad"])


def test_a_sphere_of_facets_gets_quads_by_a_size_field():
    field = oddseam.SizeField(0.2, zones=(oddseam.Zone("sphere", (0, 0, 1, 0.3), size=0.05),))
    new = oddseam.remesh(shapes.mesh(shapes.sphere(48), unit="mm"), sizes=field, quads=True)
    assert share(new) > 0.8
    assert of_kind(new, "quad", "scaled_jacobian").min() > 0.2
    middle = new.nodes[new.elements["quad"].connectivity].mean(axis=1)
    near = np.linalg.norm(middle - (0, 0, 1), axis=1) < 0.3
    assert near.sum() > 0.4 * np.pi * 0.3**2 / 0.05**2


def test_quads_on_a_picked_wall_keep_rib_and_stringer():
    given = deck()
    new = oddseam.remesh(given, size=0.5, pick="part wall", quads=True)
    before, after = contents(given), contents(new)
    assert all(after[i] == what for i, what in before.items() if what[1] != 10)
    assert len(new.elements["quad"]) > 100 + 8
    assert not oddseam.prove(new).crossing_pairs


@pytest.mark.slow
def test_a_format_of_triangles_says_so(tmp_path):
    oddseam.write_mesh(shapes.mesh(shapes.cube(), unit="mm"), tmp_path / "cube.stl")
    done = subprocess.run(
        [sys.executable, "-m", "oddseam", "remesh", tmp_path / "cube.stl", "--unit", "mm", "--size", "0.2", "--quads",
         "-o", tmp_path / "quads.stl"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "quad elements, to triangles" in done.stdout
