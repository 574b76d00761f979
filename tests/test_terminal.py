"""What a person at a terminal sees besides results: progress, compiling, benchmarks."""

from __future__ import annotations

import importlib
import io
import logging
import subprocess
import sys
from pathlib import Path

import pytest

from oddseam import compiled
from oddseam.cli import progress

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


def test_warm_up_compiles_every_family(run):
    done = run("warm-up")
    assert done.returncode == 0 and done.stdout.startswith("all kernels are compiled (")
    listed = set(__import__("oddseam.warmup").warmup.FAMILIES)
    source = ROOT / "src"
    there = {
        ".".join(path.relative_to(source).with_suffix("").parts)
        for path in source.rglob("*kernels.py")
        if "def warm_up" in path.read_text(encoding="utf-8")
    }
    assert listed == there


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
