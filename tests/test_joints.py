"""Borders sewn where they are near, gaps closed by a strip, and edges attached to faces."""

from __future__ import annotations

import numpy as np
import pytest
from test_imprint_and_stitch import tube
from test_openings import panel
from test_regions import contents

import oddseam
from oddseam.editing.zones.acceptance import worst_of


def beside(gap: float, n: int, kind: str, step: float = 1.0) -> oddseam.Mesh:
    """A panel of 12 x 12, and another one of n x n beside its right edge, some way up."""
    other = panel(n, 0.0, kind)
    return oddseam.combine(panel(12, 0.0, kind), other=other.replaced(nodes=other.nodes * step + (12 + gap, 2.2, 0)))


def new_of(mesh: oddseam.Mesh, new: oddseam.Mesh) -> np.ndarray:
    """New elements."""
    return np.flatnonzero(new.element_ids > mesh.element_ids.max())


def kept(mesh: oddseam.Mesh, new: oddseam.Mesh, low: float, high: float) -> bool:
    """Whether elements with all nodes outside a stretch along x are as they were."""
    before, after = contents(mesh), contents(new)
    places = {}
    for block in mesh.elements.values():
        for number, nodes in zip(block.ids.tolist(), block.connectivity, strict=True):
            places[number] = mesh.nodes[nodes, 0]
    far = [number for number, x in places.items() if x.max() <= low or x.min() >= high]
    return len(far) > 20 and all(after.get(number) == before[number] for number in far)


@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize(("n", "step"), [(9, 0.8), (8, 1.0), (7, 1.3)])
@pytest.mark.parametrize("moves", ["both", "one", "two", "none"])
def test_panels_are_sewn_where_they_are_near(kind, n, step, moves):
    mesh = beside(0.3, n, kind, step)
    new = oddseam.stitch(mesh, one=(12, 6, 0), distance=0.9, moves=moves)
    proof = oddseam.prove(new)
    assert proof.is_clean and proof.rims == 1 and new.connectivity.n_pieces == 1
    assert "nodes of the rims are left" in new.account.last.outcome.notes[0]
    assert kept(mesh, new, 12 - 4, 12 + 5)
    angle, jacobian = worst_of(new, new_of(mesh, new))
    assert moves != "both" or (angle > 15 and jacobian > 0.5)


@pytest.mark.parametrize("kind", ["quad", "tri"])
def test_a_wide_gap_is_closed_by_elements_like_those_beside_it(kind):
    mesh = beside(3.3, 8, kind)
    new = oddseam.stitch(mesh, one=(12, 6, 0), distance=3.9, moves="none")
    assert oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1
    angle, jacobian = worst_of(new, new_of(mesh, new))
    assert angle > 25 and jacobian > 0.6
    assert new.nodes[:, 2] == pytest.approx(0.0, abs=1e-12)
    assert kept(mesh, new, 9, 18.3)


def test_a_strip_all_round_is_of_quads_and_closes_the_surface():
    low, high = tube(24, 0, 1), tube(24, 1.1, 2)
    mesh = oddseam.combine(low, other=high)
    new = oddseam.stitch(mesh, one=(1, 0, 1), distance=0.3, moves="none")
    assert oddseam.prove(new).rims == 2 and oddseam.prove(new).is_clean
    assert new.n_nodes == mesh.n_nodes
    assert all(its == contents(new)[number] for number, its in contents(mesh).items())


def test_rims_that_are_nowhere_near_are_refused():
    with pytest.raises(oddseam.Refusal, match="apart at"):
        oddseam.stitch(beside(3.0, 8, "quad"), one=(12, 6, 0), distance=1.0)
    with pytest.raises(oddseam.Refusal, match="say `distance`"):
        oddseam.stitch(beside(0.3, 8, "quad"), one=(12, 6, 0))


def rib(x: float, gap: float, turn: float = 0.0) -> oddseam.Mesh:
    """A rib of 8 x 3 quads over a panel of 12 x 12."""
    along, up = np.meshgrid(np.arange(9.0), np.arange(4.0))
    at = np.arange(36).reshape(4, 9)
    quads = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], axis=-1).reshape(-1, 4)
    y = along.ravel() - 4
    nodes = np.column_stack([x - np.sin(turn) * y, 6 + np.cos(turn) * y, gap + up.ravel()])
    block = oddseam.Elements(quads, np.arange(1, 25), np.zeros(24, np.int32))
    bare = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm")
    return bare.replaced(elements={"quad": block})


@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize(("x", "turn"), [(6.0, 0.0), (6.37, 0.0), (5.8, 0.5), (6.1, 1.2)])
def test_a_rib_is_attached_as_a_t_joint(kind, x, turn):
    face = panel(12, 0.01, kind)
    mesh = oddseam.combine(face, other=rib(x, 0.0, turn).replaced(nodes=_over(rib(x, 0.15, turn).nodes)))
    new = oddseam.attach(mesh, near=(x, 6, 0.2), distance=0.35)
    assert new.connectivity.n_pieces == 1
    assert oddseam.prove(new).nonmanifold_edges == 8
    assert len(new.crossing_triangles) == 0
    angle, jacobian = worst_of(new, new_of(mesh, new))
    assert angle > 12 and jacobian > 0.3
    joint = np.unique(new.connectivity.edges[new.connectivity.is_nonmanifold])
    tree = oddseam.geometry.trees.boxtree.BoxTree(face.nodes[face.triangulation.triangles])
    assert np.linalg.norm(tree.closest(new.nodes[joint])[0] - new.nodes[joint], axis=1).max() < 1e-9


def _over(nodes: np.ndarray) -> np.ndarray:
    """Nodes raised by how far a panel bent by 0.01 is."""
    z = 0.01 * ((nodes[:, 0] - 6) ** 2 - 0.5 * (nodes[:, 1] - 4) ** 2)
    return nodes + np.column_stack([0 * z, 0 * z, z])


def test_the_rim_of_a_tube_is_attached_all_round():
    face = panel(12)
    pipe = tube(16, 0.1, 3)
    mesh = oddseam.combine(face, other=pipe.replaced(nodes=pipe.nodes * (2, 2, 1) + (6.2, 6.1, 0)))
    new = oddseam.attach(mesh, near=(8.2, 6.1, 0.1), distance=0.2)
    assert oddseam.prove(new).nonmanifold_edges == 16
    assert new.connectivity.n_pieces == 1 and oddseam.prove(new).rims == 2


@pytest.mark.slow
def test_what_cannot_be_attached_is_refused(run, tmp_path):
    mesh = oddseam.combine(panel(12), other=rib(6.4, 0.5))
    with pytest.raises(oddseam.Refusal, match=r"0\.5 away from the nearest face"):
        oddseam.attach(mesh, near=(6.4, 6, 0.5), distance=0.2)
    with pytest.raises(oddseam.Refusal, match="no face beside"):
        oddseam.attach(panel(12), near=(0, 0, 0), distance=1)
    oddseam.write_mesh(mesh, tmp_path / "apart.seam")
    asked = ["attach", "apart.seam", "--near=6.4,6,0.5", "-o", "joined.seam", "--distance"]
    assert run(*asked, "0.2").returncode == 2
    done = run(*asked, "0.6")
    assert done.returncode == 0, done.stderr
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "joined.seam")).nonmanifold_edges == 8


@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize("x", [6.05, 6.2, 6.5])
def test_nothing_is_attached_from_farther_than_within(kind, x):
    mesh = oddseam.combine(panel(12, 0.0, kind), other=rib(x, 0.09))
    new = oddseam.attach(mesh, near=(x, 6, 0.1), distance=0.1)
    assert new.connectivity.n_pieces == 1
    assert new.account.last.largest_move <= 0.1 + 1e-12
    foot = mesh.nodes[mesh.nodes[:, 2] == 0.09]
    joint = new.nodes[np.unique(new.connectivity.edges[new.connectivity.is_nonmanifold])]
    away = np.linalg.norm(foot[:, None] - joint[None], axis=2).min(axis=1)
    assert len(foot) > 4 and away.max() <= 0.1 + 1e-12


def test_how_near_nodes_become_one_is_said():
    apart = oddseam.combine(tube(24, 0, 1), other=tube(31, 1.1, 2, 0.3))
    counts = []
    for snap in (0.0, 0.3):
        sewn = oddseam.stitch(apart, one=(1, 0, 1), distance=0.5, snap=snap)
        assert sewn.account.last.settings["snap"] == snap
        counts.append(sewn.account.last.outcome.steps[0].count)
    assert counts[0] > counts[1] >= 31
    beside_nodes = oddseam.combine(panel(12), other=rib(6.1, 0.1))
    for snap, x in ((0.0, 6.1), (0.2, 6.0)):
        new = oddseam.attach(beside_nodes, near=(6.1, 6, 0.1), distance=0.3, snap=snap)
        joint = np.unique(new.connectivity.edges[new.connectivity.is_nonmanifold])
        assert new.nodes[joint, 0] == pytest.approx(x, abs=1e-9)
    for snap in (-0.1, 0.7, float("nan")):
        with pytest.raises(oddseam.OddSeamError, match="snap"):
            oddseam.stitch(apart, one=(1, 0, 1), snap=snap)
