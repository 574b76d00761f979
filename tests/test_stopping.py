"""A run that is told to stop ends at once, in compiled code too, with one line; what dead runs left is cleared away."""

from __future__ import annotations

import signal
import subprocess
import sys
import time

import pytest
import shapes

import oddseam


@pytest.mark.slow
@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
@pytest.mark.parametrize("verb", ["remesh", "survey"])
def test_a_command_ends_when_it_is_told_to(tmp_path, number, verb):
    oddseam.write_mesh(shapes.mesh(shapes.torus(700, 350)), tmp_path / "big.stl")
    (tmp_path / "out.stl").write_bytes(b"what was there")
    words = ["--size", "0.004", "-o", "out.stl"] if verb == "remesh" else []
    run = subprocess.Popen(
        [sys.executable, "-m", "oddseam", verb, "big.stl", *words, "--verbose"], cwd=tmp_path,
        stderr=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    assert run.stderr is not None and "read big.stl" in run.stderr.readline()
    time.sleep(0.3)  # it is in compiled code by now, and would be for a second at least
    run.send_signal(number)
    _, said = run.communicate(timeout=10)
    assert run.returncode in (130, 143) and said.splitlines()[-1] == "oddseam: stopped; no file was changed"
    assert (tmp_path / "out.stl").read_bytes() == b"what was there"
    assert sorted(path.name for path in tmp_path.iterdir()) == ["big.stl", "out.stl"]


def test_what_a_killed_run_left_goes_with_the_next_one(tmp_path):
    code = (
        "import os, pathlib, sys; from oddseam.formats.files import write_whole\n"
        "write_whole(pathlib.Path(sys.argv[1]), lambda file: (file.write(b'half'), file.flush(), os.kill(os.getpid(), 9)))"
    )
    subprocess.run([sys.executable, "-c", code, str(tmp_path / "a.stl")], check=False)
    (left,) = tmp_path.iterdir()
    assert left.name.endswith(".part")
    (tmp_path / ".mine.part").write_text("of somebody else")
    oddseam.write_mesh(shapes.mesh(shapes.cube()), tmp_path / "b.stl")
    assert sorted(path.name for path in tmp_path.iterdir()) == [".mine.part", "b.stl"]
