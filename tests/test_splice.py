"""Regions cut out of a surface and replaced by another one."""

from __future__ import annotations

import numpy as np
import pytest
from test_openings import panel, with_rib
from test_regions import contents

import oddseam


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


@pytest.mark.parametrize("kind", ["quad", "tri"])
@pytest.mark.parametrize("other", ["quad", "tri"])
@pytest.mark.parametrize("turned", [False, True])
def test_a_block_grows_by_the_top_of_a_whole_new_part(kind, other, turned):
    mesh = block((10, 10, 10), (10, 10, 10), kind)
    mesh = oddseam.add_group(mesh, "top", "box (-1,-1,5.9) (11,11,11)")
    design = block((10, 10, 12.5), (8, 9, 11), other)
    if turned:
        design = oddseam.flip(design, "all")
    top = "box (-1,-1,5.9) (11,11,11)"
    new = oddseam.splice(mesh, top, replacement=design, within=0.01)
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
    new = oddseam.splice(mesh, what, replacement=dome, within=0.1)
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
    new = oddseam.splice(mesh, what, replacement=other, within=0.05)
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
        new = oddseam.splice(mesh, what, replacement=other, within=0.1)
        assert oddseam.prove(new).is_clean and oddseam.prove(new).rims == 1 and stays(mesh, new, what)
    with pytest.raises(oddseam.Refusal, match="does not divide the replacement"):
        oddseam.splice(mesh, "box (-1,-1,-1) (8,8,1)", replacement=other, within=0.1)


def test_a_rib_that_stood_on_the_cut_is_named():
    mesh = with_rib(panel(20), 10)
    other = panel(31, 0.0, "tri")
    other = other.replaced(nodes=other.nodes * (24 / 31) - np.array([2, 2, 0]))
    new = oddseam.splice(mesh, "box (4,4,-0.1) (16,16,0.1)", replacement=other, within=0.1)
    assert "what stood on 11 nodes of the cut" in new.account.last.outcome.unmet[0]
    beside = oddseam.splice(mesh, "box (4,4,-0.1) (10,16,0.1)", replacement=other, within=0.1)
    assert not beside.account.last.outcome.unmet
    assert oddseam.prove(beside).nonmanifold_edges == 20


def test_what_does_not_cover_or_fit_is_refused():
    mesh = panel(20)
    what = "box (4,4,-1) (16,16,1)"
    small = panel(10)
    with pytest.raises(oddseam.Refusal, match=r"ends \d.* off the border of the cut at"):
        oddseam.splice(mesh, what, replacement=small, within=0.2)
    with pytest.raises(oddseam.Refusal, match=r"is 0\.5 off the border of the cut at"):
        oddseam.splice(mesh, what, replacement=mesh.replaced(nodes=mesh.nodes + np.array([0, 0, 0.5])), within=0.2)
    with pytest.raises(oddseam.Refusal, match="no border with the rest"):
        oddseam.splice(mesh, "all", replacement=mesh, within=0.2)
    with pytest.raises(oddseam.Refusal, match="no tri or quad"):
        lines = oddseam.Elements(np.array([[0, 1]]), np.array([1]), np.zeros(1, np.int32))
        oddseam.splice(mesh, what, replacement=mesh.replaced(elements={"line": lines}), within=0.2)


def test_from_the_command_line(run, tmp_path):
    oddseam.write_mesh(block((10, 10, 10), (10, 10, 10)), tmp_path / "old.seam")
    oddseam.write_mesh(block((10, 10, 12), (9, 9, 9), "tri"), tmp_path / "new.seam")
    asked = ["splice", "old.seam", "box (-1,-1,5.9) (11,11,11)", "new.seam", "--within", 0.1]
    seen = run(*asked)
    assert seen.returncode == 0, seen.stderr
    assert "off the replacement" in seen.stdout and not (tmp_path / "both.seam").exists()
    assert run(*asked, "-o", "both.seam").returncode == 0
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "both.seam")).volume == pytest.approx(1200.0)
    assert run(*asked[:-1], 0.0, "-o", "none.seam").returncode == 2
