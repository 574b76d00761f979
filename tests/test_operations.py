"""One table of operations: the command line, help, completion, the reference, the README and the laws are made from it."""

from __future__ import annotations

import inspect
import os
import re
import runpy
import shlex
import subprocess
import sys
from pathlib import Path

import pytest
from test_openings import panel

import oddseam
from oddseam import operations
from oddseam.accounts.recording import RECORDED
from oddseam.cli import completing, parsing
from oddseam.demo import write_all
from oddseam.operations import GROUPS, OPERATIONS, Operation, by_verb

ROOT = Path(__file__).resolve().parents[1]

#: A verb that there is not: its file, and the line that adds it.
MADE_UP = '''\
from oddseam.accounts import Outcome, Step, recorded
from oddseam.inputs import PointLike
from oddseam.model import Mesh

@recorded()
def make_shifted(mesh: Mesh, *, by: PointLike = (0.0, 0.0, 1.0)) -> tuple[Mesh, Outcome]:
    """Shift a mesh."""
    return mesh.replaced(nodes=mesh.nodes + by), Outcome((Step("shift", mesh.n_nodes),))
'''
ADDED = "operations.register(operations.Operation('mesh', 'made_up:make_shifted', 'shifted a.seam -o b.seam'))"
LOOKS = f"""
import runpy, sys
import test_laws_of_operations as laws
from oddseam import operations
from oddseam.cli import completing, main, parsing
{ADDED}
assert "  shifted          Shift a mesh." in parsing.overview()
help = parsing.parser_for(operations.by_verb()["shifted"]).format_help()
assert "--by X,Y,Z" in help and "oddseam shifted a.seam -o b.seam" in help
for shell in ("bash", "zsh", "fish"):
    assert "shifted" in completing.script_for(shell)
made = runpy.run_path(sys.argv[1])
assert "[shifted](docs/reference.md#shifted)" in made["of_readme"]() and "### shifted" in made["reference"]()
assert laws.untried() == {{"make shifted"}}
assert main.main(["shifted", "a.seam", "--by", "-1,0,0", "-o", "b.seam"]) == 0
assert parsing.meant("shiftet", list(operations.by_verb())) == "; did you mean shifted?"
"""


def test_an_operation_is_added_in_one_place(tmp_path):
    """The file of its function and one line: then it is in the command line, help, completion, reference and laws."""
    (tmp_path / "made_up.py").write_text(MADE_UP)
    mesh = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    oddseam.write_mesh(mesh, tmp_path / "a.seam")
    path = os.pathsep.join([str(tmp_path), str(ROOT / "tests"), *filter(None, [os.environ.get("PYTHONPATH")])])
    done = subprocess.run([sys.executable, "-c", LOOKS, ROOT / "docs" / "make_reference.py"], cwd=tmp_path,
                          env={**os.environ, "PYTHONPATH": path}, capture_output=True, text=True, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr
    new = oddseam.read_mesh(tmp_path / "b.seam")
    assert new.nodes[0].tolist() == [-1.0, 0.0, 0.0] and new.account.last.operation == "make shifted"


def test_public_functions_and_the_table_are_of_one_mind():
    for one in OPERATIONS:
        assert one.group in GROUPS and one.load().__doc__, one.verb
        source, real = one.signature.parameters, inspect.signature(one.load()).parameters
        assert [p.name for p in source] == list(real), one.verb
        for parameter in source:
            known = real[parameter.name]
            assert (parameter.default is None) == (known.default is inspect.Parameter.empty), (one.verb, parameter)
            assert parameter.is_positional == (known.kind is inspect.Parameter.POSITIONAL_OR_KEYWORD)
            said = parameter.text or parameter.name in ("mesh", "progress", "before", "after", "path", "title", "name")
            assert said, f"{one.verb}: nothing is said of {parameter.name}"
        assert len(one.signature.summary) <= 80, one.verb
    recorded = {run.__name__ for run in RECORDED.values() if run.__module__.startswith("oddseam.")}
    assert recorded <= {one.name for one in OPERATIONS}


def test_every_option_is_a_keyword_and_has_one_meaning():
    """Spelled as in Python; and where two verbs share one, it takes the same kind of thing in both."""
    taken: dict[str, set[str]] = {}
    for verb, one in by_verb().items():
        for parameter in one.signature.parameters:
            if parameter.name not in ("progress", "target", "path", "found", "mesh"):
                annotation = parameter.annotation.removesuffix(" | None")
                taken.setdefault(parameter.name, set()).add(annotation)
        options = {name for action in parsing.parser_for(one)._actions for name in action.option_strings}
        assert all(re.fullmatch(r"-[a-z]|--[a-z]+(-[a-z]+)*", name) for name in options), verb
    several = {name: kinds for name, kinds in taken.items() if len(kinds) > 1}
    # a keyword that takes one thing here and several of the same there, or some of the same words
    assert set(several) <= {"near", "nodes", "through", "of", "surface", "pick", "before", "parts"}, several


def test_a_verb_that_is_there_cannot_be_added_again():
    with pytest.raises(ValueError, match="already"):
        operations.register(Operation("mesh", "remesh", "remesh"))
    with pytest.raises(ValueError, match="no group"):
        operations.register(Operation("cooking", "nothing", ""))


@pytest.mark.slow
def test_every_example_of_the_help_works(tmp_path):
    write_all(tmp_path)
    for verb, one in by_verb().items():
        if verb == "warm-up":  # it is run by a test of its own
            continue
        assert one.example.split()[0] == verb
        words = [sys.executable, "-m", "oddseam", *shlex.split(one.example)]
        done = subprocess.run(words, cwd=tmp_path, capture_output=True, text=True, check=False, timeout=300)
        assert done.returncode == 0, f"{one.example}: {done.stderr}"
        assert f"example:\n  oddseam {one.example}\n" in parsing.parser_for(one).format_help()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("remsh", "a.stl"), "there is no verb remsh; did you mean remesh?"),
        (("remesh", "a.stl", "--siz", "4", "-o", "b.stl"), "there is no option --siz; did you mean --size?"),
        ((), "say a verb"), (("cut", "a.stl", "--at", "1,2"), "--at: '1,2' is not a point"),
        (("cut", "a.stl", "--kind", "oval"), "'oval' is none of round, slot, rectangle"),
        (("number-new", "a.stl", "--since", "a.stl", "--node-ids", "x"), "say a first id"),
        (("name-patches", "a.stl", "lid"), "an equals sign is wanted"),
    ],
)  # fmt: skip
def test_what_is_said_wrong_is_one_line_with_what_may_have_been_meant(run, words, said):
    done = run(*words)
    assert done.returncode == 2 and done.stdout == "" and done.stderr.count("\n") == 1
    assert done.stderr.startswith("oddseam: ") and said in done.stderr


def test_help_is_had_in_every_way(run):
    overview = run("--help").stdout
    assert overview == run("help").stdout and all(f"\n{group}:\n" in overview for group in GROUPS)
    assert run("help", "cut").stdout == run("cut", "--help").stdout
    assert all(len(line) <= 106 for line in overview.splitlines())


@pytest.mark.slow
def test_negative_points_are_taken_as_they_are_written(run, tmp_path):
    mesh = oddseam.Mesh.from_triangles([[0, 0, 0], [3, 0, 0], [0, 4, 0]], [[0, 1, 2]], unit="mm")
    oddseam.write_mesh(mesh, tmp_path / "a.seam")
    done = run("move-node", "a.seam", "1", "--to", "-1,-.5,0", "--free", "-o", "b.seam", "--quiet")
    assert done.returncode == 0 and done.stdout == ""
    assert oddseam.read_mesh(tmp_path / "b.seam").nodes[0].tolist() == [-1.0, -0.5, 0.0]
    loud = run("move-node", "a.seam", "1", "--to=-1,0,0", "--free", "--preview", "--verbose")
    assert loud.returncode == 0 and "move node" in loud.stderr and "nothing is written" in loud.stdout


def completed(script: str, words: list[str]) -> list[str]:
    """What bash offers for the last of some words."""
    line = " ".join(map(shlex.quote, words))
    code = f'{script}\nCOMP_WORDS=({line}); COMP_CWORD={len(words) - 1}; _oddseam; printf "%s\\n" "${{COMPREPLY[@]}}"'
    done = subprocess.run(["bash", "-c", code], capture_output=True, text=True, check=True)
    return done.stdout.split()


@pytest.mark.slow
def test_bash_completes_verbs_options_and_words():
    script = completing.script_for("bash")
    assert completed(script, ["oddseam", "co"]) == ["compare", "coarsen", "combine", "convert", "completion"]
    assert completed(script, ["oddseam", "cut", "--rim"]) == ["--rim-nodes"]
    assert completed(script, ["oddseam", "cut", "--kind", "r"]) == ["round", "rectangle"]
    assert completed(script, ["oddseam", "cut", "--unit", ""]) == ["um", "mm", "cm", "m", "in", "ft"]
    for shell in ("zsh", "fish"):
        assert all(verb in completing.script_for(shell) for verb in by_verb())


def test_the_reference_and_the_readme_are_those_of_the_table():
    made = runpy.run_path(str(ROOT / "docs" / "make_reference.py"))
    assert (ROOT / "docs" / "reference.md").read_text(encoding="utf-8") == made["reference"]()
    assert f"<!-- verbs -->\n{made['of_readme']()}<!-- /verbs -->" in (ROOT / "README.md").read_text(encoding="utf-8")


def test_everything_long_tells_how_far_it_is(tmp_path):
    """Reading and drawing too; what a function calls on its way reports to nobody, so that the share only grows."""
    from oddseam.progress import told_to

    told: list[tuple[str, float]] = []
    oddseam.write_mesh(panel(), tmp_path / "a.seam", progress=lambda step, share: told.append((step, share)))
    assert told == [("write mesh", 0.0), ("done", 1.0)]
    with told_to(lambda step, share: told.append((step, share))):
        again = oddseam.read_mesh(tmp_path / "a.seam")
        cut = oddseam.cut(again, at=(9, 9, 0), diameter=3.0)
    assert told[2:] == [
        ("read mesh", 0.0),
        ("done", 1.0),
        ("cut", 0.0),
        ("measuring what was lost", 0.98),
        ("done", 1.0),
    ]
    told.clear()
    oddseam.change_openings(cut, near=(9, 9, 0), rim_nodes=20, progress=lambda step, share: told.append((step, share)))
    assert [share for _, share in told] == sorted(share for _, share in told)
    oddseam.make_picture(cut, tmp_path / "a.png", progress=lambda step, share: told.append((step, share)))
    assert ("drawing", 0.6) in told
