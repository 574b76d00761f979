from __future__ import annotations

import numpy as np
import pytest
import shapes
from PIL import Image

import oddseam
from oddseam.pictures.figure import choose_marks
from oddseam.pictures.view import INSIDE, Camera, Lines, render


def test_a_picture_has_its_size_and_is_not_blank(tmp_path):
    path = oddseam.draw(shapes.mesh(shapes.torus()), tmp_path / "t.png")
    picture = Image.open(path)
    assert picture.size == (1280, 800)
    assert len(np.unique(np.asarray(picture).reshape(-1, picture.mode.count("") - 1 or 1), axis=0)) > 50


def test_the_same_mesh_gives_the_same_file(tmp_path):
    mesh = shapes.mesh(shapes.cube())
    one, two = (oddseam.draw(mesh, tmp_path / name).read_bytes() for name in ("a.png", "b.png"))
    assert one == two


def test_the_nearest_surface_is_seen_and_the_inside_has_its_own_colour():
    nodes, triangles = shapes.sheet(2)
    camera = Camera.looking(np.array([0, 0, 1.0]), np.array([0.5, 0.5, 0]), 1.5, 60, 40)
    below = np.concatenate([nodes, nodes - [0, 0, 1.0]])
    front, depth = render(below, np.concatenate([triangles + len(nodes), triangles]), camera)
    assert depth[20, 30] == pytest.approx(0.0) and depth[0, 0] == -np.inf
    back, _ = render(nodes, triangles[:, ::-1], camera)
    assert front[20, 30, 2] > front[20, 30, 0] and back[20, 30, 0] > back[20, 30, 2]
    assert np.argmin(INSIDE) == np.argmin(back[20, 30])
    assert (front[0, 0] == 1.0).all()


def test_lines_hide_behind_what_is_in_front():
    nodes, triangles = shapes.sheet(2)
    behind = np.concatenate([nodes, [[0.2, 0.5, -1.0], [0.8, 0.5, -1.0], [0.2, 0.5, 1.0], [0.8, 0.5, 1.0]]])
    camera = Camera.looking(np.array([0, 0, 1.0]), np.array([0.5, 0.5, 0]), 1.5, 60, 40)
    n = len(nodes)
    red = (1.0, 0.0, 0.0)
    plain, _ = render(behind, triangles, camera)
    hidden, _ = render(behind, triangles, camera, (Lines(np.array([[n, n + 1]]), red),))
    shown, _ = render(behind, triangles, camera, (Lines(np.array([[n + 2, n + 3]]), red),))
    assert (plain == hidden).all() and not (plain == shown).all()


def test_marks_are_the_worst_of_each_and_never_twice_in_one_place(raw_cowl):
    marks = choose_marks(oddseam.survey(raw_cowl))
    assert [m.number for m in marks] == list(range(1, len(marks) + 1)) and len(marks) == 6
    assert {m.finding.kind for m in marks} >= {"free edges", "misoriented edges", "duplicate facets", "crumbs"}
    for a, b in zip(marks[:-1], marks[1:], strict=True):
        assert a.place.centre != b.place.centre


def test_what_cannot_be_drawn_is_refused(tmp_path):
    mesh = shapes.mesh(shapes.cube())
    with pytest.raises(oddseam.Refusal, match="no surface"):
        oddseam.draw(oddseam.Mesh(np.eye(3)), tmp_path / "a.png")
    with pytest.raises(oddseam.Refusal, match="direction"):
        oddseam.draw(mesh, tmp_path / "a.png", direction="sideways")
    with pytest.raises(oddseam.Refusal, match="not all zero"):
        oddseam.draw(mesh, tmp_path / "a.png", direction=(0.0, 0.0, 0.0))
    with pytest.raises(oddseam.FormatError, match="png"):
        oddseam.draw(mesh, tmp_path / "a.jpg")
    assert not list(tmp_path.iterdir())
