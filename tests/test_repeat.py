"""A feature repeated along a vector or round an axis, each copy sewn in."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

import numpy as np
import pytest
from test_imprint_and_stitch import elsewhere_same
from test_openings import panel, with_more, with_rib

import oddseam
from oddseam.demo import write_draft_tube
from oddseam.editing.zones.acceptance import worst_of


def short_rib(mesh: oddseam.Mesh, column: int = 5, n: int = 20, bend: float = 0.0) -> oddseam.Mesh:
    """A rib of six elements on the middle of a column, in a part of its own."""
    foot = (np.arange(7) + 7) * (n + 1) + column
    top = mesh.n_nodes + np.arange(7)
    ribbed = with_more(
        mesh, mesh.nodes[foot] + (0.0, 0.0, 1.0), quad=np.column_stack([foot[:-1], foot[1:], top[1:], top[:-1]])
    )
    block = ribbed.elements["quad"]
    part = block.part.copy()
    part[-6:] = 1
    parts = (oddseam.Part("skin", 1), oddseam.Part("rib", 2))
    return ribbed.replaced(elements={"quad": oddseam.Elements(block.connectivity, block.ids, part)}, parts=parts)


def test_a_rib_is_repeated_onto_nodes_that_are_there():
    mesh = short_rib(panel())
    new = oddseam.repeat(mesh, "part rib", times=3, vector=(3.0, 0, 0))
    assert elsewhere_same(mesh, new) and new.n_elements == mesh.n_elements + 18
    c = new.connectivity
    assert c.is_nonmanifold.sum() == 4 * 6 and (c.face_count[c.is_nonmanifold] == 3).all()
    assert len(oddseam.pick(new, "part rib")) == 24 and len(np.unique(new.element_ids)) == new.n_elements
    assert new.account.last.outcome.steps[1].count == 0


def test_where_there_are_no_nodes_the_foot_is_imprinted():
    mesh = short_rib(panel())
    new = oddseam.repeat(mesh, "part rib", times=2, vector=(4.37, 0.31, 0))
    assert elsewhere_same(mesh, new)
    c = new.connectivity
    assert c.is_nonmanifold.sum() == 3 * 6 and (c.face_count[c.is_nonmanifold] == 3).all()
    assert new.account.last.outcome.steps[1].count == 2
    feet = new.nodes[np.unique(c.edges[c.is_nonmanifold])]
    assert sorted(set(feet[:, 0].round(9).tolist())) == [5.0, 9.37, 13.74]
    proof = oddseam.prove(new)
    assert (proof.crossing_pairs == 0 and proof.rims == 1 + 3 - 1) or proof.free_edges > 80


def test_round_an_axis():
    mesh = short_rib(panel(), column=6)
    new = oddseam.repeat(mesh, "part rib", times=1, axis=(0, 0, 1), about=(10, 10, 0), angle=180.0)
    assert elsewhere_same(mesh, new) and new.connectivity.is_nonmanifold.sum() == 12
    even = oddseam.repeat(mesh, "part rib", times=3, axis=(0, 0, 2), about=(10, 10, 0))
    assert even.connectivity.is_nonmanifold.sum() == 24


@pytest.mark.parametrize(
    ("what", "more", "reason"),
    [
        ("part rib", {"times": 0, "vector": (1, 0, 0)}, "copies: 0 is too few"),
        ("part rib", {"times": 1}, "say a vector"),
        ("part rib", {"times": 1, "vector": (0, 0, 2)}, "copy 1 of 1.*off the surface"),
        ("part rib", {"times": 1, "vector": (0, 0, 0)}, "cross or double"),
        ("part rib", {"times": 1, "axis": (0, 0, 0)}, "is not a direction"),
        ("part rib", {"times": 4, "vector": (4.0, 0, 0)}, "copy 4 of 4"),
    ],
)
def test_what_cannot_be_repeated_is_refused(what, more, reason):
    with pytest.raises(oddseam.Refusal, match=reason):
        oddseam.repeat(short_rib(panel()), what, **more)


def test_a_foot_off_the_surface_is_brought_to_it_as_far_as_is_said():
    mesh = short_rib(panel())
    with pytest.raises(oddseam.Refusal, match=r"0\.3 off the surface at .*, more than the distance of 0\.2"):
        oddseam.repeat(mesh, "part rib", times=1, vector=(2, 0, 0.3))
    new = oddseam.repeat(mesh, "part rib", times=1, vector=(2, 0, 0.3), distance=0.4)
    feet = new.nodes[np.unique(new.connectivity.edges[new.connectivity.is_nonmanifold])]
    assert np.abs(feet[:, 2]).max() < 1e-12 and len(feet) == 2 * len(np.unique(feet[:, 1]))


def test_line_elements_are_not_repeated():
    column = np.arange(21) * 21 + 12
    stiff = with_more(panel(), np.zeros((0, 3)), line=np.column_stack([column[:-1], column[1:]]))
    with pytest.raises(oddseam.Refusal, match="20 line"):
        oddseam.repeat(stiff, "all", times=1, vector=(30, 0, 0))
    assert oddseam.prove(with_rib(panel(), 12)).nonmanifold_edges == 20


@pytest.mark.slow
def test_the_missing_gusset_of_the_draft_tube(run, tmp_path):
    write_draft_tube(tmp_path / "draft_tube.bdf")
    words = ["near (420,242,560) flat 5", "--unit", "mm", "--times", "1", "--axis", "0,0,1", "--angle", "270"]
    done = run("repeat", "draft_tube.bdf", *words, "-o", "four.bdf")
    assert done.returncode == 0 and "30 elements" in done.stdout
    old, new = ((tmp_path / name).read_text() for name in ("draft_tube.bdf", "four.bdf"))
    lines = [set(re.findall(r"^\S.*$", text, re.M)) for text in (old, new)]
    assert lines[0] <= lines[1]  # not one card has changed
    four = oddseam.read_mesh(tmp_path / "four.bdf", unit="mm")
    assert len(oddseam.pick(four, "part 'property 21'")) == 120
    assert oddseam.prove(four).nonmanifold_edges == 4 * 13
    twice = run("repeat", "four.bdf", *words, "-o", "no.bdf")
    assert twice.returncode == 2 and "cross or double" in twice.stderr and not (tmp_path / "no.bdf").exists()


@pytest.mark.parametrize("kind", ["quad", "tri"])
def test_a_hole_is_repeated_with_its_collars(kind):
    mesh = oddseam.cut(panel(30, 0.0, kind), at=(7, 7, 0), diameter=3, collars=[0.5, 0.7], rim_nodes=16)
    new = oddseam.repeat(mesh, "cylinder (7,7,-5) (7,7,5) 2.75", times=2, vector=(7.3, 0.4, 0))
    assert elsewhere_same(mesh, new) and not oddseam.prove(new).worse_than(oddseam.prove(mesh))
    fresh = np.flatnonzero(new.element_ids > mesh.element_ids.max())
    angle, jacobian = worst_of(new, fresh)
    assert angle > 20 and jacobian > 0.5
    holes = oddseam.list_openings(new)[:3]
    assert [row.diameter for row in holes] == pytest.approx([3.0] * 3)
    assert sorted(row.centre for row in holes) == [pytest.approx((7 + 7.3 * k, 7 + 0.4 * k, 0)) for k in range(3)]
    away = np.linalg.norm(new.nodes - (21.6, 7.8, 0), axis=1)
    assert [(np.abs(away - radius) < 1e-9).sum() for radius in (1.5, 2.0, 2.7)] == [16, 16, 16]


def test_a_hole_goes_round_an_axis_on_a_curved_sheet():
    tube = oddseam.read_mesh(write_draft_tube(Path(tempfile.mkdtemp()) / "tube.bdf"), unit="mm")
    cut = oddseam.cut(tube, at=(-300, -100, 250), diameter=40, collars=[8], rim_nodes=16)
    centre = min(oddseam.list_openings(cut), key=lambda row: abs(row.diameter - 40) + abs(row.rim_nodes - 16)).centre
    ring = f"sphere ({centre[0]},{centre[1]},{centre[2]}) 28.5"
    new = oddseam.repeat(cut, ring, times=1, axis=(0, 0, 1), angle=14.0)
    assert elsewhere_same(cut, new) and not oddseam.prove(new).worse_than(oddseam.prove(cut))
    assert sum(row.rim_nodes == 16 and abs(row.diameter - 40) < 0.5 for row in oddseam.list_openings(new)) == 2
    with pytest.raises(oddseam.Refusal, match=r"copy 1 of 1, .* clear of the line element"):
        oddseam.repeat(cut, ring, times=1, axis=(0, 0, 1), angle=26.5)


def test_a_hole_near_another_one_or_off_the_sheet_is_refused():
    mesh = oddseam.cut(panel(30), at=(7, 7, 0), diameter=3, collars=[0.5, 0.7], rim_nodes=16)
    ring = "cylinder (7,7,-5) (7,7,5) 2.75"
    with pytest.raises(oddseam.Refusal, match=r"clear of the free edge"):
        oddseam.repeat(mesh, ring, times=1, vector=(4.4, 0, 0))
    with pytest.raises(oddseam.Refusal, match="off the surface"):
        oddseam.repeat(mesh, ring, times=1, vector=(7, 0, 3))
    with pytest.raises(oddseam.Refusal, match="one closed border"):
        oddseam.repeat(mesh, "box (-1,-1,-1) (5,5,1)", times=1, vector=(8, 8, 0))
