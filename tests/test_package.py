"""The package as a whole: quiet, lazy, layered, documented."""

from __future__ import annotations

import graphlib
import inspect
import pickle
import subprocess
import sys
from collections import Counter
from importlib import import_module
from pathlib import Path

import grimp
import pytest

import oddseam

ROOT = Path(__file__).resolve().parents[1]


def test_every_public_name_loads_and_is_documented():
    for name in oddseam.__all__:
        thing = getattr(oddseam, name)
        assert inspect.isroutine(thing) or inspect.isclass(thing) or isinstance(thing, str)
        assert isinstance(thing, str) or (inspect.getdoc(thing) or "").strip(), name
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        oddseam.nothing  # noqa: B018
    assert set(dir(oddseam)) >= {"mend", "survey"}


def test_no_public_name_is_a_module():
    for name in oddseam.__all__:
        with pytest.raises(ModuleNotFoundError):
            import_module(f"oddseam.{name}")


def test_importing_is_quiet_and_light():
    code = "import sys, oddseam; print(sorted({'numpy', 'numba', 'pandas', 'matplotlib'} & set(sys.modules)))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=60)
    assert done.stdout.strip() == "[]" and done.stderr == ""


@pytest.mark.slow
def test_the_library_says_nothing_on_its_own(tmp_path):
    code = (
        "import oddseam; from pathlib import Path; from oddseam.demo import write_raw_cowl\n"
        "write_raw_cowl(Path('c.stl')); m = oddseam.mend(oddseam.read_mesh('c.stl'), target='stl')\n"
        "oddseam.survey(m); oddseam.write_mesh(m, 'd.stl')"
    )
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=True,
                          timeout=300)  # fmt: skip
    assert done.stdout == ""


def test_rooms_import_only_from_those_above():
    done = subprocess.run([Path(sys.executable).with_name("lint-imports"), "--no-cache"], cwd=ROOT,
                          capture_output=True, text=True, check=False, timeout=120)  # fmt: skip
    assert done.returncode == 0, done.stdout


def test_no_modules_import_one_another_in_a_circle():
    graph = grimp.build_graph("oddseam", cache_dir=None)
    order = graphlib.TopologicalSorter({m: graph.find_modules_directly_imported_by(m) for m in graph.modules})
    order.prepare()  # which raises where there is a circle


def test_the_tree_leads_to_the_file():
    """A public function stands in the file of its name, and no name stands for two files."""
    for name in oddseam.__all__:
        thing = getattr(oddseam, name)
        if inspect.isfunction(thing):
            assert thing.__module__.rpartition(".")[2] == name
    files = [path.name for path in (ROOT / "src").rglob("*.py") if not path.name.startswith("__")]
    assert [name for name, count in Counter(files).items() if count > 1] == []


def test_errors_are_one_family_and_travel_between_processes():
    for error in (
        oddseam.FormatError("a.stl", "is cut short", "byte 80"),
        oddseam.Refusal("no"), oddseam.MeshError("node 3"), oddseam.PickError("what?"),
    ):  # fmt: skip
        assert isinstance(error, oddseam.OddSeamError)
    error = oddseam.FormatError("a.stl", "is cut short", "byte 80")
    assert str(error) == "a.stl: byte 80: is cut short"
    assert str(pickle.loads(pickle.dumps(error))) == str(error)


def test_files_stay_small():
    for path in (ROOT / "src").rglob("*.py"):
        assert len(path.read_text(encoding="utf-8").splitlines()) <= 500, path
