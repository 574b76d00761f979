"""Regions cut out of a surface and replaced by another one."""

from __future__ import annotations

import numpy as np
import pytest
from test_openings import panel, with_rib
from test_regions import contents

import oddseam
from oddseam.model.splicing import extracted


def block(size: tuple[float, float, float], count: tuple[int, int, int], kind: str = "quad") -> oddseam.Mesh:
    """The closed surface of a block from the origin, so many elements along each side."""
    nodes: dict[tuple[float, ...], int] = {}
    quads = []
    for d in range(3):
        u, v = (d + 1) % 3, (d + 2) % 3
        for side in (0, 1):
            for i in range(count[u]):
                for j in range(count[v]):
                    corners = []
                    for a, b in ((i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)):
                        p = [0.0] * 3
                        p[d], p[u], p[v] = side * size[d], a * size[u] / count[u], b * size[v] / count[v]
                        corners.append(nodes.setdefault(tuple(p), len(nodes)))
                    quads.append(corners if side else corners[::-1])
    its = np.array(quads)
    if kind == "tri":
        its = np.concatenate([its[:, [0, 1, 2]], its[:, [0, 2, 3]]])
    elements = oddseam.Elements(its, 10 + 3 * np.arange(len(its)), np.zeros(len(its), np.int32))
    bare = oddseam.Mesh.from_triangles(np.array(list(nodes)), np.zeros((0, 3), int), unit="mm")
    return bare.replaced(elements={kind: elements})


def stays(mesh: oddseam.Mesh, new: oddseam.Mesh, what: str) -> bool:
    """Whether all that is not picked is as it was, and nothing of what is picked is there."""
    before, after = contents(mesh), contents(new)
    picked = set(mesh.element_ids[oddseam.pick(mesh, what)].tolist())
    rest = {number: its for number, its in before.items() if number not in picked}
    return not picked & set(after) and len(rest) > 0 and all(after.get(number) == its for number, its in rest.items())


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize("other", ["quad", "tri"])
@pytest.mark.parametrize("turned", [False, True])
def test_a_block_grows_by_the_top_of_a_whole_new_part(kind, other, turned):
    mesh = block((10, 10, 10), (10, 10, 10), kind)
    mesh = oddseam.make_group(mesh, "box (-1,-1,5.9) (11,11,11)", name="top")
    design = block((10, 10, 12.5), (8, 9, 11), other)
    if turned:
        design = oddseam.flip(design, "all")
    top = "box (-1,-1,5.9) (11,11,11)"
    new = oddseam.splice(mesh, top, replacement=design, distance=0.01)
    proof = oddseam.prove(new)
    assert proof.is_clean and proof.is_closed
    assert proof.volume == pytest.approx(1250.0, rel=1e-12)
    assert stays(mesh, new, top)
    assert len(new.parts) == len(mesh.parts)
    fresh = np.flatnonzero(new.element_ids > mesh.element_ids.max())
    assert set(new.groups.elements["top"].tolist()) == set(fresh.tolist())
    steps = {step.name: step for step in new.account.last.outcome.steps}
    assert "2.5" in steps["compare the surfaces"].detail


def test_a_piece_that_fits_already_is_taken_as_it_is():
    mesh = panel(20)
    what = "box (4,4,-1) (16,16,1)"
    piece = oddseam.delete(mesh, f"not {what}")
    away = np.hypot(piece.nodes[:, 0] - 10, piece.nodes[:, 1] - 10)
    dome = piece.replaced(nodes=piece.nodes + np.column_stack([0 * away, 0 * away, np.maximum(0, 2 - 0.1 * away**2)]))
    new = oddseam.splice(mesh, what, replacement=dome, distance=0.1)
    assert oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1
    assert new.n_nodes == mesh.n_nodes and stays(mesh, new, what)
    assert new.nodes[:, 2].max() == pytest.approx(2.0)


def test_a_sheet_is_replaced_up_to_its_free_edges():
    mesh = panel(20)
    what = "box (12,-1,-1) (21,21,1)"
    other = panel(25, 0.0, "tri")
    x, y = other.nodes[:, 0] * 0.8 + 4, other.nodes[:, 1] * 0.8
    z = 0.02 * np.maximum(0, x - 12) ** 2
    other = other.replaced(nodes=np.column_stack([x, y, z]))
    new = oddseam.splice(mesh, what, replacement=other, distance=0.05)
    assert oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1
    assert stays(mesh, new, what)
    assert new.nodes[:, 0].max() == pytest.approx(24.0)
    assert new.nodes[:, 2].max() == pytest.approx(0.02 * 144)


def test_frames_and_several_regions_are_replaced():
    mesh, other = panel(20), panel(31, 0.0, "tri")
    other = other.replaced(nodes=other.nodes * (24 / 31) - np.array([2, 2, 0]))
    for what in (
        "box (4,4,-1) (16,16,1) and not box (8,8,-1) (12,12,1)",
        "box (2,2,-1) (6,6,1) or box (12,12,-1) (16,16,1)",
        "box (4,4,-1) (9,16,1) or box (10,4,-1) (16,16,1)",  # an element apart
        "box (4,4,-1) (16,16,1) and not box (5,5,-1) (9,9,1)",
    ):
        new = oddseam.splice(mesh, what, replacement=other, distance=0.1)
        assert oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1 and stays(mesh, new, what)
    with pytest.raises(oddseam.Refusal, match="does not divide the replacement"):
        oddseam.splice(mesh, "box (-1,-1,-1) (8,8,1)", replacement=other, distance=0.1)


def test_a_rib_that_stood_on_the_cut_is_named():
    mesh = with_rib(panel(20), 10)
    other = panel(31, 0.0, "tri")
    other = other.replaced(nodes=other.nodes * (24 / 31) - np.array([2, 2, 0]))
    new = oddseam.splice(mesh, "box (4,4,-0.1) (16,16,0.1)", replacement=other, distance=0.1)
    assert "what stood on 11 nodes of the cut" in new.account.last.outcome.unmet[0]
    beside = oddseam.splice(mesh, "box (4,4,-0.1) (10,16,0.1)", replacement=other, distance=0.1)
    assert not beside.account.last.outcome.unmet
    assert oddseam.prove(beside).nonmanifold_edges == 20


def test_what_does_not_cover_or_fit_is_refused():
    mesh = panel(20)
    what = "box (4,4,-1) (16,16,1)"
    small = panel(10)
    with pytest.raises(oddseam.Refusal, match=r"ends \d.* away from the border of the cut at"):
        oddseam.splice(mesh, what, replacement=small, distance=0.2)
    with pytest.raises(oddseam.Refusal, match=r"is 0\.5 away from the border of the cut at"):
        oddseam.splice(mesh, what, replacement=mesh.replaced(nodes=mesh.nodes + np.array([0, 0, 0.5])), distance=0.2)
    with pytest.raises(oddseam.Refusal, match="no border with the rest"):
        oddseam.splice(mesh, "all", replacement=mesh, distance=0.2)
    with pytest.raises(oddseam.Refusal, match="no tri or quad"):
        lines = oddseam.Elements(np.array([[0, 1]]), np.array([1]), np.zeros(1, np.int32))
        oddseam.splice(mesh, what, replacement=mesh.replaced(elements={"line": lines}), distance=0.2)


@pytest.mark.slow
def test_from_the_command_line(run, tmp_path):
    oddseam.write_mesh(block((10, 10, 10), (10, 10, 10)), tmp_path / "old.seam")
    oddseam.write_mesh(block((10, 10, 12), (9, 9, 9), "tri"), tmp_path / "new.seam")
    asked = ["splice", "old.seam", "box (-1,-1,5.9) (11,11,11)", "new.seam", "--distance", 0.1]
    seen = run(*asked, "--preview")
    assert seen.returncode == 0, seen.stderr
    assert "off the replacement" in seen.stdout and not (tmp_path / "both.seam").exists()
    assert run(*asked, "-o", "both.seam").returncode == 0
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "both.seam")).volume == pytest.approx(1200.0)
    assert run(*asked[:-1], 0.0, "-o", "none.seam").returncode == 2


def ribbed_frame() -> oddseam.Mesh:
    """A curved skin with ribs both ways standing on it, and caps along some of these: T-joints everywhere."""
    key: dict[tuple[float, ...], int] = {}
    nodes, quads, part = [], [], []

    def plate(start, u, v, count, number):
        at = np.empty((count[1] + 1, count[0] + 1), int)
        for j in range(count[1] + 1):
            for i in range(count[0] + 1):
                x = np.array(start) + np.array(u) * i + np.array(v) * j
                at[j, i] = key.setdefault(tuple(x), len(nodes))
                if at[j, i] == len(nodes):
                    nodes.append(x)
        its = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], -1).reshape(-1, 4)
        quads.append(its)
        part.append(np.full(len(its), number))

    plate((0, 0, 0), (2, 0, 0), (0, 2, 0), (30, 20), 0)
    for y in (12, 28):
        plate((0, y, 0), (2, 0, 0), (0, 0, 2), (30, 4), 2)
    for x in (12, 30, 48):
        plate((x, 0, 0), (0, 2, 0), (0, 0, 2), (20, 4), 1)
        plate((x - 2, 0, 8), (2, 0, 0), (0, 2, 0), (2, 20), 3)
    points = np.array(nodes, float)
    points[:, 2] += 0.004 * (points[:, 0] - 30) ** 2
    its = np.concatenate(quads)
    parts = tuple(oddseam.Part(name, k) for k, name in enumerate(("skin", "ribs", "cross", "caps"), 1))
    block = oddseam.Elements(its, np.arange(1, len(its) + 1), np.concatenate(part))
    return oddseam.Mesh(points, {"quad": block}, parts, unit="mm")


FRAME_PICKS = (
    "box (15,15,-9) (25,25,20)", "box (25,15,-9) (35,25,20)", "box (25,23,-9) (35,33,20)", "box (7,7,-9) (17,17,20)",
    "box (7,7,-9) (17,17,2.5)", "box (43,29,-9) (53,39,20)", "near (30,28,4) rings 3", "near (31,20,8.004) rings 3",
    "near (48,28,3.296) rings 5",
)  # fmt: skip


@pytest.mark.parametrize("what", FRAME_PICKS)
def test_a_ribbed_frame_takes_its_own_geometry_back_anywhere(what):
    frame = ribbed_frame()
    turn = np.linalg.qr(np.random.default_rng(3).normal(size=(3, 3)))[0]
    again = frame.replaced(nodes=(frame.nodes @ turn) @ turn.T)  # the same but for what rounding makes of it
    picked = extracted(again, oddseam.pick(frame, what))
    for replacement in (again, picked):
        new = oddseam.splice(frame, what, replacement=replacement, distance=0.3)
        one, two = ((p.rims, p.nonmanifold_edges, p.crossing_pairs) for p in map(oddseam.prove, (frame, new)))
        assert one == two
        assert new.counts == frame.counts and stays(frame, new, what)
        assert not new.account.last.outcome.unmet
        area = [np.bincount(its.element_part[its.triangulation.element], minlength=4) for its in (frame, new)]
        assert (area[0] == area[1]).all()


@pytest.mark.slow
@pytest.mark.parametrize("what", FRAME_PICKS[:3] + FRAME_PICKS[4:5])
def test_a_frame_meshed_anew_is_joined_across_its_ribs(what):
    frame = ribbed_frame()
    fine = oddseam.remesh(frame, size=1.3)
    new = oddseam.splice(frame, what, replacement=fine, distance=0.5)
    assert oddseam.prove(new).nonmanifold_edges >= oddseam.prove(frame).nonmanifold_edges
    assert new.n_elements > frame.n_elements + 20 and stays(frame, new, what)
    assert new.connectivity.n_pieces == 1 and oddseam.prove(new).rims == oddseam.prove(frame).rims
    assert not new.account.last.outcome.unmet
