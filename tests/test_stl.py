from __future__ import annotations

import struct
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import shapes
from hypothesis import HealthCheck, given, settings, strategies as st

import oddseam

RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def binary(corners: np.ndarray, head: bytes = b"made by a test", count: int | None = None) -> bytes:
    table = np.zeros(len(corners), RECORD)
    table["corners"] = corners
    return head.ljust(80)[:80] + struct.pack("<I", len(corners) if count is None else count) + table.tobytes()


@pytest.fixture
def cube_bytes() -> bytes:
    nodes, triangles = shapes.cube()
    return binary(nodes[triangles])


def read(tmp_path, data: bytes, name: str = "part.stl") -> oddseam.Mesh:
    path = tmp_path / name
    path.write_bytes(data)
    return oddseam.read_mesh(path)


def test_facets_are_joined_and_the_unit_stays_unknown(tmp_path, cube_bytes):
    mesh = read(tmp_path, cube_bytes)
    assert mesh.counts == {"nodes": 8, "tri": 12}
    assert mesh.unit is None and "unknown" in str(mesh)
    assert mesh.source.precision == 2.0**-23


@pytest.mark.parametrize("head", [b"solid by name only", b"solid facet outer loop", b"\x00" * 80])
@pytest.mark.parametrize("name", ["part.stl", "part.bdf", "noname"])
def test_binary_is_told_by_content_alone(tmp_path, head, name):
    nodes, triangles = shapes.cube()
    assert read(tmp_path, binary(nodes[triangles], head), name).counts["tri"] == 12


def test_text_and_binary_round_trip_to_the_last_bit(tmp_path):
    nodes, triangles = shapes.sphere(20)
    mesh = oddseam.Mesh.from_triangles(nodes.astype(np.float32).astype(float), triangles)
    for form in ("stl", "stl-text"):
        written = oddseam.write_mesh(mesh, tmp_path / "s.stl", format=form)
        again = oddseam.read_mesh(tmp_path / "s.stl")
        assert written.largest_rounding == 0.0 and not written.broken
        assert (again.nodes[again.triangulation.triangles] == mesh.nodes[triangles]).all()


def test_text_solids_are_parts_and_forms_vary(tmp_path):
    facet = "facet normal 0 0 1\nouter loop\nvertex 0 0 {0}\nvertex 1 0 {0}\nvertex 0 1e0 {0}\nendloop\nendfacet\n"
    text = f"solid lid\n{facet.format(1)}endsolid lid\nSOLID\n{facet.format(2).upper()}ENDSOLID\nsolid lid\n{facet.format(3)}endsolid"
    mesh = read(tmp_path, text.replace("\n", "\r\n").encode())
    assert [part.name for part in mesh.parts] == ["lid", "solid 2", "lid (2)"]
    assert mesh.element_part.tolist() == [0, 1, 2]
    assert mesh.nodes[:, 2].tolist() == [1] * 3 + [2] * 3 + [3] * 3


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda b: b"", "the file is empty"),
        (lambda b: b[:40], "too few|no format"),
        (lambda b: b[:34], "too few|no format"),
        (lambda b: b[:-7], "byte 80: the header counts 12 facets, but the file has room for 11"),
        (lambda b: b[:80] + struct.pack("<I", 2**31) + b[84:], "counts 2,147,483,648 facets, but the file has room for 12"),
        (lambda b: b[:84 - 4] + struct.pack("<I", 0), "holds no facet"),
        (lambda b: b[:96] + struct.pack("<f", np.nan) + b[100:], r"facet 0 \(byte 84\): a coordinate is not a finite number"),
        (lambda b: b[:84 + 50 * 3 + 20] + struct.pack("<f", np.inf) + b[84 + 50 * 3 + 24:], r"facet 3 \(byte 234\)"),
        (lambda b: b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n", "line 2: cannot be understood"),
        (lambda b: b"solid a\nfacet normal 0 0 1 outer loop vertex 0 0 0 vertex 1 0 0 vertex 0 x 0 endloop endfacet endsolid",
         "line 2: 'x' is not a number"),
        (lambda b: b"solid a\nendsolid a\n", "holds no facet"),
    ],
)  # fmt: skip
def test_bad_files_get_one_line_with_the_place(tmp_path, cube_bytes, make, message):
    with pytest.raises(oddseam.FormatError, match=message) as caught:
        read(tmp_path, make(cube_bytes))
    assert "\n" not in str(caught.value) and "part.stl" in str(caught.value)


def test_what_comes_after_the_last_facet_is_listed(tmp_path, cube_bytes):
    mesh = read(tmp_path, cube_bytes + b"trailing")
    assert mesh.counts["tri"] == 12 and "bytes after the last facet: 8" in mesh.source.carried


@given(st.data())
@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_damage_gives_a_mesh_or_one_line(tmp_path, cube_bytes, data):
    text = (
        b"solid a\n"
        + b"facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n" * 3
    )
    broken = bytearray(data.draw(st.sampled_from([cube_bytes, text + b"endsolid a\n"])))
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(broken) - 1))
        broken[at] = data.draw(st.integers(0, 255))
    broken = broken[: data.draw(st.integers(0, len(broken)))]
    try:
        mesh = read(tmp_path, bytes(broken))
        assert np.isfinite(mesh.nodes).all()
    except oddseam.OddSeamError as error:
        assert "\n" not in str(error)


def test_the_report_names_what_stl_cannot_hold(tmp_path):
    quad = oddseam.Elements(np.array([[0, 1, 3, 2]]), np.array([5]), np.array([0]))
    line = oddseam.Elements(np.array([[0, 1]]), np.array([6]), np.array([0]))
    nodes = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0.0]])
    mesh = oddseam.Mesh(nodes, {"quad": quad, "line": line}, (oddseam.Part("p", 1),), unit="mm")
    written = oddseam.write_mesh(mesh, tmp_path / "q.stl")
    dropped = " ".join([*written.lost, *written.converted])
    assert "1 line elements" in dropped and "to triangles" in dropped and "mm" in dropped


def test_rounding_that_breaks_the_mesh_is_said(tmp_path):
    nodes, triangles = shapes.cube(1e-3)
    written = oddseam.write_mesh(oddseam.Mesh.from_triangles(nodes + 1e6, triangles), tmp_path / "far.stl")
    assert any("degenerate facets" in fault for fault in written.broken)


def test_a_failed_write_leaves_the_old_file(tmp_path, cube_bytes):
    path = tmp_path / "old.stl"
    path.write_bytes(cube_bytes)
    huge = shapes.mesh((shapes.cube()[0] * 1e300, shapes.cube()[1]))
    with pytest.raises(oddseam.Refusal, match="too large"):
        oddseam.write_mesh(huge, path)
    with pytest.raises(oddseam.FormatError, match="cannot be written"):
        oddseam.write_mesh(shapes.mesh(shapes.cube()), tmp_path / "nowhere" / "a.stl")
    assert path.read_bytes() == cube_bytes and [p.name for p in tmp_path.iterdir()] == ["old.stl"]


def test_a_process_killed_while_writing_leaves_the_old_file_whole(tmp_path, cube_bytes):
    path = tmp_path / "old.stl"
    path.write_bytes(cube_bytes)
    code = (
        "import sys; sys.path.insert(0, sys.argv[1]); import oddseam, shapes\n"
        "from oddseam.formats import stl; mesh = shapes.mesh(shapes.torus(300, 200))\n"
        "from pathlib import Path; print('writing', flush=True); stl.write_text(mesh, Path(sys.argv[2]))\n"
    )
    command = [sys.executable, "-c", code, str(Path(__file__).parent), str(path)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None and process.stdout.readline() == "writing\n"
        deadline = time.monotonic() + 20
        while not any(p.stat().st_size > 1000 for p in tmp_path.glob(".old.stl.*")) and time.monotonic() < deadline:
            time.sleep(0.01)
        process.kill()
    assert process.returncode != 0 and path.read_bytes() == cube_bytes
