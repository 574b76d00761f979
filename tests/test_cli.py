from __future__ import annotations

import json
import os
import signal
import subprocess
import sys

import numpy as np
import pytest
import shapes

import oddseam

STEEL = ("--thickness", "5", "--young", "210000", "--poisson", "0.3")


@pytest.fixture
def cube(tmp_path):
    """A cube without one facet, as an STL."""
    nodes, triangles = shapes.grid_cube(24)
    oddseam.write_mesh(oddseam.Mesh.from_triangles(nodes, triangles[1:]), tmp_path / "cube.stl")
    return tmp_path / "cube.stl"


def one_line(done: subprocess.CompletedProcess) -> str:
    assert done.returncode == 2 and done.stdout == ""
    assert done.stderr.startswith("oddseam: ") and done.stderr.count("\n") == 1
    return done.stderr


@pytest.mark.slow
def test_a_torn_part_goes_through_every_verb(run, cube, tmp_path):
    survey = run("survey", cube)
    assert survey.returncode == 0 and "unknown" in survey.stdout and "not closed" in survey.stdout
    assert "no facets cross" in survey.stdout
    mend = run("mend", cube, "-o", "clean.seam", "--unit", "mm")
    assert mend.returncode == 0 and mend.stderr == "" and "fill rims" in mend.stdout
    remesh = run("remesh", "clean.seam", "-o", "even.seam", "--size", "0.15")
    assert remesh.returncode == 0
    convert = run("convert", "even.seam", "-o", "even.bdf", *STEEL)
    assert convert.returncode == 0 and "lost: the account" in convert.stdout
    picture = run("picture", "even.bdf", "-o", "even.png", "--view", "1,2,3")
    assert picture.returncode == 0 and (tmp_path / "even.png").read_bytes()[:4] == b"\x89PNG"
    account = run("account", "even.seam")
    assert [line.split(" ")[0] for line in account.stdout.splitlines() if line[:1].strip()] == ["mend", "remesh"]
    after = json.loads(run("survey", "even.bdf", "--json").stdout)
    assert after["proof"]["closed"] and after["proof"]["volume"] == pytest.approx(1.0)
    assert after["summary"]["unit"] is None  # a deck has no field for it


@pytest.mark.slow
def test_json_reports_hold_the_account_and_what_was_written(run, cube):
    report = json.loads(run("mend", cube, "-o", "clean.stl", "--json").stdout)
    assert report["account"][-1]["operation"] == "mend" and report["unmet"] == []
    assert (
        report["written"]["format"] == "stl" and "the account (keep a .seam file for that)" in report["written"]["lost"]
    )


@pytest.mark.slow
def test_what_is_unmet_gives_status_one_and_says_where(run, tmp_path):
    nodes, triangles = shapes.cube()
    path = tmp_path / "both.stl"
    both = np.vstack([nodes, nodes + 0.5]), np.vstack([triangles, triangles + 8])
    oddseam.write_mesh(oddseam.Mesh.from_triangles(*both), path)
    assert run("mend", path, "-o", "one.stl").returncode == 0
    done = run("mend", path, "-o", "out.stl", "--overlaps", "keep")
    assert done.returncode == 1 and (tmp_path / "out.stl").exists()
    assert "unmet: crossing facets: 6 left" in done.stderr and "0.75, 0.75, 0.75" in done.stderr


@pytest.mark.slow
def test_openings_are_left_or_closed_as_asked(run, tmp_path):
    nodes, triangles = shapes.grid_cube(10)
    open_top = triangles[~(nodes[triangles][:, :, 2] == 1).all(axis=1)]
    oddseam.write_mesh(oddseam.Mesh.from_triangles(nodes, open_top), tmp_path / "box.stl")
    kept = run("mend", "box.stl", "-o", "kept.stl")
    assert kept.returncode == 0 and "left open: a rim 1.414 across" in kept.stdout
    for close in ("all", "2"):
        assert run("mend", "box.stl", "-o", "shut.stl", "--close", close).returncode == 0
        assert oddseam.prove(oddseam.read_mesh(tmp_path / "shut.stl")).volume == pytest.approx(1.0)
    assert run("mend", "box.stl", "-o", "none.stl", "--close", "none").returncode == 0
    assert "none of small, all, none" in one_line(run("mend", "box.stl", "-o", "x.stl", "--close", "some"))


@pytest.mark.slow
@pytest.mark.parametrize(
    ("name", "content", "message"),
    [
        ("bad.file", b"", "the file is empty"),
        ("bad.file", b"solid x\nfacet normal 0 0 1\n", "line"),
        ("bad.stl", b"\0" * 80 + (7_000_000).to_bytes(4, "little") + b"\0" * 50, "the header counts 7,000,000 facets"),
        ("bad.file", b"PK\x03\x04" + b"\0" * 26 + b"header" + b"\xff" * 90, "damaged"),
        (
            "bad.file",
            b"GRID,1,,0.,0.,nan\nCTRIA3,1,1,1,1,1\n",
            "line 1: GRID: field 6: 'nan' is not a finite number",
        ),
        ("bad.file", b"%PDF-1.4 nothing of the kind", "of no format that is known here"),
    ],
)
def test_bad_files_give_one_line_with_place_and_reason(run, tmp_path, name, content, message):
    (tmp_path / name).write_bytes(content)
    for words in (("survey", name), ("mend", name, "-o", "out.stl"), ("picture", name, "-o", "o.png")):
        said = one_line(run(*words))
        assert name in said and message in said
    assert [p.name for p in tmp_path.iterdir()] == [name]


@pytest.mark.slow
def test_refusals_name_what_to_do_and_write_nothing(run, cube, tmp_path):
    before = cube.read_bytes()
    assert "give --thickness" in one_line(run("mend", cube, "-o", "out.bdf"))
    assert "--overwrite" in one_line(run("mend", cube, "-o", cube))
    assert "there is no folder" in one_line(run("mend", cube, "-o", "nowhere/out.stl"))
    assert "names no format" in one_line(run("convert", cube, "-o", "out.xyz"))
    assert "same unit" in one_line(run("remesh", cube, "-o", "out.stl", "--size", "1e-6"))
    assert "is none of corner" in one_line(run("picture", cube, "-o", "out.png", "--view", "upwards"))
    assert "no such file" in one_line(run("survey", "missing.stl"))
    assert cube.read_bytes() == before and [p.name for p in tmp_path.iterdir()] == ["cube.stl"]
    assert run("mend", cube, "-o", cube, "--overwrite").returncode == 0 and len(cube.read_bytes()) == len(before) + 50


@pytest.mark.slow
def test_a_unit_that_contradicts_the_file_is_refused(run, cube):
    run("convert", cube, "-o", "cube.seam", "--unit", "mm")
    assert "its unit is mm, not m" in one_line(run("survey", "cube.seam", "--unit", "m"))


def test_killed_while_writing_leaves_the_old_file(cube, tmp_path):
    old = b"the old result"
    (tmp_path / "out.seam").write_bytes(old)
    code = (
        "import os, signal, oddseam; m = oddseam.read_mesh('cube.stl');"
        "os.fsync = lambda fd: os.kill(os.getpid(), signal.SIGKILL); oddseam.write_mesh(m, 'out.seam')"
    )
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, check=False, timeout=60)
    assert done.returncode == -signal.SIGKILL
    assert (tmp_path / "out.seam").read_bytes() == old


@pytest.mark.slow
def test_a_mesh_without_shells_is_surveyed_and_carried_but_not_mended(run, tmp_path):
    deck = (
        "BEGIN BULK\n" + "".join(f"GRID,{k + 1},,{k // 2}.,{k % 2}.,{k}.\n" for k in range(4)) + "CTETRA,7,1,1,2,3,4\n"
    )
    (tmp_path / "tet.bdf").write_text(deck + "ENDDATA\n")
    survey = run("survey", "tet.bdf")
    assert survey.returncode == 0 and "tet radius ratio" in survey.stdout and "no surface to judge" in survey.stdout
    assert "no shell elements" in one_line(run("mend", "tet.bdf", "-o", "out.bdf"))
    assert "oddseam skin" in one_line(run("remesh", "tet.bdf", "-o", "out.bdf", "--size", "1"))
    assert run("convert", "tet.bdf", "-o", "same.bdf").returncode == 0
    assert (tmp_path / "same.bdf").read_text() == (tmp_path / "tet.bdf").read_text()


def test_a_closed_pipe_is_no_error(cube, tmp_path):
    command = f"{sys.executable} -m oddseam survey cube.stl | head -n 1"
    done = subprocess.run(
        ["bash", "-c", command], cwd=tmp_path, capture_output=True, text=True, check=False, timeout=60
    )
    assert "Traceback" not in done.stderr and "cube.stl" in done.stdout


def test_help_loads_nothing_heavy():
    code = (
        "import sys, oddseam.cli.main as m\n"
        "from oddseam.operations import by_verb\n"
        "from oddseam.cli.parsing import overview, parser_for\n"
        "overview(), [parser_for(one).format_help() for one in by_verb().values()]\n"
        "print(sorted({'numpy', 'numba', 'pandas', 'matplotlib', 'rich'} & set(sys.modules)))\n"
        "print(sum(name.startswith('oddseam') for name in sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=60)
    heavy, own = done.stdout.splitlines()
    assert heavy == "[]" and int(own) <= 12


def test_verbs_document_themselves(run):
    for verb in ("survey", "mend", "remesh", "convert", "picture", "account", "warm-up", "demo"):
        done = run(verb, "--help")
        assert done.returncode == 0 and "Exit status" in done.stdout
    assert run("--version").stdout == f"oddseam {oddseam.__version__}\n"
    assert run("survey").returncode == 2


@pytest.mark.slow
def test_results_do_not_depend_on_threads(run, cube, tmp_path):
    assert run("mend", cube, "-o", "clean.stl").returncode == 0
    for name, threads in (("one.stl", "1"), ("two.stl", "2")):
        environment = {**os.environ, "NUMBA_NUM_THREADS": threads, "OMP_NUM_THREADS": threads}
        pinned = f"import os; os.cpu_count = lambda: {threads}; import sys; from oddseam.cli.main import main; sys.exit(main())"
        words = [sys.executable, "-c", pinned, "remesh", "clean.stl", "-o", name, "--size", "0.015"]
        subprocess.run(words, cwd=tmp_path, env=environment, capture_output=True, check=True, timeout=120)
    assert (tmp_path / "one.stl").read_bytes() == (tmp_path / "two.stl").read_bytes()
