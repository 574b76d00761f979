"""What must hold for every operation, whatever the part."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam

OPERATIONS = {
    "mend": lambda mesh, unit: oddseam.mend(mesh),
    "remesh": lambda mesh, unit: oddseam.remesh(mesh, size=0.31 * unit),
}


def torn(seed: int, n: int = 36, m: int = 18) -> tuple[np.ndarray, np.ndarray]:
    """A torus with small holes, a turned patch, duplicates and a crumb, in random order."""
    rng = np.random.default_rng(seed)
    nodes, triangles = shapes.torus(n, m)
    middle = nodes[triangles].mean(axis=1)

    def near(radius: float) -> np.ndarray:
        return np.linalg.norm(middle - middle[rng.integers(len(middle))], axis=1) < radius

    triangles = triangles.copy()
    turned = near(0.9)
    triangles[turned] = triangles[turned, ::-1]
    kept = triangles[~(near(0.2) | near(0.15))]
    doubled = kept[rng.integers(len(kept), size=3)]
    crumb = np.array([[0.0, 0, 0], [0.01, 0, 0], [0, 0.01, 0]])
    soup = np.concatenate([kept, doubled, [[len(nodes), len(nodes) + 1, len(nodes) + 2]]])
    return np.concatenate([nodes, crumb]), soup[rng.permutation(len(soup))]


def as_set(mesh: oddseam.Mesh) -> set[tuple]:
    """The oriented facets by their coordinates, each begun at its smallest corner."""
    corners = mesh.nodes[mesh.elements["tri"].connectivity].tolist()
    rolled = (min(c[k:] + c[:k] for k in range(3)) for c in corners)
    return {tuple(map(tuple, c)) for c in rolled}


@given(st.integers(0, 10_000))
@settings(max_examples=10, deadline=None)
def test_twice_is_once(seed):
    once = oddseam.mend(oddseam.Mesh.from_triangles(*torn(seed)), close=1.5, target="stl")
    twice = oddseam.mend(once, close=1.5, target="stl")
    assert not once.account.last.outcome.unmet
    assert twice.digest == once.digest and len(twice.account) == 2
    assert all(step.count == 0 for step in twice.account.last.outcome.steps)


@pytest.mark.slow
@given(st.integers(0, 10_000), st.sampled_from([-10, -3, 5, 10]))
@settings(max_examples=10, deadline=None)
@pytest.mark.parametrize("name", OPERATIONS)
def test_a_unit_that_is_a_power_of_two_changes_no_bit_but_the_exponent(name, seed, power):
    nodes, triangles = torn(seed)
    if name == "remesh":
        nodes, triangles = shapes.torus(30, 15)
    scale = 2.0**power
    one = OPERATIONS[name](oddseam.Mesh.from_triangles(nodes, triangles), 1.0)
    other = OPERATIONS[name](oddseam.Mesh.from_triangles(nodes * scale, triangles), scale)
    assert np.array_equal(one.nodes * scale, other.nodes)
    assert np.array_equal(one.elements["tri"].connectivity, other.elements["tri"].connectivity)


@pytest.mark.slow
@given(st.integers(0, 10_000))
@settings(max_examples=10, deadline=None)
def test_the_order_of_facets_does_not_matter(seed):
    nodes, triangles = torn(seed)
    order = np.random.default_rng(seed + 1).permutation(len(triangles))
    one = oddseam.mend(oddseam.Mesh.from_triangles(nodes, triangles), close="none")
    other = oddseam.mend(oddseam.Mesh.from_triangles(nodes, triangles[order]), close="none")
    assert as_set(one) == as_set(other)
    closed = [oddseam.mend(oddseam.Mesh.from_triangles(nodes, t), close=1.5) for t in (triangles, triangles[order])]
    volumes = [oddseam.prove(mesh).volume for mesh in closed]
    assert volumes[0] == pytest.approx(volumes[1], rel=1e-3) and volumes[0] > 0


@pytest.mark.parametrize("name", OPERATIONS)
def test_a_million_from_the_origin_is_as_good_as_near_it(name):
    nodes, triangles = shapes.torus(48, 24)
    offset = np.array([1e6, -1e6, 1e6])
    far = np.round((nodes + offset) * 2**20) / 2**20  # so that both are the same shape to the last bit
    near = oddseam.Mesh.from_triangles(far - offset, triangles)
    moved = OPERATIONS[name](oddseam.Mesh.from_triangles(far, triangles), 1.0)
    proof, wanted = oddseam.prove(moved), oddseam.prove(OPERATIONS[name](near, 1.0))
    assert proof.is_clean and proof.is_closed
    assert proof.volume == pytest.approx(wanted.volume, rel=1e-3)
    assert oddseam.prove(oddseam.as_written(moved, "nastran")).is_clean


def test_the_same_input_gives_the_same_output_and_stays_as_it_was():
    nodes, triangles = torn(5)
    mesh = oddseam.Mesh.from_triangles(nodes, triangles)
    before = mesh.digest
    for operation in OPERATIONS.values():
        sound = oddseam.mend(mesh)
        assert operation(sound, 1.0).digest == operation(sound, 1.0).digest
    assert mesh.digest == before == oddseam.Mesh.from_triangles(nodes, triangles).digest and not len(mesh.account)


def test_parts_ids_and_groups_follow_mending():
    nodes, triangles = torn(11)
    upper = nodes[triangles].mean(axis=1)[:, 2] > 0
    parts = (oddseam.Part("lower", 3), oddseam.Part("upper", 7, thickness=2.0, boundary="wall"))
    outer = np.flatnonzero(np.hypot(*nodes[triangles].mean(axis=1)[:, :2].T) > 2.0)
    mesh = oddseam.Mesh.from_triangles(
        nodes, triangles, part=upper.astype(int), parts=parts, groups=oddseam.Groups(elements={"outer": outer})
    )
    numbered = np.random.default_rng(0).permutation(5 * mesh.n_elements)[: mesh.n_elements] + 1
    block = mesh.elements["tri"]
    mesh = dataclasses.replace(mesh, elements={"tri": oddseam.Elements(block.connectivity, numbered, block.part)})
    mended = oddseam.mend(mesh, close=1.5)
    assert mended.parts == parts
    old = {number: row for row, number in enumerate(numbered.tolist())}
    kept = [row for row, number in enumerate(mended.element_ids.tolist()) if number in old]
    origin = np.array([old[int(mended.element_ids[row])] for row in kept])
    assert (mended.element_part[kept] == upper[origin]).all()
    in_group = np.isin(kept, mended.groups.elements["outer"])
    assert (in_group == np.isin(origin, outer)).all()
    new = np.setdiff1d(np.arange(mended.n_elements), kept)
    assert len(new) and mended.element_ids[new].min() > numbered.max()


def test_a_thin_wall_and_a_narrow_gap_stay():
    gap = 4 * 2.0**-23  # a few steps of single precision, at a size of about one
    nodes, triangles = shapes.cube()
    plate = nodes * [0.5, 0.5, gap] + [1.0, 1.0, 1.0]
    other = nodes * [0.5, 0.5, 0.25] + [1.0, 1.0, 1.0 + 2 * gap]
    mesh = oddseam.Mesh.from_triangles(
        np.concatenate([plate, other]), np.concatenate([triangles, triangles + len(nodes)])
    )
    mended = oddseam.mend(mesh, target="stl")
    assert mended.digest == mesh.digest and not mended.account.last.outcome.unmet
    assert mended.connectivity.n_pieces == 2
