from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import settings

import oddseam
from oddseam.demo import write_raw_cowl
from oddseam.demo.damage import Damage, damaged_cowl

settings.register_profile("every test", deadline=None, derandomize=True, database=None)
if os.environ.get("ODDSEAM_EVERY_TEST"):  # CI: no test depends on luck
    settings.load_profile("every test")

COMPILING = "oddseam: compiling for this processor; this happens once (`oddseam warm-up` does it ahead)\n"


@pytest.fixture(scope="session")
def raw_cowl_path(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("raw") / "inlet_cowl.stl"
    write_raw_cowl(path)
    return path


@pytest.fixture(scope="session")
def damage() -> Damage:
    return damaged_cowl()[1]


@pytest.fixture(scope="session")
def raw_cowl(raw_cowl_path) -> oddseam.Mesh:
    return oddseam.read_mesh(raw_cowl_path, unit="mm")


@pytest.fixture(scope="session")
def mended_cowl(raw_cowl) -> oddseam.Mesh:
    return oddseam.mend(raw_cowl, fins=6.0, target="stl")


@pytest.fixture(scope="session")
def even_cowl(mended_cowl) -> oddseam.Mesh:
    return oddseam.remesh(mended_cowl, size=4.0)


@pytest.fixture
def run(tmp_path):
    """Run the command line in a folder of its own, as a user would; a first run's notice is left out."""

    def command(*words: object) -> subprocess.CompletedProcess:
        done = subprocess.run(
            [sys.executable, "-m", "oddseam", *map(str, words)],
            cwd=tmp_path, capture_output=True, text=True, timeout=300, check=False,
        )  # fmt: skip
        assert "Traceback" not in done.stderr, done.stderr
        done.stderr = done.stderr.removeprefix(COMPILING)
        return done

    return command
