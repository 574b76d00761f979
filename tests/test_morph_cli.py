"""The verb ``morph``, files of changes and tables of targets, decks that come back, and pictures."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest

import oddseam
from oddseam.demo import write_bearing_block, write_bearing_block_new, write_draft_tube

FOOT = "near (-54,20,14) flat 5"


def run(folder, *args: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "oddseam", *args], cwd=folder, capture_output=True, text=True, timeout=300, check=False
    )


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    folder = tmp_path_factory.mktemp("morph")
    write_bearing_block(folder / "bearing_block.bdf")
    write_bearing_block_new(folder / "new.stl")
    write_bearing_block_new(folder / "drain.stl", drain=True)
    return folder


@pytest.mark.slow
def test_a_deck_comes_back_with_other_coordinates_only(folder):
    done = run(folder, "morph", "bearing_block.bdf", "--unit", "mm", "--bore", "0,20,25=41.5", "--offset", f"{FOOT}=4",
               "-o", "revised.bdf")  # fmt: skip
    assert done.returncode == 0, done.stderr
    was, now = ((folder / name).read_text().splitlines() for name in ("bearing_block.bdf", "revised.bdf"))
    assert len(was) == len(now)
    differ = [(a, b) for a, b in zip(was, now, strict=True) if a != b]
    assert differ and all(a.startswith(("GRID*", "*       ")) for a, _ in differ)
    fields = [[(a[k : k + 16], b[k : k + 16]) for k in range(8, 72, 16)] for a, b in differ]
    assert all(a == b for row, (line, _) in zip(fields, differ, strict=True) if line[0] == "G" for a, b in row[:2])
    # a coordinate that did not change keeps its digits
    assert all(a == b or float(a) != float(b) for row in fields for a, b in row)
    one, two = (oddseam.read_mesh(folder / name, unit="mm") for name in ("bearing_block.bdf", "revised.bdf"))
    away = two.nodes - (0.0, 0.0, 45.0)
    bore = np.abs(np.hypot(one.nodes[:, 0], one.nodes[:, 2] - 45.0) - 20.0) < 1e-6
    assert np.abs(np.hypot(away[bore, 0], away[bore, 2]) - 20.75).max() < 1e-7
    assert (two.source.records.node_frame == one.source.records.node_frame).all()
    # angles of the frame do not jump by a turn
    assert np.abs(two.source.records.node_given - one.source.records.node_given)[:, 1].max() < 5.0
    touched = oddseam.compare_ids(one, two)
    assert not any(touched["elements"].values()) and not touched["nodes"]["gone"] and not touched["nodes"]["new"]


@pytest.mark.slow
def test_preview_writes_nothing_but_pictures(folder):
    before = sorted(folder.iterdir())
    done = run(folder, "morph", "bearing_block.bdf", "--unit", "mm", "--offset", f"{FOOT}=4", "--preview",
               "--picture", "moved.png", "--view", "-0.8,-1.5,0.7")  # fmt: skip
    assert done.returncode == 0, done.stderr
    for words in ("largest move 4", "tet radius ratio, worst / median", "worst after", "nothing is written"):
        assert words in done.stdout
    head = (folder / "moved.png").read_bytes()[:24]
    assert head[1:4] == b"PNG" and (int.from_bytes(head[16:20]), int.from_bytes(head[20:24])) == (1280, 800)
    (folder / "moved.png").unlink()
    assert sorted(folder.iterdir()) == before


@pytest.mark.slow
@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--shape", "drain.stl", "-o", "x.bdf"), "the change is one of topology: plane 10"),
        (("--offset", f"{FOOT}=-10", "-o", "x.bdf", "--height", "0.1"), "would break height 0.1"),
        (("--offset", f"{FOOT}=-14.5", "-o", "x.bdf", "--reach", "25"), "of the change can be reached"),
        (("--offset", f"{FOOT}=4"), "say -o FILE"),
        (("-o", "x.bdf"), "say at least one change"),
        (("--offset", f"{FOOT}=four", "-o", "x.bdf"), "'four' is not a number"),
        (("--move", f"{FOOT}=1,2", "-o", "x.bdf"), "three numbers are wanted"),
        (("--move", "nowhere=1,2,3", "-o", "x.bdf"), "begins no pick"),
        (("--push", "0,0,0=1,2,3", "-o", "x.bdf"), "--push needs a lattice"),
        (("--targets", "none.csv", "-o", "x.bdf"), "none.csv"),
        (("--changes", "none.toml", "-o", "x.bdf"), "none.toml"),
    ],
)
def test_what_cannot_be_done_says_why_and_writes_nothing(folder, options, words):
    done = run(folder, "morph", "bearing_block.bdf", "--unit", "mm", *options)
    assert done.returncode == 2
    assert done.stderr.startswith("oddseam: ") and done.stderr.count("\n") == 1 and words in done.stderr
    assert not (folder / "x.bdf").exists()


@pytest.mark.slow
def test_a_file_of_changes_does_what_options_do(folder):
    (folder / "revision.toml").write_text(
        f'reach = 60.0\nhold = ["near (54,20,14) flat 5"]\nplanes = ["y=0"]\n[limits]\nradius_ratio = 0.1\n'
        f'[[bore]]\nnear = [0, 20, 25]\ndiameter = 41.5\n[[offset]]\npick = "{FOOT}"\ndistance = 4\n'
    )
    done = run(folder, "morph", "bearing_block.bdf", "--unit", "mm", "--changes", "revision.toml", "-o", "a.seam",
               "--json")  # fmt: skip
    assert done.returncode == 0, done.stderr
    settings = json.loads(done.stdout)["account"][-1]["settings"]
    assert settings["reach"] == 60.0 and [one["change"] for one in settings["changes"]] == ["bore", "offset"]
    mesh = oddseam.read_mesh(folder / "bearing_block.bdf", unit="mm")
    new = oddseam.morph(
        mesh, [oddseam.Bore((0, 20, 25), diameter=41.5), oddseam.Offset(FOOT, 4.0)], reach=60.0,
        hold=("near (54,20,14) flat 5",), planes=("y=0",),
    )  # fmt: skip
    assert (oddseam.read_mesh(folder / "a.seam").nodes == new.nodes).all()


def test_every_kind_of_change_in_a_file(folder):
    (folder / "targets.csv").write_text("id,x,y,z\n17,1,2,3\n18,4,5,6\n")
    (folder / "all.toml").write_text(
        '[[move]]\npick = "all"\nby = [1, 2, 3]\n[[turn]]\npick = "all"\nangle = 5\naxis = [0, 0, 1]\n'
        '[[scale]]\npick = "all"\nfactor = [1, 1, 2]\nabout = [0, 0, 0]\n[[wall]]\npick = "all"\nthickness = 3\n'
        '[[targets]]\nfile = "targets.csv"\n[[shape]]\nfile = "new.stl"\nsurface = "recognised"\n'
        "[[lattice]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\ncounts = [2, 2, 2]\npushes = [[1, 1, 1, 0, 0, 5]]\n"
    )
    kinds = [type(one).__name__ for one in oddseam.read_changes(folder / "all.toml")["changes"]]
    assert kinds == ["Move", "Turn", "Scale", "Wall", "Targets", "Shape", "Lattice"]
    assert oddseam.read_targets(folder / "targets.csv").places == {17: (1.0, 2.0, 3.0), 18: (4.0, 5.0, 6.0)}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("[[bore]]\ndiameter = 3\n", "line 1: bore: number 1 has no near"),
        ("reach = 3\n", "there is no change"),
        ('[[move]]\npick = "all"\nby = [1, 2]\n', "it takes three numbers"),
        ('[[move]]\npick = "all"\nby = 7\nfast = true\n', "line 4: move.fast"),
        ("[[move]]\npick = 3\nby = [1, 2, 3]\n", "line 2: move.pick: 3 is no text"),
        ("hold = 3\n", "line 1: hold"),
        ("[[wish]]\n", "line 1: wish: a file of changes has"),
        ("[[lattice]]\nlow = [0,0,0]\nhigh = [1,1,1]\npushes = [[1, 2]]\n", "line 4: lattice.pushes: six numbers"),
        ("[[move\n", "this is no TOML"),
    ],
)
def test_files_of_changes_that_are_wrong_say_where(tmp_path, text, words):
    path = tmp_path / "wrong.toml"
    path.write_text(text)
    with pytest.raises(oddseam.FormatError) as said:
        oddseam.read_changes(path)
    assert words in str(said.value)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("id,x,y\n1,2,3\n", "line 1: the columns have to be"),
        ("id,x,y,z\n1,2,3\n", "line 2: an id and three numbers"),
        ("id,x,y,z\n1,2,3,4\n1,2,3,4\n", "line 3: node 1 has a target already"),
        ("id,x,y,z\n", "holds no target"),
    ],
)
def test_tables_of_targets_that_are_wrong_say_where(tmp_path, text, words):
    path = tmp_path / "targets.csv"
    path.write_text(text)
    with pytest.raises(oddseam.FormatError) as said:
        oddseam.read_targets(path)
    assert words in str(said.value)


@pytest.mark.slow
def test_lattice_and_targets_on_the_command_line(folder):
    done = run(folder, "morph", "bearing_block.bdf", "--unit", "mm", "--lattice=-71,-1,-1,71,41,84",
               "--push", "1,1,3=0,0,6", "--push", "2,2,3=0,0,6", "-o", "pushed.seam")  # fmt: skip
    assert done.returncode == 0, done.stderr
    mesh, new = oddseam.read_mesh(folder / "bearing_block.bdf", unit="mm"), oddseam.read_mesh(folder / "pushed.seam")
    assert (new.nodes[:, 2] - mesh.nodes[:, 2]).max() == pytest.approx(1.6875 * (84 / 85) ** 3, abs=1e-3)
    (folder / "one.csv").write_text(f"id,x,y,z\n{mesh.node_ids[0]},-70.5,0,0\n")
    done = run(folder, "morph", "bearing_block.bdf", "--unit", "mm", "--targets", "one.csv", "-o", "one.seam")
    assert done.returncode == 0, done.stderr
    assert oddseam.read_mesh(folder / "one.seam").nodes[0].tolist() == [-70.5, 0.0, 0.0]


@pytest.mark.slow
def test_an_opening_of_a_shell_deck_moves_with_its_loads(tmp_path):
    path = write_draft_tube(tmp_path / "draft_tube.bdf")
    mesh = oddseam.read_mesh(path, unit="mm")
    opening = next(row for row in oddseam.list_openings(mesh) if row.diameter > 80)
    place = ",".join(f"{x:g}" for x in opening.centre)
    done = run(tmp_path, "morph", "draft_tube.bdf", "--unit", "mm", "--move", f"rim ({place})=0,0,12", "-o", "new.bdf")
    assert done.returncode == 0, done.stderr
    was, now = ((tmp_path / name).read_text().splitlines() for name in ("draft_tube.bdf", "new.bdf"))
    assert len(was) == len(now)
    assert all(a == b or a.startswith(("GRID*", "*")) for a, b in zip(was, now, strict=True))
    again = oddseam.read_mesh(tmp_path / "new.bdf", unit="mm")
    moved = next(row for row in oddseam.list_openings(again) if row.diameter > 80)
    assert np.subtract(moved.centre, opening.centre) == pytest.approx([0, 0, 12], abs=0.2)
