from __future__ import annotations

import dataclasses
import zipfile

import numpy as np
import pytest
import shapes
from hypothesis import HealthCheck, given, settings, strategies as st

import oddseam
from oddseam.model.kinds import KINDS


@pytest.fixture
def everything() -> oddseam.Mesh:
    """A mesh with one element of every kind, and all that can travel with a mesh."""
    rng = np.random.default_rng(1)
    elements, at = {}, 1
    for number, (name, kind) in enumerate(KINDS.items()):
        elements[name] = oddseam.Elements(np.arange(kind.size)[None], np.array([1000 - at]), np.array([number % 2]))
        at += 3
    n = len(elements)
    steel = oddseam.Material(4, 2.1e5, 0.3, 7.85e-9, "steel")
    mesh = oddseam.Mesh(
        rng.normal(size=(20, 3)), elements,
        (oddseam.Part("shell", 9, "wall", 2.5, steel), oddseam.Part("rest", 3)), np.arange(20)[::-1] * 7 + 1,
        oddseam.Groups({"fix": np.array([1, 2])}, {"some": np.array([0, n - 1])}, {"face": np.array([[n - 1, 3]])}),
        oddseam.Creases(np.array([[0, 1], [3, 2]]), np.array([0, 2])),
        oddseam.Patches(np.arange(n) % 2 - 1, (oddseam.Patch("bore", "cylinder", (0.0, 0.0, 1.0), radius=4.0),)),
        "mm",
    )  # fmt: skip
    return oddseam.assign_property(mesh, thickness=3.0, parts=("shell",))


def test_nothing_is_lost(everything, tmp_path):
    path = tmp_path / "all.seam"
    assert oddseam.write_mesh(everything, path).lost == ()
    again = oddseam.read_mesh(path)
    assert again.digest == everything.digest
    for one in dataclasses.fields(oddseam.Mesh):
        a, b = getattr(everything, one.name), getattr(again, one.name)
        if one.name in ("parts", "unit", "account"):
            assert a == b
    assert again.groups.sides["face"].tolist() == everything.groups.sides["face"].tolist()
    assert again.creases.edges.tolist() == [[0, 1], [2, 3]] and again.creases.kind.tolist() == [0, 2]
    assert again.patches.table == everything.patches.table
    assert (again.patches.label == everything.patches.label).all()
    first = path.read_bytes()
    oddseam.write_mesh(again, path)
    assert path.read_bytes() == first


def test_packed_members_are_refused(everything, tmp_path):
    path, bomb = tmp_path / "a.seam", tmp_path / "b.seam"
    oddseam.write_mesh(everything, path)
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            new.writestr(name, old.read(name))
    with pytest.raises(oddseam.FormatError, match="packed"):
        oddseam.read_mesh(bomb)


def test_an_unknown_version_is_named(tmp_path):
    path = tmp_path / "new.seam"
    with path.open("wb") as file:
        np.savez(file, header=np.frombuffer(b'{"version": 99}', np.uint8))
    with pytest.raises(oddseam.FormatError, match="version 99"):
        oddseam.read_mesh(path)


@given(st.data())
@settings(max_examples=100, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_damage_gives_a_mesh_or_one_line(tmp_path, data):
    path = tmp_path / "c.seam"
    oddseam.write_mesh(shapes.mesh(shapes.cube()), path)
    broken = bytearray(path.read_bytes())
    for _ in range(data.draw(st.integers(1, 4))):
        broken[data.draw(st.integers(0, len(broken) - 1))] = data.draw(st.integers(0, 255))
    path.write_bytes(broken[: data.draw(st.integers(1, len(broken)))])
    try:
        oddseam.read_mesh(path)
    except oddseam.OddSeamError as error:
        assert "\n" not in str(error)


def test_a_header_that_would_have_to_be_guessed_is_refused_without_a_warning(everything, tmp_path, recwarn):
    path, old_style = tmp_path / "a.seam", tmp_path / "b.seam"
    oddseam.write_mesh(everything, path)
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(old_style, "w", zipfile.ZIP_STORED) as new:
        for name in old.namelist():
            new.writestr(name, old.read(name).replace(b"(20, 3), ", b"(20L, 3),"))
    with pytest.raises(oddseam.FormatError, match="content is damaged"):
        oddseam.read_mesh(old_style)
    assert not recwarn.list
