"""Nodes moved along their face or crease, and merged; what falls below a limit is said at once."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
import solids
from hypothesis import given, settings, strategies as st
from test_openings import panel, with_more, with_rib
from test_regions import contents

import oddseam
from oddseam.model import KINDS


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
    tree = oddseam.geometry.trees.boxtree.BoxTree(mesh.nodes[mesh.triangulation.triangles])
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
    drawn = oddseam.make_creases(panel(), nodes=[node_at(mesh, 3, 3, 0), node_at(mesh, 3, 9, 0)])
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
    new = oddseam.weld(mesh, nodes=(keep, gone))
    assert new.n_nodes == mesh.n_nodes - 1 and gone not in new.node_ids and new.counts["tri"] == 2
    before, after = contents(mesh), contents(new)
    assert all(after[i] == before[i] for i in before if gone not in before[i][2])
    assert oddseam.prove(new).is_clean and place_of(new, keep).tolist() == [10, 10, 0]
    tri = shapes.mesh(shapes.torus(30, 16), unit="mm")
    a, b = (int(tri.node_ids[k]) for k in tri.connectivity.edges[40])
    assert oddseam.weld(tri, nodes=(a, b)).n_elements == tri.n_elements - 2
    with pytest.raises(oddseam.Refusal, match=r"4 hex element\(s\), such as"):
        oddseam.weld(block(), nodes=(node_at(block(), 1, 1, 1), node_at(block(), 1, 1, 2)))
    for one, two, reason in ((keep, keep, "into itself"), (keep, 10**6, "no node 1000000")):
        with pytest.raises(oddseam.Refusal, match=reason):
            oddseam.weld(mesh, nodes=(one, two))


@pytest.mark.slow
def test_by_command(run, tmp_path):
    mesh = panel()
    oddseam.write_mesh(mesh, tmp_path / "panel.seam")
    node = node_at(mesh, 10, 10, 0)
    done = run("move-node", "panel.seam", node, "--to=10.2,10.1,3", "-o", "moved.seam")
    assert done.returncode == 0 and "along its face" in done.stdout
    far = run("move-node", "panel.seam", node, "--to=12.5,10.4,0", "-o", "far.seam")
    assert far.returncode == 1 and "cross others" in far.stderr
    both = run("weld", "panel.seam", "--nodes", f"{node},{node_at(mesh, 11, 10, 0)}", "-o", "merged.seam")
    assert both.returncode == 0 and oddseam.read_mesh(tmp_path / "merged.seam").n_nodes == mesh.n_nodes - 1
    gone = run("move-node", "panel.seam", 999999, "--to=1,1,1", "-o", "no.seam")
    assert gone.returncode == 2 and "no node 999999" in gone.stderr


def bored(kind: str) -> oddseam.Mesh:
    """A block with a bore of radius 10 about y."""
    return solids.solid(solids.bored_block(), kind)


def on_bore(mesh: oddseam.Mesh) -> np.ndarray:
    """Rows of nodes on the bore, away from its ends."""
    radius = np.hypot(mesh.nodes[:, 0], mesh.nodes[:, 2])
    ends = mesh.nodes[:, 1].min(), mesh.nodes[:, 1].max()
    return np.flatnonzero((np.abs(radius - 10.0) < 1e-9) & ~np.isin(mesh.nodes[:, 1], ends))


@pytest.mark.parametrize("kind", ["hex", "tet", "hex20", "tet10"])
def test_a_node_on_a_bore_stays_on_its_cylinder_and_midside_nodes_follow(kind):
    mesh = bored(kind)
    corners = np.unique(
        np.concatenate([b.connectivity[:, : KINDS[k].corners].ravel() for k, b in mesh.elements.items()])
    )
    row = int(np.intersect1d(on_bore(mesh), corners)[7])
    x, y, z = mesh.nodes[row]
    turn = np.radians(2.0)
    to = (x * np.cos(turn) - z * np.sin(turn), y + 0.3, x * np.sin(turn) + z * np.cos(turn))
    new = oddseam.move_node(mesh, int(mesh.node_ids[row]), to=to)
    assert np.hypot(new.nodes[row, 0], new.nodes[row, 2]) == pytest.approx(10.0, abs=1e-6)
    assert np.linalg.norm(new.nodes[row] - to) < 1e-3
    touched = np.flatnonzero((new.nodes != mesh.nodes).any(axis=1))
    if kind in ("hex", "tet"):
        assert touched.tolist() == [row]
        return
    assert len(touched) > 4 and row in touched
    was, now = (np.hypot(m.nodes[touched, 0], m.nodes[touched, 2]) for m in (mesh, new))
    assert np.abs(now - was)[np.abs(was - 10.0) < 1e-9].max() < 1e-6
    assert oddseam.survey(new).finding("inverted elements") is None


@pytest.mark.parametrize("kind", ["hex20", "tet10"])
def test_a_midside_node_can_be_moved(kind):
    mesh = bored(kind)
    name, block = next(iter(mesh.elements.items()))
    mids = np.unique(block.connectivity[:, KINDS[name].corners :])
    for row in (int(np.intersect1d(on_bore(mesh), mids)[3]), int(mids[len(mids) // 2])):
        to = mesh.nodes[row] + [0.05, 0.05, 0.02]
        new = oddseam.move_node(mesh, int(mesh.node_ids[row]), to=tuple(to))
        assert np.flatnonzero((new.nodes != mesh.nodes).any(axis=1)).tolist() == [row]
        assert np.linalg.norm(new.nodes[row] - to) < 0.1
    far = oddseam.move_node(mesh, int(mesh.node_ids[row]), to=tuple(mesh.nodes[row] + 40.0), free=True)
    assert any("inside out" in line for line in far.account.last.outcome.unmet)


def test_neighbours_in_a_solid_merge_when_asked_and_nothing_is_turned_inside_out():
    mesh = solids.solid(solids.grid(*[np.linspace(0, 3, 4)] * 3), "tet")
    inner = np.flatnonzero(((mesh.nodes > 0.5) & (mesh.nodes < 2.5)).all(axis=1))
    block = mesh.elements["tet"]
    tet = block.connectivity[np.isin(block.connectivity, inner).sum(axis=1) >= 2][0]
    one, two = (int(mesh.node_ids[k]) for k in tet[np.isin(tet, inner)][:2])
    with pytest.raises(oddseam.Refusal, match="have both nodes; they may go with `collapse`"):
        oddseam.weld(mesh, nodes=(one, two))
    new = oddseam.weld(mesh, nodes=(one, two), collapse=True)
    assert new.n_elements < mesh.n_elements and oddseam.survey(new).finding("inverted elements") is None
    assert solids.volume(new) == pytest.approx(27.0)
    far = int(mesh.node_ids[np.argmax(np.linalg.norm(mesh.nodes - mesh.nodes[tet[0]], axis=1))])
    with pytest.raises(oddseam.Refusal, match="inside out"):
        oddseam.weld(mesh, nodes=(far, int(mesh.node_ids[tet[0]])))


def test_an_element_that_was_poor_and_is_turned_inside_out_is_named():
    mesh = solids.solid(solids.grid(*[np.linspace(0, 2, 3)] * 3), "tet10")
    squeezed = mesh.replaced(nodes=mesh.nodes * (1, 1, 0.02))  # all of it is beyond the limit
    corner = int(mesh.node_ids[np.flatnonzero((mesh.nodes == 1).all(axis=1))[0]])
    pushed = oddseam.move_node(squeezed, corner, to=(1, 1, 0.09), free=True)
    (said,) = [line for line in pushed.account.last.outcome.unmet if line.startswith("scaled jacobian")]
    assert " inside out; " in said and "-" in said.split("inside out;")[1]
