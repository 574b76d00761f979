"""Every example, and every command and snippet in the pages, run as a reader would run it."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import oddseam
from oddseam.demo import write_all

ROOT = Path(__file__).resolve().parents[1]
BLOCK = re.compile(r"^```(sh|python)\n(.*?)^```", re.MULTILINE | re.DOTALL)
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


def shell(command: str, folder: Path) -> subprocess.CompletedProcess:
    """Run a command with ``oddseam`` of this very interpreter first on the path."""
    tools = folder / ".bin"
    tools.mkdir(exist_ok=True)
    (tools / "oddseam").write_text(f'#!/bin/sh\nexec "{sys.executable}" -m oddseam "$@"\n')
    (tools / "oddseam").chmod(0o755)
    environment = {**os.environ, "PATH": f"{tools}{os.pathsep}{os.environ['PATH']}"}
    return subprocess.run(["sh", "-c", command], cwd=folder, env=environment, capture_output=True, text=True,
                          check=False, timeout=600)  # fmt: skip


@pytest.mark.slow
def test_python_example(tmp_path):
    done = subprocess.run([sys.executable, ROOT / "examples" / "clean_cowl.py"], cwd=tmp_path, capture_output=True,
                          text=True, check=False, timeout=600)  # fmt: skip
    assert done.returncode == 0, done.stderr
    for name in ("inlet_cowl_clean.stl", "inlet_cowl_clean.bdf", "inlet_cowl_clean.seam"):
        proof = oddseam.prove(oddseam.read_mesh(tmp_path / name))
        assert proof.is_clean and proof.is_closed
    assert (tmp_path / "before.png").stat().st_size > 50_000


@pytest.mark.slow
def test_shell_example(tmp_path):
    done = shell(f"sh {ROOT / 'examples' / 'clean_cowl.sh'}", tmp_path)
    assert done.returncode == 0, done.stderr
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "inlet_cowl_clean.bdf")).is_closed
    assert (tmp_path / "after.png").exists()


#: Runs the commands of a page one after the other in one process, each as the command line would, and then its code.
RUNNER = """
import json, shlex, sys
from oddseam.cli.main import main

page = json.load(open("page.json"))
for line in page["commands"]:
    command, _, wanted = line.partition("|| test $? = ")
    try:
        status = main(shlex.split(command)[1:])
    except SystemExit as stop:
        status = stop.code
    if status != int(wanted or 0):
        sys.exit(f"{line}: status {status}")
exec(compile(page["code"], "the page", "exec"), {"__name__": "__main__"})
"""


@pytest.fixture(scope="session")
def parts(tmp_path_factory) -> Path:
    """A folder with the parts of the demo."""
    folder = tmp_path_factory.mktemp("parts")
    write_all(folder)
    return folder


#: What many pages begin with: run by the first of them, what it made is there for the others.
SHARED = {
    "oddseam mend inlet_cowl.stl --unit mm --fins 6 -o mended.seam": "mended.seam",
    "oddseam features mended.seam -o patches.seam": "patches.seam",
}


@pytest.mark.slow
@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_what_the_pages_show_works(page, parts, tmp_path):
    """The commands of a page run in order, in a folder that holds the parts of the demo, and then its code."""
    shutil.copytree(parts, tmp_path, dirs_exist_ok=True)
    blocks = BLOCK.findall(page.read_text(encoding="utf-8"))
    lines = [line for kind, block in blocks if kind == "sh" for line in block.replace("\\\n", " ").splitlines()]
    commands = [line.split("  #")[0] for line in lines if line.startswith("oddseam ")]
    commands = [line for line in commands if not (parts / SHARED.get(line.strip(), "none")).exists()]
    code = "\n".join(block for kind, block in blocks if kind == "python")
    (tmp_path / "page.json").write_text(json.dumps({"commands": commands, "code": code}))
    done = subprocess.run([sys.executable, "-c", RUNNER], cwd=tmp_path, capture_output=True, text=True, check=False,
                          timeout=600)  # fmt: skip
    assert done.returncode == 0, done.stderr
    for made in {SHARED[line.strip()] for line in commands if line.strip() in SHARED}:
        shutil.copy(tmp_path / made, parts)


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page):
    for target in re.findall(r"\]\(([^)#]+)", page.read_text(encoding="utf-8")):
        assert target.startswith("http") or (page.parent / target).exists(), target


def test_the_page_of_decks_has_the_tables_as_they_are():
    import runpy

    made = runpy.run_path(str(ROOT / "docs" / "make_card_tables.py"))
    text = (ROOT / "docs" / "decks.md").read_text(encoding="utf-8")
    assert made["page"](text) == text
