"""A package in a place that cannot be written to, and no home: it runs with the kernels that are there."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
import shapes

import oddseam

RUN = """
import sys, oddseam.read_only
oddseam.read_only.is_writable = lambda folder: False
import oddseam
from oddseam.geometry.kernels.box_walks import closest_points as one
mesh = oddseam.read_mesh(sys.argv[1])
oddseam.compare(mesh, mesh)
print(oddseam.prove(mesh).is_closed)
print(type(one._cache).__name__, sum(one.stats.cache_hits.values()), sum(one.stats.cache_misses.values()))
"""


@pytest.fixture
def mesh(tmp_path):
    oddseam.write_mesh(shapes.mesh(shapes.torus()), tmp_path / "a.stl")
    mesh = oddseam.read_mesh(tmp_path / "a.stl")
    oddseam.compare(mesh, mesh)  # the kernels are compiled and kept
    return tmp_path / "a.stl"


def in_no_home(code: str, path, tmp_path) -> subprocess.CompletedProcess:
    home = {**os.environ, "HOME": "/nonexistent/home", "XDG_CACHE_HOME": "/proc/none", "TMPDIR": str(tmp_path)}
    home.pop("NUMBA_CACHE_DIR", None)
    return subprocess.run(
        [sys.executable, "-c", code, str(path)], env=home, capture_output=True, text=True, check=False
    )


def test_kernels_that_are_there_are_used_and_none_is_compiled(mesh, tmp_path):
    done = in_no_home(RUN, mesh, tmp_path)
    assert done.returncode == 0, done.stderr
    said = done.stdout.split()
    assert said[:2] == ["True", "ShippedCache"] and int(said[2]) > 0 and int(said[3]) == 0
    assert "compiling" not in done.stderr


def test_what_is_compiled_is_kept_among_temporary_files(tmp_path):
    (tmp_path / "mine.py").write_text(
        "import oddseam.read_only\noddseam.read_only.is_writable = lambda folder: False\n"
        "import oddseam.compiled as c\n@c.kernel\ndef twice(x):\n    return x + x\n"
        "import logging; logging.basicConfig()\nc.announce(twice)\nprint(twice(4.0), sum(twice.stats.cache_hits.values()))\n"
    )
    said = []
    for _ in range(2):
        code = f"import sys; sys.path.insert(0, {str(tmp_path)!r}); import mine"
        done = in_no_home(code, tmp_path, tmp_path)
        assert done.returncode == 0, done.stderr
        said.append((done.stdout.split(), done.stderr))
    assert said[0][0] == ["8.0", "0"] and "kept in " + str(tmp_path) in said[0][1]
    assert said[1][0] == ["8.0", "1"] and "compiling" not in said[1][1]
