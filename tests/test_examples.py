"""Every example, and every command and snippet in the pages, run as a reader would run it."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

import oddseam
from oddseam.demo import (
    write_bearing_block,
    write_bearing_block_new,
    write_bolt_row,
    write_deflector,
    write_draft_tube,
    write_hand_wheel,
    write_raw_cowl,
)

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


def test_python_example(tmp_path):
    done = subprocess.run([sys.executable, ROOT / "examples" / "clean_cowl.py"], cwd=tmp_path, capture_output=True,
                          text=True, check=False, timeout=600)  # fmt: skip
    assert done.returncode == 0, done.stderr
    for name in ("inlet_cowl_clean.stl", "inlet_cowl_clean.bdf", "inlet_cowl_clean.seam"):
        proof = oddseam.prove(oddseam.read_mesh(tmp_path / name))
        assert proof.is_clean and proof.is_closed
    assert (tmp_path / "before.png").stat().st_size > 50_000


def test_shell_example(tmp_path):
    done = shell(f"sh {ROOT / 'examples' / 'clean_cowl.sh'}", tmp_path)
    assert done.returncode == 0, done.stderr
    assert oddseam.prove(oddseam.read_mesh(tmp_path / "inlet_cowl_clean.bdf")).is_closed
    assert (tmp_path / "after.png").exists()


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_what_the_pages_show_works(page, tmp_path):
    """The blocks of a page run in order, in a folder that holds the parts of the demo."""
    write_raw_cowl(tmp_path / "inlet_cowl.stl")
    write_deflector(tmp_path / "deflector_lip.stl")
    write_draft_tube(tmp_path / "draft_tube.bdf")
    write_bolt_row(tmp_path / "bolts.csv")
    write_hand_wheel(tmp_path)
    write_bearing_block(tmp_path / "bearing_block.bdf")
    write_bearing_block_new(tmp_path / "bearing_block_new.stl")
    write_bearing_block_new(tmp_path / "bearing_block_drain.stl", drain=True)
    code: list[str] = []
    for kind, block in BLOCK.findall(page.read_text(encoding="utf-8")):
        if kind == "python":
            code.append(block)
            continue
        for line in block.replace("\\\n", " ").splitlines():
            if line.startswith("oddseam "):
                done = shell(line.split("  #")[0], tmp_path)
                assert done.returncode == 0, f"{line}\n{done.stderr}"
    if code:
        done = subprocess.run([sys.executable, "-c", "\n".join(code)], cwd=tmp_path, capture_output=True, text=True,
                              check=False, timeout=600)  # fmt: skip
        assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page):
    for target in re.findall(r"\]\(([^)#]+)", page.read_text(encoding="utf-8")):
        assert target.startswith("http") or (page.parent / target).exists(), target
