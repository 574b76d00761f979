"""Changes by rule: where nodes land, what stays to the last bit, how good elements are, and what is refused."""

from __future__ import annotations

import numpy as np
import pytest
import solids

import oddseam
from oddseam.findings.judged.qualities import element_quality

KINDS = ("hex", "tet", "wedge", "mixed", "hex20", "tet10", "wedge15")
TOP = "near (0, 20, 30) flat 5"
BORE = (10.0, 20.0, 0.0)


def share_of_quality(before: oddseam.Mesh, after: oddseam.Mesh) -> float:
    """The least of every measure after, over that before, the least of all kinds and measures of solids."""
    one, two = element_quality(before), element_quality(after)
    return min(
        float(two[kind][1][name].min() / one[kind][1][name].min())
        for kind in one
        for name in ("scaled_jacobian", "radius_ratio")
        if name in one[kind][1]
    )


def assert_only_coordinates(before: oddseam.Mesh, after: oddseam.Mesh) -> None:
    assert (before.node_ids == after.node_ids).all()
    assert list(before.elements) == list(after.elements)
    for name, block in before.elements.items():
        assert (block.connectivity == after.elements[name].connectivity).all()
        assert (block.ids == after.elements[name].ids).all() and (block.part == after.elements[name].part).all()


@pytest.fixture(scope="module", params=KINDS)
def block(request):
    return solids.solid(solids.bored_block(), request.param)


def corners_of(mesh: oddseam.Mesh) -> np.ndarray:
    """Nodes that are corners of elements."""
    from oddseam.model import KINDS as ALL

    return np.unique(np.concatenate([b.connectivity[:, : ALL[k].corners].ravel() for k, b in mesh.elements.items()]))


# ---------------------------------------------------------------------- analytic trials


@pytest.mark.slow
def test_bore_grows_exactly(block):
    new = oddseam.morph(block, oddseam.Bore(BORE, diameter=23.0))
    assert_only_coordinates(block, new)
    at = corners_of(block)
    was, now = (np.hypot(m.nodes[at, 0], m.nodes[at, 2]) for m in (block, new))
    on = np.abs(was - 10.0) < 1e-9
    assert on.sum() == 32 * 9
    assert np.abs(now[on] - 11.5).max() < 1e-9 * block.diagonal
    assert np.abs(new.nodes[at[on]][:, 1] - block.nodes[at[on]][:, 1]).max() < 1e-9 * block.diagonal
    # a polygon of 32 corners instead of the circle
    rim = block.nodes[at[on]][np.abs(block.nodes[at[on], 1]) < 1e-9]
    turn = np.sort(np.arctan2(rim[:, 2], rim[:, 0]))
    grown = 0.5 * np.sin(np.diff(np.append(turn, turn[0] + 2 * np.pi))).sum() * (11.5**2 - 10.0**2) * 40.0
    corners = mesh_of_corners(block), mesh_of_corners(new)
    assert solids.volume(corners[0]) - solids.volume(corners[1]) == pytest.approx(grown, abs=1e-9 * 60.0**3)
    assert share_of_quality(block, new) > 0.95


def mesh_of_corners(mesh: oddseam.Mesh) -> oddseam.Mesh:
    """The same with linear elements."""
    from oddseam.model import KINDS as ALL

    blocks = {
        k.rstrip("0123456789"): oddseam.Elements(b.connectivity[:, : ALL[k].corners], b.ids, b.part)
        for k, b in mesh.elements.items()
    }
    return mesh.replaced(elements=blocks)


@pytest.mark.slow
@pytest.mark.parametrize("distance", [4.0, 10.0, -4.0, -10.0])  # twice the size of elements, half of the wall
def test_face_offset_exactly(block, distance):
    new = oddseam.morph(block, oddseam.Offset(TOP, distance))
    top = np.abs(block.nodes[:, 2] - 30.0) < 1e-9
    assert np.abs(new.nodes[top][:, 2] - 30.0 - distance).max() < 1e-9 * block.diagonal
    for axis, at in ((0, -30.0), (0, 30.0), (1, 0.0), (1, 40.0), (2, -30.0)):  # all other sides keep their planes
        side = np.abs(block.nodes[:, axis] - at) < 1e-9
        assert np.abs(new.nodes[side][:, axis] - at).max() < 1e-9 * block.diagonal
    change = solids.volume(mesh_of_corners(new)) - solids.volume(mesh_of_corners(block))
    assert change == pytest.approx(distance * 60.0 * 40.0, abs=1e-9 * 60.0**3)
    assert share_of_quality(block, new) >= 0.6


@pytest.mark.slow
def test_face_moved_along_itself(block):
    new = oddseam.morph(block, oddseam.Move(TOP, (10.0, 0.0, 0.0)))
    top = np.abs(block.nodes[:, 2] - 30.0) < 1e-9
    assert (new.nodes[top] == block.nodes[top] + (10.0, 0.0, 0.0)).all()
    assert share_of_quality(block, new) >= 0.6
    assert any("gives way" in note for note in new.account.last.outcome.notes)


@pytest.mark.slow
def test_bore_goes_elsewhere_within_its_faces(block):
    new = oddseam.morph(block, oddseam.Bore(BORE, centre=(7.0, 0.0, 3.0), axis=(0.05, 1.0, 0.0), diameter=18.0))
    at = corners_of(block)
    on = at[np.abs(np.hypot(block.nodes[at, 0], block.nodes[at, 2]) - 10.0) < 1e-9]
    axis = np.array([0.05, 1.0, 0.0]) / np.linalg.norm([0.05, 1.0, 0.0])
    # a centre is taken at the height along the axis where the bore is turned, the middle of what was found
    away = new.nodes[on] - new.nodes[on].mean(axis=0)
    out = np.linalg.norm(away - (away @ axis)[:, None] * axis, axis=1)
    assert np.abs(out - 9.0).max() < 1e-6
    for y in (0.0, 40.0):
        rim = on[np.abs(block.nodes[on, 1] - y) < 1e-9]
        assert np.abs(new.nodes[rim, 1] - y).max() < 1e-9 * block.diagonal
    assert share_of_quality(block, new) >= 0.6


@pytest.mark.slow
@pytest.mark.parametrize("kind", KINDS)
def test_flanged_tube(kind):
    tube = solids.solid(solids.flanged_tube(), kind)
    corners = corners_of(tube)
    out = np.hypot(*tube.nodes[corners, :2].T)
    changes = [oddseam.Offset("near (23, 0, 60) flat 5", 8.0), oddseam.Bore((40.0, 0.0, 4.0), diameter=92.0)]
    new = oddseam.morph(tube, changes)
    rim = corners[np.abs(tube.nodes[corners, 2] - 60.0) < 1e-9]
    assert np.abs(new.nodes[rim, 2] - 68.0).max() < 1e-9 * tube.diagonal
    flange = corners[np.abs(out - 40.0) < 1e-9]
    assert np.abs(np.hypot(*new.nodes[flange, :2].T) - 46.0).max() < 1e-9 * tube.diagonal
    inner = corners[np.abs(out - 20.0) < 1e-9]
    assert np.abs(np.hypot(*new.nodes[inner, :2].T) - 20.0).max() < 1e-9 * tube.diagonal
    assert share_of_quality(tube, new) >= 0.6
    thick = oddseam.morph(tube, oddseam.Wall("surface (26, 0, 30)", 8.0))
    wall = corners[(np.abs(out - 26.0) < 1e-9) & (tube.nodes[corners, 2] > 9.0)]
    assert np.abs(np.hypot(*thick.nodes[wall, :2].T) - 28.0).max() < 1e-9 * tube.diagonal


# ---------------------------------------------------------------------- shells


def test_rib_moves_and_the_panel_stays_flat():
    panel = solids.ribbed_panel()
    new = oddseam.morph(panel, oddseam.Move("near (60, 30, 10) flat 5", (0.0, 6.0, 0.0)))
    flat = np.abs(panel.nodes[:, 2]) < 1e-12
    assert (new.nodes[flat][:, 2] == 0.0).all()
    rib = np.abs(panel.nodes[:, 1] - 30.0) < 1e-9
    assert (new.nodes[rib][:, 1] == panel.nodes[rib][:, 1] + 6.0).all()
    other = np.abs(panel.nodes[:, 1] - 50.0) < 1e-9
    assert (new.nodes[other] == panel.nodes[other]).all()
    assert_only_coordinates(panel, new)
    assert share_of_quality(panel, new) > 0.9


def test_rib_turns_far_in_steps():
    panel = solids.ribbed_panel()
    new = oddseam.morph(panel, oddseam.Turn("near (60, 30, 10) flat 5", 50.0, (1, 0, 0), about=(0, 30, 0)))
    rib = (np.abs(panel.nodes[:, 1] - 30.0) < 1e-9) & (panel.nodes[:, 2] > 0)
    height = panel.nodes[rib][:, 2]
    assert new.nodes[rib][:, 2] == pytest.approx(height * np.cos(np.radians(50.0)))
    assert new.nodes[rib][:, 1] == pytest.approx(30.0 - height * np.sin(np.radians(50.0)))


def test_plane_of_symmetry_and_what_is_held():
    panel = solids.ribbed_panel()
    edge = "box (-1, 29, 19.9) (61, 31, 20.1)"
    new = oddseam.morph(panel, oddseam.Move(edge, (3.0, 0.0, 8.0)), planes=("x=0",))
    on = panel.nodes[:, 0] == 0.0
    assert (new.nodes[on][:, 0] == 0.0).all()
    assert new.nodes[:, 2].max() == pytest.approx(28.0)
    held = oddseam.morph(panel, oddseam.Move(edge, (0.0, 0.0, 8.0)), hold=("box (-1, 29, -1) (121, 31, 10.1)",))
    low = (np.abs(panel.nodes[:, 1] - 30.0) < 1e-9) & (panel.nodes[:, 2] <= 10.0)
    assert (held.nodes[low] == panel.nodes[low]).all()
    with pytest.raises(oddseam.Refusal, match=r"node \d+ at .* is held by .* and is to move by 8"):
        oddseam.morph(panel, oddseam.Move(edge, (0.0, 0.0, 8.0)), hold=(edge,))


def test_line_elements_follow():
    nodes = [[x, 0.0, 0.0] for x in range(5)] + [[0.0, 1.0, 0.0], [1.0, 1.0, 0.0]]
    elements = {
        "line": oddseam.Elements([[1, 2], [2, 3], [3, 4]], [1, 2, 3], [0, 0, 0]),
        "quad": oddseam.Elements([[0, 1, 6, 5]], [4], [0]),
    }
    mesh = oddseam.Mesh(nodes, elements, (oddseam.Part("all", 1),), unit="mm")
    new = oddseam.morph(mesh, [oddseam.Targets({2: (1.0, 0.0, 0.3)}), oddseam.Targets({5: (4.0, 0.0, 0.0)})])
    assert new.nodes[1:5, 2] == pytest.approx([0.3, 0.2, 0.1, 0.0])


# ---------------------------------------------------------------------- lattice, targets, regions


def test_lattice_moves_what_is_inside_as_polynomials():
    block = solids.solid(solids.bored_block(), "hex")
    low, high = (-31.0, -1.0, 0.0), (31.0, 41.0, 31.0)
    pushes = {(i, j, 3): (0.0, 0.0, 6.0) for i in range(4) for j in range(4)}
    new = oddseam.morph(block, oddseam.Lattice(low, high, pushes))
    inside = block.nodes[:, 2] >= 0.0
    share = block.nodes[inside][:, 2] / 31.0
    assert new.nodes[inside][:, 2] - block.nodes[inside][:, 2] == pytest.approx(6.0 * share**3, abs=1e-12)
    assert (new.nodes[block.nodes[:, 2] < -25.0] == block.nodes[block.nodes[:, 2] < -25.0]).all()


def test_region_moves_as_it_is():
    block = solids.solid(solids.bored_block(), "tet")
    region = "box (-31, -1, 22) (31, 41, 31)"
    new = oddseam.morph(block, oddseam.Scale(region, (1.0, 1.1, 1.0), about=(0.0, 20.0, 30.0)))
    inside = block.nodes[:, 2] >= 22.0
    assert new.nodes[inside][:, 1] == pytest.approx(20.0 + 1.1 * (block.nodes[inside][:, 1] - 20.0))
    assert share_of_quality(block, new) > 0.6


def test_what_is_out_of_reach_is_the_same_to_the_last_bit():
    block = solids.solid(solids.bored_block(), "tet")
    change = oddseam.Move("sphere (30, 20, 0) 6", (2.0, 0.0, 0.0))
    new = oddseam.morph(block, change, reach=12.0)
    driven = np.linalg.norm(block.nodes - (30, 20, 0), axis=1) <= 6.0
    far = np.linalg.norm(block.nodes[:, None] - block.nodes[driven], axis=2).min(axis=1) > 12.0
    assert far.sum() > 1000
    assert (new.nodes[far] == block.nodes[far]).all()
    assert (new.nodes != block.nodes).any(axis=1).sum() > driven.sum()
    everywhere = oddseam.morph(block, change, reach=1e9)
    assert (everywhere.nodes != block.nodes).any(axis=1).sum() > (new.nodes != block.nodes).any(axis=1).sum()


def test_nothing_to_do_changes_nothing():
    block = solids.solid(solids.bored_block(), "hex")
    for change in (
        oddseam.Move(TOP, (0.0, 0.0, 0.0)),
        oddseam.Turn(TOP, 0.0, (1, 2, 3), about=(0.1, 0.2, 0.3)),
        oddseam.Scale(TOP, 1.0, about=(0.1, 0.2, 0.3)),
        oddseam.Offset(TOP, 0.0),
    ):
        assert (oddseam.morph(block, change).nodes == block.nodes).all()


def test_the_same_in_other_units_and_places():
    block = solids.solid(solids.bored_block(), "tet")
    new = oddseam.morph(block, oddseam.Bore(BORE, diameter=25.0))
    shift = np.array([1e3, -2e3, 5e2])
    moved = block.replaced(nodes=1e-3 * (block.nodes + shift))
    near = 1e-3 * (np.array(BORE) + shift)
    again = oddseam.morph(moved, oddseam.Bore(tuple(near), diameter=25e-3))
    assert np.abs(1e3 * again.nodes - shift - new.nodes).max() < 1e-4


# ---------------------------------------------------------------------- refusals


def test_what_cannot_be_begun_is_refused():
    mesh = solids.solid(solids.grid(*[np.linspace(0, 4, 3)] * 3), "hex20")
    with pytest.raises(oddseam.Refusal, match=r"^[0-4]% of the change can be reached"):
        oddseam.morph(mesh, oddseam.Targets({int(mesh.node_ids[0]): (300.0, 300.0, 300.0)}))


def test_needles_in_the_way_are_named():
    nodes = [[0, 0, 0], [10, 0, 0], [10, 5, 0], [0, 5, 0], [5, 0.01, 0], [5, 0, 3], [0, 0, 3]]
    mesh = oddseam.Mesh.from_triangles(nodes, [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]], unit="mm")
    with pytest.raises(oddseam.Refusal, match="1 of them are needles, which fold at once: `oddseam remesh`"):
        oddseam.morph(mesh, oddseam.Targets({1: (0, 0.3, 0), 2: (10, 0.3, 0)}), reach=0.0)


def test_more_than_a_turn():
    panel = solids.ribbed_panel()
    new = oddseam.morph(panel, oddseam.Turn("all", 720.0, (0, 0, 1)))
    assert np.abs(new.nodes - panel.nodes).max() < 1e-9


def test_too_far_is_refused_with_what_can_be_reached():
    block = solids.solid(solids.bored_block(), "tet")
    with pytest.raises(oddseam.Refusal) as said:
        oddseam.morph(block, oddseam.Offset(TOP, -25.0))
    text = str(said.value)
    assert "of the change can be reached" in text and "would turn inside out" in text
    share = float(text.partition("%")[0]) / 100.0
    assert 0.7 <= share < 0.8  # the wall above the bore is 20 thick
    oddseam.morph(block, oddseam.Offset(TOP, -25.0 * (share - 0.01)))


def test_limits_are_kept():
    block = solids.solid(solids.bored_block(), "tet")
    new = oddseam.morph(block, oddseam.Offset(TOP, -10.0), limits={"radius_ratio": 0.1})
    assert any("come to be beyond the usual" in note for note in new.account.last.outcome.notes)
    with pytest.raises(oddseam.Refusal, match=r"tet element\(s\) would break radius ratio 0.5: \d+ \(0\.\d+ at"):
        oddseam.morph(block, oddseam.Offset(TOP, -10.0), limits={"radius_ratio": 0.5})
    with pytest.raises(oddseam.Refusal, match="there is no limit 'beauty'"):
        oddseam.morph(block, oddseam.Offset(TOP, -10.0), limits={"beauty": 0.5})


def test_pieces_that_would_come_to_cross_are_refused():
    one, two = solids.grid(*[np.linspace(0, 4, 5)] * 3), solids.grid(np.linspace(5, 9, 5), *[np.linspace(0, 4, 5)] * 2)
    mesh = solids.solid(solids.merged(one, two), "hex")
    oddseam.morph(mesh, oddseam.Offset("near (4, 2, 2) flat 5", 0.8))
    with pytest.raises(oddseam.Refusal, match=r"facets would come to cross, at \(.*`oddseam splice`"):
        oddseam.morph(mesh, oddseam.Offset("near (4, 2, 2) flat 5", 1.5))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda: oddseam.Bore((0.0, 20.0, 30.0), diameter=3.0), "is plane, and no cylinder"),
        (lambda: oddseam.Bore((0.0, 20.0, 30.0)), "a diameter, a centre or an axis"),
        (lambda: oddseam.Bore((0.0, 20.0, 30.0), diameter=-3.0), "is not positive"),
        (lambda: oddseam.Targets({999_999: (0, 0, 0)}), "there is no node 999999"),
        (lambda: oddseam.Targets({}), "no node is given a target"),
        (lambda: oddseam.Move(TOP, (1.0, 2.0)), "it takes three numbers"),
        (lambda: oddseam.Turn(TOP, 3.0, (0, 0, 0)), "has no direction"),
        (lambda: oddseam.Lattice((0, 0, 0), (1, 0, 1), {(0, 0, 0): (1, 0, 0)}), "has no room"),
        (lambda: oddseam.Lattice((0, 0, 0), (1, 1, 1), {(0, 0, 4): (1, 0, 0)}), "there is no control point"),
        (lambda: oddseam.Lattice((90, 0, 0), (91, 1, 1), {(0, 0, 0): (1, 0, 0)}), "holds no node"),
        (lambda: [], "say at least one change"),
        (
            lambda: [oddseam.Move(TOP, (0, 0, 1)), oddseam.Move("near (30, 20, 0) flat 5", (1, 0, 0))],
            "changes 1 and 2 send node",
        ),
        (lambda: [oddseam.Offset(TOP, 1.0), oddseam.Offset(TOP, 2.0)], "changes 1 and 2 both change plane"),
    ],
)
def test_what_contradicts_itself_is_refused(change, words):
    block = solids.solid(solids.bored_block(), "hex")
    with pytest.raises(oddseam.Refusal, match=words):
        oddseam.morph(block, change())


def test_edges_of_faces_that_move_together_are_kept():
    block = solids.solid(solids.bored_block(), "hex")
    new = oddseam.morph(block, [oddseam.Offset(TOP, 3.0), oddseam.Offset("near (30, 20, 0) flat 5", 2.0)])
    assert new.nodes.max(axis=0) == pytest.approx([32.0, 40.0, 33.0], abs=1e-9)
    corner = (block.nodes[:, 0] > 29.9) & (block.nodes[:, 2] > 29.9)
    assert np.abs(new.nodes[corner] - block.nodes[corner] - (2.0, 0.0, 3.0)).max() < 1e-9


def test_faces_under_a_slope_are_offset_along_the_sides():
    nodes, hexes = solids.grid(*[np.linspace(0, 10, 6)] * 3)
    nodes[:, 0] += 0.3 * nodes[:, 2] * (nodes[:, 0] / 10.0)  # the side x = 10 leans out
    mesh = solids.solid((nodes, hexes), "hex")
    new = oddseam.morph(mesh, oddseam.Offset("near (5, 5, 10) flat 5", 2.0))
    assert new.nodes[:, 2].max() == pytest.approx(12.0)
    side = np.abs(mesh.nodes[:, 0] - 10.0 - 0.3 * mesh.nodes[:, 2]) < 1e-9
    assert new.nodes[side][:, 0] == pytest.approx(10.0 + 0.3 * new.nodes[side][:, 2])


@pytest.mark.parametrize("kind", ["tet10", "hex20", "wedge15"])
@pytest.mark.parametrize("diameter", [20.05, 26.0, 15.0])
def test_midside_nodes_on_chords_of_a_bore_go_onto_the_new_one(kind, diameter):
    block = solids.solid(solids.bored_block(radius=10.0, width=44, depth=20, around=16, rings=3, rows=3), kind)
    was = np.hypot(block.nodes[:, 0], block.nodes[:, 2])
    kinds = oddseam.model.KINDS[kind]
    table = block.elements[kind].connectivity
    on = np.isclose(was, 10.0, rtol=1e-12)
    between = np.concatenate([
        table[on[table[:, a]] & on[table[:, b]], kinds.corners + k] for k, (a, b) in enumerate(kinds.edges)
    ])  # fmt: skip
    assert was[between].min() < 9.9  # they lie on chords
    new = oddseam.morph(block, oddseam.Bore((0, 10, 10), diameter=diameter))
    now = np.hypot(new.nodes[:, 0], new.nodes[:, 2])
    assert np.abs(now[np.concatenate([np.flatnonzero(on), between])] - diameter / 2).max() < 1e-9
    assert oddseam.survey(new).finding("inverted elements") is None
