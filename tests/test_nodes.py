"""Nodes moved along their face or crease, and merged; what falls below a limit is said at once."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st
from test_openings import panel, with_more, with_rib
from test_regions import contents

import oddseam


def block(n: int = 3) -> oddseam.Mesh:
    """A cube of hexes of size one."""
    nodes = np.stack(np.meshgrid(*[np.arange(n + 1.0)] * 3, indexing="ij"), -1).reshape(-1, 3)
    i, j, k = (a.ravel() for a in np.meshgrid(*[np.arange(n)] * 3, indexing="ij"))
    corner = (i * (n + 1) + j) * (n + 1) + k
    x, y = (n + 1) ** 2, n + 1
    hexes = np.stack([corner, corner + x, corner + x + y, corner + y], 1)
    hexes = np.concatenate([hexes, hexes + 1], axis=1)
    ids = np.arange(1, len(hexes) + 1)
    return oddseam.Mesh(nodes, {"hex": oddseam.Elements(hexes, ids, 0 * ids)}, (oddseam.Part("block", 1),), unit="mm")


def node_at(mesh: oddseam.Mesh, *place: float) -> int:
    return int(mesh.node_ids[np.argmin(np.linalg.norm(mesh.nodes - place, axis=1))])


def place_of(mesh: oddseam.Mesh, node: int) -> np.ndarray:
    return mesh.nodes[mesh.node_ids == node][0]


def only_moved(mesh: oddseam.Mesh, new: oddseam.Mesh, node: int) -> bool:
    other = mesh.node_ids != node
    same = all(np.array_equal(mesh.elements[k].connectivity, new.elements[k].connectivity) for k in mesh.elements)
    return same and np.array_equal(mesh.nodes[other], new.nodes[other])


def test_a_node_on_a_face_stays_on_it():
    mesh = panel(bend=0.01)
    node = node_at(mesh, 10, 10, 0)
    new = oddseam.move_node(mesh, node, to=(10.3, 10.2, 4.0))
    place = place_of(new, node)
    tree = oddseam.geometry.boxtree.BoxTree(mesh.nodes[mesh.triangulation.triangles])
    assert np.linalg.norm(tree.closest(place[None])[0][0] - place) < 1e-12 and only_moved(mesh, new, node)
    assert not new.account.last.outcome.unmet
    up = oddseam.move_node(mesh, node, to=(10, 10, 0.5), free=True)
    assert place_of(up, node).tolist() == [10, 10, 0.5]


def test_on_a_rim_a_crease_and_a_joint_it_stays_on_these():
    mesh = panel()
    node = node_at(mesh, 0, 10, 0)
    assert place_of(oddseam.move_node(mesh, node, to=(0.4, 10.3, 1)), node) == pytest.approx((0, 10.3, 0))
    ribbed = with_rib(panel(), 12)
    foot = node_at(ribbed, 12, 7, 0)
    assert place_of(oddseam.move_node(ribbed, foot, to=(12.4, 7.2, 0)), foot) == pytest.approx((12, 7.2, 0))
    column = np.arange(21) * 21 + 5
    stiff = with_more(panel(), np.zeros((0, 3)), line=np.column_stack([column[:-1], column[1:]]))
    on = node_at(stiff, 5, 5, 0)
    assert place_of(oddseam.move_node(stiff, on, to=(5.4, 5.1, 0)), on) == pytest.approx((5, 5.1, 0))
    drawn = oddseam.draw_crease(panel(), nodes=[node_at(mesh, 3, 3, 0), node_at(mesh, 3, 9, 0)])
    crease = node_at(drawn, 3, 6, 0)
    assert place_of(oddseam.move_node(drawn, crease, to=(3.4, 6.2, 0)), crease) == pytest.approx((3, 6.2, 0))


def test_on_a_solid():
    mesh = block()
    face, edge, inner = node_at(mesh, 1, 1, 3), node_at(mesh, 1, 3, 3), node_at(mesh, 1, 1, 1)
    assert place_of(oddseam.move_node(mesh, face, to=(1.2, 1.1, 3.4)), face) == pytest.approx((1.2, 1.1, 3))
    assert place_of(oddseam.move_node(mesh, edge, to=(1.2, 3.3, 3.4)), edge) == pytest.approx((1.2, 3, 3))
    assert place_of(oddseam.move_node(mesh, inner, to=(1.2, 1.1, 1.3)), inner) == pytest.approx((1.2, 1.1, 1.3))
    bad = oddseam.move_node(mesh, inner, to=(2.5, 2.5, 2.5))
    assert any("scaled jacobian" in line for line in bad.account.last.outcome.unmet)


def test_corners_stay_unless_asked():
    mesh = block()
    corner = node_at(mesh, 0, 0, 0)
    with pytest.raises(oddseam.Refusal, match="is a corner, where 3 creases meet"):
        oddseam.move_node(mesh, corner, to=(0.1, 0, 0))
    moved = oddseam.move_node(mesh, corner, to=(0.1, 0.1, 0), free=True)
    assert place_of(moved, corner).tolist() == [0.1, 0.1, 0] and only_moved(mesh, moved, corner)


def test_what_a_move_does_to_elements_is_said():
    mesh = panel()
    node = node_at(mesh, 10, 10, 0)
    far = oddseam.move_node(mesh, node, to=(10.9, 10.9, 0)).account.last.outcome.unmet
    assert any("scaled jacobian beyond 0.2: " in line for line in far)
    over = oddseam.move_node(mesh, node, to=(12.5, 10.4, 0)).account.last.outcome.unmet
    assert any("cross others" in line for line in over)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000))
def test_small_moves_leave_everything_else_and_say_nothing(seed):
    random = np.random.default_rng(seed)
    nodes, triangles = shapes.torus(30, 16)
    mesh = shapes.mesh((nodes, triangles), unit="mm")
    node = int(random.integers(1, mesh.n_nodes + 1))
    new = oddseam.move_node(mesh, node, to=tuple(place_of(mesh, node) + random.normal(scale=0.02, size=3)))
    assert only_moved(mesh, new, node) and oddseam.prove(new).is_clean and not new.account.last.outcome.unmet


def test_nodes_are_merged_and_nothing_is_doubled():
    mesh = panel()
    keep, gone = node_at(mesh, 10, 10, 0), node_at(mesh, 11, 10, 0)
    new = oddseam.merge_nodes(mesh, keep, gone)
    assert new.n_nodes == mesh.n_nodes - 1 and gone not in new.node_ids and new.counts["tri"] == 2
    before, after = contents(mesh), contents(new)
    assert all(after[i] == before[i] for i in before if gone not in before[i][2])
    assert oddseam.prove(new).is_clean and place_of(new, keep).tolist() == [10, 10, 0]
    tri = shapes.mesh(shapes.torus(30, 16), unit="mm")
    a, b = (int(tri.node_ids[k]) for k in tri.connectivity.edges[40])
    assert oddseam.merge_nodes(tri, a, b).n_elements == tri.n_elements - 2
    with pytest.raises(oddseam.Refusal, match=r"4 hex element\(s\), such as"):
        oddseam.merge_nodes(block(), node_at(block(), 1, 1, 1), node_at(block(), 1, 1, 2))
    for one, two, reason in ((keep, keep, "into itself"), (keep, 10**6, "no node 1000000")):
        with pytest.raises(oddseam.Refusal, match=reason):
            oddseam.merge_nodes(mesh, one, two)


def test_by_command(run, tmp_path):
    mesh = panel()
    oddseam.write_mesh(mesh, tmp_path / "panel.seam")
    node = node_at(mesh, 10, 10, 0)
    done = run("move-node", "panel.seam", node, "--to=10.2,10.1,3", "-o", "moved.seam")
    assert done.returncode == 0 and "along its face" in done.stdout
    far = run("move-node", "panel.seam", node, "--to=12.5,10.4,0", "-o", "far.seam")
    assert far.returncode == 1 and "cross others" in far.stderr
    both = run("merge-nodes", "panel.seam", node, node_at(mesh, 11, 10, 0), "-o", "merged.seam")
    assert both.returncode == 0 and oddseam.read_mesh(tmp_path / "merged.seam").n_nodes == mesh.n_nodes - 1
    gone = run("move-node", "panel.seam", 999999, "--to=1,1,1", "-o", "no.seam")
    assert gone.returncode == 2 and "no node 999999" in gone.stderr
