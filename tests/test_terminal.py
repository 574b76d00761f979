"""What a person at a terminal sees besides results: progress, compiling, benchmarks."""

from __future__ import annotations

import importlib
import importlib.metadata
import io
import logging
import subprocess
import sys
from pathlib import Path

import pytest

from oddseam import compiled
from oddseam.cli import progress_bar as progress

ROOT = Path(__file__).resolve().parents[1]


class Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def test_progress_is_shown_on_a_terminal_once_the_work_lasts(monkeypatch):
    screen = Terminal()
    monkeypatch.setattr(sys, "stderr", screen)
    monkeypatch.setattr(progress, "_PATIENCE", 0.0)
    with progress.shown() as tell:
        tell("joining edges", 0.3)
        tell("done", 1.0)
    assert "\N{BOX DRAWINGS HEAVY HORIZONTAL}" in screen.getvalue()


def test_short_work_and_pipes_show_nothing(monkeypatch):
    for screen in (Terminal(), io.StringIO()):
        monkeypatch.setattr(sys, "stderr", screen)
        with progress.shown() as tell:
            tell("joining edges", 0.3)
        assert "joining edges" not in screen.getvalue()


def test_compiling_is_said_once_and_only_if_it_must_be_done(monkeypatch, caplog, tmp_path):
    path = tmp_path / "fresh_kernels.py"  # a file that has never been compiled
    path.write_text("from oddseam.compiled import kernel\n\n\n@kernel\ndef fresh(x):\n    return x + 1\n")
    monkeypatch.syspath_prepend(tmp_path)
    fresh = importlib.import_module("fresh_kernels").fresh
    monkeypatch.setattr(compiled, "_told", False)
    with caplog.at_level(logging.WARNING, "oddseam"):
        compiled.announce(fresh)
        compiled.announce(fresh)
    assert [record.message.split(" for")[0] for record in caplog.records] == ["compiling"]
    caplog.clear()
    monkeypatch.setattr(compiled, "_told", False)
    assert fresh(1) == 2
    compiled.announce(fresh)
    assert not caplog.records


def kernels_by_module():
    """The compiled functions of every file in a folder of kernels."""
    for path in sorted((ROOT / "src").rglob("kernels/[!_]*.py")):
        name = ".".join(path.relative_to(ROOT / "src").with_suffix("").parts)
        module = importlib.import_module(name)
        its = [one for one in vars(module).values() if hasattr(one, "py_func") and one.py_func.__module__ == name]
        yield name, its


@pytest.mark.slow
def test_warm_up_compiles_every_kernel(run):
    done = run("warm-up")
    assert done.returncode == 0 and done.stdout.startswith("all kernels are compiled (")
    for name, its in kernels_by_module():
        assert its, name
        for one in its:
            assert one._cache._cache_file._load_index(), f"{name}: {one.py_func.__name__} is run by no drill"


def test_no_kernel_is_compiled_for_several_kinds_of_numbers():
    """What a wheel ships is what the drills compiled: once for each kernel, and no more kernels than there is time for."""
    shipped = [file.name for file in importlib.metadata.files("oddseam") if file.suffix in (".nbc", ".nbi")]
    if not shipped:
        pytest.skip("an editable install ships no kernels")
    assert not [name for name in shipped if name.endswith(".nbc") and not name.endswith(".1.nbc")]
    assert len([name for name in shipped if name.endswith(".nbi")]) <= 215, "a room compiles more than its budget"


VERBS = """
import importlib, sys
import numpy as np, oddseam, shapes
from oddseam.warmup import DRILLS

for drill in DRILLS:
    drill()
kernels = [
    (name, one)
    for name, module in list(sys.modules.items()) if name.startswith("oddseam.") and ".kernels." in name
    for one in vars(module).values() if hasattr(one, "py_func") and one.py_func.__module__ == name
]
before = [list(one.signatures) for _, one in kernels]
mesh = shapes.mesh(shapes.bent_pipe(16, 4))
oddseam.survey(mesh)
found = oddseam.find_features(mesh)
oddseam.survey(oddseam.remesh(found, size=mesh.diagonal / 20))
coarse = oddseam.coarsen(mesh, facets=60)
oddseam.compare(coarse, mesh)
oddseam.mend(mesh)
oddseam.remesh(mesh, size=mesh.diagonal / 20, quads=True)
oddseam.make_sizes(found, base=mesh.diagonal / 20, per_turn=24, across=2).at(mesh.nodes)
oddseam.make_picture(mesh, sys.argv[1])
where = "sphere ({}, {}, {}) 0.5".format(*mesh.nodes[0])
oddseam.morph(mesh, oddseam.Move(where, by=(0.01, 0.0, 0.0)))
more = [(name, one.py_func.__name__, [s for s in one.signatures if s not in old])
        for (name, one), old in zip(kernels, before) if list(one.signatures) != old]
assert not more, more
"""


@pytest.mark.slow
def test_no_verb_compiles_a_kernel_that_no_drill_did(tmp_path):
    done = subprocess.run(
        [sys.executable, "-c", VERBS, tmp_path / "a.png"],
        cwd=ROOT / "tests",
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr


@pytest.mark.slow
@pytest.mark.parametrize(
    "words", [("remesh.py", "--facets", "2000"), ("remesh.py", "--help"), ("crossings.py", "--facets", "2000")]
)
def test_benchmarks_run(words):
    script = ROOT / "benchmarks" / words[0]
    done = subprocess.run(
        [sys.executable, script, *words[1:]], capture_output=True, text=True, check=False, timeout=300
    )
    assert done.returncode == 0, done.stderr
    assert "least angle" in done.stdout or "usage" in done.stdout or "resolve / find" in done.stdout
