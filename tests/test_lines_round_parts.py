"""Lines that go round parts, openings among large facets, and other places where there is little to hold on to."""

from __future__ import annotations

import numpy as np
import pytest
from test_imprint_and_stitch import edges_of, tube
from test_openings import area, panel
from test_splice import block

import oddseam
from oddseam.editing.zones.acceptance import worst_of


@pytest.mark.slow
def test_a_loop_round_a_block_is_laid_face_by_face():
    mesh = block((10, 10, 10), (10, 10, 10))
    square = [(1, -0.9), (1, -0.35), (1, 0.2), (1, 0.75), (0.6, 1), (0.1, 1), (-0.45, 1), (-0.9, 1)]
    square += [(-1, 0.6), (-1, 0.1), (-1, -0.5), (-0.8, -1), (-0.2, -1), (0.4, -1)]
    loop = [(5 + 5 * x, 5 + 5 * y, 4.3 + 0.1 * x) for x, y in square]
    lined = oddseam.imprint(mesh, through=loop, closed=True)
    proof = oddseam.prove(lined)
    assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(1000.0, rel=1e-12)
    drawn = lined.creases.edges
    assert len(drawn) == 14 + 4  # a node more on each of the four edges
    assert (np.bincount(drawn.ravel())[np.unique(drawn)] == 2).all()
    assert {tuple(edge) for edge in drawn.tolist()} <= edges_of(lined)
    angle, jacobian = worst_of(lined, np.flatnonzero(lined.element_ids > mesh.element_ids.max()))
    assert angle > 15 and jacobian > 0.4


@pytest.mark.slow
def test_a_loop_round_a_tube_is_laid_run_by_run():
    mesh = tube(48, 0, 1)
    mesh = mesh.replaced(nodes=mesh.nodes * (5, 5, 4))
    mesh = oddseam.refine(mesh, "all", times=2, surface="facets")
    loop = [(6 * np.cos(a), 6 * np.sin(a), 2 + 0.3 * np.cos(a)) for a in np.arange(30) * 2 * np.pi / 30]
    lined = oddseam.imprint(mesh, through=loop, closed=True)
    assert oddseam.prove(lined).is_clean and oddseam.prove(lined).rims == 2
    assert len(lined.creases.edges) == 30
    # the line divides it into an upper and a lower half
    halves = oddseam.find_features(lined)
    assert len(halves.patches.table) == 2


@pytest.mark.parametrize("shape", ["round", "rectangle"])
def test_a_small_opening_in_a_large_facet_is_cut_at_once(shape):
    few = block((100, 100, 20), (6, 6, 1), "tri")
    settings = (
        {"diameter": 6.0, "rim_nodes": 24} if shape == "round" else {"length": 8.0, "width": 5.0, "rim_nodes": 20}
    )
    cut = oddseam.cut(few, at=(30, 40, 20), kind=shape, collars=[1.0], **settings)
    assert oddseam.prove(cut).is_clean and oddseam.prove(cut).rims == 1
    hole = 12 * np.sin(np.pi / 12) * 9.0 if shape == "round" else 40.0
    assert area(few) - area(cut) == pytest.approx(hole, rel=1e-9)


def test_far_larger_and_far_smaller_facets_side_by_side():
    fine = panel(24, 0.0, "tri")
    fine = fine.replaced(nodes=fine.nodes / 4 + (20, 0, 0))  # 6 x 6 in elements of a quarter
    edge = np.flatnonzero(fine.nodes[:, 0] == 20)
    edge = edge[np.argsort(fine.nodes[edge, 1])]
    low, high = fine.n_nodes, fine.n_nodes + 1
    fan = [[low, a, b] for a, b in zip(edge[:-1], edge[1:], strict=True)] + [[low, edge[-1], high]]
    both = oddseam.Mesh.from_triangles(
        np.concatenate([fine.nodes, [[0, 0, 0], [0, 6, 0]]]),
        np.concatenate([fine.elements["tri"].connectivity, fan]), unit="mm",
        part=np.repeat([0, 1], [fine.n_elements, len(fan)]), parts=(oddseam.Part("fine", 1), oddseam.Part("coarse", 2)),
    )  # fmt: skip
    cut = oddseam.cut(both, at=(12, 3, 0), diameter=2.0, rim_nodes=24)
    assert oddseam.prove(cut).is_clean
    kept = set(fine.element_ids.tolist())
    new = oddseam.compare_ids(both, cut)["elements"]
    assert len(set(new["gone"])) < 40 and len(kept) > 1000


def test_the_foot_of_a_tube_is_repeated():
    pipe = tube(16, 0.1, 2)
    pipe = pipe.replaced(nodes=pipe.nodes * (1.5, 1.5, 1) + (5.2, 6.1, 0))
    mesh = oddseam.combine(panel(24), other=pipe)
    joined = oddseam.attach(mesh, near=(6.7, 6.1, 0.1), distance=0.2)
    new = oddseam.repeat(joined, f"part '{joined.parts[1].name}'", times=2, vector=(6.3, 0.2, 0))
    assert oddseam.prove(new).nonmanifold_edges == 3 * 16
    assert new.connectivity.n_pieces == 1 and len(new.crossing_triangles) == 0


def test_loads_are_carried_by_decks_only(tmp_path, run):
    oddseam.write_mesh(panel(12), tmp_path / "panel.seam")
    refused = run("cut", "panel.seam", "--at=6,6,0", "--diameter", 3, "--carry-loads", "-o", "cut.stl")
    assert refused.returncode == 2 and "holds no cards" in refused.stderr
    assert not (tmp_path / "cut.stl").exists()
