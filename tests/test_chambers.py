"""Chambers: closed volumes, how they nest, what they are made of, and which one holds a point."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st
from shapes import cube, sheet, side_by_side, sphere

import oddseam

Shape = tuple[np.ndarray, np.ndarray]


def _box(low: tuple[float, ...], size: float, over: bool = False) -> Shape:
    """A cube; ``over`` turns it inside out."""
    nodes, triangles = cube(size)
    return nodes + np.array(low), triangles[:, ::-1] if over else triangles


def test_a_cube_is_one_solid_chamber() -> None:
    found = oddseam.find_chambers(side_by_side(_box((0, 0, 0), 2.0)), inside=[(1, 1, 1), (3, 1, 1), (0, 1, 1)])
    (only,) = found.rows
    assert (only.kind, only.volume, only.inside, only.beside) == ("solid", 8.0, 0, (0,))
    assert (only.low, only.high) == ((0.0, 0.0, 0.0), (2.0, 2.0, 2.0))
    assert found.held == (1, 0, None)


def test_a_cavity_with_a_core_nests_twice() -> None:
    mesh = side_by_side(_box((0, 0, 0), 4.0), _box((1, 1, 1), 2.0, over=True), _box((1.5, 1.5, 1.5), 1.0))
    found = oddseam.find_chambers(mesh, inside=[(0.5, 0.5, 0.5), (1.2, 1.2, 1.2), (2, 2, 2), (9, 9, 9)])
    by_kind = [(row.kind, row.volume, row.inside) for row in found.rows]
    assert by_kind == [("solid", 56.0, 0), ("cavity", 7.0, 1), ("solid", 1.0, 2)]
    assert found.held == (1, 2, 3, 0)


def test_a_membrane_makes_two_chambers_whichever_way_it_looks() -> None:
    box = _box((0, 0, 0), 2.0)
    for over in (False, True):
        corners = np.array([[-1, -1, 0.5], [3, -1, 0.5], [3, 3, 0.5], [-1, 3, 0.5]])
        wall = corners, np.array([[0, 2, 1], [0, 3, 2]] if over else [[0, 1, 2], [0, 2, 3]])
        found = oddseam.find_chambers(side_by_side(box, wall), inside=[(1, 1, 0.2), (1, 1, 1.5)])
        assert [row.volume for row in found.rows] == [pytest.approx(6.0), pytest.approx(2.0)]
        assert found.rows[0].beside == (0, 2)
        assert found.rows[1].beside == (0, 1)
        assert found.held == (2, 1)


def test_boxes_that_cross_make_three_chambers() -> None:
    found = oddseam.find_chambers(side_by_side(_box((0, 0, 0), 2.0), _box((1, 1, 1), 2.0)), inside=[(1.5, 1.5, 1.5)])
    assert [row.volume for row in found.rows] == [pytest.approx(7.0), pytest.approx(7.0), pytest.approx(1.0)]
    assert found.held == (3,)
    assert found.rows[2].beside == (1, 2)  # along edges of the one and in faces of the other


def test_an_open_sheet_encloses_nothing() -> None:
    assert oddseam.find_chambers(side_by_side(sheet(4)), inside=[(0.1, 0.1, 0.1)]).rows == ()


def test_a_bubble_is_found_in_the_part_it_lies_in() -> None:
    found = oddseam.find_chambers(side_by_side(_box((-2, -2, -2), 4.0), sphere(12, 0.1), _box((5, 0, 0), 1.0)))
    assert [row.inside for row in found.rows] == [0, 0, 1]
    assert sum(row.volume for row in found.rows) == pytest.approx(64.0 + 1.0)


@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(*[st.integers(0, 4)] * 3, st.integers(1, 3)), min_size=1, max_size=4, unique=True))
def test_chambers_of_grid_boxes_hold_what_the_grid_says(boxes: list[tuple[int, int, int, int]]) -> None:
    """The chambers' volumes sum up to the unit cubes covered; a point's chamber is shared by all in the same boxes
    that hang together."""
    mesh = side_by_side(*[_box(b[:3], float(b[3])) for b in boxes])
    middles = np.stack(np.meshgrid(*[np.arange(8) + 0.5] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    inside = [
        frozenset(k for k, b in enumerate(boxes) if all(b[i] < p[i] < b[i] + b[3] for i in range(3))) for p in middles
    ]
    found = oddseam.find_chambers(mesh, inside=middles[::7])
    assert sum(row.volume for row in found.rows) == pytest.approx(sum(bool(s) for s in inside))
    seen: dict[int, frozenset[int]] = {}
    for held, its in zip(found.held, inside[::7], strict=True):
        assert held is not None
        assert (held > 0) == bool(its)
        assert seen.setdefault(held, its) == its


def test_degenerate_and_doubled_facets_do_not_matter() -> None:
    nodes, triangles = _box((0, 0, 0), 2.0)
    flat = [[triangles[0][0], triangles[0][1], triangles[0][0]]]
    mesh = oddseam.Mesh.from_triangles(nodes, np.concatenate([triangles, triangles[:3], flat]), unit="mm")
    assert [row.volume for row in oddseam.find_chambers(mesh).rows] == [8.0]


def test_a_mesh_without_shells_is_refused() -> None:
    empty = oddseam.Mesh.from_triangles(np.zeros((0, 3)), np.zeros((0, 3), int), unit="mm")
    with pytest.raises(oddseam.Refusal, match="no shell elements"):
        oddseam.find_chambers(empty)


@pytest.mark.slow
def test_the_command_lists_them(tmp_path: Path) -> None:
    path = tmp_path / "case.stl"
    oddseam.write_mesh(side_by_side(_box((0, 0, 0), 4.0), _box((1, 1, 1), 2.0, over=True)), path)
    command = [sys.executable, "-m", "oddseam", "chambers", str(path), "--unit", "mm", "--inside", "2,2,2"]
    said = subprocess.run(command, capture_output=True, text=True, check=False)
    assert said.returncode == 0, said.stderr
    assert "2 chamber(s)" in said.stdout and "in chamber 2" in said.stdout
    told = json.loads(subprocess.run([*command, "--json"], capture_output=True, text=True, check=True).stdout)
    assert [row["kind"] for row in told["chambers"]] == ["solid", "cavity"]
    assert told["held"] == [2]
    bad = subprocess.run([*command, "--inside", "1,2"], capture_output=True, text=True, check=False)
    assert bad.returncode == 2 and "three numbers" in bad.stderr


def test_tables_are_frames(tmp_path: Path) -> None:
    found = oddseam.find_chambers(side_by_side(_box((0, 0, 0), 2.0)))
    assert list(found.frame().volume) == [8.0]
    assert "<table" in found._repr_html_()
